import {
  goesIn,
  handStep,
  leavesOfStep,
  namedPerson,
  pendingOpenings,
  standingAt,
  type Assignment,
  type Counted,
  type Course,
  type FinishRule,
  type HandLetter,
  isRung,
  type NoticeFacts,
  type RungTold,
  type NoticesOf,
  type PlanStep,
  type Released,
  type Roster,
  type SenderRule,
} from '@nudrik/core';
import type { CourseState } from '@nudrik/contract';
import { listRecords } from '../assignments/events.repo.ts';
import { rows, type Queryable } from '../db/db.ts';
import { handoutsFor, type Handouts } from '../handouts/files.ts';
import { type House } from '../house/house.ts';
import { loadRoster } from '../people/roster.repo.ts';

/** What the ledger needs to know of an assignment beside what planning needs. */
export interface AssignmentFacts extends Assignment {
  token: string;
  unitsDone: string[];
  isClosed: boolean;
}

export interface CourseFacts extends Course {
  code: string | null;
  summary: string | null;
  state: CourseState;
  /** people whom steps of its plan name */
  named: string[];
  /** steps of its plan ask what somebody holds: by a condition, or whether what runs out was renewed */
  asksHeld: boolean;
  /** what the steps of its plan are called */
  stepNames: Record<string, string>;
  required: string[];
  /** so many of the required units are enough; null is all of them */
  needed: number | null;
  /** units that do not open at once */
  released: Released[];
  /** who its messages come from; null is as the house says */
  sender: SenderRule | null;
  /** the units that count and that somebody signs off */
  signOffs: string[];
  /** titles of all of its units */
  titles: Record<string, string>;
  /** the units that count of each of its sections */
  sections: Record<string, string[]>;
}

export interface PlanFacts {
  course: string;
  version: number;
  publishedAt: number;
  steps: PlanStep[];
  /** letters that were written by hand to people of these assignments, as steps beside those of the plan */
  byHand: PlanStep[];
}

export interface Facts {
  house: House;
  roster: Roster;
  assignments: Map<string, AssignmentFacts>;
  courses: Map<string, CourseFacts>;
  plans: Map<string, PlanFacts>;
  /** the files that messages of their plans bring */
  handouts: Handouts;
  /** what became of messages that steps ask about, by assignment and step */
  went: Map<string, NoticeFacts>;
  /** whom rungs told, by assignment and revision of its due date */
  told: Map<string, RungTold[]>;
}

type CourseUnit = Released & Counted & { section: string; kind: string };

/** Of each section the units that are required; all of them where none is. */
function sectionsOf(units: readonly CourseUnit[]): Record<string, string[]> {
  const sections: Record<string, CourseUnit[]> = {};
  for (const unit of units) (sections[unit.section] ??= []).push(unit);
  return Object.fromEntries(
    Object.entries(sections).map(([id, list]) => {
      const required = list.filter((unit) => unit.required);
      return [id, (required.length > 0 ? required : list).map((unit) => unit.id)];
    }),
  );
}

const LIST_COURSES = `
select
  c.id, c.title, c.state, c.code, c.summary, c.owner_id, c.assistants, c.required_units, c.needed,
  (
    select coalesce(array_agg(distinct substr(r.role, 8)), '{}')
    from plans l
    cross join lateral jsonb_array_elements(l.steps) s
    cross join lateral jsonb_array_elements_text((s -> 'to') || coalesce(s #> '{copies,to}', '[]')) r (role)
    where l.course_id = c.id
      and r.role ~ '^person [0-9]+$'
  ) as named,
  exists (select 1 from plans l where l.course_id = c.id and l.steps::text ~ '"(holds|lacks)":|"event": ?"expires"') as asks_held,
  c.finish,
  (select l.sender from plans l where l.course_id = c.id) as sender,
  (select coalesce(jsonb_object_agg(s ->> 'id', s ->> 'name'), '{}') from plans l cross join lateral jsonb_array_elements(l.steps) s where l.course_id = c.id) as step_names,
  (
    select coalesce(jsonb_agg(jsonb_build_object('id', u.id::text, 'title', u.title, 'kind', u.kind, 'section', s.id::text, 'required', u.required, 'weight', u.weight, 'release', u.release) order by u.id), '[]')
    from sections s
    join units u on u.section_id = s.id
    where s.course_id = c.id
  ) as units
from courses c
where c.id = any($1::bigint[])
`;

const isOfSection = ({ anchor }: PlanStep): boolean => anchor.event === 'section-finished';

/** The units that count of the sections of some courses, where a step hangs on one. */
async function sectionsIn(db: Queryable, plans: readonly (readonly [string, readonly PlanStep[]])[]): Promise<Record<string, string[]>> {
  const ids = plans.flatMap(([course, steps]) => (steps.some(isOfSection) ? [course] : []));
  return ids.length === 0 ? {} : Object.assign({}, ...(await listCourseFacts(db, ids)).map(({ sections }) => sections));
}

/** Steps with the units of the sections that they hang on, as they stand now. */
const withSections = (steps: readonly PlanStep[], sections: Record<string, string[]>): PlanStep[] =>
  steps.map((step) =>
    isOfSection(step) ? { ...step, anchor: { ...step.anchor, units: sections[step.anchor.section ?? ''] ?? [] } } : step,
  );

/** The steps of a draft as planning asks for them. */
export const resolveSteps = async (db: Queryable, courseId: string, steps: readonly PlanStep[]): Promise<PlanStep[]> =>
  withSections(steps, await sectionsIn(db, [[courseId, steps]]));

const LIST_PLANS = `
select p.course_id, p.version, p.published_at, p.steps, c.certificate
from plans p
join courses c on c.id = p.course_id
where p.course_id = any($1::bigint[])
`;

/** Assignments as planning and messages look at them: their state is read from their events, like everywhere. */
export async function listAssignmentFacts(db: Queryable, ids: readonly string[]): Promise<AssignmentFacts[]> {
  return (await listRecords(db, ids)).map((record) => {
    const { unitsFinished, closedBy } = standingAt(record, Infinity);
    return { ...record, unitsDone: [...unitsFinished], isClosed: closedBy !== null };
  });
}

export async function listCourseFacts(db: Queryable, ids: readonly string[]): Promise<CourseFacts[]> {
  const found = await rows<{
    id: string;
    title: string;
    code: string | null;
    summary: string | null;
    owner_id: string | null;
    assistants: string[];
    named: string[];
    asks_held: boolean;
    step_names: Record<string, string>;
    finish: FinishRule;
    sender: SenderRule | null;
    units: CourseUnit[];
    state: CourseState;
    required_units: string[];
    needed: number | null;
  }>(db, LIST_COURSES, [ids]);
  return found.map((row) => ({
    id: row.id,
    title: row.title,
    code: row.code,
    summary: row.summary,
    owner: row.owner_id,
    assistants: row.assistants,
    named: row.named,
    asksHeld: row.asks_held,
    stepNames: row.step_names,
    finish: row.finish,
    sender: row.sender,
    counted: row.units,
    units: row.required_units,
    state: row.state,
    required: row.required_units,
    needed: row.needed,
    released: row.units.filter(({ release }) => release !== null),
    signOffs: row.units.flatMap(({ id, kind }) => (kind === 'sign-off' && row.required_units.includes(id) ? [id] : [])),
    titles: Object.fromEntries(row.units.map(({ id, title }) => [id, title])),
    sections: sectionsOf(row.units),
  }));
}

export async function listPlanFacts(db: Queryable, courseIds: readonly string[]): Promise<PlanFacts[]> {
  const found = await rows<{
    course_id: string;
    version: number;
    published_at: Date;
    steps: PlanStep[];
    certificate: 'issued' | 'none' | null;
  }>(db, LIST_PLANS, [courseIds]);
  const sections = await sectionsIn(
    db,
    found.map((row) => [row.course_id, row.steps] as const),
  );
  return found.map((row) => ({
    course: row.course_id,
    version: row.version,
    publishedAt: row.published_at.getTime(),
    steps: withSections(row.steps, sections).map((step) => (step.on && !goesIn(row.certificate, step) ? { ...step, on: false } : step)),
    byHand: [],
  }));
}

/** Everything that may go for the assignments of a course: the steps of its plan, and what was written by hand. */
export const stepsOf = ({ steps, byHand }: PlanFacts): readonly PlanStep[] => (byHand.length > 0 ? [...steps, ...byHand] : steps);

/** A step of a plan, or a letter by hand; undefined where there is none of that id any more. */
export const findStep = (plan: PlanFacts | undefined, id: string): PlanStep | undefined =>
  plan?.steps.find((step) => step.id === id) ?? plan?.byHand.find((step) => step.id === id);

const LIST_LETTERS = 'select id, name, message from hand_letters where id = any($1::bigint[])';

/** Adds the letters by hand that these assignments were reminded with to the plans of their courses. */
export async function addLetters(db: Queryable, assignments: readonly Assignment[], plans: ReadonlyMap<string, PlanFacts>): Promise<void> {
  const coursesOf = new Map<string, Set<string>>();
  for (const { course, events } of assignments)
    for (const event of events)
      if (event.type === 'reminded') coursesOf.set(event.letter, (coursesOf.get(event.letter) ?? new Set()).add(course));
  if (coursesOf.size === 0) return;
  for (const letter of await rows<HandLetter>(db, LIST_LETTERS, [[...coursesOf.keys()]]))
    for (const course of coursesOf.get(letter.id)!) plans.get(course)?.byHand.push(handStep(letter));
}

/** Notes what the steps of a draft ask of people, beside those of the plan as it is. */
export function askFor(course: CourseFacts, steps: readonly PlanStep[]): void {
  course.named.push(
    ...steps
      .flatMap(({ to, copies }) => [...to, ...(copies?.to ?? [])].flatMap((role) => namedPerson(role) ?? []))
      .filter((id) => /^\d+$/.test(id)),
  );
  course.asksHeld ||= steps.some(
    (step) => step.anchor.event === 'expires' || leavesOfStep(step).some((leaf) => 'holds' in leaf || 'lacks' in leaf),
  );
}

/** Notes when the units of a course open for an assignment, also for one that is only thought of. */
export function foreseeOpenings(assignment: Assignment, { released }: CourseFacts, roster: Roster): void {
  if (released.length > 0)
    assignment.openings = pendingOpenings(released, assignment, roster.calendarOf(roster.getPerson(assignment.person)));
}

/** What steps ask of earlier messages of their assignments, by step. */
const asksOfNotices = (steps: readonly PlanStep[]): string[] =>
  steps.flatMap((step) =>
    leavesOfStep(step).flatMap((leaf) => ('stepSent' in leaf ? leaf.stepSent : 'stepBounced' in leaf ? leaf.stepBounced : [])),
  );

const LIST_WENT = `
select assignment_id, step_id, bool_or(state = 'bounced') as bounced
from notices
where assignment_id = any($1::bigint[])
  and step_id = any($2::text[])
  and state in ('sending', 'sent', 'delivered', 'bounced')
group by 1, 2
`;

/** What became of messages that steps ask about; who decides one adds what goes. */
async function loadWent(db: Queryable, assignmentIds: readonly string[], steps: readonly PlanStep[]): Promise<Map<string, NoticeFacts>> {
  const asked = [...new Set(asksOfNotices(steps))];
  if (asked.length === 0) return new Map();
  const found = await rows<{ assignment_id: string; step_id: string; bounced: boolean }>(db, LIST_WENT, [assignmentIds, asked]);
  return new Map(
    found.map(({ assignment_id, step_id, bounced }) => [`${assignment_id}/${step_id}`, { isSent: true, isBounced: bounced }] as const),
  );
}

const LIST_TOLD = `
select assignment_id, revision, step_id, recipient_id
from notices
where assignment_id = any($1::bigint[])
  and step_id = any($2::text[])
  and state in ('sending', 'sent', 'delivered', 'bounced')
  and recipient_id is not null
`;

/** Whom the rungs of ladders told, by assignment and revision of the due date. One rung alone cannot tell anybody a second time. */
async function loadTold(db: Queryable, assignmentIds: readonly string[], plans: readonly { steps: readonly PlanStep[] }[]): Promise<Map<string, RungTold[]>> {
  const rungs = plans.flatMap(({ steps }) => {
    const found = steps.filter(isRung);
    return found.length > 1 ? found.map(({ id }) => id) : [];
  });
  const told = new Map<string, RungTold[]>();
  if (rungs.length === 0) return told;
  for (const row of await rows<{ assignment_id: string; revision: number; step_id: string; recipient_id: string }>(db, LIST_TOLD, [assignmentIds, [...new Set(rungs)]]))
    noteTold(told, row.assignment_id, row.revision, { step: row.step_id, person: row.recipient_id });
  return told;
} // prettier-ignore

/** Notes that a rung tells somebody. */
function noteTold(told: Map<string, RungTold[]>, assignment: string, revision: number, one: RungTold): void {
  const key = `${assignment}/${revision}`;
  told.set(key, [...(told.get(key) ?? []), one]);
}

/** Notes that a notice of a step goes: what is decided after it knows. */
export function noteGone(
  { went, told }: Pick<Facts, 'went' | 'told'>,
  notice: { assignment: string; revision: number },
  step: PlanStep,
  person: string | null,
): void {
  const key = `${notice.assignment}/${step.id}`;
  went.set(key, { isBounced: false, ...went.get(key), isSent: true });
  if (isRung(step) && person) noteTold(told, notice.assignment, notice.revision, { step: step.id, person });
}

export const noticesOf = ({ went, told }: Pick<Facts, 'went' | 'told'>): NoticesOf =>
  Object.assign((assignment: string, step: string) => went.get(`${assignment}/${step}`) ?? { isSent: false, isBounced: false }, {
    toldOf: (assignment: string, revision: number) => told.get(`${assignment}/${revision}`) ?? [],
  });

/**
 * Everything that planning or sending for these assignments looks at, as it stands now.
 * @param draft steps that are only thought of, in place of the plan of their course
 * @param also courses that are looked at although none of the assignments is of them
 */
export async function loadFacts(
  db: Queryable,
  house: House,
  assignmentIds: readonly string[],
  draft: { course: string; steps: readonly PlanStep[]; publishedAt: number } | null = null,
  also: readonly string[] = draft ? [draft.course] : [],
): Promise<Facts> {
  const assignments = await listAssignmentFacts(db, assignmentIds);
  const courseIds = [...new Set([...assignments.map((assignment) => assignment.course), ...also])];
  const courses = await listCourseFacts(db, courseIds);
  const plans = await listPlanFacts(db, courseIds);
  if (draft) {
    const plan = plans.find(({ course }) => course === draft.course);
    if (plan)
      Object.assign(plan, {
        steps: await resolveSteps(db, draft.course, draft.steps),
        publishedAt: Math.max(plan.publishedAt, draft.publishedAt),
      });
    const course = courses.find(({ id }) => id === draft.course);
    if (course) askFor(course, draft.steps);
  }
  const roster = await loadRoster(db, [...new Set(assignments.map((assignment) => assignment.person))], courses, house.sending);
  const planOf = new Map(plans.map((plan) => [plan.course, plan]));
  await addLetters(db, assignments, planOf);
  const courseOf = new Map(courses.map((course) => [course.id, course]));
  for (const assignment of assignments) foreseeOpenings(assignment, courseOf.get(assignment.course)!, roster);
  return {
    house,
    roster,
    assignments: new Map(assignments.map((assignment) => [assignment.id, assignment])),
    courses: courseOf,
    plans: planOf,
    handouts: await handoutsFor(
      db,
      plans.flatMap(({ steps }) => steps),
    ),
    told: await loadTold(db, assignmentIds, plans),
    went: await loadWent(
      db,
      assignmentIds,
      plans.flatMap(({ steps }) => steps),
    ),
  };
}
