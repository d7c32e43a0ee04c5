import {
  goesIn,
  handStep,
  pendingOpenings,
  standingAt,
  type Assignment,
  type Course,
  type HandLetter,
  type PlanStep,
  type Released,
  type Roster,
} from '@nudrik/core';
import type { CourseState } from '@nudrik/contract';
import { listRecords } from '../assignments/events.repo.ts';
import { rows, type Queryable } from '../db/db.ts';
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
  required: string[];
  /** so many of the required units are enough; null is all of them */
  needed: number | null;
  /** units that do not open at once */
  released: Released[];
  /** titles of its quizzes, by unit */
  quizzes: Record<string, string>;
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
}

const LIST_COURSES = `
select
  c.id, c.title, c.state, c.code, c.summary, c.owner_id, c.assistants, c.required_units, c.needed,
  (
    select coalesce(array_agg(distinct substr(r.role, 8)), '{}')
    from plans l
    cross join lateral jsonb_array_elements(l.steps) s
    cross join lateral jsonb_array_elements_text(s -> 'to') r (role)
    where l.course_id = c.id
      and r.role ~ '^person [0-9]+$'
  ) as named,
  (
    select coalesce(jsonb_agg(jsonb_build_object('id', u.id::text, 'title', u.title, 'kind', u.kind, 'release', u.release)), '[]')
    from sections s
    join units u on u.section_id = s.id
    where s.course_id = c.id
      and u.release is not null
  ) as released,
  (
    select coalesce(jsonb_object_agg(u.id::text, u.title), '{}')
    from sections s
    join units u on u.section_id = s.id
    where s.course_id = c.id
      and u.kind = 'quiz'
  ) as quizzes
from courses c
where c.id = any($1::bigint[])
`;

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
    state: CourseState;
    required_units: string[];
    needed: number | null;
    released: Released[];
    quizzes: Record<string, string>;
  }>(db, LIST_COURSES, [ids]);
  return found.map((row) => ({
    id: row.id,
    title: row.title,
    code: row.code,
    summary: row.summary,
    owner: row.owner_id,
    assistants: row.assistants,
    named: row.named,
    units: row.required_units,
    state: row.state,
    required: row.required_units,
    needed: row.needed,
    released: row.released,
    quizzes: row.quizzes,
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
  return found.map((row) => ({
    course: row.course_id,
    version: row.version,
    publishedAt: row.published_at.getTime(),
    steps: row.steps.map((step) => (step.on && !goesIn(row.certificate, step) ? { ...step, on: false } : step)),
    byHand: [],
  }));
}

/** Everything that may go for the assignments of a course: the steps of its plan, and what was written by hand. */
export const stepsOf = ({ steps, byHand }: PlanFacts): readonly PlanStep[] => (byHand.length > 0 ? [...steps, ...byHand] : steps);

/** A step of a plan, or a letter by hand; undefined where there is none of that id any more. */
export const findStep = (plan: PlanFacts | undefined, id: string): PlanStep | undefined =>
  plan?.steps.find((step) => step.id === id) ?? plan?.byHand.find((step) => step.id === id);

const LIST_LETTERS = 'select id, name, message from hand_letters where id = any($1::bigint[])';

/** The letters by hand that these assignments were reminded with, with the plans of their courses. */
async function addLetters(db: Queryable, assignments: readonly AssignmentFacts[], plans: ReadonlyMap<string, PlanFacts>): Promise<void> {
  const coursesOf = new Map<string, Set<string>>();
  for (const { course, events } of assignments)
    for (const event of events)
      if (event.type === 'reminded') coursesOf.set(event.letter, (coursesOf.get(event.letter) ?? new Set()).add(course));
  if (coursesOf.size === 0) return;
  for (const letter of await rows<HandLetter>(db, LIST_LETTERS, [[...coursesOf.keys()]]))
    for (const course of coursesOf.get(letter.id)!) plans.get(course)?.byHand.push(handStep(letter));
}

/** Notes when the units of a course open for an assignment, also for one that is only thought of. */
export function foreseeOpenings(assignment: AssignmentFacts, { released }: CourseFacts, roster: Roster): void {
  if (released.length > 0)
    assignment.openings = pendingOpenings(released, assignment, roster.calendarOf(roster.getPerson(assignment.person)));
}

/** Everything that planning or sending for these assignments looks at, as it stands now. */
export async function loadFacts(db: Queryable, house: House, assignmentIds: readonly string[]): Promise<Facts> {
  const assignments = await listAssignmentFacts(db, assignmentIds);
  const courseIds = [...new Set(assignments.map((assignment) => assignment.course))];
  const courses = await listCourseFacts(db, courseIds);
  const plans = await listPlanFacts(db, courseIds);
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
  };
}
