import { standingAt, type Assignment, type Course, type PlanStep, type Roster } from '@nudrik/core';
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
  required: string[];
}

export interface PlanFacts {
  course: string;
  version: number;
  publishedAt: number;
  steps: PlanStep[];
}

export interface Facts {
  house: House;
  roster: Roster;
  assignments: Map<string, AssignmentFacts>;
  courses: Map<string, CourseFacts>;
  plans: Map<string, PlanFacts>;
}

const LIST_COURSES = `
select id, title, code, summary, owner_id, required_units
from courses
where id = any($1::bigint[])
`;

const LIST_PLANS = `
select course_id, version, published_at, steps
from plans
where course_id = any($1::bigint[])
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
    required_units: string[];
  }>(db, LIST_COURSES, [ids]);
  return found.map((row) => ({
    id: row.id,
    title: row.title,
    code: row.code,
    summary: row.summary,
    owner: row.owner_id,
    units: row.required_units,
    required: row.required_units,
  }));
}

export async function listPlanFacts(db: Queryable, courseIds: readonly string[]): Promise<PlanFacts[]> {
  const found = await rows<{ course_id: string; version: number; published_at: Date; steps: PlanStep[] }>(db, LIST_PLANS, [courseIds]);
  return found.map((row) => ({
    course: row.course_id,
    version: row.version,
    publishedAt: row.published_at.getTime(),
    steps: row.steps,
  }));
}

/** Everything that planning or sending for these assignments looks at, as it stands now. */
export async function loadFacts(db: Queryable, house: House, assignmentIds: readonly string[]): Promise<Facts> {
  const assignments = await listAssignmentFacts(db, assignmentIds);
  const courseIds = [...new Set(assignments.map((assignment) => assignment.course))];
  const courses = await listCourseFacts(db, courseIds);
  const plans = await listPlanFacts(db, courseIds);
  const roster = await loadRoster(db, [...new Set(assignments.map((assignment) => assignment.person))], courses, house.sending);
  return {
    house,
    roster,
    assignments: new Map(assignments.map((assignment) => [assignment.id, assignment])),
    courses: new Map(courses.map((course) => [course.id, course])),
    plans: new Map(plans.map((plan) => [plan.course, plan])),
  };
}
