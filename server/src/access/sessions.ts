import { createHash, randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import type { Instant } from '@nudrik/core';
import type { Account, DemoAccount, Role } from '@nudrik/contract';
import { maybeRow, rows, type Queryable } from '../db/db.ts';
import { noteSignIn } from './accounts.repo.ts';

/** OWASP's argon2id: 19 MiB, 2 passes, 1 lane (the library's default algorithm is argon2id). */
const ARGON = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };

export const hashPassword = (password: string): Promise<string> => hash(password, ARGON);

interface AccountRow {
  id: string;
  email: string;
  name: string;
  role: Role;
  person_id: string | null;
  password_hash: string | null;
  about: string | null;
}

const accountOf = (row: AccountRow): Account => ({
  id: row.id,
  email: row.email,
  name: row.name,
  role: row.role,
  personId: row.person_id,
});

/** An account ends when somebody ends it, and with its person: from the day of leaving on, where that person is. `$2` is now. */
const IS_HERE = `a.ended_at is null and not exists (
  select from people p join sites w on w.id = p.site_id
  where p.id = a.person_id and not is_here(p.left_on, ($2::timestamptz at time zone w.zone)::date)
)`;

/** Who has people below them is a manager by that, whatever their account was made for. */
const ROLE = `case
  when a.role = 'employee' and exists (
    select from people b join sites w on w.id = b.site_id
    where b.manager_id = a.person_id and is_here(b.left_on, ($2::timestamptz at time zone w.zone)::date)
  ) then 'manager'
  else a.role
end`;

const FIND_BY_EMAIL = `
select a.id, a.email, a.name, ${ROLE} as role, a.person_id, a.password_hash, a.about
from accounts a
where a.email = lower($1::text)
  and ${IS_HERE}
`;
const FIND_BY_ID = `
select a.id, a.email, a.name, ${ROLE} as role, a.person_id, a.password_hash, a.about
from accounts a
where a.id = $1::bigint
  and ${IS_HERE}
`;
const LIST_DEMO = `
select id, email, name, role, person_id, password_hash, about
from accounts
where ended_at is null
  and about is not null
order by id
`;

// somebody without an account waits as long as somebody with a wrong password
let someHash: Promise<string> | null = null;

/** The account of an e-mail and password, or null. */
export async function checkPassword(db: Queryable, email: string, password: string, now: Instant): Promise<Account | null> {
  const row = await maybeRow<AccountRow>(db, FIND_BY_EMAIL, [email, new Date(now)]);
  someHash ??= hashPassword('nobody');
  const isRight = await verify(row?.password_hash ?? (await someHash), password).catch(() => false);
  return row?.password_hash && isRight ? accountOf(row) : null;
}

export async function findAccount(db: Queryable, id: string, now: Instant): Promise<Account | null> {
  const row = await maybeRow<AccountRow>(db, FIND_BY_ID, [id, new Date(now)]);
  return row && accountOf(row);
}

export async function listDemoAccounts(db: Queryable): Promise<DemoAccount[]> {
  return (await rows<AccountRow>(db, LIST_DEMO)).map((row) => ({ ...accountOf(row), about: row.about ?? '' }));
}

const digest = (token: string): Buffer => createHash('sha256').update(token).digest();

export interface OpenSession {
  account: Account;
  csrf: string;
}

const INSERT_SESSION = `
insert into sessions (token_hash, account_id, csrf, expires_at, agent, address)
values ($1::bytea, $2::bigint, $3::text, now() + make_interval(secs => $4::double precision), $5::text, $6::text)
`;

const DELETE_ENDED_SESSIONS = 'delete from sessions where expires_at < now()';

/** Opens a session. The token goes to the browser alone; the database keeps its digest. */
export async function openSession(
  db: Queryable,
  accountId: string,
  hours: number,
  from: { agent: string; address: string; now: number },
): Promise<{ token: string; csrf: string }> {
  const token = randomBytes(32).toString('base64url');
  const csrf = randomBytes(24).toString('base64url');
  await db.query(INSERT_SESSION, [digest(token), accountId, csrf, hours * 3600, from.agent.slice(0, 300), from.address]);
  await noteSignIn(db, accountId, from.now);
  await db.query(DELETE_ENDED_SESSIONS);
  return { token, csrf };
}

const FIND_SESSION = `
select a.id, a.email, a.name, ${ROLE} as role, a.person_id, s.csrf, s.seen_at < now() - interval '1 minute' as is_news
from sessions s
join accounts a on a.id = s.account_id
where s.token_hash = $1::bytea
  and s.expires_at > now()
  and s.seen_at > now() - make_interval(secs => $3::double precision)
  and ${IS_HERE}
`;
// noted once a minute, and not with each request
const SEE = `
update sessions
set seen_at = now()
where token_hash = $1::bytea
  and seen_at < now() - interval '1 minute'
`;

/**
 * @param idleHours a session that was not used for so long has ended
 * @param isUse false only looks whether it is still open
 */
export async function findSession(
  db: Queryable,
  token: string,
  now: Instant,
  idleHours: number,
  isUse = true,
): Promise<OpenSession | null> {
  const key = digest(token);
  const row = await maybeRow<AccountRow & { csrf: string; is_news: boolean }>(db, FIND_SESSION, [key, new Date(now), idleHours * 3600]);
  if (row?.is_news && isUse) await db.query(SEE, [key]);
  return row && { account: accountOf(row), csrf: row.csrf };
}

const DELETE_SESSION = 'delete from sessions where token_hash = $1::bytea';

export const closeSession = (db: Queryable, token: string): Promise<unknown> => db.query(DELETE_SESSION, [digest(token)]);

/** Tries within so long, by account and by address; then nobody is let in for the rest of it. */
const TRIES = { windowSeconds: 900, account: 20, address: 100 };

const COUNT_TRY = `
insert into sign_in_tries as t (key, since, tries)
select k, now(), 1
from unnest($1::text[]) k
on conflict (key) do update set
  tries = case when t.since < now() - make_interval(secs => $2::double precision) then 1 else t.tries + 1 end,
  since = case when t.since < now() - make_interval(secs => $2::double precision) then now() else t.since end
returning key, tries
`;
const FORGET_TRIES = 'delete from sign_in_tries where key = $1::text or since < now() - make_interval(secs => $2::double precision)';

const keysOf = (email: string, address: string): { account: string; address: string } => ({
  account: `account ${createHash('sha256').update(email.trim().toLowerCase()).digest('hex')}`,
  address: `address ${address}`,
});

/** Counts a try to sign in, whoever it is that tries and wherever it is asked. @returns whether there were too many */
export async function countTry(db: Queryable, email: string, address: string): Promise<boolean> {
  const keys = keysOf(email, address);
  const found = await rows<{ key: string; tries: number }>(db, COUNT_TRY, [[keys.account, keys.address].sort(), TRIES.windowSeconds]);
  return found.some(({ key, tries }) => tries > (key === keys.account ? TRIES.account : TRIES.address));
}

/** Who got in has not tried in vain. */
export const forgetTries = (db: Queryable, email: string): Promise<unknown> =>
  db.query(FORGET_TRIES, [keysOf(email, '').account, TRIES.windowSeconds]);

const END_SESSIONS = 'delete from sessions where account_id = $1::bigint';

/** Ends every session of an account: its password is another one now. */
export const endSessions = (db: Queryable, accountId: string): Promise<unknown> => db.query(END_SESSIONS, [accountId]);
