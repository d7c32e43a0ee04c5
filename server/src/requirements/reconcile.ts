import {
  changesOn,
  dateOf,
  earliest,
  morningOf,
  reconcilePerson,
  type Change,
  type LiveRequirement,
  type LocalDate,
  type RequirementPerson,
  type WhenOut,
} from '@nudrik/core';
import { oneRow, rows, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { workApart } from '../work/set-aside.ts';
import { applyChanges } from './apply.ts';
import {
  countAfterQueue,
  listRequirementPeople,
  listRequirementRows,
  LiveSet,
  loadCalendars,
  loadRecords,
  loadStructure,
  requirementOf,
  type RequirementDbRow,
  type Who,
} from './facts.ts';
import { requestReconcileAll } from './queue.ts';

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
): Promise<{ changes: Change[]; wakes: { person: string; at: number | null }[]; members: Member[] }> {
  const people = await listRequirementPeople(client, who);
  const structure = await loadStructure(client, who);
  const requirements = await listRequirementRows(client);
  const setOf = (isOn: boolean): LiveSet => new LiveSet(requirements.filter((row) => row.is_on === isOn).map(requirementOf), structure);
  const [live, off] = [setOf(true), setOf(false)];
  const records = await loadRecords(client, who);
  const calendars = await loadCalendars(client);
  const morning = (await getHouse(client)).sending.sendWindow.from;
  const changes: Change[] = [];
  const wakes: { person: string; at: number | null }[] = [];
  const members: Member[] = [];
  const none = new Map();
  for (const person of people) {
    const calendar = calendars.get(person.site)!;
    const today: LocalDate = dateOf(calendar.zone.dayAt(now));
    const found = reconcilePerson(live.on(today), { person, calendar, now, morning, records: records.get(person.id) ?? none }, whenOut);
    changes.push(...found.changes);
    const isGone = person.leftOn !== null && person.leftOn <= today;
    // of one that is off only who is in is kept, so only that may change with time
    const next = isGone
      ? null
      : earliest([found.wakeOn, ...off.on(today).map((of) => changesIn(of, person, today))].filter((day) => day !== null));
    wakes.push({ person: person.id, at: next === null ? null : morningOf(next, calendar, morning) });
    if (!isGone)
      members.push(
        ...live.on(today).flatMap((of) => memberOf(of, person, true)),
        ...off.on(today).flatMap((of) => memberOf(of, person, false)),
      );
  }
  return { changes, wakes, members };
}

const changesIn = ({ requirement }: LiveRequirement, person: RequirementPerson, today: LocalDate): LocalDate | null =>
  changesOn(requirement.audience, person, today);

/** Somebody in the audience of a requirement; asked, or passed over because it takes in nobody later. */
interface Member {
  requirement: string;
  person: string;
  isAsked: boolean;
}

function memberOf({ requirement, matcher }: LiveRequirement, person: RequirementPerson, isOn: boolean): Member[] {
  if (!matcher.test(person)) return [];
  const isPassedOver = isOn && !requirement.takesJoiners && !person.memberOf.includes(requirement.id);
  return [{ requirement: requirement.id, person: person.id, isAsked: !isPassedOver }];
}

const KEEP_MEMBERS = `
with asked as (
  select r.requirement_id, r.person_id, r.is_asked, coalesce(p.joined_on, '-infinity') as joined_on, coalesce(p.left_on, 'infinity') as left_on
  from unnest($2::bigint[], $3::bigint[], $4::boolean[]) as r (requirement_id, person_id, is_asked)
  join people p on p.id = r.person_id
  join requirements q on q.id = r.requirement_id
),
gone as (
  delete from audience_members m
  where ($1::bigint[] is null or m.person_id = any($1::bigint[]))
    and ($5::bigint is null or m.requirement_id = $5::bigint)
    and not exists (select 1 from asked a where a.requirement_id = m.requirement_id and a.person_id = m.person_id)
)
insert into audience_members as m (requirement_id, person_id, is_asked, joined_on, left_on)
select requirement_id, person_id, is_asked, joined_on, left_on from asked
on conflict (requirement_id, person_id) do update
set is_asked = excluded.is_asked, joined_on = excluded.joined_on, left_on = excluded.left_on
where (m.is_asked, m.joined_on, m.left_on) is distinct from (excluded.is_asked, excluded.joined_on, excluded.left_on)
`;
const KEEP_LEAVING = `
update standings s
set left_on = coalesce(p.left_on, 'infinity')
from people p
where p.id = s.person_id
  and ($1::bigint[] is null or p.id = any($1::bigint[]))
  and s.left_on <> coalesce(p.left_on, 'infinity')
`;

/** Keeps who is in which audience, or in one, and who has left, for the figures that are counted from it. */
async function keepAudiences(client: Client, who: Who, members: readonly Member[], requirement: string | null = null): Promise<void> {
  await client.query(KEEP_MEMBERS, [
    who,
    members.map(({ requirement }) => requirement),
    members.map(({ person }) => person),
    members.map(({ isAsked }) => isAsked),
    requirement,
  ]);
  await client.query(KEEP_LEAVING, [who]);
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
  const { changes, wakes, members } = await findChanges(client, who, now, whenOut);
  await keepAudiences(client, who, members);
  const done = await applyChanges(client, changes, now, byWhom);
  const later = wakes.filter(({ at }) => at !== null);
  await client.query(DELETE_WAKES, [wakes.filter(({ at }) => at === null).map(({ person }) => person)]);
  // a morning that has passed by now is looked at with the next work, not in the past
  await client.query(SET_WAKES, [later.map(({ person }) => person), later.map(({ at }) => new Date(Math.max(at!, now + 1)))]);
  return done;
}

/** So many people are looked at in one go. */
const BATCH = 2_000;
const LIST_IDS = 'select id from people order by id';

/**
 * The same for everyone, a part after the other, in the caller's transaction.
 * @param work is told how many of how many were looked at
 */
export async function reconcileEveryone(
  client: Client,
  now: number,
  byWhom: string,
  whenOut: ReadonlyMap<string, WhenOut> = new Map(),
  work: Work = AT_ONCE,
): Promise<Change[]> {
  const ids = (await rows<{ id: string }>(client, LIST_IDS)).map(({ id }) => id);
  const done: Change[] = [];
  for (let from = 0; from < ids.length; from += BATCH) {
    await work.at(from, ids.length);
    done.push(...(await reconcilePeople(client, ids.slice(from, from + BATCH), now, byWhom, whenOut)));
  }
  return done;
}

const COUNT_PEOPLE = 'select count(*)::integer as count from people';

/** The audience of a requirement that is off was written: who is in is counted now, or, where there are many, by the worker. */
export async function countAudience(client: Client, row: RequirementDbRow, now: number): Promise<void> {
  if ((await oneRow<{ count: number }>(client, COUNT_PEOPLE)).count > BATCH) {
    await requestReconcileAll(client);
    return countAfterQueue(client, row.id);
  }
  const people = await listRequirementPeople(client, null);
  const set = new LiveSet([requirementOf(row)], await loadStructure(client, null));
  const calendars = await loadCalendars(client);
  const members = people.flatMap((person): Member[] => {
    const today = dateOf(calendars.get(person.site)!.zone.dayAt(now));
    const isGone = person.leftOn !== null && person.leftOn <= today;
    return isGone ? [] : set.on(today).flatMap((of) => memberOf(of, person, row.is_on));
  });
  await keepAudiences(client, null, members, row.id);
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
export async function reconcileWaiting(deps: Deps, limit = BATCH): Promise<number> {
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
