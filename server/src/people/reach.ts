import { WAY_WORDS, type Way } from '@nudrik/core';
import type { ReachChange, ReachView } from '@nudrik/contract';
import { announce, maybeRow, transaction, type Client, type Queryable } from '../db/db.ts';
import { listDeclined } from '../declines/declines.repo.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { requestReplan } from '../notices/queue.ts';
import { listOpenAssignmentsAround } from './people.repo.ts';
import { recordChanges } from './write-roster.ts';

/** How somebody is told: by which way, and whether all of a day comes at once. */
export interface Reach {
  by: Way | null;
  /** local time `HH:MM` */
  dailyAt: string | null;
}

const LOCK = 'select reached_by as by, daily_at as "dailyAt" from people where id = $1::bigint for update';
const SAVE = 'update people set reached_by = $2::text, daily_at = $3::text where id = $1::bigint';

const tell = (field: keyof Reach, value: string | null): string | null =>
  value === null ? null : field === 'by' ? WAY_WORDS[value as Way] : value;

/** Changes how somebody is told, and puts it on the record; what is planned for another time of day is planned anew. */
export async function setReach(
  client: Client,
  id: string,
  change: { by?: Way | null | undefined; dailyAt?: string | null | undefined },
  by: { at: number; byWhom: string },
): Promise<void> {
  const was = await maybeRow<Reach>(client, LOCK, [id]);
  if (!was) throw new Refused('not-found', 'There is no such person, or not any more. Nothing was changed.');
  const now: Reach = {
    by: change.by === undefined ? was.by : change.by,
    dailyAt: change.dailyAt === undefined ? was.dailyAt : change.dailyAt,
  };
  const changes = (['by', 'dailyAt'] as const)
    .filter((field) => was[field] !== now[field])
    .map((field) => ({ field, from: tell(field, was[field]), to: tell(field, now[field]) }));
  if (changes.length === 0) return;
  await client.query(SAVE, [id, now.by, now.dailyAt]);
  await recordChanges(client, [{ id, kind: 'changed', changes }], by);
  if (was.dailyAt !== now.dailyAt) await requestReplan(client, await listOpenAssignmentsAround(client, [id]));
}

const GET_REACH = `
select p.reached_by as by, p.daily_at as "dailyAt", h.reached_by as "houseBy", case when h.has_chat then p.chat_name end as "chatName"
from people p
cross join settings h
where p.id = $1::bigint
`;

/** How somebody is told. */
export async function reachView(db: Queryable, person: string): Promise<ReachView> {
  const reach = await maybeRow<Omit<ReachView, 'declined'>>(db, GET_REACH, [person]);
  return { ...(reach ?? { by: null, dailyAt: null, houseBy: 'mail', chatName: null }), declined: await listDeclined(db, person) };
}

/** Changes how somebody is told: by themselves, or by whoever keeps the roster. */
export async function changeReach(deps: Deps, person: string, change: ReachChange, byWhom: string): Promise<ReachView> {
  await transaction(deps.db, async (client) => {
    await setReach(client, person, change, { at: deps.clock.now(), byWhom });
    await announce(client, 'people', 'work');
  });
  return reachView(deps.db, person);
}
