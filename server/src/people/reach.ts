import { tellWeekdays, WAY_WORDS, type Digest, type Way } from '@nudrik/core';
import type { ReachChange, ReachView } from '@nudrik/contract';
import { announce, maybeRow, transaction, type Client } from '../db/db.ts';
import { listDeclined } from '../declines/declines.repo.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { requestReplan } from '../notices/queue.ts';
import { houseToday } from './today.ts';
import { listOpenAssignmentsAround } from './people.repo.ts';
import { recordChanges } from './write-roster.ts';

/** How somebody is told: by which way, and whether all of a day comes at once. */
export interface Reach {
  by: Way | null;
  /** local time `HH:MM` */
  dailyAt: string | null;
  /** what they hear of their people comes at once */
  digest: Digest | null;
}

const LOCK = `select reached_by as by, daily_at as "dailyAt", case when digest_at is not null then jsonb_build_object('at', digest_at, 'on', digest_on) end as digest from people where id = $1::bigint for update`;
const SAVE =
  'update people set reached_by = $2::text, daily_at = $3::text, digest_at = $4::text, digest_on = $5::integer where id = $1::bigint';

const tellDigest = ({ at, on }: Digest): string => `${on === null ? 'each day' : `on ${tellWeekdays([on])}`} at ${at}`;
const tell = ({ by, dailyAt, digest }: Reach): Record<keyof Reach, string | null> => ({ by: by && WAY_WORDS[by], dailyAt, digest: digest && tellDigest(digest) }); // prettier-ignore

/** Changes how somebody is told, and puts it on the record; what is planned for another time of day is planned anew. */
export async function setReach(
  client: Client,
  id: string,
  change: { by?: Way | null | undefined; dailyAt?: string | null | undefined; digest?: Digest | null | undefined },
  by: { at: number; byWhom: string },
): Promise<void> {
  const was = await maybeRow<Reach>(client, LOCK, [id]);
  if (!was) throw new Refused('not-found', 'There is no such person, or not any more. Nothing was changed.');
  const now: Reach = {
    by: change.by === undefined ? was.by : change.by,
    dailyAt: change.dailyAt === undefined ? was.dailyAt : change.dailyAt,
    digest: change.digest === undefined ? was.digest : change.digest,
  };
  const [before, after] = [tell(was), tell(now)];
  const changes = (['by', 'dailyAt', 'digest'] as const)
    .filter((field) => before[field] !== after[field])
    .map((field) => ({ field, from: before[field], to: after[field] }));
  if (changes.length === 0) return;
  await client.query(SAVE, [id, now.by, now.dailyAt, now.digest?.at ?? null, now.digest?.on ?? null]);
  await recordChanges(client, [{ id, kind: 'changed', changes }], by);
  if (before.dailyAt !== after.dailyAt || before.digest !== after.digest)
    await requestReplan(client, await listOpenAssignmentsAround(client, [id]));
}

const GET_REACH = `
select p.reached_by as by, p.daily_at as "dailyAt", h.reached_by as "houseBy", case when h.has_chat then p.chat_name end as "chatName",
  case when p.digest_at is not null then jsonb_build_object('at', p.digest_at, 'on', p.digest_on) end as digest,
  exists (select from people b where b.manager_id = p.id and is_here(b.left_on, $2::date)) as leads
from people p
cross join settings h
where p.id = $1::bigint
`;

/** How somebody is told. */
export async function reachView(deps: Deps, person: string): Promise<ReachView> {
  const reach = await maybeRow<Omit<ReachView, 'declined'>>(deps.db, GET_REACH, [person, await houseToday(deps)]);
  return {
    ...(reach ?? { by: null, dailyAt: null, houseBy: 'mail', chatName: null, leads: false, digest: null }),
    declined: await listDeclined(deps.db, person),
  };
}

/** Changes how somebody is told: by themselves, or by whoever keeps the roster. */
export async function changeReach(deps: Deps, person: string, change: ReachChange, byWhom: string): Promise<ReachView> {
  await transaction(deps.db, async (client) => {
    await setReach(client, person, change, { at: deps.clock.now(), byWhom });
    await announce(client, 'people', 'work');
  });
  return reachView(deps, person);
}
