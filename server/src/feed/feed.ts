import {
  ALL_GROUPS,
  MINUTE,
  msOfTime,
  FIELD_OF,
  isDamaged,
  ROSTER_COLUMNS,
  shareOf,
  takenOf,
  tellList,
  tellMoment,
  Zone,
  type Instant,
  type Rejection,
  type RosterPreview,
} from '@nudrik/core';
import { feedWords, type FeedChange, type FeedPerson, type FeedView, type PullRow } from '@nudrik/contract';
import { announce, maybeRow, oneRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import { isPassing } from '../db/failures.ts';
import { tellFailure } from '../work/set-aside.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { FeedFault, readFeed, type FeedAnswer } from './feed-client.ts';
import { erasedLookup } from '../keeping/marks.ts';
import { getChangeShare, lockRoster, previewCells, storePreview } from '../people/import.ts';
import { listRoster } from '../people/people.repo.ts';
import { recordHouse } from '../house/record.ts';
import { getHouse } from '../house/house.ts';
import { houseToday } from '../people/today.ts';

interface FeedRow {
  url: string;
  is_on: boolean;
  times: string[];
  etag: string | null;
  next_at: Date | null;
  last_ok_at: Date | null;
}
const GET_FEED = 'select url, is_on, times, etag, next_at, last_ok_at from feed';

const findFeed = (db: Queryable): Promise<FeedRow | null> => maybeRow<FeedRow>(db, GET_FEED);

/** The next of some local times of day after an instant. */
export function nextTime(times: readonly string[], zone: Zone, after: Instant): Instant {
  const today = zone.dayAt(after);
  const moments = [today, today + 1].flatMap((day) => times.map((time) => zone.toInstant(day, msOfTime(time))));
  return Math.min(...moments.filter((moment) => moment > after));
}

/** When the feed is asked again after it failed. */
const RETRY_MS = 30 * MINUTE;

const GET_NEXT_AT = 'select next_at from feed where is_on';

export async function nextPullAt(db: Queryable): Promise<Instant | null> {
  return (await maybeRow<{ next_at: Date | null }>(db, GET_NEXT_AT))?.next_at?.getTime() ?? null;
}

const CLAIM_PULL = `
update feed
set pulling_until = now() + interval '1 minute'
where is_on
  and next_at <= $1::timestamptz
  and (pulling_until is null or pulling_until < now())
returning url, is_on, times, etag, next_at, last_ok_at
`;
const KEEP_PULL = "update feed set pulling_until = now() + interval '1 minute' where pulling_until is not null";
const END_PULL = 'update feed set pulling_until = null';

/**
 * Pulls where a pull is due. The next one is set with what comes of this one: a pull that was cut off is taken up again.
 * @returns whether one was
 */
export async function pullIfDue(deps: Deps): Promise<boolean> {
  const claimed = await maybeRow<FeedRow>(deps.db, CLAIM_PULL, [new Date(deps.clock.now())]);
  if (!claimed) return false;
  await pull(deps, claimed, 'Personnel feed');
  return true;
}

const SET_NEXT_AT = 'update feed set next_at = $1::timestamptz';

async function setNext(client: Queryable, times: readonly string[], now: Instant): Promise<Instant> {
  const next = nextTime(times, Zone.of((await getHouse(client)).zone), now);
  await client.query(SET_NEXT_AT, [new Date(next)]);
  return next;
}

/** A pull has come to its end: the next one is set where this one was due. */
async function endPull(client: Client, feed: FeedRow, at: Instant): Promise<void> {
  if (feed.is_on && feed.next_at !== null && feed.next_at.getTime() <= at) await setNext(client, feed.times, at);
  await client.query(END_PULL);
}

/** Pulls at once, because somebody asked for it. */
export async function pullNow(deps: Deps, byWhom: string): Promise<PullRow> {
  const feed = await findFeed(deps.db);
  if (!feed) throw new Refused('conflict', 'No personnel feed is set up. Enter its address first.');
  const id = await pull(deps, feed, byWhom);
  return (await listPulls(deps.db)).find((row) => row.id === id)!;
}

const INSERT_PULL = `
insert into pulls (at, outcome, words, etag, people, rejected, import_id)
values ($1::timestamptz, $2::text, $3::text, $4::text, $5::jsonb, $6::jsonb, $7::bigint)
returning id
`;

/** The columns of a roster file that a feed has too; leave comes from files and by hand. */
const FEED_COLUMNS = ROSTER_COLUMNS.filter((column) => column in FIELD_OF) as (keyof typeof FIELD_OF)[];
const FEED_FIELD_OF: Record<keyof typeof FIELD_OF, keyof FeedPerson> = {
  'personnel number': 'number',
  name: 'name',
  email: 'email',
  department: 'department',
  site: 'site',
  job: 'job',
  language: 'language',
  'chat name': 'chatName',
  manager: 'manager',
  'joined on': 'joinedOn',
  'left on': 'leftOn',
};
const FEED_MATCHING = { columns: [...FEED_COLUMNS], dateOrder: 'ymd' as const };

const LIST_FEED_ROWS = 'select number, row from feed_rows';

const listFeedRows = async (db: Queryable): Promise<Map<string, FeedPerson>> =>
  new Map((await rows<{ number: string; row: FeedPerson }>(db, LIST_FEED_ROWS)).map(({ number, row }) => [number, row]));

/**
 * What a pull would change. Only what is news counts: a field that the feed says again as it said before keeps what the
 * roster has, so that a correction by hand stays; and only who was in the feed can leave by being missing from it.
 */
async function previewPeople(db: Queryable, people: readonly FeedPerson[], today: string): Promise<RosterPreview> {
  const before = await listFeedRows(db);
  const roster = await listRoster(db);
  const byNumber = new Map(
    roster.flatMap((person) => (person.personnelNumber ? [[person.personnelNumber.toLowerCase(), person] as const] : [])),
  );
  const byEmail = new Map(roster.map((person) => [person.email, person]));
  const cells = people.map((person) => {
    const was = before.get(person.number);
    const known = byNumber.get(person.number.toLowerCase()) ?? byEmail.get(person.email.toLowerCase());
    return FEED_COLUMNS.map((column) => {
      const field = FEED_FIELD_OF[column];
      return (was && known && (was[field] ?? null) === person[field] ? known[FIELD_OF[column]] : person[field]) ?? '';
    });
  });
  // of a row that nobody can be known by it may be anybody's: then nobody leaves by being missing
  const isWhole = people.every(({ number }) => number.trim() !== '' && !isDamaged(number));
  const mayLeave = ({ personnelNumber }: { personnelNumber: string | null }): boolean =>
    isWhole && personnelNumber !== null && before.has(personnelNumber);
  return previewCells(
    db,
    [[...FEED_COLUMNS], ...cells],
    FEED_MATCHING,
    { isComplete: true, emptyCells: 'clear', today, mayLeave },
    ALL_GROUPS,
  );
}

const CLEAR_FEED_ROWS = 'delete from feed_rows';
const INSERT_FEED_ROWS = 'insert into feed_rows (number, row) select * from unnest($1::text[], $2::jsonb[])';

/**
 * Keeps what the feed said, to know next time what is news. Of a row that was refused the one before is kept: it stays
 * news, and is refused and told again, until it is right.
 */
export async function keepFeedRows(client: Queryable, people: readonly FeedPerson[], rejected: readonly Rejection[] = []): Promise<void> {
  const byNumber = new Map(people.map((person) => [person.number, person]));
  if (rejected.length > 0) {
    const before = await listFeedRows(client);
    for (const { row } of rejected) {
      const person = personOf(row, people);
      if (person?.number === '') continue; // nobody that could be known again
      const was = person && before.get(person.number);
      // of somebody who was never right only the number is known: all else is news the next time
      if (person) byNumber.set(person.number, was ?? ({ number: person.number } as FeedPerson));
    }
  }
  await client.query(CLEAR_FEED_ROWS);
  await client.query(INSERT_FEED_ROWS, [[...byNumber.keys()], [...byNumber.values()].map((person) => JSON.stringify(person))]);
}

export const tellCounts = (preview: Pick<RosterPreview, 'added' | 'changed' | 'returned' | 'left'>): string => {
  const parts = (['added', 'changed', 'returned', 'left'] as const).flatMap((group) =>
    preview[group].length ? [`${preview[group].length} ${group}`] : [],
  );
  return parts.length ? tellList(parts) : 'nothing differs from the roster';
};

const SET_LAST_OK_AT = `
update feed
set last_ok_at = $1::timestamptz, etag = case when $3::boolean then $2::text else etag end
`;
const DECLINE_HELD = `
update pulls
set outcome = 'declined', decided_at = $1::timestamptz, decided_by = 'a later pull'
where outcome = 'held'
`;

/** Reads the feed and applies it through the same preview as a file; what would change too much is held. */
async function pull(deps: Deps, feed: FeedRow, byWhom: string): Promise<string> {
  const at = deps.clock.now();
  let answer: FeedAnswer;
  try {
    const { feedTimeoutMs: timeoutMs, feedHosts: hosts } = deps.settings;
    const onPage = async (): Promise<void> => void (await deps.db.query(KEEP_PULL));
    answer = await readFeed(feed.url, feed.etag, at, { timeoutMs, hosts, onPage });
  } catch (error) {
    if (!(error instanceof FeedFault)) throw error;
    return failed(deps, feed, at, error.message);
  }
  try {
    return await take(deps, feed, answer, at, byWhom);
  } catch (error) {
    // what the database cannot do now it does later; whatever else goes wrong is on the record like any pull
    if (isPassing(error)) throw error;
    deps.log.error({ error: (error as Error).stack }, 'A pull of the personnel feed could not be taken.');
    return failed(deps, feed, at, `the roster could not be taken: ${tellFailure(error as Error)}`);
  }
}

/** Applies what the feed handed out. */
async function take(deps: Deps, feed: FeedRow, answer: FeedAnswer, at: Instant, byWhom: string): Promise<string> {
  const today = await houseToday(deps);
  return transaction(deps.db, async (client) => {
    const keep = async (
      outcome: PullRow['outcome'],
      words: string,
      rest: { etag?: string | null; people?: FeedPerson[]; rejected?: Rejection[]; importId?: string | null } = {},
    ): Promise<string> => {
      // undefined keeps the tag; null asks for everyone again
      await endPull(client, feed, at);
      await client.query(SET_LAST_OK_AT, [new Date(at), rest.etag ?? null, rest.etag !== undefined]);
      const { id } = await oneRow<{ id: string }>(client, INSERT_PULL, [
        new Date(at),
        outcome,
        words,
        rest.etag ?? null,
        rest.people ? JSON.stringify(rest.people) : null,
        JSON.stringify(rest.rejected ?? []),
        rest.importId ?? null,
      ]);
      await announce(client, 'people', 'feed');
      return id;
    };
    if (answer.kind === 'unchanged') return keep('unchanged', 'Nothing is new since the last pull.');
    await lockRoster(client);
    await client.query(DECLINE_HELD, [new Date(at)]);
    // whoever was erased is not known to us any more, whatever the feed says again
    const erasedOn = await erasedLookup(client, deps.settings.key);
    const isErased = ({ email, number, joinedOn }: FeedPerson): boolean => {
      const on = erasedOn(email.toLowerCase(), number);
      return on !== null && !(joinedOn !== null && joinedOn > on);
    };
    const people = answer.people.filter((person) => !isErased(person));
    const passed = answer.people.length - people.length;
    const preview = await previewPeople(client, people, today);
    const rejected = preview.rejected.map((line) => nameRow(line, people));
    const erased =
      passed === 0
        ? ''
        : ` ${passed === 1 ? 'One row of somebody who was erased was' : `${passed} rows of people who were erased were`} passed over.`;
    const refused = rejected.length
      ? ` ${rejected.length === 1 ? 'One row was' : `${rejected.length} rows were`} refused.${erased}`
      : erased;
    const taken = takenOf(preview, ALL_GROUPS);
    const share = await getChangeShare(client);
    if (shareOf(taken.length, preview) > share)
      return keep(
        'held',
        `Held: ${tellCounts(preview)}, which is ${Math.round(shareOf(taken.length, preview))} % of the ` +
          `roster; more than ${share} % waits for a person.${refused}`,
        { etag: answer.etag, people, rejected },
      );
    await keepFeedRows(client, people, rejected);
    // a refused row may be right tomorrow without the feed changing: the site that it names was made meanwhile
    const etag = rejected.length > 0 ? null : answer.etag;
    if (taken.length === 0)
      return keep('unchanged', `${people.length} people, nothing differs from the roster.${refused}`, { etag, rejected });
    const { id: importId } = await storePreview(client, preview, ALL_GROUPS, {
      at,
      byWhom,
      today,
      fileName: await pullName(client, at),
      source: 'feed',
      file: null,
    });
    return keep('taken', `${sentence(tellCounts(preview))}.${refused}`, { etag, rejected, importId });
  });
}

/** Whose row it is: people are compared as a file is, where row 1 is the header. */
const personOf = (row: number | null, people: readonly FeedPerson[]): FeedPerson | undefined =>
  row === null ? undefined : people[row - 2];

/** A feed has no row numbers that anybody sees: a refused row is known by its person. */
function nameRow(line: Rejection, people: readonly FeedPerson[]): Rejection {
  const person = personOf(line.row, people);
  return person ? { ...line, reason: `${line.reason} It is the row of ${person.name}, ${person.number}.` } : line;
}

const sentence = (words: string): string => words[0]!.toUpperCase() + words.slice(1);
const pullName = async (db: Queryable, at: Instant): Promise<string> =>
  `Personnel feed, ${tellMoment(at, Zone.of((await getHouse(db)).zone))}`;

const BRING_NEXT_AT_FORWARD = 'update feed set next_at = least(next_at, $1::timestamptz)';

/** A pull that failed is on the record, changes nothing, and is tried again soon. */
async function failed(deps: Deps, feed: FeedRow, at: Instant, words: string): Promise<string> {
  return transaction(deps.db, async (client) => {
    await endPull(client, feed, at);
    await client.query(BRING_NEXT_AT_FORWARD, [new Date(at + RETRY_MS)]);
    const { id } = await oneRow<{ id: string }>(client, INSERT_PULL, [
      new Date(at),
      'failed',
      `${sentence(words)}. Nothing was changed; it is tried again in half an hour.`,
      null,
      null,
      '[]',
      null,
    ]);
    await announce(client, 'feed');
    return id;
  });
}

const LIST_PULLS = `
select id, at, outcome, words, rejected, import_id as "importId", decided_by as "decidedBy"
from pulls
order by id desc
limit 60
`;
const listPulls = (db: Queryable): Promise<PullRow[]> => rows<PullRow>(db, LIST_PULLS);

export async function feedView(deps: Deps): Promise<Omit<FeedView, 'mode' | 'isStandIn'>> {
  const feed = await findFeed(deps.db);
  return {
    url: feed?.url ?? '',
    isOn: feed?.is_on ?? false,
    times: feed?.times ?? ['06:00'],
    nextAt: feed?.is_on ? (feed.next_at?.toISOString() ?? null) : null,
    lastOkAt: feed?.last_ok_at?.toISOString() ?? null,
    changeShare: await getChangeShare(deps.db),
    pulls: await listPulls(deps.db),
    strangers: feed ? await rows(deps.db, LIST_STRANGERS, [await houseToday(deps)]) : [],
  };
}

// on the roster, and the feed does not know them: two systems that disagree on who is in
const LIST_STRANGERS = `
select p.id, p.name
from people p
where is_here(p.left_on, $1::date)
  and exists (select 1 from feed_rows)
  and not exists (select 1 from feed_rows f where f.number = p.personnel_number)
order by p.name
limit 50
`;

const PUT_FEED = `
insert into feed (url, is_on, times)
values ($1::text, $2::boolean, $3::text[])
on conflict (id) do update set
  etag = case when feed.url = excluded.url then feed.etag end, url = excluded.url, is_on = excluded.is_on, times = excluded.times
`;

const LOCK_FEED = `
select f.url, f.is_on as "isOn", f.times, s.change_share::double precision as "changeShare"
from feed f
cross join settings s
for no key update of f
`;
const SET_CHANGE_SHARE = 'update settings set change_share = $1::numeric';

export async function changeFeed(deps: Deps, change: FeedChange, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const stored = await maybeRow<FeedChange>(client, LOCK_FEED);
    await client.query(PUT_FEED, [change.url, change.isOn, [...new Set(change.times)].sort()]);
    await client.query(SET_CHANGE_SHARE, [change.changeShare]);
    await recordHouse(
      client,
      'feed',
      { at: deps.clock.now(), byWhom },
      'The personnel feed',
      stored && feedWords(stored),
      feedWords(change),
    );
    await setNext(client, change.times, deps.clock.now());
    await announce(client, 'feed', 'work');
  });
}

const GET_PULL = 'select people, outcome, at from pulls where id = $1::bigint';

async function getHeld(client: Queryable, id: string): Promise<{ people: FeedPerson[]; at: Date }> {
  const held = await maybeRow<{ people: FeedPerson[] | null; outcome: string; at: Date }>(client, GET_PULL, [id]);
  if (!held) throw new Refused('not-found', 'There is no such pull.');
  if (held.outcome !== 'held' || !held.people)
    throw new Refused('conflict', 'This pull no longer waits for anybody: it was decided, or a later one took its place.');
  return { people: held.people, at: held.at };
}

/** What a held pull would change in the roster as it is now. */
export async function previewPull(deps: Deps, id: string): Promise<RosterPreview> {
  const { people } = await getHeld(deps.db, id);
  return previewPeople(deps.db, people, await houseToday(deps));
}

const LOCK_PULL = 'select id from pulls where id = $1::bigint for update';
const FORGET_ETAG = 'update feed set etag = null';
const DECIDE_PULL = `
update pulls
set outcome = $2::text, decided_at = $3::timestamptz, decided_by = $4::text, import_id = $5::bigint, words = coalesce($6::text,
  words), people = null
where id = $1::bigint
`;

/** Takes a held pull, or declines it. */
export async function decidePull(deps: Deps, id: string, isApproved: boolean, byWhom: string): Promise<void> {
  const today = await houseToday(deps);
  const now = deps.clock.now();
  await transaction(deps.db, async (client: Client) => {
    await client.query(LOCK_PULL, [id]);
    const { people, at } = await getHeld(client, id);
    let importId: string | null = null;
    let words: string | null = null;
    if (isApproved) {
      await lockRoster(client);
      const preview = await previewPeople(client, people, today);
      ({ id: importId } = await storePreview(client, preview, ALL_GROUPS, {
        at: now,
        byWhom,
        today,
        fileName: await pullName(client, at.getTime()),
        source: 'feed',
        file: null,
      }));
      await keepFeedRows(client, people, preview.rejected);
      if (preview.rejected.length > 0) await client.query(FORGET_ETAG);
      words = `${sentence(tellCounts(preview))}.`;
    }
    await client.query(DECIDE_PULL, [id, isApproved ? 'taken' : 'declined', new Date(now), byWhom, importId, words]);
    await announce(client, 'people', 'feed');
  });
}
