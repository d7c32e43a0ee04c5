import type { Instant } from '../time/zone.ts';
import { keyOf, type Slot } from './slot.ts';

/** A notice that the ledger already holds. */
export interface LedgerEntry {
  id: string;
  assignment: string;
  step: string;
  revision: number;
  occurrence: number;
  to: string;
  /** null while it waits for a mended address or value */
  at: Instant | null;
  /** planned or held: nothing was decided yet */
  isOpen: boolean;
  /** it was found missed while planning; nothing was ever decided at its moment */
  isMissed?: boolean;
}

export interface Difference {
  added: Slot[];
  moved: { entry: LedgerEntry; slot: Slot }[];
  dropped: LedgerEntry[];
  kept: LedgerEntry[];
}

/**
 * What has to change in the ledger so that it holds what is planned now. Decided entries are never touched: a key that
 * was decided once is not planned again; one that was missed goes with its anchor, where that was taken back. Planning twice gives an empty difference.
 * @param ownMoment the moment that an entry was planned for; held entries keep theirs, a cancelled one has none (NaN) and is taken up again
 */
export function difference(
  planned: readonly Slot[],
  ledger: readonly LedgerEntry[],
  ownMoment: (entry: LedgerEntry) => Instant,
): Difference {
  const byKey = new Map(ledger.map((entry) => [keyOf(entry), entry]));
  const result: Difference = { added: [], moved: [], dropped: [], kept: [] };
  for (const slot of planned) {
    const key = keyOf(slot);
    const entry = byKey.get(key);
    byKey.delete(key);
    if (!entry) {
      if (slot.replacedAt === null) result.added.push(slot);
    } else if (!entry.isOpen) (entry.isMissed && slot.isTakenBack ? result.dropped : result.kept).push(entry);
    else if (slot.replacedAt !== null) result.dropped.push(entry);
    else if (ownMoment(entry) !== slot.moment) result.moved.push({ entry, slot });
    else result.kept.push(entry);
  }
  for (const entry of byKey.values()) (entry.isOpen ? result.dropped : result.kept).push(entry);
  return result;
}
