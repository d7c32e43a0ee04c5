import { createHash } from 'node:crypto';
import { dateOf, dayOf, tellAmount, tellDate, Zone } from '@nudrik/core';
import type { SealFault, SealsReport, SealsView } from '@nudrik/contract';
import { transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import {
  countSealed,
  countWaiting,
  hashesOf,
  insertStep,
  lastHead,
  listErasureEntries,
  listForeign,
  listLeaves,
  listSealDays,
  listSteps,
  lookAtOnce,
  SEALED,
  takeQueued,
  tellSealed,
  trySealing,
  wasHead,
  type Leaf,
  type LeafRow,
  type Sealed,
} from './seals.repo.ts';

/** Sealed in one step at the most. */
const STEP = 1_000;
const NO_HEAD = Buffer.alloc(32);
const GONE = Buffer.alloc(32);

/** The head after a step: of the head before, the day, and all that it seals, in its order. */
export function headAfter(before: Buffer, day: string, leaves: readonly Leaf[]): Buffer {
  const hash = createHash('sha256').update(before).update(`${day}\n`);
  for (const { kind, of_id, erasure_id, hash: says } of leaves)
    hash.update(`${kind}/${of_id}${erasure_id === null ? '' : ` erased ${erasure_id}`}\n`).update(says ?? GONE);
  return hash.digest();
}

/** By kind, each kind's ids asked for at once. */
async function sayNow(db: Queryable, list: readonly { kind: Sealed; of_id: string }[]): Promise<Map<string, Buffer>> {
  const now = new Map<string, Buffer>();
  for (const kind of SEALED) {
    const ids = list.flatMap((one) => (one.kind === kind ? [one.of_id] : []));
    if (ids.length === 0) continue;
    for (const [id, hash] of await hashesOf(db, kind, ids)) now.set(`${kind}/${id}`, hash);
  }
  return now;
}

/** Seals what was written, in the order in which it was, one step of the chain after the other. @returns how much was sealed */
export async function sealWaiting(deps: Deps): Promise<number> {
  return transaction(deps.db, async (client) => {
    if (!(await trySealing(client))) return 0;
    const queued = await takeQueued(client, STEP);
    if (queued.length === 0) return 0;
    const now = await sayNow(client, queued);
    const leaves = queued.map((one): Leaf => ({ ...one, hash: now.get(`${one.kind}/${one.of_id}`) ?? null }));
    const at = deps.clock.now();
    const day = dateOf(Zone.of((await getHouse(client)).zone).dayAt(at));
    await insertStep(client, { day, at, head: headAfter((await lastHead(client)) ?? NO_HEAD, day, leaves) }, leaves);
    return queued.length;
  });
}

const WORDS: Readonly<Record<Sealed, string>> = {
  event: 'an event',
  act: 'an act by hand',
  certificate: 'a certificate',
  'sign-off': 'a sign-off',
  message: 'a message',
  answer: 'what was answered to a message',
  report: 'a report of what became of a message',
  erasure: 'the record of an erasure',
};
/** What does not stand as a seal says, or null. A report may be followed by another; anything else is sealed again only as taken away or as erased. */
function faultOf({ kind, hash, is_former, is_erased }: LeafRow, says: Buffer | null): 'changed' | 'removed' | 'returned' | null {
  if (says !== null && hash !== null) return is_erased || (kind === 'report' && is_former) || says.equals(hash) ? null : 'changed';
  if (is_former || (says === null && hash === null)) return null;
  return says === null ? 'removed' : 'returned';
}

/** Faults that are told one by one; more are counted. */
const TOLD = 100;

/**
 * Walks the whole chain and holds it against what stands there: what was changed, what was taken away, what nobody of ours wrote, and
 * whether the chain itself was.
 * @param kept a head that somebody kept of a day, on paper or in their mail
 */
export async function verifySeals(db: Queryable, kept: { day: string; head: string } | null = null, work: Work = AT_ONCE): Promise<SealsReport> {
  const faults: SealFault[] = [];
  const total = await countSealed(db);
  let [before, after, seen, taken, faulty]: [Buffer, string, number, number, number] = [NO_HEAD, '0', 0, 0, 0];
  let isBroken = false;
  const erased = new Map<string, number>();
  const tell = (fault: SealFault): void => {
    faulty++;
    if (faults.length < TOLD) faults.push(fault);
  };
  for (let steps = await listSteps(db, after); steps.length > 0; steps = await listSteps(db, after)) {
    await work.at(seen, Math.max(total, seen + 1));
    const leaves = await listLeaves(db, steps.map(({ id }) => id));
    const of = new Map<string, LeafRow[]>(steps.map(({ id }) => [id, []]));
    for (const leaf of leaves) of.get(leaf.step_id)!.push(leaf);
    const now = await sayNow(db, leaves);
    const wrong: { day: string; leaf: LeafRow; what: NonNullable<ReturnType<typeof faultOf>> }[] = [];
    for (const { id, day, count, head } of steps) {
      const mine = of.get(id)!;
      // once is enough: everything after it hangs on it
      if (!isBroken && (mine.length !== count || !headAfter(before, day, mine).equals(head))) {
        isBroken = true;
        tell({ day, what: 'chain', words: `The seals of ${tellDate(dayOf(day))} were changed: their head is not what they make.` });
      }
      before = head;
      for (const leaf of mine) {
        if (leaf.erasure_id !== null) erased.set(leaf.erasure_id, (erased.get(leaf.erasure_id) ?? 0) + 1);
        const what = faultOf(leaf, now.get(`${leaf.kind}/${leaf.of_id}`) ?? null);
        if (what) wrong.push({ day, leaf, what });
        else if (leaf.hash === null) taken++;
      }
      seen += count;
      after = id;
    }
    for (const kind of SEALED) {
      const mine = wrong.filter(({ leaf }) => leaf.kind === kind);
      if (mine.length === 0) continue;
      const told = await tellSealed(db, kind, mine.slice(0, TOLD).map(({ leaf }) => leaf.of_id));
      for (const { day, leaf, what } of mine) {
        const about = told.get(leaf.of_id);
        const thing = `${WORDS[kind]}${about ? ` (${about})` : ''}, number ${leaf.of_id}`;
        const became = what === 'changed' ? 'was changed since' : what === 'removed' ? 'was removed' : 'was removed and put back';
        tell({ day, what, words: `Written on ${tellDate(dayOf(day))}: ${thing}, ${became}.` });
      }
    }
  }
  // what was sealed anew is as much as erasing says that it was: nothing else may be sealed twice
  const known = new Set<string>();
  for (const { id, at, entries, waiting } of await listErasureEntries(db)) {
    known.add(id);
    const found = (erased.get(id) ?? 0) + waiting;
    if (found !== entries) tell({ day: at.toISOString().slice(0, 10), what: 'changed', words: `The record of erasing, number ${id}, says that ${tellAmount(entries, 'entries')} say something else since; ${found} were sealed anew by it.` });
  }
  for (const [id, count] of erased)
    if (!known.has(id)) tell({ day: null, what: 'removed', words: `${tellAmount(count, 'entries')} ${count === 1 ? 'was' : 'were'} sealed anew by an erasure, number ${id}, of which there is no record.` });
  for (const kind of SEALED) {
    const { ids, total: all } = await listForeign(db, kind, TOLD);
    const told = await tellSealed(db, kind, ids);
    faulty += all - ids.length;
    for (const id of ids)
      tell({ day: null, what: 'inserted', words: `${WORDS[kind][0]!.toUpperCase()}${WORDS[kind].slice(1)}${told.has(id) ? ` (${told.get(id)})` : ''}, number ${id}, was put in by nobody of Nudrik.` });
  }
  if (kept && !(await wasHead(db, kept.day, Buffer.from(kept.head, 'hex'))))
    tell({ day: kept.day, what: 'chain', words: `The head that was kept of ${tellDate(dayOf(kept.day))} is none of that day: the chain was made anew since, up to that day or before.` });
  return { sealed: seen, taken, erased: [...erased.values()].reduce((sum, count) => sum + count, 0), waiting: await countWaiting(db), faults, more: faulty - faults.length, head: before.equals(NO_HEAD) ? null : before.toString('hex') };
} // prettier-ignore

/** The same of one moment, whatever is written meanwhile; nothing is changed by it. */
export const verifyNow = (deps: Deps, kept: { day: string; head: string } | null, work: Work = AT_ONCE): Promise<SealsReport> =>
  transaction(deps.db, async (client) => {
    await lookAtOnce(client);
    return verifySeals(client, kept, work);
  });

/** The days with their heads, the newest first. */
export async function sealsView(db: Queryable, before: string | null): Promise<SealsView> {
  const days = await listSealDays(db, before, 61);
  return {
    days: days.slice(0, 60).map(({ day, count, head }) => ({ day, count, head: head.toString('hex') })),
    hasMore: days.length > 60,
    sealed: await countSealed(db),
    waiting: await countWaiting(db),
  };
}
