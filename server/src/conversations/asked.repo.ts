import type { Asks, Instant, ShownTo } from '@nudrik/core';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';
import { OWNER_COLUMNS, type OwnerFacts } from './reply-reader.ts';

/** Somebody on a course, by their assignment. */
export interface Asker extends OwnerFacts {
  assignment_id: string;
  person_id: string;
  person: string;
  course_id: string;
  course: string;
  asks: Asks;
  closed_by: string | null;
  /** mail to them arrives */
  has_mail: boolean;
}

const FIND_ASKER = `
select a.id as assignment_id, a.person_id, p.name as person, a.course_id, c.title as course, c.asks, a.closed_by,
  p.address_state <> 'bounced' as has_mail, ${OWNER_COLUMNS}
from assignments a
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
left join people o on o.id = c.owner_id
left join plans l on l.course_id = c.id
where a.id = $1::bigint
`;
export const findAsker = (db: Queryable, assignment: string, today: string): Promise<Asker | null> =>
  maybeRow(db, FIND_ASKER, [assignment, today]);

/** Words of one person come one after the other. */
export const lockAsker = (client: Client, person: string): Promise<unknown> =>
  client.query('select pg_advisory_xact_lock(7310, $1::integer)', [Number(BigInt(person) % 2_000_000_000n)]);

const COUNT_WORDS = `
select
  (
    select count(*)::integer
    from conversations v
    join conversation_posts t on t.conversation_id = v.id
    where v.person_id = $1::bigint
      and v.shown_to is not null
      and t.writer_id is null
      and t.side = 'person'
      and t.shown_to is not null
      and t.at > $2::timestamptz
  ) + (select count(*)::integer from conversation_posts t where t.writer_id = $1::bigint and t.at > $2::timestamptz) as count
`;
/** How much somebody wrote on pages since. */
export const countWords = async (db: Queryable, person: string, since: Instant): Promise<number> =>
  (await oneRow<{ count: number }>(db, COUNT_WORDS, [person, new Date(since)])).count;

const FIND_UNIT = `
select u.title
from units u
join sections s on s.id = u.section_id
where u.id = $1::bigint
  and s.course_id = $2::bigint
`;
export const findUnitTitle = async (db: Queryable, unit: string, course: string): Promise<string | null> =>
  (await maybeRow<{ title: string }>(db, FIND_UNIT, [unit, course]))?.title ?? null;

export interface QuestionRow {
  id: string;
  person_id: string;
  by: string;
  shown_to: ShownTo;
  at_unit: string | null;
  is_open: boolean;
}
const QUESTION = `
select v.id, v.person_id, p.name as by, v.shown_to, v.at_unit, v.is_open
from conversations v
join people p on p.id = v.person_id
`;
const LIST_MINE = `
${QUESTION}
where v.person_id = $1::bigint
  and v.course_id = $2::bigint
  and v.shown_to is not null
order by v.last_at desc, v.id desc
limit $3::integer
`;
export const listMine = (db: Queryable, person: string, course: string, most: number): Promise<QuestionRow[]> =>
  rows(db, LIST_MINE, [person, course, most]);

const LIST_OTHERS = `
${QUESTION}
where v.course_id = $2::bigint
  and v.shown_to = 'course'
  and v.person_id <> $1::bigint
  and exists (
    select from conversation_posts t where t.conversation_id = v.id and t.shown_to = 'course' and t.side <> 'record' and not t.is_off
  )
  and ($3::bigint is null or (v.last_at, v.id) < (select k.last_at, k.id from conversations k where k.id = $3::bigint))
order by v.last_at desc, v.id desc
limit $4::integer
`;
/** What others on the course asked so that everybody on it reads it, the newest word first. */
export const listOthers = (db: Queryable, person: string, course: string, after: string | null, most: number): Promise<QuestionRow[]> =>
  rows(db, LIST_OTHERS, [person, course, after, most]);

const FIND_QUESTION = `${QUESTION} where v.id = $1::bigint and v.course_id = $2::bigint and v.shown_to is not null`;
export const findQuestion = (db: Queryable, id: string, course: string): Promise<QuestionRow | null> =>
  maybeRow(db, FIND_QUESTION, [id, course]);

export interface WordRow {
  conversation_id: string;
  id: string;
  at: Date;
  writer_id: string | null;
  by: string;
  side: 'person' | 'house';
  shown_to: ShownTo;
  is_off: boolean;
  body: string;
  files: number;
}
const LIST_WORDS = `
select *
from (
  select t.conversation_id, t.id, t.at, t.side, t.shown_to, t.is_off, t.body,
    (select count(*)::integer from conversation_files f where f.post_id = t.id) as files,
    case when t.side = 'person' then coalesce(t.writer_id, v.person_id) end as writer_id,
    case when t.side = 'person' then coalesce(w.name, p.name) else t.author end as by,
    row_number() over (partition by t.conversation_id order by t.at desc, t.id desc) as back
  from conversation_posts t
  join conversations v on v.id = t.conversation_id
  join people p on p.id = v.person_id
  left join people w on w.id = t.writer_id
  where t.conversation_id = any($1::bigint[])
    and t.side <> 'record'
    and t.shown_to is not null
) words
where back <= $2::integer
order by at, id
`;
/** The newest words of each that stand on pages, in their order. */
export const listWords = (db: Queryable, conversations: readonly string[], most: number): Promise<WordRow[]> =>
  rows(db, LIST_WORDS, [conversations, most]);

const LIST_BESIDE = `
select w.name, w.email
from conversation_posts t
join people w on w.id = t.writer_id
where t.conversation_id = $1::bigint
  and t.id < $2::bigint
  and t.id > coalesce((select max(h.id) from conversation_posts h where h.conversation_id = $1::bigint and h.side = 'house' and h.id < $2::bigint), 0)
  and not t.is_off
  and w.email is not null
  and w.address_state <> 'bounced'
  and is_here(w.left_on, $3::date)
group by w.id
order by w.name, w.id
limit 20
`;
/** Others who wrote since the house last answered, and read mail. */
export const listBeside = (db: Queryable, conversation: string, post: string, today: string): Promise<{ name: string; email: string }[]> =>
  rows(db, LIST_BESIDE, [conversation, post, today]);

const FIND_ANSWERED = `
select t.shown_to
from outbox o
join conversation_posts t on t.id = o.post_id
where o.header_id = any($2::text[])
  and o.conversation_id = $1::bigint
order by array_position($2::text[], o.header_id)
limit 1
`;
/** Who reads the word of which a mail told that is answered; undefined where it is not known which. */
export const findAnswered = async (db: Queryable, conversation: string, ids: readonly string[]): Promise<ShownTo | null | undefined> =>
  (await maybeRow<{ shown_to: ShownTo | null }>(db, FIND_ANSWERED, [conversation, ids]))?.shown_to;

const SET_SHOWN = 'update conversations set shown_to = $2::text where id = $1::bigint';
export const setShownTo = (client: Client, id: string, to: ShownTo): Promise<unknown> => client.query(SET_SHOWN, [id, to]);

const SET_OFF = `
update conversation_posts
set is_off = $3::boolean
where id = $2::bigint
  and conversation_id = $1::bigint
  and shown_to is not null
  and is_off <> $3::boolean
returning author
`;
/** @returns whose word it is; null where nothing was to be done */
export const setOff = async (client: Client, conversation: string, post: string, isOff: boolean): Promise<string | null> =>
  (await maybeRow<{ author: string }>(client, SET_OFF, [conversation, post, isOff]))?.author ?? null;
