import { randomBytes } from 'node:crypto';
import { maybeRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface AssignmentInsert {
  person: string;
  course: string;
  assignedAt: number;
  dueAt: number;
}

export const newToken = (): string => randomBytes(24).toString('base64url');

// a person who has the course open keeps that assignment; a later one is the next round
const INSERT_ASSIGNMENTS = `
insert into assignments (person_id, course_id, round, assigned_at, assigned_by, first_due_at, due_at, token, is_by_hand)
select
  r.person_id, r.course_id, 1 + coalesce((select max(a.round) from assignments a where a.person_id = r.person_id and a.course_id = r.course_id), 0),
  r.assigned_at, $5::text, r.due_at, r.due_at, r.token, $7::boolean
from unnest($1::bigint[], $2::bigint[], $3::timestamptz[], $4::timestamptz[], $6::text[]) as r (person_id, course_id, assigned_at, due_at, token)
on conflict (person_id, course_id) where closed_by is null do nothing
returning id, person_id, course_id
`;

export interface InsertedAssignment {
  id: string;
  person_id: string;
  course_id: string;
}

/** @param isByHand false where a requirement assigns */
export async function insertAssignments(
  db: Client,
  list: readonly AssignmentInsert[],
  byWhom: string,
  isByHand = true,
): Promise<InsertedAssignment[]> {
  if (list.length === 0) return [];
  return rows<InsertedAssignment>(db, INSERT_ASSIGNMENTS, [
    list.map((a) => a.person), list.map((a) => a.course), list.map((a) => new Date(a.assignedAt)), list.map((a) => new Date(a.dueAt)), byWhom, list.map(() => newToken()), isByHand,
  ]); // prettier-ignore
}

export interface LockedAssignment {
  id: string;
  person_id: string;
  course_id: string;
  assigned_at: Date;
  due_at: Date;
  started_at: Date | null;
  closed_by: string | null;
  closed_at: Date | null;
  units_done: string[];
  token: string;
  zone: string;
  person_name: string;
  course_title: string;
}

const LOCK_ASSIGNMENTS = `
select
  a.id, a.person_id, a.course_id, a.assigned_at, a.due_at, a.started_at, a.closed_by, a.closed_at, a.units_done, a.token, s.zone, p.name as person_name,
  k.title as course_title
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
join courses k on k.id = a.course_id
where a.id = any($1::bigint[])
order by a.id
for update of a
`;

/** Locks assignments in the order of their ids, so that two who lock the same ones never wait for each other. */
export const lockAssignments = (db: Client, ids: readonly string[]): Promise<LockedAssignment[]> =>
  rows<LockedAssignment>(db, LOCK_ASSIGNMENTS, [ids]);

export const lockAssignment = async (db: Client, id: string): Promise<LockedAssignment | null> =>
  (await lockAssignments(db, [id]))[0] ?? null;

const INSERT_EVENT = `
insert into assignment_events (assignment_id, type, at, data, by_whom)
values ($1::bigint, $2::text, $3::timestamptz, $4::jsonb, $5::text)
`;

export const insertEvent = (
  db: Queryable,
  assignmentId: string,
  type: string,
  at: number,
  data: object | null,
  byWhom: string,
): Promise<unknown> => db.query(INSERT_EVENT, [assignmentId, type, new Date(at), data && JSON.stringify(data), byWhom]);

export async function findIdByToken(db: Queryable, token: string): Promise<string | null> {
  return (await maybeRow<{ id: string }>(db, 'select id from assignments where token = $1::text', [token]))?.id ?? null;
}
