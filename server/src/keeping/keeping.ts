import { KEPT, KEPT_KINDS, type KeepChange, type KeepingView, type KeepPreview, type Kept, tellMonths } from '@nudrik/contract';
import { addMonths, dateOf, dayOf, tellAmount, tellDate, Zone, type Instant } from '@nudrik/core';
import { announce, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { listHouseChanges, noteHouse, recordHouse } from '../house/record.ts';
import { Refused } from '../refusal.ts';
import { sealErased, sealLater } from '../seals/seals.repo.ts';
import { listFault } from './erased-list.ts';
import { erasePerson } from './erase.ts';
import { countEntries, insertErasure } from './erase.repo.ts';
import {
  countOld,
  dropOld,
  listErasures,
  listKeeping,
  listOldLeavers,
  lockKeeping,
  setKeeping,
  setRan,
  type KeepingRow,
} from './keeping.repo.ts';

/** In the night at this hour of the house, or the first moment after it at which a worker runs. */
const HOUR = 2 * 3_600_000;
/** So long after it was chosen nothing goes by it: whoever mistyped has a day. */
const THINK_MS = 24 * 3_600_000;

/** `kept for 2 years` */
export const tellKept = (months: number | null): string => (months === null ? 'kept for always' : `kept for ${tellMonths(months)}`);

/** The first day that is kept. */
const firstKept = (months: number, now: Instant, zone: Zone): string => dateOf(addMonths(zone.dayAt(now), -months));

/** The first night after a moment in which something may go. */
function firstNight(changedAt: Instant, zone: Zone): { day: string; at: Instant } {
  const from = changedAt + THINK_MS;
  const day = zone.dayAt(from);
  const night = zone.toInstant(day, HOUR);
  const next = from <= night ? day : day + 1;
  return { day: dateOf(next), at: zone.toInstant(next, HOUR) };
}

async function lookAhead(db: Queryable, kind: Kept, months: number, now: Instant, zone: Zone): Promise<KeepPreview> {
  const day = firstKept(months, now, zone);
  const { count, first, last } = await countOld(db, kind, new Date(zone.toInstant(dayOf(day), 0)), day);
  const what = tellAmount(count, kind === 'leavers' ? 'people' : 'entries');
  const words =
    count === 0
      ? `Nothing is from before ${tellDate(dayOf(day))}.`
      : `${what} from before ${tellDate(dayOf(day))} ${count === 1 ? 'goes' : 'go'}: ${first === last ? `of ${tellDate(dayOf(first!))}` : `${tellDate(dayOf(first!))} to ${tellDate(dayOf(last!))}`}.`;
  return { count, from: first, to: last, words };
} // prettier-ignore

/** What would go if a kind were kept so long. */
export async function previewKeeping(deps: Deps, { kind, months }: KeepChange): Promise<KeepPreview> {
  if (months === null) return { count: 0, from: null, to: null, words: 'Nothing goes.' };
  return lookAhead(deps.db, kind, months, deps.clock.now(), Zone.of((await getHouse(deps.db)).zone));
}

/** Each kind with how long it is kept and what goes next, and what was erased. */
export async function keepingView(deps: Deps, before: string | null): Promise<KeepingView> {
  const { db, settings } = deps;
  const now = deps.clock.now();
  const zone = Zone.of((await getHouse(db)).zone);
  const set = new Map((await listKeeping(db)).map((row) => [row.kind, row]));
  const kinds = [];
  for (const kind of KEPT_KINDS) {
    const row = set.get(kind);
    const night = row && firstNight(row.changed_at.getTime(), zone);
    kinds.push({
      kind,
      months: row?.months ?? null,
      changedAt: row?.changed_at.toISOString() ?? null,
      changedBy: row?.changed_by ?? null,
      firstNight: night && night.at > now ? night.day : null,
      ranOn: row?.ran_on ?? null,
      next: row ? await lookAhead(db, kind, row.months, now, zone) : null,
    });
  }
  const most = 50;
  const erasures = await listErasures(db, before, most + 1);
  return {
    kinds,
    erasures: erasures.slice(0, most).map(({ pseudonym, what, before: from, at, ...row }) => ({
      ...row,
      at: at.toISOString(),
      title: row.kind === 'person' ? pseudonym! : `${KEPT[what!].title}, from before ${tellDate(dayOf(from!))}`,
    })),
    hasMore: erasures.length > most,
    list: { path: settings.erasedFile, fault: listFault(settings.erasedFile) },
  };
}

/** Sets how long a kind is kept. Nothing goes by it for a day. */
export async function changeKeeping(deps: Deps, { kind, months }: KeepChange, byWhom: string): Promise<void> {
  const at = deps.clock.now();
  await transaction(deps.db, async (client) => {
    const was = await lockKeeping(client, kind);
    if ((was?.months ?? null) === months) return;
    await setKeeping(client, kind, months, new Date(at), byWhom);
    const words = (value: number | null): Record<string, string> => ({ [KEPT[kind].title]: tellKept(value) });
    await recordHouse(client, 'keeping', { at, byWhom }, 'How long it is kept', words(was?.months ?? null), words(months));
    await announce(client, 'keeping');
  });
}

/** Goes in one transaction, with one line of the record. */
const PART = 20_000;
/** People who are erased in one night: each is looked for in everything. */
const PEOPLE = 50;

/** Once a night lets go what has had its time. @returns how much went */
export async function keepNoLonger(deps: Deps): Promise<number> {
  const now = deps.clock.now();
  const set = await listKeeping(deps.db);
  if (set.length === 0) return 0;
  const zone = Zone.of((await getHouse(deps.db)).zone);
  const today = dateOf(zone.dayAt(now));
  let total = 0;
  for (const row of set) {
    if (row.ran_on === today || now < zone.toInstant(dayOf(today), HOUR) || now < firstNight(row.changed_at.getTime(), zone).at) continue;
    const from = firstKept(row.months, now, zone);
    total += row.kind === 'leavers' ? await letLeaversGo(deps, row, from, zone) : await letGo(deps, row.kind, row, from, zone);
    await setRan(deps.db, row.kind, today);
  }
  if (total > 0) await announce(deps.db, 'keeping');
  return total;
}

/** Part after part, each with its line of the record in the same transaction: nothing is gone and not told. */
async function letGo(deps: Deps, kind: Exclude<Kept, 'leavers'>, row: KeepingRow, from: string, zone: Zone): Promise<number> {
  const at = new Date(deps.clock.now());
  const start = new Date(zone.toInstant(dayOf(from), 0));
  for (let total = 0; ;) {
    const count = await transaction(deps.db, async (client) => {
      // somebody may have chosen otherwise since
      if ((await lockKeeping(client, kind))?.months !== row.months) return 0;
      const ids = await dropOld(client, kind, start, from, at, PART);
      if (ids.length === 0) return 0;
      const erasure = await insertErasure(client, {
        person: null,
        keptNoLonger: { what: kind, before: from },
        at,
        byWhom: 'Nudrik',
        reason: `${tellKept(row.months)}, as ${row.changed_by} set it`,
        counts: [{ what: 'entries', count: ids.length }],
      });
      if (kind === 'messages') await sealErased(client, 'message', ids, erasure);
      await countEntries(client, erasure);
      await sealLater(client, 'erasure', [erasure]);
      return ids.length;
    });
    if (count === 0) return total;
    total += count;
  }
}

/** Whoever cannot be erased yet holds up nobody, and the record says why, once. */
async function letLeaversGo(deps: Deps, row: KeepingRow, from: string, zone: Zone): Promise<number> {
  const told = new Set((await listHouseChanges(deps.db, 'keeping')).map(({ words }) => words));
  let total = 0;
  for (const id of await listOldLeavers(deps.db, new Date(zone.toInstant(dayOf(from), 0)), from)) {
    if (total === PEOPLE) break;
    try {
      await erasePerson(deps, id, `left before ${tellDate(dayOf(from))}: ${tellKept(row.months)}, as ${row.changed_by} set it`, 'Nudrik');
      total += 1;
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      const words = `Somebody who left was not erased. ${error.message}`;
      if (told.has(words)) continue;
      told.add(words);
      await transaction(deps.db, (client) => noteHouse(client, 'keeping', { at: deps.clock.now(), byWhom: 'Nudrik' }, words));
    }
  }
  return total;
}
