import { dateOf, morningOf, reconcilePerson, type Change, type LocalDate, type WhenOut } from '@nudrik/core';
import { rows, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { workApart } from '../work/set-aside.ts';
import { applyChanges } from './apply.ts';
import { listLive, listRequirementPeople, LiveSet, loadCalendars, loadRecords, loadStructure, type Who } from './facts.ts';

const SET_WAKES = `
insert into wakes (person_id, at)
select * from unnest($1::bigint[], $2::timestamptz[])
on conflict (person_id) do update set at = excluded.at
`;

/** What the requirements ask of some people, or of everyone, against what they have; nothing is stored. */
export async function findChanges(
  client: Client,
  who: Who,
  now: number,
  whenOut: ReadonlyMap<string, WhenOut> = new Map(),
): Promise<{ changes: Change[]; wakes: { person: string; at: number | null }[] }> {
  const people = await listRequirementPeople(client, who);
  const live = new LiveSet(await listLive(client), await loadStructure(client, who));
  const records = await loadRecords(client, who);
  const calendars = await loadCalendars(client);
  const morning = (await getHouse(client)).sending.sendWindow.from;
  const changes: Change[] = [];
  const wakes: { person: string; at: number | null }[] = [];
  const none = new Map();
  for (const person of people) {
    const calendar = calendars.get(person.site)!;
    const today: LocalDate = dateOf(calendar.zone.dayAt(now));
    const found = reconcilePerson(live.on(today), { person, calendar, now, morning, records: records.get(person.id) ?? none }, whenOut);
    changes.push(...found.changes);
    wakes.push({ person: person.id, at: found.wakeOn === null ? null : morningOf(found.wakeOn, calendar, morning) });
  }
  return { changes, wakes };
}

const DELETE_WAKES = 'delete from wakes where person_id = any($1::bigint[])';

/** Brings some people's assignments to what the requirements ask: load, compute, save. @returns what was done */
export async function reconcilePeople(
  client: Client,
  who: Who,
  now: number,
  byWhom = 'Nudrik',
  whenOut: ReadonlyMap<string, WhenOut> = new Map(),
): Promise<Change[]> {
  const { changes, wakes } = await findChanges(client, who, now, whenOut);
  const done = await applyChanges(client, changes, now, byWhom);
  const later = wakes.filter(({ at }) => at !== null);
  await client.query(DELETE_WAKES, [wakes.filter(({ at }) => at === null).map(({ person }) => person)]);
  // a morning that has passed by now is looked at with the next work, not in the past
  await client.query(SET_WAKES, [later.map(({ person }) => person), later.map(({ at }) => new Date(Math.max(at!, now + 1)))]);
  return done;
}

const CLAIM = `
delete from reconcile
where id in (
  select id
  from reconcile
  order by id
  limit $1::integer
  for update skip locked
)
returning person_id
`;

const LOCK_PEOPLE = 'select id from people where id = any($1::bigint[]) order by id for no key update';

/** Takes people who wait to be looked at, one batch in one transaction. @returns how many */
export async function reconcileWaiting(deps: Deps, limit = 2_000): Promise<number> {
  return transaction(deps.db, async (client) => {
    const claimed = await rows<{ person_id: string }>(client, CLAIM, [limit]);
    if (claimed.length === 0) return 0;
    const ids = [...new Set(claimed.map((row) => row.person_id))].sort((a, b) => Number(a) - Number(b));
    // two workers never look at one person at once
    await client.query(LOCK_PEOPLE, [ids]);
    await workApart(client, deps, 'reconcile', ids, (some, now) => reconcilePeople(client, some, now));
    return ids.length;
  });
}
