import type { HoldReason } from '../notices/decide.ts';
import type { Instant, Zone } from '../time/zone.ts';
import { speechOf, type Speech } from './speech.ts';

export { HOLD_WORDS } from './told.words.ts';

/** What an employee was told of an assignment: the last notice that went, or what keeps the next one. */
export interface Told {
  /** when it went; null where none did */
  at: Instant | null;
  hasBounced: boolean;
  /** what holds the notice that waits; null where none does */
  waitsFor: HoldReason | null;
}

/** Under the head “Told”: `Tue 3 Mar 09:00`, `not told: on leave`; only what is so. */
export function tellTold(told: Told | undefined, zone: Zone, now: Instant, speech: Speech = speechOf('en')): string {
  if (told?.at != null && !told.hasBounced) return speech.moment(told.at, zone, now);
  if (told?.at != null) return speech.notTold(speech.cameBack(speech.moment(told.at, zone, now)));
  return told?.waitsFor ? speech.notTold(speech.holds[told.waitsFor]) : speech.notToldYet;
}
