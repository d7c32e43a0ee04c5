import { LEFT_ALONE_MS, type Template } from '@nudrik/core';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

/** Who was told of an assignment lately, by what, and when. */
export interface ToldLately {
  id: string;
  name: string;
  at: Date;
}

// what went to the employee and did not come back, what is on its way, and reminders by hand that have not settled yet
const LIST_TOLD_LATELY = `
select a.id, told.name, told.at
from unnest($1::bigint[]) as a (id)
cross join lateral (
  select *
  from (
    select n.step_name as name, coalesce(n.sent_at, n.at) as at
    from notices n
    where n.assignment_id = a.id
      and n.to_role = 'employee'
      and n.state in ('sending', 'sent', 'delivered')
      and coalesce(n.sent_at, n.at) > $2::timestamptz
    union all
    select l.name, e.at
    from assignment_events e
    join hand_letters l on l.id = (e.data ->> 'letter')::bigint
    where e.assignment_id = a.id
      and e.type = 'reminded'
      and e.at > $2::timestamptz
      and not exists (select 1 from assignment_events u where u.undoes = e.id)
  ) lately
  order by at desc
  limit 1
) told
`;

/** Of some assignments, whose person was told within the last 48 hours. */
export const listToldLately = (db: Queryable, ids: readonly string[], now: number): Promise<ToldLately[]> =>
  rows<ToldLately>(db, LIST_TOLD_LATELY, [ids, new Date(now - LEFT_ALONE_MS)]);

const LIST_OPEN = 'select id from assignments where id = any($1::bigint[]) and closed_by is null order by id';

/** Those of some assignments that are open. */
export const listOpen = async (db: Queryable, ids: readonly string[]): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_OPEN, [ids])).map(({ id }) => id);

const INSERT_LETTER =
  'insert into hand_letters (key, act_id, name, message) values ($1::uuid, $2::bigint, $3::text, $4::jsonb) returning id';

/** Keeps what somebody wrote by hand. @returns its id */
export const insertLetter = async (
  client: Client,
  letter: { key: string; act: string; name: string; message: Template },
): Promise<string> =>
  (await oneRow<{ id: string }>(client, INSERT_LETTER, [letter.key, letter.act, letter.name, JSON.stringify(letter.message)])).id;

const FIND_BY_KEY = `
select a.id, a.at, a.by_whom, a.words, (select count(*)::integer from act_assignments x where x.act_id = a.id) as count
from hand_letters l
join acts a on a.id = l.act_id
where l.key = $1::uuid
`;

/** The reminder that a request of this key has brought about already, or null. */
export const findByKey = (
  client: Client,
  key: string,
): Promise<{ id: string; at: Date; by_whom: string; words: string; count: number } | null> => maybeRow(client, FIND_BY_KEY, [key]);

/** Requests of one key wait for each other. */
export const lockKey = (client: Client, key: string): Promise<unknown> =>
  client.query("select pg_advisory_xact_lock(hashtextextended('remind ' || $1::text, 0))", [key]);
