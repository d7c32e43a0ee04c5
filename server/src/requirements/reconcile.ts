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
import { announce, rows, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { AT_ONCE, isLarge, queueJob, type Work } from '../work/jobs.ts';
import { workApart } from '../work/set-aside.ts';
import { applyChanges } from './apply.ts';
import {
  findRequirementRow,
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

const SET_WAKES = `
insert into wakes (person_id, at)
select * from unnest($1::bigint[], $2::timestamptz[])
on conflict (person_id) do update set at = excluded.at
`;

const EARLIER_WAKES = `
insert into wakes as w (person_id, at)
select * from unnest($1::bigint[], $2::timestamptz[])
on conflict (person_id) do update set at = least(w.at, excluded.at)
`;

/** What the requirements ask of some people, or of everyone, against what they have; nothing is stored. */
export async function findChanges(
  client: Client,
  who: Who,
  now: number,
  whenOut: ReadonlyMap<string, WhenOut> = new Map(),
  course: string | null = null,
): Promise<{ requirements: string[]; changes: Change[]; wakes: { person: string; at: number | null }[]; members: Member[] }> {
  const people = await listRequirementPeople(client, who);
  const structure = await loadStructure(client, who);
  const requirements = (await listRequirementRows(client)).filter((row) => course === null || row.course_id === course);
  const setOf = (isOn: boolean): LiveSet => new LiveSet(requirements.filter((row) => row.is_on === isOn).map(requirementOf), structure);
  const [live, off] = [setOf(true), setOf(false)];
  const records = await loadRecords(client, who, course);
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
  return { requirements: requirements.map(({ id }) => id), changes, wakes, members };
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
    and m.requirement_id = any($5::bigint[])
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

/** Keeps who of some people is in which audience of some requirements, for the figures that are counted from it. */
async function keepAudiences(client: Client, who: Who, members: readonly Member[], requirements: readonly string[]): Promise<void> {
  await client.query(KEEP_MEMBERS, [
    who,
    members.map(({ requirement }) => requirement),
    members.map(({ person }) => person),
    members.map(({ isAsked }) => isAsked),
    requirements,
  ]);
}

const DELETE_WAKES = 'delete from wakes where person_id = any($1::bigint[])';

/** Brings some people's assignments to what the requirements ask: load, compute, save. @returns what was done */
export async function reconcilePeople(
  client: Client,
  who: Who,
  now: number,
  byWhom = 'Nudrik',
  whenOut: ReadonlyMap<string, WhenOut> = new Map(),
  course: string | null = null,
): Promise<Change[]> {
  const { requirements, changes, wakes, members } = await findChanges(client, who, now, whenOut, course);
  await keepAudiences(client, who, members, requirements);
  const done = await applyChanges(client, changes, now, byWhom);
  const later = wakes.filter(({ at }) => at !== null);
  // of one course only what it brings is known: whoever is looked at earlier for another is looked at then
  if (course === null) {
    await client.query(KEEP_LEAVING, [who]);
    await client.query(DELETE_WAKES, [wakes.filter(({ at }) => at === null).map(({ person }) => person)]);
  }
  // a morning that has passed by now is looked at with the next work, not in the past
  await client.query(course === null ? SET_WAKES : EARLIER_WAKES, [
    later.map(({ person }) => person),
    later.map(({ at }) => new Date(Math.max(at!, now + 1))),
  ]);
  return done;
}

// two never look at one person at once
const LOCK_PEOPLE = 'select id from people where id = any($1::bigint[]) order by id for no key update';

/** So many people are looked at in one go. */
const BATCH = 2_000;
const LIST_IDS = 'select id from people order by id';

/**
 * The same for everyone, a part after the other, in the caller's transaction: of one course, whose requirement was switched or
 * changed. What the others ask is what it was.
 */
export async function reconcileCourse(
  client: Client,
  course: string,
  now: number,
  byWhom: string,
  whenOut: ReadonlyMap<string, WhenOut> = new Map(),
  work: Work = AT_ONCE,
): Promise<Change[]> {
  const done: Change[] = [];
  for await (const part of partsOf(client, work)) done.push(...(await reconcilePeople(client, part, now, byWhom, whenOut, course)));
  return done;
}

const SET_COUNTED = 'update requirements set is_counted = $2::boolean where id = $1::bigint';

/** The audience of a requirement that is off was written: who is in is counted now, or, where there are many, as long work. */
export async function countAudience(client: Client, deps: Deps, row: RequirementDbRow): Promise<void> {
  if (await isLarge(deps)) {
    await client.query(SET_COUNTED, [row.id, false]);
    await queueJob(
      client,
      { kind: 'count-audience', words: `Counting the audience of “${row.name}”`, input: { id: row.id, version: row.version } },
      null,
      deps.clock.now(),
    );
  } else await writeAudience(client, deps.clock.now(), row, AT_ONCE);
}

/** Counts an audience, unless it was written anew meanwhile: then that is counted. */
export const countLater = (deps: Deps, { id, version }: { id: string; version: number }, work: Work): Promise<void> =>
  transaction(deps.db, async (client) => {
    const row = await findRequirementRow(client, id, true);
    if (!row || row.is_on || row.version !== version) return;
    await writeAudience(client, deps.clock.now(), row, work);
    await client.query(SET_COUNTED, [id, true]);
    await announce(client, 'requirements');
  });

async function writeAudience(client: Client, now: number, row: RequirementDbRow, work: Work): Promise<void> {
  const calendars = await loadCalendars(client);
  for await (const part of partsOf(client, work)) {
    const people = await listRequirementPeople(client, part);
    const set = new LiveSet([requirementOf(row)], await loadStructure(client, part));
    const members = people.flatMap((person): Member[] => {
      const today = dateOf(calendars.get(person.site)!.zone.dayAt(now));
      const isGone = person.leftOn !== null && person.leftOn <= today;
      return isGone ? [] : set.on(today).flatMap((of) => memberOf(of, person, row.is_on));
    });
    await keepAudiences(client, part, members, [row.id]);
  }
}

/** Everyone, a part after the other, locked in the order that everybody keeps. */
async function* partsOf(client: Client, work: Work): AsyncGenerator<string[]> {
  const ids = (await rows<{ id: string }>(client, LIST_IDS)).map(({ id }) => id);
  for (let from = 0; from < ids.length; from += BATCH) {
    await work.at(from, ids.length);
    const part = ids.slice(from, from + BATCH);
    await client.query(LOCK_PEOPLE, [part]);
    yield part;
  }
}

const CLAIM = `
select id, person_id
from reconcile
where id > $2::bigint
order by id
limit $1::integer
for update skip locked
`;
const DELETE_CLAIMED = 'delete from reconcile where id = any($1::bigint[])';
const LOCK_FREE = 'select id from people where id = any($1::bigint[]) order by id for no key update skip locked';
const LIST_THERE = 'select id from people where id = any($1::bigint[])';

/**
 * Takes people who wait to be looked at, one batch in one transaction. Whom somebody else looks at just now, perhaps for minutes,
 * stays in the queue, and nobody waits for it here.
 * @returns how many
 */
export async function reconcileWaiting(deps: Deps, limit = BATCH): Promise<number> {
  return transaction(deps.db, async (client) => {
    for (let after = '0'; ;) {
      const claimed = await rows<{ id: string; person_id: string }>(client, CLAIM, [limit, after]);
      if (claimed.length === 0) return 0;
      after = claimed.at(-1)!.id;
      const asked = [...new Set(claimed.map((row) => row.person_id))];
      const free = (await rows<{ id: string }>(client, LOCK_FREE, [asked])).map(({ id }) => id);
      const there = new Set((await rows<{ id: string }>(client, LIST_THERE, [asked])).map(({ id }) => id));
      const isHeld = new Set(asked.filter((id) => there.has(id)));
      for (const id of free) isHeld.delete(id);
      await client.query(DELETE_CLAIMED, [claimed.filter((row) => !isHeld.has(row.person_id)).map(({ id }) => id)]);
      if (free.length === 0) continue;
      await workApart(client, deps, 'reconcile', free, (some, now) => reconcilePeople(client, some, now));
      return free.length;
    }
  });
}
