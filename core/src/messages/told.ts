import type { HoldReason } from '../notices/decide.ts';
import { tellMoment } from '../time/words.ts';
import type { Instant, Zone } from '../time/zone.ts';

/** What an employee was told of an assignment: the last notice that went, or what keeps the next one. */
export interface Told {
  /** when it went; null where none did */
  at: Instant | null;
  hasBounced: boolean;
  /** what holds the notice that waits; null where none does */
  waitsFor: HoldReason | null;
}

export const HOLD_WORDS: Record<HoldReason, string> = {
  leave: 'on leave',
  'daily-limit': 'a full day',
  unreachable: 'mail comes back',
  'missing-value': 'a merge field has no value',
  'set-aside': 'it could not be worked out',
  'on-hold': 'somebody holds it',
};

/** Under the head “Told”: `Tue 3 Mar 09:00`, `not told: on leave`; only what is so. */
export function tellTold(told: Told | undefined, zone: Zone, now: Instant): string {
  if (told?.at != null && !told.hasBounced) return tellMoment(told.at, zone, now);
  if (told?.at != null) return `not told: mail came back ${tellMoment(told.at, zone, now)}`;
  return told?.waitsFor ? `not told: ${HOLD_WORDS[told.waitsFor]}` : 'not told yet';
}
