import type { Assignment, AssignmentEvent, Course, PlanStep, Roster } from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';
import { loadRoster, type House } from '../people/roster.repo.ts';

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

const LIST_ASSIGNMENTS = `
select
  a.id, a.person_id, a.course_id, a.assigned_at, a.first_due_at, a.token, a.units_done, a.closed_by,
  (
    select coalesce(jsonb_agg(jsonb_build_object('type', e.type, 'at', extract(epoch from e.at) * 1000, 'data', e.data) order by e.at, e.id), '[]')
    from assignment_events e
    where e.assignment_id = a.id
  ) as events
from assignments a
where a.id = any($1::bigint[])
`;

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

interface EventRow {
  type: string;
  at: number;
  data: { unit?: string; dueAt?: string; expiresAt?: string | null } | null;
}

function eventOf(row: EventRow): AssignmentEvent[] {
  const at = Math.round(Number(row.at));
  switch (row.type) {
    case 'extended':
      return [{ type: 'extended', at, dueAt: Date.parse(row.data!.dueAt!) }];
    case 'extension-undone':
      return [{ type: 'extension-undone', at }];
    case 'reopened':
      return [{ type: 'reopened', at, dueAt: row.data?.dueAt ? Date.parse(row.data.dueAt) : null }];
    case 'unit-finished':
    case 'unit-opened':
      return [{ type: row.type, at, unit: row.data!.unit! }];
    case 'certificate-issued':
      return [{ type: 'certificate-issued', at, expiresAt: row.data?.expiresAt ? Date.parse(row.data.expiresAt) : null }];
    case 'started':
    case 'finished':
    case 'waived':
    case 'withdrawn':
    case 'replied':
      return [{ type: row.type, at }];
    default:
      return []; // what is on the record and no rule asks for, such as a link that was opened
  }
}

export async function listAssignmentFacts(db: Queryable, ids: readonly string[]): Promise<AssignmentFacts[]> {
  const found = await rows<{
    id: string;
    person_id: string;
    course_id: string;
    assigned_at: Date;
    first_due_at: Date;
    token: string;
    units_done: string[];
    closed_by: string | null;
    events: EventRow[];
  }>(db, LIST_ASSIGNMENTS, [ids]);
  return found.map((row) => ({
    id: row.id,
    person: row.person_id,
    course: row.course_id,
    assignedAt: row.assigned_at.getTime(),
    dueAt: row.first_due_at.getTime(),
    token: row.token,
    unitsDone: row.units_done,
    isClosed: row.closed_by !== null,
    events: row.events.flatMap(eventOf),
  }));
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
