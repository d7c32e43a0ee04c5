import {
  MOST_DAYS,
  Zone,
  type Assignment,
  type HoldReason,
  type LedgerLine,
  type Pace,
  type PlanStep,
  type RehearsalFacts,
  type Validity,
} from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { handoutsFor } from '../handouts/files.ts';
import { frameOf, getHouse, senderHouse } from '../house/house.ts';
import {
  addLetters,
  askFor,
  foreseeOpenings,
  listAssignmentFacts,
  listCourseFacts,
  listPlanFacts,
  resolveSteps,
  stepsOf,
} from '../notices/facts.ts';
import { listWoken, requirementsAhead, type RequirementsAhead } from '../requirements/ahead.ts';
import { loadRosterFacts, rosterOf } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';

/** A rehearsal looks at so many assignments at the most: what is more is left out, and said so. */
export const MOST_ASSIGNMENTS = 6_000;
/** Of so many people it asks what requirements will do, those whose day comes first, and no more where that is as many assignments. */
const MOST_PEOPLE_AHEAD = 2_000;
const PART_AHEAD = 200;

const LIST_COURSES = `
select c.id, c.title, d.steps as draft, coalesce(c.certificate, '') <> 'none' as certifies, c.validity
from plans p
join courses c on c.id = p.course_id
left join plan_drafts d on d.course_id = p.course_id
where ($1::bigint is null and c.state = 'live' or c.id = $1::bigint)
order by c.title
`;

// what is open, and what is closed and still has something to come: the first to be due first
const LIST_ASSIGNMENTS = `
select id, count(*) over ()::integer as total
from (
  select a.id, a.due_at
  from assignments a
  where a.course_id = any($1::bigint[])
    and a.closed_by is null
  union
  select a.id, a.due_at
  from notices n
  join assignments a on a.id = n.assignment_id
  where n.course_id = any($1::bigint[])
    and n.state in ('planned', 'held')
    and a.closed_by is not null
) a
order by a.due_at, a.id
limit $2::integer
`;

// what is cancelled may be planned again
const LIST_LEDGER = `
select assignment_id, step_id, revision, occurrence, to_role, state, at, moment, held_because, recipient_id, decided_at, try_at
from notices
where assignment_id = any($1::bigint[])
  and state <> 'cancelled'
`;
const WENT = ['sending', 'sent', 'delivered', 'bounced', 'failed'];

/** What waits for somebody, and for no moment, is looked at now. */
async function loadLedger(db: Queryable, assignments: readonly string[], now: number): Promise<LedgerLine[]> {
  const found = await rows<{
    assignment_id: string;
    step_id: string;
    revision: number;
    occurrence: number;
    to_role: string;
    state: string;
    at: Date;
    moment: Date;
    held_because: HoldReason | null;
    recipient_id: string | null;
    decided_at: Date | null;
    try_at: Date | null;
  }>(db, LIST_LEDGER, [assignments]);
  return found.map((row): LedgerLine => {
    const state = WENT.includes(row.state) ? 'sent' : row.state === 'skipped' ? 'decided' : 'waiting';
    const at = state === 'waiting' ? (row.try_at?.getTime() ?? now) : (row.decided_at ?? row.at).getTime();
    const { assignment_id, step_id, revision, occurrence, to_role, moment, held_because, recipient_id } = row;
    return [assignment_id, step_id, revision, occurrence, to_role, state, at, moment.getTime(), held_because, recipient_id];
  });
}

/**
 * Of each course those whose time has passed within two years, the newest first and enough of them to draw from: who finished, and who
 * has not. Of those who still have time only the quick ones have finished, so they tell nothing.
 */
const LIST_PACE = `
select c.id as course_id, s.closed_by, extract(epoch from s.closed_at - s.assigned_at) / greatest(86400, extract(epoch from s.due_at - s.assigned_at)) as share
from unnest($1::bigint[]) c (id)
cross join lateral (
  select a.closed_by, a.closed_at, a.assigned_at, a.due_at
  from assignments a
  where a.course_id = c.id
    and (a.closed_by = 'finished' or a.closed_by is null)
    and a.due_at < $2::timestamptz
    and a.assigned_at > $2::timestamptz - interval '2 years'
  order by a.due_at desc, a.id
  limit 500
) s
`;

async function loadPace(db: Queryable, courses: readonly string[], now: number): Promise<Record<string, Pace>> {
  const found = await rows<{ course_id: string; closed_by: string | null; share: number | string | null }>(db, LIST_PACE, [
    courses,
    new Date(now),
  ]);
  const pace: Record<string, { shares: number[]; all: number }> = {};
  for (const { course_id, closed_by, share } of found) {
    const of = (pace[course_id] ??= { shares: [], all: 0 });
    of.all += 1;
    // what was recorded of a day before the assignment says nothing of how fast people are
    if (closed_by === 'finished' && Number(share) > 0) of.shares.push(Math.round(Number(share) * 1_000) / 1_000);
  }
  return Object.fromEntries(
    Object.entries(pace).map(([course, { shares, all }]) => [
      course,
      { shares: shares.sort((a, b) => a - b), never: Math.round((100 * (all - shares.length)) / all) },
    ]),
  );
}

/**
 * Everything that a rehearsal looks at, as it stands now: of one course, whatever its state, or of all that are live. Nothing in it lets
 * anybody act for somebody else: personal links are left out.
 */
export async function rehearsalFacts(deps: Deps, courseId: string | null): Promise<RehearsalFacts> {
  const { db } = deps;
  const now = deps.clock.now();
  const house = await getHouse(db);
  const listed = await rows<{ id: string; title: string; draft: PlanStep[] | null; certifies: boolean; validity: Validity | null }>(
    db,
    LIST_COURSES,
    [courseId],
  );
  if (courseId !== null && listed.length === 0) throw new Refused('not-found', 'There is no such plan, or not any more.');
  const ids = listed.map(({ id }) => id);
  const courses = await listCourseFacts(db, ids);
  const plans = new Map((await listPlanFacts(db, ids)).map((plan) => [plan.course, plan]));
  const chosen = await rows<{ id: string; total: number }>(db, LIST_ASSIGNMENTS, [ids, MOST_ASSIGNMENTS]);
  const zone = Zone.of(house.zone);
  const end = zone.toInstant(zone.dayAt(now) + MOST_DAYS, 0);
  const { woken, total } = await listWoken(db, end, MOST_PEOPLE_AHEAD);
  const ahead: RequirementsAhead = { assigned: [], happenings: new Map() };
  let asked = 0;
  for (; asked < woken.length && ahead.assigned.length < MOST_ASSIGNMENTS; asked += PART_AHEAD) {
    const { assigned, happenings } = await requirementsAhead(db, now, end, woken.slice(asked, asked + PART_AHEAD), courseId);
    ahead.assigned.push(...assigned);
    for (const [id, events] of happenings) ahead.happenings.set(id, events);
  }
  const known = await listAssignmentFacts(db, [...new Set([...chosen.map(({ id }) => id), ...ahead.happenings.keys()])]);
  const assignments: Assignment[] = [
    ...known.map((assignment) => ({ ...assignment, events: [...assignment.events, ...(ahead.happenings.get(assignment.id) ?? [])] })),
    ...ahead.assigned,
  ].filter(({ course }) => plans.has(course));
  await addLetters(db, known, plans);
  const drafts = new Map<string, PlanStep[]>();
  for (const { id, draft } of listed) {
    if (!draft) continue;
    const course = courses.find((one) => one.id === id)!;
    askFor(course, draft);
    drafts.set(id, [...(await resolveSteps(db, id, draft)), ...plans.get(id)!.byHand]);
  }
  const handouts = await handoutsFor(db, [...[...plans.values()].flatMap(({ steps }) => steps), ...[...drafts.values()].flat()]);
  const people = [...new Set(assignments.map(({ person }) => person))];
  const roster = await loadRosterFacts(db, people, courses);
  const standing = rosterOf(roster, courses, house.sending);
  const courseOf = new Map(courses.map((course) => [course.id, course]));
  for (const assignment of assignments) foreseeOpenings(assignment, courseOf.get(assignment.course)!, standing);
  return {
    now,
    zone: house.zone,
    organisation: house.organisation,
    house: senderHouse(house),
    handouts: [...handouts.values()].map(({ id, name, bytes }) => ({ id, name, bytes })),
    frame: frameOf(house, ''),
    ...roster,
    courses: courses.map(
      ({ id, title, owner, assistants, units, finish, counted, released, code, summary, required, needed, sender, titles }) => ({
        id,
        title,
        owner,
        ...(assistants && { assistants }),
        units,
        ...(finish && { finish }),
        ...(counted && { counted }),
        ...(released && { released }),
        code,
        summary,
        required,
        needed,
        ...(sender && { sender }),
        titles,
      }),
    ),
    settings: house.sending,
    plans: listed.map(({ id, title }) => {
      const plan = plans.get(id)!;
      return { course: id, title, publishedAt: plan.publishedAt, steps: [...stepsOf(plan)], draft: drafts.get(id) ?? null };
    }),
    assignments: assignments.map(({ id, person, course, round, assignedAt, dueAt, isByHand, events, openings }) => ({
      id,
      person,
      course,
      ...(round !== undefined && { round }),
      assignedAt,
      dueAt,
      ...(isByHand !== undefined && { isByHand }),
      events,
      ...(openings && { openings }),
    })),
    ledger: await loadLedger(
      db,
      known.map(({ id }) => id),
      now,
    ),
    pace: await loadPace(db, ids, now),
    leftOut: Math.max(0, (chosen[0]?.total ?? 0) - chosen.length),
    ahead: ahead.assigned.map(({ id }) => id),
    aheadLeftOut: Math.max(0, total - asked),
    certified: Object.fromEntries(listed.flatMap(({ id, certifies, validity }) => (certifies ? [[id, validity]] : []))),
    signOffs: Object.fromEntries(courses.map(({ id, signOffs }) => [id, signOffs])),
  };
}
