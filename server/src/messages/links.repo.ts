import type { PlanStep } from '@nudrik/core';
import { oneRow, rows, type Queryable } from '../db/db.ts';

export type LinkState = 'unknown' | 'ok' | 'dead' | 'unreachable' | 'inside';

export interface LinkRow {
  href: string;
  state: LinkState;
  words: string | null;
  since: Date | null;
}

const NAME = `
insert into links (href, next_at, named_at)
select h, $2::timestamptz, $2::timestamptz
from unnest($1::text[]) h
on conflict (href) do update set named_at = excluded.named_at
where links.named_at < excluded.named_at - interval '1 hour'
`;

/** Messages lead there: those that nobody looked at yet are looked at next. */
export const nameLinks = async (db: Queryable, hrefs: readonly string[], now: number): Promise<void> => {
  if (hrefs.length > 0) await db.query(NAME, [hrefs, new Date(now)]);
};

const FIND = 'select href, state, words, since from links where href = any($1::text[])';

export const findLinks = async (db: Queryable, hrefs: readonly string[]): Promise<Map<string, LinkRow>> =>
  new Map(hrefs.length === 0 ? [] : (await rows<LinkRow>(db, FIND, [hrefs])).map((row) => [row.href, row]));

// claimed by moving their next look: two workers do not look at the same one
const CLAIM = `
update links l
set next_at = $1::timestamptz + interval '10 minutes'
where l.href in (
  select href from links where next_at <= $1::timestamptz order by next_at limit $2::integer for update skip locked
)
returning href, state, words, since
`;

export const claimLinks = (db: Queryable, now: number, most: number): Promise<LinkRow[]> => rows<LinkRow>(db, CLAIM, [new Date(now), most]);

const LOOKED = `
update links
set
  since = case when state = $2::text then since else $4::timestamptz end,
  state = $2::text, words = $3::text, checked_at = $4::timestamptz, next_at = $5::timestamptz
where href = $1::text
`;

export const lookedAtLink = (db: Queryable, href: string, state: LinkState, words: string | null, now: number, nextAt: number): Promise<unknown> =>
  db.query(LOOKED, [href, state, words, new Date(now), new Date(nextAt)]); // prettier-ignore

const FORGET = 'delete from links where named_at < $1::timestamptz';

export const forgetLinks = (db: Queryable, before: number): Promise<unknown> => db.query(FORGET, [new Date(before)]);

const LIST_BROKEN = "select href, state, words, since from links where state in ('dead', 'unreachable') order by since, href";

export const listBroken = (db: Queryable): Promise<LinkRow[]> => rows<LinkRow>(db, LIST_BROKEN);

const IS_OUT = "select exists (select 1 from links where state in ('ok', 'dead') and checked_at > $1::timestamptz) as is_out";

/** Whether the web can be reached from here at all: otherwise that nobody answers says nothing of a link. */
export const canReachOut = async (db: Queryable, after: number): Promise<boolean> => (await oneRow<{ is_out: boolean }>(db, IS_OUT, [new Date(after)])).is_out; // prettier-ignore

const LIST_PLANS = "select p.steps from plans p join courses c on c.id = p.course_id where c.state <> 'retired'";

/** The steps of each plan that courses go by. */
export const listPlansInForce = async (db: Queryable): Promise<PlanStep[][]> => (await rows<{ steps: PlanStep[] }>(db, LIST_PLANS)).map(({ steps }) => steps); // prettier-ignore
