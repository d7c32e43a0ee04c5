import type { Remark, RemarksView } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Queryable } from '../db/db.ts';

export interface LookRow {
  id: string;
  course_id: string;
  name: string;
  by_whom: string;
  words: string;
  ends_at: Date;
}

const INSERT = `
insert into course_looks (course_id, token, name, email, words, by_account, by_whom, made_at, ends_at)
values ($1::bigint, $2::text, $3::text, $4::text, $5::text, $6::bigint, $7::text, $8::timestamptz, $9::timestamptz)
returning id
`;
export const insertLook = async (
  db: Queryable,
  look: {
    courseId: string;
    token: string;
    name: string;
    email: string;
    words: string;
    account: string;
    byWhom: string;
    at: number;
    until: number;
  },
): Promise<string> =>
  (await oneRow<{ id: string }>(db, INSERT, [look.courseId, look.token, look.name, look.email, look.words, look.account, look.byWhom, new Date(look.at), new Date(look.until)])) // prettier-ignore
  .id;

const FIND = `
update course_looks
set looked_at = coalesce(looked_at, $2::timestamptz)
where token = $1::text
  and ends_at > $2::timestamptz
returning id, course_id, name, by_whom, words, ends_at
`;
/** A look that has not ended; the first time it is noted that it was opened. */
export const findLook = (db: Queryable, token: string, now: number): Promise<LookRow | null> => maybeRow(db, FIND, [token, new Date(now)]);

const END = `
update course_looks
set ends_at = least(ends_at, $3::timestamptz)
where id = $1::bigint
  and course_id = $2::bigint
returning id
`;
export const endLook = async (db: Queryable, id: string, courseId: string, now: number): Promise<boolean> => (await maybeRow(db, END, [id, courseId, new Date(now)])) !== null; // prettier-ignore

const COUNT_SENT = `
select count(*)::integer as count
from course_looks
where by_account = $1::bigint
  and made_at > $2::timestamptz - interval '1 day'
`;
export const countInvited = async (db: Queryable, account: string, now: number): Promise<number> => (await oneRow<{ count: number }>(db, COUNT_SENT, [account, new Date(now)])).count; // prettier-ignore

const REMARKS = 'select id, unit_id as "unitId", text, by_whom as "by", at, done_by as "doneBy" from course_remarks';
const toRemark = (row: Omit<Remark, 'at'> & { at: Date }): Remark => ({ ...row, at: row.at.toISOString() });

/** The remarks of a course, the oldest first. */
export const listRemarks = async (db: Queryable, courseId: string): Promise<Remark[]> =>
  (await rows<Omit<Remark, 'at'> & { at: Date }>(db, `${REMARKS} where course_id = $1::bigint order by id limit 1000`, [courseId])).map(toRemark); // prettier-ignore
export const listRemarksOf = async (db: Queryable, lookId: string): Promise<Remark[]> =>
  (await rows<Omit<Remark, 'at'> & { at: Date }>(db, `${REMARKS} where look_id = $1::bigint order by id limit 1000`, [lookId])).map(toRemark); // prettier-ignore

const LIST_INVITED = `
select id, name, email, by_whom, made_at, ends_at, looked_at
from course_looks
where course_id = $1::bigint
order by id desc
limit 100
`;
export async function listInvited(db: Queryable, courseId: string, now: number): Promise<RemarksView['invited']> {
  const found = await rows<{ id: string; name: string; email: string; by_whom: string; made_at: Date; ends_at: Date; looked_at: Date | null }>(db, LIST_INVITED, [courseId]); // prettier-ignore
  return found.map((row) => ({
    id: row.id,
    name: row.name,
    email: row.email,
    by: row.by_whom,
    at: row.made_at.toISOString(),
    until: row.ends_at.toISOString(),
    hasEnded: row.ends_at.getTime() <= now,
    lookedAt: row.looked_at?.toISOString() ?? null,
  }));
}

const INSERT_REMARK = `
insert into course_remarks (course_id, unit_id, look_id, text, by_whom, at)
values ($1::bigint, $2::bigint, $3::bigint, $4::text, $5::text, $6::timestamptz)
returning id
`;
export const insertRemark = async (
  db: Queryable,
  remark: { courseId: string; unitId: string | null; lookId: string | null; text: string; byWhom: string; at: number },
): Promise<string> =>
  (await oneRow<{ id: string }>(db, INSERT_REMARK, [remark.courseId, remark.unitId, remark.lookId, remark.text, remark.byWhom, new Date(remark.at)])) // prettier-ignore
  .id;

const COUNT_REMARKS = 'select count(*)::integer as count from course_remarks where course_id = $1::bigint';
export const countRemarks = async (db: Queryable, courseId: string): Promise<number> => (await oneRow<{ count: number }>(db, COUNT_REMARKS, [courseId])).count; // prettier-ignore

const TICK = `
update course_remarks
set done_by = case when $2::boolean then $3::text end, done_at = case when $2::boolean then $4::timestamptz end
where id = $1::bigint
returning course_id
`;
export const tickRemark = (db: Queryable, id: string, isDone: boolean, byWhom: string, now: number): Promise<{ course_id: string } | null> => maybeRow(db, TICK, [id, isDone, byWhom, new Date(now)]); // prettier-ignore
