import type { ErasureRow, Kept } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface KeepingRow {
  kind: Kept;
  months: number;
  changed_at: Date;
  changed_by: string;
  ran_on: string | null;
}
const LIST = 'select kind, months, changed_at, changed_by, ran_on from keeping order by kind';
export const listKeeping = (db: Queryable): Promise<KeepingRow[]> => rows(db, LIST);
const LOCK = 'select kind, months, changed_at, changed_by, ran_on from keeping where kind = $1::text for update';
export const lockKeeping = (client: Client, kind: Kept): Promise<KeepingRow | null> => maybeRow(client, LOCK, [kind]);

const SET = `
insert into keeping (kind, months, changed_at, changed_by)
values ($1::text, $2::integer, $3::timestamptz, $4::text)
on conflict (kind) do update set months = excluded.months, changed_at = excluded.changed_at, changed_by = excluded.changed_by, ran_on = null
`;
const UNSET = 'delete from keeping where kind = $1::text';
export const setKeeping = (client: Client, kind: Kept, months: number | null, at: Date, byWhom: string): Promise<unknown> =>
  months === null ? client.query(UNSET, [kind]) : client.query(SET, [kind, months, at, byWhom]);

const SET_RAN = 'update keeping set ran_on = $2::date where kind = $1::text';
export const setRan = (db: Queryable, kind: Kept, day: string): Promise<unknown> => db.query(SET_RAN, [kind, day]);

/** What of a kind has had its time: rows with an id and a day. $1 is the first day that is kept, as a moment; $2 the same as a date. */
const OLD: Readonly<Record<Kept, string>> = {
  leavers: `
    select p.id, p.left_on as day
    from people p
    where p.left_on < $2::date
      and p.erased_at is null
      and $1::timestamptz is not null`,
  messages: `
    select m.id, m.composed_at::date as day
    from messages m
    where m.composed_at < $1::timestamptz
      and m.gone_at is null
      and $2::date is not null`,
  // of what is closed: whoever is in an attempt goes on with it
  answers: `
    select q.id, q.submitted_at::date as day
    from quiz_attempts q
    join assignments a on a.id = q.assignment_id
    where q.submitted_at < $1::timestamptz
      and a.closed_at < $1::timestamptz
      and q.is_passed is not null
      and q.answers <> '{}'
      and $2::date is not null`,
  places: `
    select a.id, a.closed_at::date as day
    from assignments a
    where a.closed_at < $1::timestamptz
      and exists (select from unit_work w where w.assignment_id = a.id)
      and $2::date is not null`,
  conversations:
    'select id, done_at::date as day from conversations where done_at < $1::timestamptz and not is_open and $2::date is not null',
  arrivals: 'select id, at::date as day from arrivals where at < $1::timestamptz and not waits and $2::date is not null',
  tests: 'select id, sent_at::date as day from test_letters where sent_at < $1::timestamptz and $2::date is not null',
  rosters:
    'select id, taken_at::date as day from imports where taken_at < $1::timestamptz and file_id is not null and $2::date is not null',
  looks: 'select id, last_at::date as day from looks where last_at < $1::timestamptz and $2::date is not null',
};
/** Answers to surveys go with those to quizzes; nothing names them but their survey. */
const OLD_SURVEYS = `
select w.id, w.at::date as day
from survey_answers w
join assignments a on a.id = w.assignment_id
where w.at < $1::timestamptz
  and a.closed_at < $1::timestamptz
  and $2::date is not null
`;

const both = (kind: Kept): string => (kind === 'answers' ? `select id::text, day from (${OLD.answers}) q union all select id::text, day from (${OLD_SURVEYS}) s` : OLD[kind]); // prettier-ignore
export const countOld = (
  db: Queryable,
  kind: Kept,
  from: Date,
  day: string,
): Promise<{ count: number; first: string | null; last: string | null }> =>
  oneRow(db, `select count(*)::integer as count, min(day) as first, max(day) as last from (${both(kind)}) o`, [from, day]);

const NO_LONGER = 'What this message said is kept no longer.';
/** How some of a kind goes; $1 is their ids, $2 now. Leavers go one by one. */
const GO: Readonly<Record<Exclude<Kept, 'leavers'>, readonly string[]>> = {
  messages: [
    'delete from chat_posts where message_id = any($1::bigint[])',
    'delete from copies where message_id = any($1::bigint[]) and told_at is not null',
    `update messages set subject = 'Kept no longer', html = '<p>${NO_LONGER}</p>', body = '${NO_LONGER}', calendar = null, files = null, gone_at = $2::timestamptz where id = any($1::bigint[]) returning id`,
  ],
  answers: ["update quiz_attempts set answers = '{}', marked_words = null where id = any($1::bigint[]) returning id"],
  places: ['delete from unit_work where assignment_id = any($1::bigint[]) returning assignment_id as id'],
  conversations: [
    `delete from files where id in (
       select f.file_id from conversation_files f join conversation_posts b on b.id = f.post_id where b.conversation_id = any($1::bigint[])
     )`,
    'delete from conversations where id = any($1::bigint[]) returning id',
  ],
  arrivals: ['delete from arrivals where id = any($1::bigint[]) returning id'],
  tests: ['delete from test_letters where id = any($1::bigint[]) returning id'],
  rosters: [
    `with gone as (
       update imports i set file_id = null from imports was where was.id = i.id and i.id = any($1::bigint[]) returning was.file_id as id
     )
     select id from gone`,
  ],
  looks: ['delete from looks where id = any($1::bigint[]) returning id'],
};
/** Lets the oldest of a kind go. @returns ids of what went */
export async function dropOld(
  client: Client,
  kind: Exclude<Kept, 'leavers'>,
  from: Date,
  day: string,
  at: Date,
  most: number,
): Promise<string[]> {
  const take = (sql: string): Promise<{ id: string }[]> =>
    rows<{ id: string }>(client, `select id from (${sql}) o order by day, id limit ${most}`, [from, day]);
  if (kind === 'answers') {
    const surveys = (await take(OLD_SURVEYS)).map(({ id }) => id);
    if (surveys.length > 0) return (await rows<{ id: string }>(client, 'delete from survey_answers where id = any($1::uuid[]) returning id', [surveys])).map(({ id }) => id); // prettier-ignore
  }
  const ids = (await take(OLD[kind])).map(({ id }) => id);
  if (ids.length === 0) return [];
  let gone: string[] = [];
  for (const sql of GO[kind]) gone = (await rows<{ id: string }>(client, sql, sql.includes('$2') ? [ids, at] : [ids])).map(({ id }) => id);
  if (kind === 'rosters') await client.query('delete from files where id = any($1::bigint[])', [gone]);
  return ids;
}

/** Whose time has come among those who left. */
export const listOldLeavers = async (db: Queryable, from: Date, day: string): Promise<string[]> =>
  (await rows<{ id: string }>(db, `select id from (${OLD.leavers}) o order by day, id`, [from, day])).map(({ id }) => id);

const LIST_ERASURES = `
select id, kind, pseudonym, what, before, person_id as "personId", at, by_whom as "byWhom", reason, counts
from erasures
where $1::bigint is null
  or id < $1::bigint
order by id desc
limit $2::integer
`;
export const listErasures = (db: Queryable, before: string | null, most: number): Promise<(Omit<ErasureRow, 'title' | 'at'> & { at: Date; pseudonym: string | null; what: Kept | null; before: string | null })[]> =>
  rows(db, LIST_ERASURES, [before, most]); // prettier-ignore
