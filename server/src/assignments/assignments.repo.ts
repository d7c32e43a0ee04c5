import { newToken, readLink } from '../access/personal-link.ts';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface AssignmentInsert {
  person: string;
  course: string;
  assignedAt: number;
  dueAt: number;
}

// a person who has the course open keeps that assignment; a later one is the next round
const INSERT_ASSIGNMENTS = `
insert into assignments (person_id, course_id, round, assigned_at, assigned_by, first_due_at, due_at, token, is_by_hand)
select
  r.person_id, r.course_id,
  1 + coalesce((select max(a.round) from assignments a where a.person_id = r.person_id and a.course_id = r.course_id), 0),
  r.assigned_at, $5::text, r.due_at, r.due_at, r.token, $7::boolean
from unnest($1::bigint[], $2::bigint[], $3::timestamptz[], $4::timestamptz[], $6::text[]) as r (person_id, course_id, assigned_at, due_at, token)
on conflict (person_id, course_id) where closed_by is null do nothing
returning id, person_id, course_id, assigned_at, due_at
`;

export interface InsertedAssignment {
  id: string;
  person_id: string;
  course_id: string;
  assigned_at: Date;
  due_at: Date;
}

/** Stores the rows of assignments; \`makeAssignments\` puts them on the record too. */
export const insertAssignments = (
  db: Client,
  list: readonly AssignmentInsert[],
  byWhom: string | null,
  isByHand: boolean,
): Promise<InsertedAssignment[]> =>
  rows<InsertedAssignment>(db, INSERT_ASSIGNMENTS, [
    list.map((a) => a.person),
    list.map((a) => a.course),
    list.map((a) => new Date(a.assignedAt)),
    list.map((a) => new Date(a.dueAt)),
    byWhom,
    list.map(() => newToken()),
    isByHand,
  ]);

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
  zone: string;
  person_name: string;
  course_title: string;
}

const LOCK_ASSIGNMENTS = `
select
  a.id, a.person_id, a.course_id, a.assigned_at, a.due_at, a.started_at, a.closed_by, a.closed_at, a.units_done, s.zone,
    p.name as person_name,
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

const LOCK_IDS = 'select id from assignments where id = any($1::bigint[]) order by id for update';
const SHARE_IDS = 'select id from assignments where id = any($1::bigint[]) order by id for share';

/** The same lock without what is known of them; `share`: against changes alone. */
export const lockIds = (db: Client, ids: readonly string[], mode: 'change' | 'share' = 'change'): Promise<unknown> =>
  db.query(mode === 'share' ? SHARE_IDS : LOCK_IDS, [ids]);

export const lockAssignment = async (db: Client, id: string): Promise<LockedAssignment | null> =>
  (await lockAssignments(db, [id]))[0] ?? null;

// a link ends with the life of its assignment: so many days after it was closed, where the house says so, and when its person leaves
const FIND_BY_LINK = `
select a.id
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
cross join settings h
where (a.token = $1::text or a.former_link = $3::bytea)
  and is_here(p.left_on, ($2::timestamptz at time zone s.zone)::date)
  and (h.link_days is null or a.closed_at is null or a.closed_at + h.link_days * interval '1 day' > $2::timestamptz)
`;

/** The assignment that a personal link opens, or null. @param key the key of the house */
export async function findIdByLink(db: Queryable, key: string, link: string, now: number): Promise<string | null> {
  const { token, digest } = readLink(key, 'go', link);
  return (await maybeRow<{ id: string }>(db, FIND_BY_LINK, [token, new Date(now), digest]))?.id ?? null;
}

/** What of an assignment's link is kept. */
export interface KeptLink {
  token: string;
  /** digest of a link that was handed out before links were signed */
  former_link: Buffer | null;
}

const LOCK_LINK = 'select token, former_link from assignments where id = $1::bigint for update';
const PUT_LINK = `
update assignments
set token = $2::text, former_link = $3::bytea
where id = $1::bigint
  and token = $4::text
`;

export const lockLink = (db: Client, id: string): Promise<KeptLink> => oneRow<KeptLink>(db, LOCK_LINK, [id]);

/** Gives an assignment another link in place of the one that it has; does nothing where it has another by now. */
export const putLink = (db: Queryable, id: string, link: KeptLink, former: string): Promise<unknown> =>
  db.query(PUT_LINK, [id, link.token, link.former_link, former]);
