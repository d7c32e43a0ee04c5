import { oneRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface CopyDraft {
  message: string;
  toName: string;
  toAddress: string;
  zone: string;
  isEach: boolean;
  at: Date;
}

// a message that goes again keeps whom it was to be told to
const INSERT = `
insert into copies (message_id, to_name, to_address, zone, is_each, at)
select *
from jsonb_to_recordset($1::jsonb) as c (message bigint, "toName" text, "toAddress" text, zone text, "isEach" boolean, at timestamptz)
on conflict (message_id, to_address) do nothing
`;
export const insertCopies = async (db: Client, drafts: readonly CopyDraft[]): Promise<void> => {
  if (drafts.length > 0) await db.query(INSERT, [JSON.stringify(drafts)]);
};

export interface CopyRow {
  id: string;
  to_name: string;
  to_address: string;
  zone: string;
  at: Date;
  subject: string;
  html: string;
  body: string;
  reader: string;
  reader_address: string;
  step: string;
  course: string;
  notice: string;
  state: string;
}

const COLUMNS = `
  c.id, c.to_name, c.to_address, c.zone, coalesce(n.sent_at, c.at) as at, m.subject, m.html, m.body, m.to_name as reader, m.to_address as reader_address,
  n.step_name as step, k.title as course, n.id as notice, n.state
`;
const FROM = `
from copies c
join messages m on m.id = c.message_id
join lateral (select * from notices n where n.message_id = m.id order by n.id limit 1) n on true
join courses k on k.id = n.course_id
`;
const WENT = "n.state in ('sent', 'delivered', 'bounced')";

/** Whether anything waits to be told: asked each second, and mostly no. */
export const hasCopies = async (db: Queryable): Promise<boolean> =>
  (await oneRow<{ has: boolean }>(db, 'select exists (select from copies where told_at is null) as has', [])).has;

/** Copies of single messages that went and were not told. */
export const claimEach = (db: Client, most: number): Promise<CopyRow[]> =>
  rows(db, `select ${COLUMNS} ${FROM} where c.told_at is null and c.is_each and ${WENT} order by c.id limit $1::integer for update of c skip locked`, [most]); // prettier-ignore

const LIST_DUE = `
select distinct c.to_address
from copies c
join lateral (select n.state, n.sent_at from notices n where n.message_id = c.message_id order by n.id limit 1) n on true
cross join settings h
where c.told_at is null
  and not c.is_each
  and ${WENT}
  and (coalesce(n.sent_at, c.at) at time zone c.zone)::date < ($1::timestamptz at time zone c.zone)::date
  and ($1::timestamptz at time zone c.zone)::time >= h.window_from::time
limit 50
`;

/** Who is to be told of a day that is over, in their morning. */
export const listDue = async (db: Queryable, now: number): Promise<string[]> =>
  (await rows<{ to_address: string }>(db, LIST_DUE, [new Date(now)])).map(({ to_address }) => to_address);

/** What somebody was not told of days that are over: what went. What waits for its answer is told with a later one. */
export const claimSummary = (db: Client, address: string, now: number): Promise<CopyRow[]> =>
  rows(
    db,
    `select ${COLUMNS} ${FROM}
    where c.told_at is null and not c.is_each and ${WENT} and c.to_address = $1::text
      and (coalesce(n.sent_at, c.at) at time zone c.zone)::date < ($2::timestamptz at time zone c.zone)::date
    order by coalesce(n.sent_at, c.at), c.id
    for update of c skip locked`,
    [address, new Date(now)],
  );

export const settleCopies = (db: Client, ids: readonly string[], outbox: string, now: number): Promise<unknown> =>
  db.query('update copies set told_at = $2::timestamptz, outbox_id = $3::bigint where id = any($1::bigint[])', [ids, new Date(now), outbox]); // prettier-ignore

/** Whom a message was told to, and how that went. */
export const listCopiesOf = (
  db: Queryable,
  message: string,
): Promise<{ to_name: string; to_address: string; is_each: boolean; told_at: Date | null; state: string | null; words: string | null }[]> =>
  rows(
    db,
    `select c.to_name, c.to_address, c.is_each, c.told_at, o.state, o.words
    from copies c
    left join outbox o on o.id = c.outbox_id
    where c.message_id = $1::bigint
    order by c.id`,
    [message],
  );
