import {
  dateOf,
  DAY_MS,
  peopleWarnings,
  rehearse,
  textWarnings,
  Zone,
  type Assignment,
  type Instant,
  type MissingOf,
  type PlanStep,
  type PlanWarning,
  type RehearsalLine,
  type Roster,
} from '@nudrik/core';
import type { PlanWarningView } from '@nudrik/contract';
import { maybeRow, rows } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { loadFacts, type CourseFacts } from '../notices/facts.ts';
import { missingThen } from '../notices/foresee.ts';
import { getHouse } from '../house/house.ts';
import { houseToday } from '../people/today.ts';

/** Of the people of a warning, so many are named. */
const NAMED = 50;
/** Of a plan's open assignments, so many are looked at. */
export const LOOKED_AT = 2_000;
const HORIZON_MS = 200 * DAY_MS;

interface WarnInput {
  steps: readonly PlanStep[];
  assignments: readonly Assignment[];
  roster: Roster;
  course: CourseFacts;
  now: Instant;
  zone: string;
  /** the rehearsal of these steps for these assignments; without it, it is made here */
  lines?: readonly RehearsalLine[];
  /** where gaps in parts of texts are to be told as warnings; a plan's page has them in a list of its own */
  missingOf?: MissingOf;
}

/** What is to be known of a plan, with the people by name: by core, for the plan's own page, for who is assigned or asked, and for Today. */
export function warningsOf({ steps, assignments, roster, course, now, zone, lines, missingOf }: WarnInput): PlanWarningView[] {
  const { names } = roster;
  const found = [
    ...textWarnings({
      steps,
      names,
      today: dateOf(Zone.of(zone).dayAt(now)),
      units: new Set(Object.keys(course.titles)),
      // what is named by words and not by id is not looked up
      isThere: (kind, id) => !/^\d+$/.test(id) || names[kind](id) !== id,
    }),
    ...(assignments.length === 0
      ? []
      : peopleWarnings({
          steps,
          assignments,
          roster,
          now,
          lines: lines ?? playedLines(steps, assignments, roster, course.id, now),
          ...(missingOf && { missingOf }),
        })),
  ];
  return found.map((warning) => viewOf(warning, steps, roster));
}

/** The plan played for everybody from the beginning of the first assignment: what falls before one shows there. */
function playedLines(
  steps: readonly PlanStep[],
  assignments: readonly Assignment[],
  roster: Roster,
  course: string,
  now: Instant,
): RehearsalLine[] {
  const first = Math.min(now, ...assignments.map(({ assignedAt }) => assignedAt));
  return rehearse({
    from: first,
    until: now + HORIZON_MS,
    roster,
    assignments,
    plans: [{ course, publishedAt: first, steps: steps.filter((step) => step.on) }],
    withHeld: true,
    isTold: () => false,
  });
}

function viewOf({ kind, step, words, people, mend }: PlanWarning, steps: readonly PlanStep[], roster: Roster): PlanWarningView {
  return {
    kind,
    step,
    stepName: steps.find(({ id }) => id === step)?.name ?? step,
    words,
    count: people.length,
    people: people
      .slice(0, NAMED)
      .map(({ assignment, person }) => ({ id: person, name: roster.getPerson(person).name, assignmentId: assignment })),
    mend: mend as PlanWarningView['mend'],
  };
}

/** What can be seen of the plan of a course before anybody is asked for it. */
export async function writtenWarnings(deps: Deps, courseId: string, steps: readonly PlanStep[]): Promise<PlanWarningView[]> {
  const house = await getHouse(deps.db);
  const { roster, courses } = await loadFacts(deps.db, house, [], null, [courseId]);
  const course = courses.get(courseId);
  return course ? warningsOf({ steps, assignments: [], roster, course, now: deps.clock.now(), zone: house.zone }) : [];
}

const LIST_LOOKED_AT = `
select id
from assignments
where course_id = $1::bigint
  and closed_by is null
order by id desc
limit ${LOOKED_AT}
`;

/** The warnings of the plan of a course as it is published. */
async function publishedWarnings(deps: Deps, courseId: string): Promise<{ version: number; warnings: PlanWarningView[] } | null> {
  const { db } = deps;
  const house = await getHouse(db);
  const ids = (await rows<{ id: string }>(db, LIST_LOOKED_AT, [courseId])).map(({ id }) => id);
  const facts = await loadFacts(db, house, ids, null, [courseId]);
  const plan = facts.plans.get(courseId);
  const course = facts.courses.get(courseId);
  if (!plan || !course) return null;
  const assignments = [...facts.assignments.values()];
  const now = deps.clock.now();
  return {
    version: plan.version,
    warnings: warningsOf({
      steps: plan.steps,
      assignments,
      roster: facts.roster,
      course,
      now,
      zone: house.zone,
      missingOf: missingThen(facts),
    }),
  };
}

const NEXT_UNSEEN = `
select p.course_id
from plans p
join courses c on c.id = p.course_id
left join plan_warnings w on w.course_id = p.course_id
where c.state = 'live'
  and (w.course_id is null or w.version <> p.version or w.seen_on <> $1::date)
order by p.course_id
limit 1
`;

const KEEP = `
insert into plan_warnings (course_id, version, seen_on, warnings)
values ($1::bigint, $2::integer, $3::date, $4::jsonb)
on conflict (course_id) do update set version = excluded.version, seen_on = excluded.seen_on, warnings = excluded.warnings
`;

/** Looks at one plan in force that was changed, or that nobody looked at today. @returns whether there was one */
export async function watchPlans(deps: Deps): Promise<boolean> {
  const today = await houseToday(deps);
  const next = await maybeRow<{ course_id: string }>(deps.db, NEXT_UNSEEN, [today]);
  if (!next) return false;
  const found = await publishedWarnings(deps, next.course_id);
  if (!found) return false;
  await deps.db.query(KEEP, [next.course_id, found.version, today, JSON.stringify(found.warnings)]);
  return true;
}

const LIST_KEPT = `
select c.id, c.title, w.warnings
from plan_warnings w
join courses c on c.id = w.course_id
join plans p on p.course_id = w.course_id and p.version = w.version
where c.state = 'live'
  and jsonb_array_length(w.warnings) > 0
order by c.title
limit 50
`;

/** The plans in force of which something is to be known. */
export const listWarned = ({ db }: Pick<Deps, 'db'>): Promise<{ id: string; title: string; warnings: PlanWarningView[] }[]> =>
  rows(db, LIST_KEPT);
