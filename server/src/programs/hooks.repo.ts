import type { HookCallRow, HookDraft, HookEvent, HookRow } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

const LIST = `
select
  h.id, h.name, h.url, h.what, h.made_at as "madeAt", h.made_by as "madeBy", h.ended_at as "endedAt", h.ended_by as "endedBy",
  h.failing_since as "failingSince", h.try_at as "tryAt",
  (select count(*)::integer from hook_calls c where c.hook_id = h.id and c.state = 'told') as told,
  (select count(*)::integer from hook_calls c where c.hook_id = h.id and c.state = 'waiting') as waiting,
  (select count(*)::integer from hook_calls c where c.hook_id = h.id and c.state = 'failed' and c.left_at is null) as failed,
  (select count(*)::integer from hook_calls c where c.hook_id = h.id and c.left_at is not null) as left
from hooks h
order by h.ended_at is not null, h.id desc
limit 100
`;
export const listHooks = (db: Queryable): Promise<HookRow[]> => rows(db, LIST);

const INSERT = `
insert into hooks (name, url, what, secret, made_at, made_by)
values ($1::text, $2::text, $3::text[], $4::bytea, $5::timestamptz, $6::text)
returning id
`;
export const insertHook = async (
  client: Client,
  { name, url, what }: HookDraft,
  secret: Buffer,
  at: Date,
  byWhom: string,
): Promise<string> => (await oneRow<{ id: string }>(client, INSERT, [name, url, what, secret, at, byWhom])).id;

const END = `
with ended as (
  update hooks set ended_at = $2::timestamptz, ended_by = $3::text, try_at = null where id = $1::bigint and ended_at is null returning id
),
stopped as (
  update hook_calls c set state = 'failed', try_at = null, words = 'The address is told nothing any more.' from ended e where c.hook_id = e.id and c.state = 'waiting'
)
select id from ended
`;
export const endHook = (client: Client, id: string, at: Date, byWhom: string): Promise<{ id: string } | null> =>
  maybeRow(client, END, [id, at, byWhom]);
export const findHook = (db: Queryable, id: string): Promise<{ id: string } | null> =>
  maybeRow(db, 'select id from hooks where id = $1::bigint', [id]);

// while an address does not answer, one call is tried, and the others wait behind it
const CLAIM = `
with due as (
  select c.id
  from hook_calls c
  join hooks h on h.id = c.hook_id
  where c.try_at <= $1::timestamptz
    and h.ended_at is null
    and (h.try_at is null or h.try_at <= $1::timestamptz)
    and (h.failing_since is null or c.id = (select min(x.id) from hook_calls x where x.hook_id = h.id and x.try_at is not null))
  order by c.id
  limit $2::integer
  for update of c skip locked
),
claimed as (
  update hook_calls c
  set attempts = c.attempts + 1, try_at = $1::timestamptz + interval '5 minutes'
  from due d
  where c.id = d.id
  returning c.id, c.hook_id, c.event_id, c.attempts
)
select
  c.id, c.hook_id, h.url, h.secret, h.failures, c.attempts, e.id as event, e.type, e.at, e.by_whom, e.data, e.undoes, back.type as undone,
  a.id as assignment, a.round, a.due_at, a.closed_by, p.id as person, p.name, p.email, p.personnel_number as number, k.id as course, k.title, k.code
from claimed c
join hooks h on h.id = c.hook_id
join assignment_events e on e.id = c.event_id
left join assignment_events back on back.id = e.undoes
join assignments a on a.id = e.assignment_id
join people p on p.id = a.person_id
join courses k on k.id = a.course_id
order by c.id
`;
export interface CallDue {
  id: string;
  hook_id: string;
  url: string;
  secret: Buffer;
  /** tries of the address in a row that nobody answered */
  failures: number;
  attempts: number;
  event: string;
  type: HookEvent;
  at: Date;
  by_whom: string | null;
  data: Record<string, unknown> | null;
  undoes: string | null;
  undone: string | null;
  assignment: string;
  round: number;
  due_at: Date;
  closed_by: string | null;
  person: string;
  name: string;
  email: string;
  number: string | null;
  course: string;
  title: string;
  code: string | null;
}
export const claimCalls = (db: Queryable, now: Date, most: number): Promise<CallDue[]> => rows(db, CLAIM, [now, most]);

const SETTLE = `
with settled as (
  update hook_calls
  set state = $2::text, words = $3::text, try_at = null, answered_at = $4::timestamptz
  where id = $1::bigint
    and state = 'waiting'
  returning hook_id
)
update hooks h
set failing_since = case when $2::text = 'told' then null else failing_since end, try_at = case when $2::text = 'told' then null else try_at end,
  failures = case when $2::text = 'told' then 0 else failures end
from settled s
where h.id = s.hook_id
`;
export const settleCall = (db: Queryable, id: string, state: 'told' | 'failed', words: string, at: Date): Promise<unknown> =>
  db.query(SETTLE, [id, state, words, at]);

const LATER = `
with noted as (
  update hook_calls set words = $2::text, try_at = $4::timestamptz where id = $1::bigint and state = 'waiting' returning hook_id
)
update hooks h
set failing_since = coalesce(h.failing_since, $3::timestamptz), try_at = $4::timestamptz, failures = h.failures + 1
from noted n
where h.id = n.hook_id
`;
/** Nobody answered: it is tried again then, and what else it is to be told waits with it. */
export const callLater = (db: Queryable, id: string, words: string, now: Date, tryAt: Date): Promise<unknown> => db.query(LATER, [id, words, now, tryAt]); // prettier-ignore

const RELEASE = "update hook_calls set try_at = $2::timestamptz, attempts = attempts - 1 where id = $1::bigint and state = 'waiting'";
/** It was not tried after all. */
export const releaseCall = (db: Queryable, id: string, now: Date): Promise<unknown> => db.query(RELEASE, [id, now]);

const LIST_CALLS = `
select
  c.id, e.type as what, p.name || ', ' || k.title as words, e.at, c.state, c.attempts, c.try_at as "tryAt", c.answered_at as "answeredAt", c.words as answer,
  c.left_by as "leftBy"
from hook_calls c
join assignment_events e on e.id = c.event_id
join assignments a on a.id = e.assignment_id
join people p on p.id = a.person_id
join courses k on k.id = a.course_id
where c.hook_id = $1::bigint
  and ($2::bigint is null or c.id < $2::bigint)
order by c.id desc
limit $3::integer
`;
export const listCalls = (db: Queryable, hook: string, before: string | null, most: number): Promise<HookCallRow[]> => rows(db, LIST_CALLS, [hook, before, most]); // prettier-ignore

const AGAIN = `
update hook_calls c
set state = 'waiting', try_at = $3::timestamptz, made_at = $3::timestamptz, attempts = 0, words = null, answered_at = null, left_at = null,
  left_by = null
from hooks h
where h.id = c.hook_id
  and h.ended_at is null
  and c.hook_id = $1::bigint
  and case when $2::bigint is null then c.left_at is null else c.id = $2::bigint end
  and c.state = 'failed'
`;
const AWAKE = 'update hooks set try_at = null, failures = 0 where id = $1::bigint';
/** Tells again what failed: one call, or all of an address that nobody left; what waits for it goes on at once. */
export async function tellAgain(client: Client, hook: string, call: string | null, now: Date): Promise<number> {
  const { rowCount } = await client.query(AGAIN, [hook, call, now]);
  await client.query(AWAKE, [hook]);
  await client.query('update hook_calls set try_at = $2::timestamptz where hook_id = $1::bigint and try_at is not null', [hook, now]);
  return rowCount ?? 0;
}

const LEAVE = `
update hook_calls
set left_at = $3::timestamptz, left_by = $4::text
where hook_id = $1::bigint
  and ($2::bigint is null or id = $2::bigint)
  and state = 'failed'
  and left_at is null
`;
/** What an address did not take is left: one call, or all; nobody is asked about it any more. */
export const leaveCalls = async (db: Queryable, hook: string, call: string | null, now: Date, byWhom: string): Promise<number> =>
  (await db.query(LEAVE, [hook, call, now, byWhom])).rowCount ?? 0;

const EXPIRE = `
update hook_calls
set state = 'failed', try_at = null, words = coalesce(words || '; ', '') || 'given up after three days'
where state = 'waiting'
  and made_at < $1::timestamptz - interval '3 days'
`;
/** What nobody took for three days is given up; it can be told again by hand. */
export const expireCalls = (db: Queryable, now: number): Promise<unknown> => db.query(EXPIRE, [new Date(now)]);

const FORGET = "delete from hook_calls where state <> 'waiting' and made_at < $1::timestamptz - interval '90 days'";
/** Calls that were told are kept for 90 days. */
export const forgetCalls = (db: Queryable, now: number): Promise<unknown> => db.query(FORGET, [new Date(now)]);
