import type { CourseDraft, CourseState, Editor } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface CourseHead {
  id: string;
  title: string;
  state: CourseState;
  version: number;
  written: number;
  changed_at: Date | null;
  changed_by: string | null;
}
const LOCK_COURSE = `
select id, title, state, version, written, changed_at, changed_by
from courses
where id = $1::bigint
for no key update
`;
export const lockCourse = (db: Client, id: string): Promise<CourseHead | null> => maybeRow(db, LOCK_COURSE, [id]);

export interface StoredDraft {
  content: CourseDraft;
  save: string | null;
  saved_at: Date;
  saved_by: string;
}
const FIND_DRAFT = `
select content, save, saved_at, saved_by
from course_drafts
where course_id = $1::bigint
`;
export const findDraft = (db: Queryable, courseId: string): Promise<StoredDraft | null> => maybeRow(db, FIND_DRAFT, [courseId]);

const PUT_DRAFT = `
insert into course_drafts (course_id, content, save, saved_at, saved_by)
values ($1::bigint, $2::jsonb, $3::text, $4::timestamptz, $5::text)
on conflict (course_id) do update
set content = excluded.content, save = excluded.save, saved_at = excluded.saved_at, saved_by = excluded.saved_by
`;
export const putDraft = (
  db: Client,
  courseId: string,
  draft: { content: CourseDraft; save: string | null; at: number; byWhom: string },
): Promise<unknown> => db.query(PUT_DRAFT, [courseId, JSON.stringify(draft.content), draft.save, new Date(draft.at), draft.byWhom]);

const DELETE_DRAFT = 'delete from course_drafts where course_id = $1::bigint';
export const deleteDraft = (db: Client, courseId: string): Promise<unknown> => db.query(DELETE_DRAFT, [courseId]);

const COUNT_WRITING = 'update courses set written = written + 1 where id = $1::bigint returning written';
/** What is written has changed: whoever works on what it was is refused. @returns its number */
export const countWriting = async (db: Client, courseId: string): Promise<number> =>
  (await oneRow<{ written: number }>(db, COUNT_WRITING, [courseId])).written;

const FIND_WRITING = 'select written from courses where id = $1::bigint';
/** Its number now, without the course. */
export const findWriting = async (db: Queryable, courseId: string): Promise<number | null> =>
  (await maybeRow<{ written: number }>(db, FIND_WRITING, [courseId]))?.written ?? null;

const NEXT_UNITS = "select nextval(pg_get_serial_sequence('units', 'id'))::text as id from generate_series(1, $1::integer)";
/** Ids for units that are to be. */
export const nextUnitIds = async (db: Queryable, count: number): Promise<string[]> =>
  count === 0 ? [] : (await rows<{ id: string }>(db, NEXT_UNITS, [count])).map(({ id }) => id);

const LIST_UNIT_IDS = `
select u.id
from units u
join sections s on s.id = u.section_id
where s.course_id = $1::bigint
`;
export const listUnitIds = async (db: Queryable, courseId: string): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_UNIT_IDS, [courseId])).map(({ id }) => id);

const LIST_SECTION_IDS = 'select id from sections where course_id = $1::bigint';
export const listSectionIds = async (db: Queryable, courseId: string): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_SECTION_IDS, [courseId])).map(({ id }) => id);

/** Who was seen less than this long ago is there. */
const THERE = "e.seen_at >= now() - interval '45 seconds'";
const SEE_EDITOR = `
insert into course_editors as e (course_id, account_id, since, seen_at)
values ($1::bigint, $2::bigint, now(), now())
on conflict (course_id, account_id) do update
set since = case when ${THERE} then e.since else now() end, seen_at = now()
`;
const LIST_EDITORS = `
select a.name, e.since
from course_editors e
join accounts a on a.id = e.account_id
where e.course_id = $1::bigint
  and e.account_id <> $2::bigint
  and ${THERE}
order by e.since, a.name
`;
const LEAVE = 'delete from course_editors where course_id = $1::bigint and account_id = $2::bigint';

/** Notes that somebody has a course open to write in it: by the database's clock, since it is about people here and now. */
export async function seeEditor(db: Queryable, courseId: string, accountId: string): Promise<Editor[]> {
  await db.query(SEE_EDITOR, [courseId, accountId]);
  const found = await rows<{ name: string; since: Date }>(db, LIST_EDITORS, [courseId, accountId]);
  return found.map(({ name, since }) => ({ name, since: since.toISOString() }));
}
export const leaveEditor = (db: Queryable, courseId: string, accountId: string): Promise<unknown> => db.query(LEAVE, [courseId, accountId]);

const SET_LIVE = `
update courses
set state = 'live', live_at = coalesce(live_at, $2::timestamptz), live_by = coalesce(live_by, $3::text), retired_at = null, retired_by = null
where id = $1::bigint
`;
export const setLive = (db: Client, id: string, at: number, byWhom: string): Promise<unknown> =>
  db.query(SET_LIVE, [id, new Date(at), byWhom]);

const SET_RETIRED = "update courses set state = 'retired', retired_at = $2::timestamptz, retired_by = $3::text where id = $1::bigint";
export const setRetired = (db: Client, id: string, at: number, byWhom: string): Promise<unknown> =>
  db.query(SET_RETIRED, [id, new Date(at), byWhom]);

const COUNT_FINISHED = "select count(*)::integer as count from assignments where course_id = $1::bigint and closed_by = 'finished'";
export const countFinished = async (db: Queryable, courseId: string): Promise<number> =>
  (await oneRow<{ count: number }>(db, COUNT_FINISHED, [courseId])).count;
