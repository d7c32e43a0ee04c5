import type { Condition, LocalDate } from '@nudrik/core';
import { maybeRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface GroupLetterRow {
  letter_id: string;
  course_id: string;
  only_if: Condition | null;
  until: LocalDate;
  at: Date;
  by_whom: string;
  ended_at: Date | null;
  ended_by: string | null;
  name: string;
  subject: string;
  /** who was written to with it, and how many of them came later */
  reminded: number;
  joined: number;
}

const INSERT = `
insert into group_letters (letter_id, course_id, only_if, until, at, by_whom)
values ($1::bigint, $2::bigint, $3::jsonb, $4::date, $5::timestamptz, $6::text)
`;

export const insertGroupLetter = (
  client: Client,
  letter: { letter: string; course: string; onlyIf: Condition | null; until: LocalDate; at: number; byWhom: string },
): Promise<unknown> =>
  client.query(INSERT, [letter.letter, letter.course, letter.onlyIf && JSON.stringify(letter.onlyIf), letter.until, new Date(letter.at), letter.byWhom]); // prettier-ignore

const LIST = `
select g.*, l.name, l.message ->> 'subject' as subject, count(e.id)::integer as reminded,
  count(e.id) filter (where e.act_id is null)::integer as joined
from group_letters g
join hand_letters l on l.id = g.letter_id
join acts a on a.id = l.act_id and a.undone_at is null
left join assignments s on s.course_id = g.course_id
left join assignment_events e
  on e.assignment_id = s.id and e.type = 'reminded' and e.data ->> 'letter' = g.letter_id::text
    and not exists (select 1 from assignment_events u where u.undoes = e.id)
where g.course_id = $1::bigint
group by g.letter_id, l.name, l.message
order by g.at desc
`;

/** The letters to groups of a course, the newest first; those that were taken back are none. */
export const listGroupLetters = (db: Queryable, course: string): Promise<GroupLetterRow[]> => rows<GroupLetterRow>(db, LIST, [course]);

const LOCK_GOING = `
select g.letter_id, g.course_id, g.only_if, g.by_whom
from group_letters g
join hand_letters l on l.id = g.letter_id
join acts a on a.id = l.act_id and a.undone_at is null
where g.course_id = any($1::bigint[])
  and g.ended_at is null
  and g.until >= $2::date
  and g.at < $3::timestamptz
order by g.letter_id
for share of g, a
`;

export type GoingLetter = Pick<GroupLetterRow, 'letter_id' | 'course_id' | 'only_if' | 'by_whom'>;

/** Letters that go on, of some courses: none of them ends, or is taken back, while it is asked about. */
export const lockGoing = (client: Client, courses: readonly string[], today: LocalDate, settled: number): Promise<GoingLetter[]> =>
  rows<GoingLetter>(client, LOCK_GOING, [courses, today, new Date(settled)]);

// everybody is asked about once a day, and once when a letter is new: what came beside it is not lost
const ASK_ALL = `
with due as (
  update group_letters
  set asked_on = $1::date
  where ended_at is null
    and until >= $1::date
    and at < $2::timestamptz
    and asked_on is distinct from $1::date
  returning course_id
)
insert into letter_checks (assignment_id)
select a.id
from assignments a
where a.course_id in (select course_id from due)
  and a.closed_by is null
on conflict (assignment_id) do update set at = excluded.at
`;

export const askAllOfDay = (db: Queryable, today: LocalDate, settled: number): Promise<unknown> =>
  db.query(ASK_ALL, [today, new Date(settled)]);

const TAKE_CHECKS = `
delete from letter_checks
where assignment_id in (
  select assignment_id from letter_checks where at <= $2::timestamptz order by at, assignment_id limit $1::integer for update skip locked
)
returning assignment_id
`;

export const takeChecks = async (client: Client, most: number, now: number): Promise<string[]> =>
  (await rows<{ assignment_id: string }>(client, TAKE_CHECKS, [most, new Date(now)])).map((row) => row.assignment_id);

const PUT_OFF = `
insert into letter_checks (assignment_id, at)
select id, assigned_at
from assignments
where id = any($1::bigint[])
  and assigned_at > $2::timestamptz
  and closed_by is null
returning assignment_id
`;

/** Assignments that begin later are asked about then. @returns which those are */
export const putOff = async (client: Client, ids: readonly string[], now: number): Promise<Set<string>> =>
  new Set((await rows<{ assignment_id: string }>(client, PUT_OFF, [ids, new Date(now)])).map((row) => row.assignment_id));

const LIST_BEGUN = `
select id
from assignments
where course_id = $1::bigint
  and closed_by is null
  and assigned_at <= $2::timestamptz
order by id
`;

/** Assignments of a course that are open and have begun. */
export const listBegun = async (db: Queryable, course: string, now: number): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_BEGUN, [course, new Date(now)])).map(({ id }) => id);

const LIST_COURSES = 'select distinct course_id from assignments where id = any($1::bigint[])';

export const listCourses = async (db: Queryable, ids: readonly string[]): Promise<string[]> =>
  (await rows<{ course_id: string }>(db, LIST_COURSES, [ids])).map((row) => row.course_id);

const LIST_UNWRITTEN = `
select a.id
from assignments a
where a.id = any($1::bigint[])
  and a.course_id = $2::bigint
  and a.closed_by is null
  and not exists (
    select 1 from assignment_events e where e.assignment_id = a.id and e.type = 'reminded' and e.data ->> 'letter' = $3::text
  )
`;

/** Of some assignments those that are open and were never written to with a letter. */
export const listUnwritten = async (db: Queryable, ids: readonly string[], { course_id, letter_id }: GoingLetter): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_UNWRITTEN, [ids, course_id, letter_id])).map(({ id }) => id);

const END = `
update group_letters
set ended_at = $2::timestamptz, ended_by = $3::text
where letter_id = $1::bigint
  and ended_at is null
returning course_id
`;

/** @returns whether it went on until now */
export const endGroupLetter = async (client: Client, letter: string, at: number, byWhom: string): Promise<boolean> =>
  (await maybeRow<{ course_id: string }>(client, END, [letter, new Date(at), byWhom])) !== null;

export const findGroupLetter = (db: Queryable, letter: string): Promise<{ course_id: string } | null> =>
  maybeRow<{ course_id: string }>(db, 'select course_id from group_letters where letter_id = $1::bigint', [letter]);

const IS_OF_ACT = 'select 1 from group_letters g join hand_letters l on l.id = g.letter_id where l.act_id = $1::bigint';

/** Whether an act by hand wrote to a group that somebody can still join. */
export const isGroupLetter = async (db: Queryable, act: string): Promise<boolean> => (await maybeRow(db, IS_OF_ACT, [act])) !== null;

const HELPS_WITH = 'select 1 from courses where id = $1::bigint and (owner_id = $2::bigint or $2::bigint = any(assistants))';

/** Whether a person owns a course or helps with it. */
export const helpsWith = async (db: Queryable, person: string, course: string): Promise<boolean> =>
  (await maybeRow(db, HELPS_WITH, [course, person])) !== null;
