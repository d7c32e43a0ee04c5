import { certificateState, EXPIRING_DAYS } from '../certificates/serial.ts';
import { DAY_MS, type Day, type Instant } from '../time/zone.ts';

/** How somebody stands with a course, the most urgent first; whoever has nothing to do with it has none of these. */
export const CELLS = ['late', 'due', 'open', 'lapsed', 'expiring', 'waived', 'held'] as const;
export type Cell = (typeof CELLS)[number];

/** A mark for each, so that colour alone tells nothing. */
export const CELL_MARKS: Readonly<Record<Cell, string>> = {
  late: '!',
  due: '…',
  open: '·',
  lapsed: '×',
  expiring: '↓',
  waived: '–',
  held: '✓',
};
export const CELL_WORDS: Readonly<Record<Cell, string>> = {
  late: 'late',
  due: 'due within two weeks',
  open: 'open',
  lapsed: 'held once, and not now',
  expiring: `runs out within ${EXPIRING_DAYS} days`,
  waived: 'waived',
  held: 'holds it',
};

/** Of a person and a course: what is open, and what is held. */
export interface PairFacts {
  /** of what is open; null where nothing is */
  dueAt: Instant | null;
  /** the last day on which it is held; null where it is not */
  until: Day | 'ever' | null;
  hasFinished: boolean;
  /** the last assignment was waived, and that holds still */
  isWaived: boolean;
}

/** What is due within this is due soon. */
export const DUE_SOON = 14 * DAY_MS;

/** How somebody stands with a course at a moment: what is open counts before what is held. Null where they were never asked. */
export function cellOf({ dueAt, until, hasFinished, isWaived }: PairFacts, now: Instant, today: Day): Cell | null {
  if (dueAt !== null) return dueAt < now ? 'late' : dueAt < now + DUE_SOON ? 'due' : 'open';
  if (until !== null) {
    const state = certificateState(today, until === 'ever' ? null : until, { isRevoked: false, isReplaced: false });
    if (state !== 'expired') return state === 'expiring' ? 'expiring' : 'held';
  }
  if (isWaived) return 'waived';
  return hasFinished || until !== null ? 'lapsed' : null;
}

/** What a cell says to whoever cannot see it, with its day where it has one. */
export function tellCell(cell: Cell, on: string | null): string {
  if (on === null) return CELL_WORDS[cell];
  switch (cell) {
    case 'late':
      return `late, was due ${on}`;
    case 'due':
    case 'open':
      return `open, due ${on}`;
    case 'lapsed':
      return `ran out ${on}`;
    case 'expiring':
      return `runs out ${on}`;
    case 'waived':
      return `waived until ${on}`;
    case 'held':
      return `holds it until ${on}`;
  }
}
