import type { LookedQuery, LookedRow } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';

// a page that is open asks again whenever something changes: that is one look
const KEEP = `
insert into looks (account_id, by_whom, what, words, on_day, first_at, last_at)
values ($1::bigint, $2::text, $3::text, $4::text, $5::date, $6::timestamptz, $6::timestamptz)
on conflict (account_id, on_day, what, md5(words)) do update
set times = looks.times + 1, last_at = excluded.last_at
where looks.what = 'took'
  or looks.last_at < excluded.last_at - interval '5 minutes'
`;
export interface NewLook {
  account: string;
  byWhom: string;
  what: 'looked' | 'took';
  words: string;
  day: string;
  at: Date;
}
export const keepLook = (db: Queryable, { account, byWhom, what, words, day, at }: NewLook): Promise<unknown> =>
  db.query(KEEP, [account, byWhom, what, words, day, at]);

const PAGE = 100;
const LIST = `
select id, by_whom as "byWhom", what, words, first_at as "firstAt", last_at as "lastAt", times,
  (extract(epoch from last_at) * 1000000)::bigint::text || '~' || id as place
from looks
where ($1::bigint is null or account_id = $1::bigint)
  and ($2::text = 'all' or what = $2::text)
  and ($3::text is null or by_whom = $3::text)
  and ($4::bigint is null or (last_at, id) < (timestamptz 'epoch' + $4::bigint * interval '1 microsecond', $5::bigint))
order by last_at desc, id desc
limit ${PAGE + 1}
`;
/** @param own whose, where they see their own alone */
export async function listLooks(
  db: Queryable,
  own: string | null,
  { what, by, before }: LookedQuery,
): Promise<{ rows: LookedRow[]; further: string | null }> {
  const [at, id] = before?.split('~') ?? [null, null];
  const found = await rows<LookedRow & { place: string }>(db, LIST, [own, what, by ?? null, at, id]);
  const page = found.slice(0, PAGE);
  return { rows: page.map(({ place: _, ...row }) => row), further: found.length > PAGE ? page.at(-1)!.place : null };
}

const LIST_WHOSE = 'select distinct by_whom as name from looks where $1::bigint is null or account_id = $1::bigint order by 1';
export const listWhose = async (db: Queryable, own: string | null): Promise<string[]> =>
  (await rows<{ name: string }>(db, LIST_WHOSE, [own])).map(({ name }) => name);
