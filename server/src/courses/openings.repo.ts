import type { UnitOpening } from '@nudrik/core';
import { maybeRow, type Client, type Queryable } from '../db/db.ts';

const FORGET_OPENINGS = `
delete from openings o
where o.assignment_id = any($1::bigint[])
  and not exists (
    select 1
    from unnest($2::bigint[], $3::bigint[]) k (assignment_id, unit_id)
    where k.assignment_id = o.assignment_id
      and k.unit_id = o.unit_id
  )
`;
const PUT_OPENINGS = `
insert into openings (assignment_id, unit_id, opens_at)
select *
from unnest($1::bigint[], $2::bigint[], $3::timestamptz[])
on conflict (assignment_id, unit_id) do update
set opens_at = excluded.opens_at
where openings.opens_at <> excluded.opens_at
`;

/** Keeps what is still to open of some assignments: this, and nothing else. */
export async function replaceOpenings(
  db: Client,
  ids: readonly string[],
  openings: readonly ({ assignment: string } & UnitOpening)[],
): Promise<void> {
  const assignments = openings.map(({ assignment }) => assignment);
  const units = openings.map(({ unit }) => unit);
  await db.query(FORGET_OPENINGS, [ids, assignments, units]);
  if (openings.length > 0) await db.query(PUT_OPENINGS, [assignments, units, openings.map(({ at }) => new Date(at))]);
}

// the planner records what has opened, at its moment, and keeps what is still to come
const WAKE_OPENINGS = `
with due as (
  delete from openings
  where (assignment_id, unit_id) in (
    select assignment_id, unit_id
    from openings
    where opens_at <= $1::timestamptz
    order by opens_at
    limit 5000
    for update skip locked
  )
  returning assignment_id
)
insert into replan (assignment_id)
select distinct assignment_id
from due
`;

/** Asks for the assignments to be planned again of which a unit opens by now. @returns whether there are any */
export const wakeOpenings = async (db: Queryable, now: number): Promise<boolean> =>
  ((await db.query(WAKE_OPENINGS, [new Date(now)])).rowCount ?? 0) > 0;

const NEXT_OPENING = 'select opens_at from openings order by opens_at limit 1';

export const nextOpeningAt = async (db: Queryable): Promise<number | null> =>
  (await maybeRow<{ opens_at: Date }>(db, NEXT_OPENING))?.opens_at.getTime() ?? null;
