import { createHash, randomBytes } from 'node:crypto';
import type { AccountRow, AccountState, Role, SessionRow } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

export type KeyPurpose = 'invitation' | 'password' | 'sign-in';

/** How long a key opens something, in seconds. */
const KEY_SECONDS: Readonly<Record<KeyPurpose, number>> = { invitation: 7 * 86_400, password: 3_600, 'sign-in': 1_800 };

const digest = (key: string): Buffer => createHash('sha256').update(key).digest();

const INSERT_KEY = `
insert into account_keys (key_hash, account_id, purpose, expires_at)
values ($1::bytea, $2::bigint, $3::text, now() + make_interval(secs => $4::double precision))
`;
const FORGET_KEYS = "delete from account_keys where account_id = $1::bigint or expires_at < now() - interval '30 days'";

/** Makes the one key of an account: any that was sent before opens nothing any more. */
export async function makeKey(db: Client, accountId: string, purpose: KeyPurpose): Promise<string> {
  const key = randomBytes(32).toString('base64url');
  await db.query(FORGET_KEYS, [accountId]);
  await db.query(INSERT_KEY, [digest(key), accountId, purpose, KEY_SECONDS[purpose]]);
  return key;
}

/** Ends every key of an account. */
export const forgetKeys = (db: Client, accountId: string): Promise<unknown> => db.query(FORGET_KEYS, [accountId]);

export interface FoundKey {
  account_id: string;
  purpose: KeyPurpose;
  name: string;
  email: string;
}

const FIND_KEY = `
select k.account_id, k.purpose, a.name, a.email
from account_keys k
join accounts a on a.id = k.account_id and a.ended_at is null
where k.key_hash = $1::bytea
  and k.used_at is null
  and k.expires_at > now()
`;
const USE_KEY = `
update account_keys
set used_at = now()
where key_hash = $1::bytea
  and used_at is null
  and expires_at > now()
returning account_id
`;

export const findKey = (db: Queryable, key: string): Promise<FoundKey | null> => maybeRow<FoundKey>(db, FIND_KEY, [digest(key)]);

/** Uses a key up. @returns false where it was used, or has run out, meanwhile */
export const takeKey = async (db: Client, key: string): Promise<boolean> => (await rows(db, USE_KEY, [digest(key)])).length > 0;

const LIST_ACCOUNTS = `
select
  a.id, a.name, a.email, a.role, p.id as person_id, p.name as person_name, a.seen_at, a.ended_at,
  (select max(e.at) from account_events e where e.account_id = a.id) as changed_at,
  -- those of the demo are entered without one
  a.password_hash is not null or a.about is not null as has_password,
  p.id is not null and not is_here(p.left_on, $1::date) as has_left,
  exists (select from people b where b.manager_id = p.id and is_here(b.left_on, $1::date)) as leads,
  exists (select from second_factors f where f.account_id = a.id and f.confirmed_at is not null) as has_factor,
  exists (select from account_keys k where k.account_id = a.id and k.purpose = 'invitation' and k.used_at is null and k.expires_at > now()) as is_invited
from accounts a
left join people p on p.id = a.person_id
order by a.ended_at is not null, a.role, lower(a.name), a.id
`;

/** Everyone who may enter or once did, with what they may do. */
export async function listAccounts(db: Queryable, today: string): Promise<AccountRow[]> {
  const found = await rows<{
    id: string;
    name: string;
    email: string;
    role: Role;
    person_id: string | null;
    person_name: string;
    seen_at: Date | null;
    ended_at: Date | null;
    has_password: boolean;
    has_left: boolean;
    is_invited: boolean;
    has_factor: boolean;
    leads: boolean;
  }>(db, LIST_ACCOUNTS, [today]);
  const stateOf = (row: (typeof found)[number]): AccountState =>
    row.ended_at ? 'ended' : row.has_left ? 'left' : row.has_password || row.seen_at ? 'active' : row.is_invited ? 'invited' : 'lapsed';
  return found.map((row) => ({
    id: row.id,
    name: row.name,
    email: row.email,
    role: row.role,
    person: row.person_id === null ? null : { id: row.person_id, name: row.person_name },
    state: stateOf(row),
    seenAt: row.seen_at?.toISOString() ?? null,
    hasSecondFactor: row.has_factor,
    entersAsManager: row.role === 'employee' && row.leads,
  }));
}

const LOCK_ACCOUNT = 'select id, name, email, role, ended_at from accounts where id = $1::bigint for no key update';

export interface LockedAccount {
  id: string;
  name: string;
  email: string;
  role: Role;
  ended_at: Date | null;
}
export const lockAccount = (db: Client, id: string): Promise<LockedAccount | null> => maybeRow<LockedAccount>(db, LOCK_ACCOUNT, [id]);

// counted under a lock, so that two administrators cannot end each other at one moment
const LOCK_ADMINISTRATORS = "select id from accounts where role = 'administrator' and ended_at is null order by id for no key update";

/** The administrators who may enter, locked. */
export const lockAdministrators = async (db: Client): Promise<string[]> =>
  (await rows<{ id: string }>(db, LOCK_ADMINISTRATORS)).map(({ id }) => id);

const ADD_ACCOUNT = `
insert into accounts (email, name, role, person_id)
values (lower($1::text), $2::text, $3::text, (select id from people where email = lower($1::text)))
on conflict (email) do nothing
returning id
`;
export const addAccount = async (db: Client, account: { email: string; name: string; role: Role }): Promise<string | null> =>
  (await maybeRow<{ id: string }>(db, ADD_ACCOUNT, [account.email, account.name, account.role]))?.id ?? null;

const SET_ROLE = 'update accounts set role = $2::text where id = $1::bigint';
export const setRole = (db: Client, id: string, role: Role): Promise<unknown> => db.query(SET_ROLE, [id, role]);

// who comes in by the sign-in service after that is known anew there
const SET_ENDED = 'update accounts set ended_at = case when $2::boolean then now() end, subject = null where id = $1::bigint';
export const setEnded = (db: Client, id: string, isEnded: boolean): Promise<unknown> => db.query(SET_ENDED, [id, isEnded]);

const SET_PASSWORD = 'update accounts set password_hash = $2::text where id = $1::bigint';
export const setPassword = (db: Client, id: string, hash: string | null): Promise<unknown> => db.query(SET_PASSWORD, [id, hash]);

const ADD_EVENT = `
insert into account_events (account_id, at, by_whom, words)
values ($1::bigint, $2::timestamptz, $3::text, $4::text)
`;
/** A line of an account's record. */
export const addAccountEvent = (db: Client, id: string, at: number, byWhom: string, words: string): Promise<unknown> =>
  db.query(ADD_EVENT, [id, new Date(at), byWhom, words]);

const LIST_EVENTS = `
select e.at, e.by_whom as "byWhom", a.name, e.words
from account_events e
join accounts a on a.id = e.account_id
order by e.id desc
limit 100
`;
export const listAccountEvents = (db: Queryable): Promise<{ at: string; byWhom: string; name: string; words: string }[]> =>
  rows(db, LIST_EVENTS);

const FIND_BY_ADDRESS = `
select a.id, a.name, a.email, a.role, a.password_hash is not null as has_password, a.ended_at
from accounts a
where a.email = lower($1::text)
`;
export const findByAddress = (
  db: Queryable,
  email: string,
): Promise<{ id: string; name: string; email: string; role: Role; has_password: boolean; ended_at: Date | null } | null> =>
  maybeRow(db, FIND_BY_ADDRESS, [email]);

// who has people below them is a manager by that
const FIND_MANAGER = `
select p.id, p.name, p.email
from people p
where p.email = lower($1::text)
  and is_here(p.left_on, $2::date)
  and exists (select from people b where b.manager_id = p.id and is_here(b.left_on, $2::date))
`;
export const findManager = (db: Queryable, email: string, today: string): Promise<{ id: string; name: string; email: string } | null> =>
  maybeRow(db, FIND_MANAGER, [email, today]);

const FIND_BY_SUBJECT = 'select id from accounts where subject = $1::text';
/** Whose name at the sign-in service that is. */
export const findBySubject = async (db: Queryable, subject: string): Promise<string | null> =>
  (await maybeRow<{ id: string }>(db, FIND_BY_SUBJECT, [subject]))?.id ?? null;

const PUT_SUBJECT = 'update accounts set subject = $2::text where id = $1::bigint and subject is null returning id';
/** @returns false where the account is known there by another name */
export const putSubject = async (db: Client, id: string, subject: string): Promise<boolean> =>
  (await rows(db, PUT_SUBJECT, [id, subject])).length > 0;

const FIND_PERSON = `
select p.name
from people p
where p.email = lower($1::text)
  and is_here(p.left_on, $2::date)
`;
/** Who is on the roster by this address. */
export const findPerson = (db: Queryable, email: string, today: string): Promise<{ name: string } | null> =>
  maybeRow<{ name: string }>(db, FIND_PERSON, [email, today]);

const LIST_SESSIONS = `
select id, created_at, seen_at, agent, address, token_hash = $2::bytea as "isThis"
from sessions
where account_id = $1::bigint
  and expires_at > now()
  and seen_at > now() - make_interval(secs => $3::double precision)
order by seen_at desc
`;

/** The sessions of an account that are open. */
export async function listSessions(db: Queryable, accountId: string, token: string, idleHours: number): Promise<SessionRow[]> {
  const found = await rows<{ id: string; created_at: Date; seen_at: Date; agent: string | null; address: string | null; isThis: boolean }>(
    db,
    LIST_SESSIONS,
    [accountId, digest(token), idleHours * 3_600],
  );
  return found.map((row) => ({
    id: row.id,
    begunAt: row.created_at.toISOString(),
    seenAt: row.seen_at.toISOString(),
    browser: browserOf(row.agent ?? ''),
    address: row.address ?? '',
    isThis: row.isThis,
  }));
}

/** What a browser calls itself (RFC 9110, 10.1.5), as people call it. */
export function browserOf(agent: string): string {
  const first = (list: readonly (readonly [RegExp, string])[], none: string): string =>
    list.find(([pattern]) => pattern.test(agent))?.[1] ?? none;
  const browser = first([[/Edg\//, 'Edge'], [/OPR\//, 'Opera'], [/Firefox\//, 'Firefox'], [/Chrom(e|ium)\//, 'Chrome'], [/Safari\//, 'Safari']], 'a browser'); // prettier-ignore
  const system = first([[/Android/, 'Android'], [/iPhone|iPad/, 'iOS'], [/Windows/, 'Windows'], [/Mac OS/, 'macOS'], [/Linux/, 'Linux']], ''); // prettier-ignore
  return system ? `${browser} on ${system}` : browser;
}

const END_SESSION = 'delete from sessions where account_id = $1::bigint and id = $2::bigint returning id';
const END_OTHERS = 'delete from sessions where account_id = $1::bigint and token_hash <> $2::bytea';

/** @returns false where it had ended */
export const endSession = async (db: Queryable, accountId: string, id: string): Promise<boolean> =>
  (await rows(db, END_SESSION, [accountId, id])).length > 0;
export const endOtherSessions = (db: Queryable, accountId: string, token: string): Promise<unknown> =>
  db.query(END_OTHERS, [accountId, digest(token)]);

const SEEN = 'update accounts set seen_at = $2::timestamptz where id = $1::bigint returning id';
/** Notes when somebody signed in, by the clock of the house. */
export const noteSignIn = (db: Queryable, id: string, now: number): Promise<unknown> => oneRow(db, SEEN, [id, new Date(now)]);
