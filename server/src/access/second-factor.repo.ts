import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface KeptFactor {
  secret: Buffer;
  confirmed_at: Date | null;
  /** milliseconds since 1970, by the clock of the database, which all processes share */
  now: number;
}

const GET_FACTOR = `
select secret, confirmed_at, (extract(epoch from now()) * 1000)::double precision as now
from second_factors
where account_id = $1::bigint
`;
export const getFactor = (db: Queryable, account: string): Promise<KeptFactor | null> => maybeRow<KeptFactor>(db, GET_FACTOR, [account]);

const BEGIN_FACTOR = `
insert into second_factors (account_id, secret)
values ($1::bigint, $2::bytea)
on conflict (account_id) do update set secret = excluded.secret
where second_factors.confirmed_at is null
returning account_id
`;
/** Keeps the secret of a factor that is being set up. @returns false where there is one that is asked for */
export const beginFactor = async (db: Queryable, account: string, secret: Buffer): Promise<boolean> =>
  (await rows(db, BEGIN_FACTOR, [account, secret])).length > 0;

const TAKE_STEP = `
update second_factors
set last_step = $2::bigint, confirmed_at = coalesce(confirmed_at, now())
where account_id = $1::bigint
  and (last_step is null or last_step < $2::bigint)
returning account_id
`;
/** Uses a code up. @returns false where this one, or a later one, was used */
export const takeStep = async (db: Queryable, account: string, step: number): Promise<boolean> =>
  (await rows(db, TAKE_STEP, [account, step])).length > 0;

const PUT_SPARE = 'insert into spare_codes (account_id, code_hash) select $1::bigint, unnest($2::bytea[])';
const FORGET_SPARE = 'delete from spare_codes where account_id = $1::bigint';
export async function putSpareCodes(db: Client, account: string, digests: readonly Buffer[]): Promise<void> {
  await db.query(FORGET_SPARE, [account]);
  await db.query(PUT_SPARE, [account, digests]);
}

const TAKE_SPARE = 'delete from spare_codes where account_id = $1::bigint and code_hash = $2::bytea returning account_id';
/** Uses a spare code up. @returns false where it is none */
export const takeSpare = async (db: Queryable, account: string, digest: Buffer): Promise<boolean> =>
  (await rows(db, TAKE_SPARE, [account, digest])).length > 0;

const COUNT_SPARE = 'select count(*)::integer as count from spare_codes where account_id = $1::bigint';
export const countSpare = async (db: Queryable, account: string): Promise<number> =>
  (await oneRow<{ count: number }>(db, COUNT_SPARE, [account])).count;

const FORGET_FACTOR = 'delete from second_factors where account_id = $1::bigint returning account_id';
/** @returns whether there was one */
export async function forgetFactor(db: Client, account: string): Promise<boolean> {
  await db.query(FORGET_SPARE, [account]);
  return (await rows(db, FORGET_FACTOR, [account])).length > 0;
}

const FORGET_ALL = 'with spare as (delete from spare_codes) delete from second_factors';
/** They cannot be read any more: the key of the house is another one. */
export const forgetAllFactors = (db: Queryable): Promise<unknown> => db.query(FORGET_ALL);
