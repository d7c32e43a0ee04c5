import type { Statement, StatementOutcome } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

// one after the other: the same statement may come twice at one moment, and two batches may name the same people
const LOCK = 'select pg_advisory_xact_lock(7307)';
export const lockStatements = (client: Client): Promise<unknown> => client.query(LOCK);

const LIST_DIGESTS = 'select id, digest from statements where id = any($1::uuid[])';
export const listDigests = async (client: Client, ids: readonly string[]): Promise<Map<string, Buffer>> =>
  new Map((await rows<{ id: string; digest: Buffer }>(client, LIST_DIGESTS, [ids])).map(({ id, digest }) => [id, digest]));

const INSERT = `
insert into statements (id, token_id, program, stored_at, at, digest, statement, verb, activity, outcome, words, person_id, course_id)
values ($1::uuid, $2::bigint, $3::text, $4::timestamptz, $5::timestamptz, $6::bytea, $7::jsonb, $8::text, $9::text, $10::text, $11::text, $12::bigint, $13::bigint)
`;
export interface NewStatement {
  id: string;
  token: string;
  program: string;
  storedAt: Date;
  at: Date;
  digest: Buffer;
  statement: Statement;
  verb: string;
  activity: string | null;
}
export interface Settled {
  outcome: StatementOutcome;
  words: string;
  personId: string | null;
  courseId: string | null;
}
export const insertStatement = (client: Client, one: NewStatement, settled: Settled): Promise<unknown> =>
  client.query(INSERT, [one.id, one.token, one.program, one.storedAt, one.at, one.digest, JSON.stringify(one.statement), one.verb, one.activity, settled.outcome, settled.words, settled.personId, settled.courseId]); // prettier-ignore

const SETTLE = `
update statements
set outcome = $2::text, words = $3::text, person_id = $4::bigint, course_id = $5::bigint
where id = $1::uuid
`;
export const settleStatement = (client: Client, id: string, settled: Settled): Promise<unknown> =>
  client.query(SETTLE, [id, settled.outcome, settled.words, settled.personId, settled.courseId]);
const SET_ACT = 'update statements set act_id = $2::bigint where id = any($1::uuid[])';
export const setAct = (client: Client, ids: readonly string[], act: string): Promise<unknown> => client.query(SET_ACT, [ids, act]);

const VOID = 'update statements set voided_by = $2::uuid where id = $1::uuid returning outcome';
export const voidStatement = (client: Client, id: string, by: string): Promise<{ outcome: StatementOutcome } | null> =>
  maybeRow(client, VOID, [id, by]);

// who may be meant is locked: two statements at one moment record one completion
const FIND_PERSON = `
select p.id, p.name, p.erased_at is not null as is_erased, s.zone
from people p
join sites s on s.id = p.site_id
where p.email = lower($1::text)
  or lower(p.personnel_number) = lower($2::text)
limit 2
for update of p
`;
export interface Meant {
  id: string;
  name: string;
  is_erased: boolean;
  zone: string;
}
export const findPeople = (client: Client, email: string | null, number: string | null): Promise<Meant[]> =>
  rows(client, FIND_PERSON, [email, number]);
const LIST_ADDRESSES = 'select email from people where erased_at is null';
export const listAddresses = async (client: Client): Promise<string[]> =>
  (await rows<{ email: string }>(client, LIST_ADDRESSES)).map(({ email }) => email);

const FIND_SET = 'select course_id from activity_courses where activity = $1::text';
/** Which course somebody said that an activity is; undefined where nobody did. */
export async function findSetCourse(client: Client, activity: string): Promise<string | null | undefined> {
  const found = await maybeRow<{ course_id: string | null }>(client, FIND_SET, [activity]);
  return found ? found.course_id : undefined;
}
const FIND_COURSES = `
select id, title
from courses
where state <> 'draft'
  and (id = $1::bigint or lower(code) = any($2::text[]) or lower(title) = any($3::text[]))
limit 2
`;
export const findCourses = (client: Client, id: string | null, codes: readonly string[], titles: readonly string[]): Promise<{ id: string; title: string }[]> =>
  rows(client, FIND_COURSES, [id, codes, titles]); // prettier-ignore
const FIND_COURSE = 'select id, title from courses where id = $1::bigint';
export const findCourse = (client: Client, id: string): Promise<{ id: string; title: string } | null> =>
  maybeRow(client, FIND_COURSE, [id]);

const STANDING = `
select
  (select jsonb_build_object('id', a.id::text, 'day', (a.assigned_at at time zone $3::text)::date)
    from assignments a where a.person_id = $1::bigint and a.course_id = $2::bigint and a.closed_by is null) as open,
  exists (
    select
    from assignments a
    where a.person_id = $1::bigint
      and a.course_id = $2::bigint
      and a.closed_by = 'finished'
      and abs(coalesce(a.completed_on, (a.closed_at at time zone $3::text)::date) - $4::date) <= 1
  ) as is_known
`;
/** How somebody stands with a course: what is open, and whether a completion of about that day is on the record. */
export const findStanding = (client: Client, person: string, course: string, zone: string, day: string): Promise<{ open: { id: string; day: string } | null; is_known: boolean }> =>
  oneRow(client, STANDING, [person, course, zone, day]); // prettier-ignore

const SET_ACTIVITY = `
insert into activity_courses (activity, course_id, set_at, set_by)
values ($1::text, $2::bigint, $3::timestamptz, $4::text)
on conflict (activity) do update set course_id = excluded.course_id, set_at = excluded.set_at, set_by = excluded.set_by
`;
export const setActivity = (client: Client, activity: string, course: string | null, at: Date, byWhom: string): Promise<unknown> =>
  client.query(SET_ACTIVITY, [activity, course, at, byWhom]);

const LOCK_WAITING = `
select id, at, statement, program, token_id as token
from statements
where outcome in ('no-person', 'no-course', 'early')
  and seen_at is null
  and voided_by is null
  and statement <> '{}'
  and ($1::text is null or activity = $1::text)
  and ($2::uuid is null or id > $2::uuid)
order by id
limit $3::integer
for update
`;
/** What waits for somebody, or for a course. */
export const lockWaiting = (client: Client, activity: string | null, after: string | null, most: number): Promise<{ id: string; at: Date; statement: Statement; program: string; token: string }[]> =>
  rows(client, LOCK_WAITING, [activity, after, most]); // prettier-ignore

const TO_SEE_SQL = "outcome in ('no-person', 'no-course', 'older', 'early', 'voids') and seen_at is null";
const LIST = `
select id, program, at, stored_at as "storedAt", statement, verb, activity, outcome, words, person_id as "personId", course_id as "courseId", seen_at as "seenAt", seen_by as "seenBy"
from statements
where ($1::boolean is false or ${TO_SEE_SQL})
  and ($2::timestamptz is null or (stored_at, id) < ($2::timestamptz, $3::uuid))
order by stored_at desc, id desc
limit $4::integer
`;
export interface StatementDbRow {
  id: string;
  program: string;
  at: Date;
  storedAt: Date;
  statement: Statement;
  verb: string;
  activity: string | null;
  outcome: StatementOutcome;
  words: string;
  personId: string | null;
  courseId: string | null;
  seenAt: Date | null;
  seenBy: string | null;
}
export const listStatements = (db: Queryable, toSee: boolean, after: { at: Date; id: string } | null, most: number): Promise<StatementDbRow[]> =>
  rows(db, LIST, [toSee, after?.at ?? null, after?.id ?? null, most]); // prettier-ignore
const COUNT_TO_SEE = `select count(*)::integer as count from statements where ${TO_SEE_SQL}`;
export const countToSee = async (db: Queryable): Promise<number> => (await oneRow<{ count: number }>(db, COUNT_TO_SEE)).count;
const LIST_ACTIVITIES = `
select activity, max(statement #>> '{object,definition,name}') as names, count(*)::integer as count
from statements
where outcome = 'no-course'
  and seen_at is null
  and activity is not null
group by activity
order by count(*) desc, activity
limit 100
`;
export const listActivities = (db: Queryable): Promise<{ activity: string; names: string | null; count: number }[]> => rows(db, LIST_ACTIVITIES); // prettier-ignore
const SEE = `update statements set seen_at = $2::timestamptz, seen_by = $3::text where id = $1::uuid and seen_at is null`;
export const seeStatement = async (db: Client, id: string, at: Date, byWhom: string): Promise<boolean> =>
  ((await db.query(SEE, [id, at, byWhom])).rowCount ?? 0) > 0;
const FIND = 'select id, stored_at, statement, voided_by from statements where id = $1::uuid';
export const findStatement = (db: Queryable, id: string): Promise<{ id: string; stored_at: Date; statement: Statement; voided_by: string | null } | null> =>
  maybeRow(db, FIND, [id]); // prettier-ignore

// completions, and results of quizzes, that stand
const LIST_OUT = `
select e.id, e.type, e.at, e.data, a.id as assignment, p.name, p.email, c.id as course, c.title, u.id as unit, u.title as unit_title
from assignment_events e
join assignments a on a.id = e.assignment_id
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
left join units u on u.id = case when e.data ->> 'unit' ~ '^[0-9]+$' then (e.data ->> 'unit')::bigint end
where (e.type = 'finished' or e.type in ('quiz-submitted', 'quiz-marked') and e.data -> 'passed' in ('true', 'false'))
  and not exists (select from assignment_events x where x.undoes = e.id)
  and ($1::bigint is null or case when $2::boolean then e.id > $1::bigint else e.id < $1::bigint end)
  and ($3::timestamptz is null or e.at > $3::timestamptz)
  and ($4::timestamptz is null or e.at <= $4::timestamptz)
  and ($5::text is null or p.email = lower($5::text))
  and ($6::bigint is null or c.id = $6::bigint and (e.type = 'finished') = ($7::bigint is null))
  and ($7::bigint is null or u.id = $7::bigint)
  and ($8::text is null or $8::text = case when e.type = 'finished' then 'completed' when e.data -> 'passed' = 'true' then 'passed' else 'failed' end)
`;
export interface OutRow {
  id: string;
  type: string;
  at: Date;
  data: { on?: string; onAt?: string; unit?: string; score?: number; passed?: boolean };
  assignment: string;
  name: string;
  email: string;
  course: string;
  title: string;
  unit: string | null;
  unit_title: string | null;
}
export interface OutAsked {
  from: string | null;
  ascending: boolean;
  since: Date | null;
  until: Date | null;
  email: string | null;
  course: string | null;
  unit: string | null;
  verb: string | null;
  limit: number;
}
export const listOut = (db: Queryable, { from, ascending, since, until, email, course, unit, verb, limit }: OutAsked): Promise<OutRow[]> =>
  rows(db, `${LIST_OUT} order by e.id ${ascending ? 'asc' : 'desc'} limit $9::integer`, [from, ascending, since, until, email, course, unit, verb, limit]); // prettier-ignore
