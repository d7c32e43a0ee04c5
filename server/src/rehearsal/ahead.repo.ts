import type { LocalDate } from '@nudrik/core';
import { maybeRow, oneRow, type Client, type Queryable } from '../db/db.ts';

/** What requirements will bring on a day: assignments that they make or take up again, and notices of these. */
export interface AheadDay {
  assigned: number;
  notices: number;
}

// whatever changes what requirements will do changes one of these
const GET_STATE = `
select concat_ws(' ',
  $1::text,
  (select max(id) from assignments),
  (select max(id) from person_changes),
  (select max(changed_at) from requirements),
  (select max(published_at) from plans)
) as state
`;
const GET_KEPT = 'select state, kept_at as "keptAt", took_ms as "tookMs" from ahead_kept';
const FORGET = 'delete from ahead_days';
const INSERT_DAYS = 'insert into ahead_days (day, assigned, notices) select * from unnest($1::date[], $2::integer[], $3::integer[])';
const SET_KEPT = `
insert into ahead_kept (state, kept_at, took_ms)
values ($1::text, $2::timestamptz, $3::integer)
on conflict (id) do update set state = excluded.state, kept_at = excluded.kept_at, took_ms = excluded.took_ms
`;
// two workers that wrote it at once would write the same days
const LOCK = 'select pg_advisory_xact_lock(7309)';

/** Of which state of the house something is worked out. @param hour it is another one with each of them */
export const stateAhead = async (db: Queryable, hour: string): Promise<string> =>
  (await oneRow<{ state: string }>(db, GET_STATE, [hour])).state;

/** What was worked out last: of which state, when by the process's clock, and in how many milliseconds. */
export const keptAhead = (db: Queryable): Promise<{ state: string; keptAt: Date; tookMs: number } | null> => maybeRow(db, GET_KEPT);

/** Puts what was worked out in the place of what was. In the caller's transaction. */
export async function putAhead(client: Client, days: ReadonlyMap<LocalDate, AheadDay>, state: string, keptAt: Date, tookMs: number): Promise<void> {
  const counts = [...days.values()];
  await client.query(LOCK);
  await client.query(FORGET);
  await client.query(INSERT_DAYS, [[...days.keys()], counts.map(({ assigned }) => assigned), counts.map(({ notices }) => notices)]);
  await client.query(SET_KEPT, [state, keptAt, tookMs]);
} // prettier-ignore
