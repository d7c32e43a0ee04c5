import { announce, type Client, type Queryable } from '../db/db.ts';

const INSERT_RECONCILE = 'insert into reconcile (person_id) select distinct unnest($1::bigint[])';

/** Asks for some people's assignments to be compared with the requirements again; the worker takes it up. */
export async function requestReconcile(db: Client, personIds: readonly string[]): Promise<void> {
  if (personIds.length === 0) return;
  await db.query(INSERT_RECONCILE, [personIds]);
  await announce(db, 'work');
}

const INSERT_RECONCILE_ALL = 'insert into reconcile (person_id) select id from people';

/** The same for everyone: a requirement was switched on, or what departments stand below each other changed. */
export async function requestReconcileAll(db: Client): Promise<void> {
  await db.query(INSERT_RECONCILE_ALL);
  await announce(db, 'work');
}

const WAKE = `
with woken as (
  delete from wakes where at <= $1::timestamptz returning person_id
)
insert into reconcile (person_id) select person_id from woken
`;

/** Takes up those whose day has come: who joins, whose waiver or certificate ends, who leaves. */
export async function wakePeople(db: Queryable, now: number): Promise<void> {
  await db.query(WAKE, [new Date(now)]);
}

const GET_NEXT_WAKE = 'select min(at) as at from wakes';

/** The next moment at which somebody has to be looked at. */
export async function nextWakeAt(db: Queryable): Promise<number | null> {
  const found = await db.query(GET_NEXT_WAKE);
  return (found.rows[0] as { at: Date | null }).at?.getTime() ?? null;
}
