import { maybeRow, oneRow, type Queryable } from '../db/db.ts';

/** A mail that could not be taken: it lies in the mailbox still. */
export interface LeftBehind {
  at: string;
  from: string;
  subject: string;
  why: string;
}

export interface MailboxRow {
  name: string;
  uid_validity: string | null;
  last_uid: string;
  looked_at: Date | null;
  reached_at: Date | null;
  failing_since: Date | null;
  words: string | null;
  taken: string;
  left_behind: LeftBehind[];
}

const COLUMNS = 'name, uid_validity, last_uid, looked_at, reached_at, failing_since, words, taken, left_behind';

// the leases of workers run by the machine's clock, and not by a demo's
const CLAIM = `
insert into mailbox (name, held_by, held_until)
values ($1::text, $2::text, now() + interval '90 seconds')
on conflict (name) do update set held_by = excluded.held_by, held_until = excluded.held_until
where mailbox.held_by = excluded.held_by
  or mailbox.held_until is null
  or mailbox.held_until < now()
returning ${COLUMNS}
`;

/** One worker looks into it at a time. @returns null where another does */
export const claimMailbox = (db: Queryable, name: string, worker: string): Promise<MailboxRow | null> =>
  maybeRow<MailboxRow>(db, CLAIM, [name, worker]);

const BEGIN = 'update mailbox set uid_validity = $2::bigint, last_uid = $3::bigint where name = $1::text';

export const beginMailbox = (db: Queryable, name: string, uidValidity: bigint, lastUid: number): Promise<unknown> =>
  db.query(BEGIN, [name, String(uidValidity), lastUid]);

const PASS = `
update mailbox
set
  last_uid = greatest(last_uid, $2::bigint), taken = taken + case when $3::jsonb is null then 1 else 0 end,
  left_behind = case when $3::jsonb is null then left_behind else jsonb_path_query_array(jsonb_build_array($3::jsonb) || left_behind, '$[0 to 19]') end
where name = $1::text
`;

/** A mail is done with: taken, or left where it is. */
export const passMail = (db: Queryable, name: string, uid: number, left: LeftBehind | null): Promise<unknown> =>
  db.query(PASS, [name, uid, left && JSON.stringify(left)]);

const LOOKED = `
update mailbox
set
  looked_at = case when $3::text is null then $2::timestamptz else looked_at end,
  reached_at = case when $3::text is null then now() else reached_at end,
  failing_since = case when $3::text is null then null else coalesce(failing_since, $2::timestamptz) end,
  words = $3::text
where name = $1::text
returning (select (was.words is null) <> ($3::text is null) from mailbox was where was.name = $1::text) as is_turned
`;

/** How a look went. @param words why it failed; null where it went well. @returns whether that is otherwise than at the last look */
export const lookedAt = async (db: Queryable, name: string, now: number, words: string | null): Promise<boolean> =>
  (await oneRow<{ is_turned: boolean }>(db, LOOKED, [name, new Date(now), words])).is_turned;

const FREE = 'update mailbox set held_until = null where name = $1::text and held_by = $2::text';

export const freeMailbox = (db: Queryable, name: string, worker: string): Promise<unknown> => db.query(FREE, [name, worker]);

const FIND = `select ${COLUMNS} from mailbox where name = $1::text`;

export const findMailbox = (db: Queryable, name: string): Promise<MailboxRow | null> => maybeRow<MailboxRow>(db, FIND, [name]);

const FORGET_LEFT = "update mailbox set left_behind = '[]' where name = $1::text";

/** Somebody has seen what lies there. */
export const forgetLeft = (db: Queryable, name: string): Promise<unknown> => db.query(FORGET_LEFT, [name]);
