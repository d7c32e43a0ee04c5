import { dateOf, DAY_MS, dayOf, holdCovers, tellDay, tellHeldBy, tellMoment, Zone, type HoldScope } from '@nudrik/core';
import type {
  HoldDraft,
  HoldPreview,
  HoldQuestion,
  HoldRelease,
  HoldsView,
  HoldView,
  ReleasePreview,
  ReleaseResult,
} from '@nudrik/contract';
import { announce, rehearsed, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse, type House } from '../house/house.ts';
import { foreseeDecisions } from '../notices/dispatch.ts';
import { claimedOf, type ClaimedNotice, type DecisionRow } from '../notices/ledger.repo.ts';
import { Refused } from '../refusal.ts';
import {
  countAhead,
  countOnTheWay,
  countWaiting,
  endHold,
  findAbout,
  insertHold,
  letPass,
  listEnded,
  listParents,
  listStanding,
  listTold,
  lockHold,
  lockHolds,
  listWaiting,
  nameOfHeld,
  releaseWaiting,
  type HoldRow,
} from './holding.repo.ts';

/** How far ahead is counted what a hold without an end would keep back. */
const AHEAD_DAYS = 14;
/** Of what waits, so much is looked at before it is released. */
const LOOKED = 2_000;
const SHOWN = 200;

/** A hold with a day that has come stands nowhere any more. */
const isPast = ({ until_on }: HoldRow, zone: Zone, now: number): boolean => until_on !== null && dayOf(until_on) <= zone.dayAt(now);

function viewOf(row: HoldRow, waits: number, zone: Zone, now: number): HoldView {
  const hasPassed = row.ended_at === null && isPast(row, zone, now);
  return {
    id: row.id,
    scope: row.scope,
    of: row.of_id,
    name: row.name,
    words: tellHeldBy(row),
    from: row.made_at.toISOString(),
    until: row.until_on && tellDay(dayOf(row.until_on), zone.dayAt(now)),
    untilOn: row.until_on,
    by: row.made_by,
    reason: row.reason,
    waits,
    ended:
      row.ended_at !== null
        ? { at: row.ended_at.toISOString(), by: row.ended_by, how: row.ended_how! }
        : hasPassed
          ? { at: new Date(zone.toInstant(dayOf(row.until_on!), 0)).toISOString(), by: null, how: 'passed' }
          : null,
  };
}

async function standingViews(db: Queryable, { zone: name }: House, now: number): Promise<HoldView[]> {
  const zone = Zone.of(name);
  const views: HoldView[] = [];
  for (const row of await listStanding(db)) views.push(viewOf(row, await countWaiting(db, row.scope, row.of_id), zone, now));
  return views;
}

/** What is held, and what was. */
export async function holdsView({ db, clock }: Deps): Promise<HoldsView> {
  const house = await getHouse(db);
  const now = clock.now();
  const all = await standingViews(db, house, now);
  const ended = (await listEnded(db)).map((row) => viewOf(row, 0, Zone.of(house.zone), now));
  const standing = all
    .filter((hold) => hold.ended === null)
    .sort((a, b) => Number(b.scope === 'everything') - Number(a.scope === 'everything'));
  return { standing, past: [...all.filter((hold) => hold.ended !== null), ...ended] };
}

/** What holds messages of a course, or about somebody or a department, the widest first. */
export async function holdsOver({ db, clock }: Deps, scope: HoldScope, of: string | null): Promise<HoldView[]> {
  const standing = (await standingViews(db, await getHouse(db), clock.now())).filter((hold) => hold.ended === null);
  if (standing.length === 0) return [];
  const about = await findAbout(db, scope, of);
  if (!about) return [];
  const parents = await listParents(db);
  const structure = { parentOf: (id: string) => parents.get(id) ?? null, managerOf: () => null };
  const what = {
    course: about.course_id ?? '',
    isByHand: false,
    person: about.person_id ?? '',
    department: about.department_id,
    addressee: null,
  };
  return standing.filter((hold) => holdCovers(hold, what, structure)).sort((a, b) => Number(a.of !== null) - Number(b.of !== null));
}

async function nameHeld(db: Queryable, scope: HoldScope, of: string | null): Promise<string> {
  const name = await nameOfHeld(db, scope, of);
  if (name === null)
    throw new Refused('not-found', `There is no such ${scope === 'plan' ? 'course' : scope}, or not any more. Nothing was changed.`);
  return name;
}

const sameAs =
  (scope: HoldScope, of: string | null) =>
  (row: Pick<HoldRow, 'scope' | 'of_id'>): boolean =>
    row.scope === scope && row.of_id === of;

function checkUntil(until: string | null, zone: Zone, now: number): void {
  if (until === null || dayOf(until) > zone.dayAt(now)) return;
  throw new Refused(
    'wrong-input',
    `Held until: expected a day after today (${tellDay(zone.dayAt(now))}), got ${tellDay(dayOf(until))}. Nothing was changed.`,
  );
}

/** What a hold would keep back. */
export async function previewHold({ db, clock }: Deps, { scope, of, until }: HoldQuestion): Promise<HoldPreview> {
  const name = await nameHeld(db, scope, of);
  const house = await getHouse(db);
  const zone = Zone.of(house.zone);
  const now = clock.now();
  checkUntil(until, zone, now);
  const end = until === null ? zone.dayAt(now) + AHEAD_DAYS : dayOf(until);
  const stands = (await listStanding(db)).find(sameAs(scope, of));
  return {
    words: tellHeldBy({ scope, name }),
    ...(await countAhead(db, scope, of, now, Math.min(zone.toInstant(end, 0), now + 3_660 * DAY_MS))),
    onTheWay: await countOnTheWay(db, scope, of),
    horizon: tellDay(end, zone.dayAt(now)),
    stands: stands && !isPast(stands, zone, now) ? viewOf(stands, await countWaiting(db, scope, of), zone, now) : null,
  };
}

/** Holds messages. One of the same that stands is changed: it ends, and what waits for it is decided again under this one. */
export async function makeHold(deps: Deps, { scope, of, until, reason }: HoldDraft, by: string): Promise<{ id: string }> {
  return transaction(deps.db, async (client) => {
    await lockHolds(client, 'alone');
    const name = await nameHeld(client, scope, of);
    const zone = Zone.of((await getHouse(client)).zone);
    const now = deps.clock.now();
    checkUntil(until, zone, now);
    const former = (await listStanding(client)).find(sameAs(scope, of));
    if (former) {
      await endHold(client, former.id, now, by, isPast(former, zone, now) ? 'passed' : 'changed');
      await releaseWaiting(client, scope, of, now, dateOf(zone.dayAt(now)));
    }
    const id = await insertHold(client, { scope, of, name, until, reason, from: now, by });
    await announce(client, 'holds', 'notices', 'work');
    return { id };
  });
}

async function findStanding(client: Client, id: string, zone: Zone, now: number): Promise<HoldRow> {
  const row = await lockHold(client, id);
  if (!row) throw new Refused('not-found', 'There is no such hold.');
  if (row.ended_at !== null)
    throw new Refused(
      'conflict',
      `This hold ended on ${tellMoment(row.ended_at.getTime(), zone, now)}${row.ended_by ? `, by ${row.ended_by}` : ''}. Nothing was changed.`,
    );
  return row;
}

/**
 * What would become of what waits: now, or in the morning where it is night where it is read.
 * @returns each decision with the moment at which it would fall
 */
async function foreseeRelease(
  client: Client,
  deps: Deps,
  waiting: readonly ClaimedNotice[],
  now: number,
): Promise<(DecisionRow & { at: number })[]> {
  const first = await foreseeDecisions(client, deps, waiting, now);
  const decided = new Map(first.map((decision) => [decision.id, { ...decision, at: now }]));
  const later = new Map<number, string[]>();
  for (const { id, heldBecause, until } of first)
    if (heldBecause === 'on-hold' && until !== null) later.set(until, [...(later.get(until) ?? []), id]);
  const noticeOf = new Map(waiting.map((notice) => [notice.id, notice]));
  for (const [at, ids] of [...later].slice(0, 20)) {
    const then = ids.map((id) => ({ ...noticeOf.get(id)!, at, plannedAt: at }));
    for (const decision of await foreseeDecisions(client, deps, then, at)) decided.set(decision.id, { ...decision, at });
  }
  return [...decided.values()];
}

/** What becomes of what waits, were the hold released now: worked out by the sender's own code, and nothing is kept. */
export async function previewRelease(deps: Deps, id: string): Promise<ReleasePreview> {
  const now = deps.clock.now();
  return rehearsed(deps.db, async (client) => {
    const zone = Zone.of((await getHouse(client)).zone);
    const row = await findStanding(client, id, zone, now);
    const waits = await countWaiting(client, row.scope, row.of_id);
    const hold = viewOf(row, waits, zone, now);
    await endHold(client, id, now, null, 'send');
    const waiting = (await listWaiting(client, row.scope, row.of_id, LOOKED, false)).map((each) => ({
      ...claimedOf(each),
      at: now,
      plannedAt: now,
    }));
    const decided = await foreseeRelease(client, deps, waiting, now);
    const count = (...states: string[]): number => decided.filter(({ state }) => states.includes(state)).length;
    const noticeOf = new Map(waiting.map((notice) => [notice.id, notice]));
    // what goes is shown first, then what would come to nothing
    const order = { sending: 0, held: 1, skipped: 2, cancelled: 3 };
    const momentOf = ({ id: notice }: { id: string }): number => noticeOf.get(notice)!.moment;
    const shown = [...decided].sort((a, b) => order[a.state] - order[b.state] || momentOf(a) - momentOf(b)).slice(0, SHOWN);
    const found = new Map(
      (
        await listTold(
          client,
          shown.map(({ id: notice }) => notice),
        )
      ).map((each) => [each.id, each]),
    );
    return {
      hold,
      waits,
      looked: decided.length,
      goes: count('sending'),
      later: count('held'),
      passes: count('skipped', 'cancelled'),
      rows: shown.flatMap(({ id: notice, state, sentence, recipientName, at }) => {
        const names = found.get(notice);
        const { to, moment } = noticeOf.get(notice)!;
        return names
          ? [
              {
                id: notice,
                person: names.person,
                addressee: to === 'employee' ? null : (recipientName ?? names.addressee),
                stepName: names.step_name,
                course: names.title,
                moment: tellMoment(moment, Zone.of(names.zone), now),
                outcome: state === 'sending' ? ('send' as const) : state === 'held' ? ('hold' as const) : ('skip' as const),
                at: at === now ? null : tellMoment(at, Zone.of(names.zone), now),
                words: sentence,
              },
            ]
          : [];
      }),
    };
  });
}

/** So many notices are let pass in one statement. */
const BATCH = 2_000;

/**
 * Ends a hold. What came to its moment meanwhile is decided again, so that what is still useful goes; or it is let pass, but for what
 * another hold covers too.
 * @param mayHold refuses whoever may not hold such a thing
 */
export async function releaseHold(
  deps: Deps,
  id: string,
  { how }: HoldRelease,
  by: string,
  mayHold: (scope: HoldScope) => void = () => undefined,
): Promise<ReleaseResult> {
  return transaction(deps.db, async (client) => {
    await lockHolds(client, 'alone');
    const zone = Zone.of((await getHouse(client)).zone);
    const now = deps.clock.now();
    const row = await findStanding(client, id, zone, now);
    mayHold(row.scope);
    await endHold(client, id, now, by, how);
    let passed = 0;
    if (how === 'let-pass') {
      const fact = `${by} let it pass when the hold of ${tellMoment(row.made_at.getTime(), zone, now)} (${row.reason}) was released`;
      const trace = JSON.stringify([{ check: 'not let pass', result: false, because: fact }]);
      const waiting = (await listWaiting(client, row.scope, row.of_id, 1_000_000, true)).map((each) => ({
        ...claimedOf(each),
        at: now,
        plannedAt: now,
      }));
      for (let i = 0; i < waiting.length; i += BATCH) {
        const ids = await stillUseful(client, deps, waiting.slice(i, i + BATCH), now);
        await letPass(client, ids, now, `Skipped: ${fact}.`, trace);
        passed += ids.length;
      }
    }
    const decided = await releaseWaiting(client, row.scope, row.of_id, now, dateOf(zone.dayAt(now)));
    await announce(client, 'holds', 'notices', 'work');
    return { decided, passed };
  });
}

/** Of what waits, what would go now or later: what is skipped for a reason of its own keeps that, and what another hold covers waits on. */
async function stillUseful(client: Client, deps: Deps, waiting: readonly ClaimedNotice[], now: number): Promise<string[]> {
  const decided = await foreseeDecisions(client, deps, waiting, now);
  return decided
    .filter(({ state, heldBecause }) => state === 'sending' || (state === 'held' && heldBecause !== 'on-hold'))
    .map((decision) => decision.id);
}
