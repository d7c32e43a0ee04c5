import { dateOf, Zone } from '@nudrik/core';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { isAnybodyAsked, keepDay, nextDayToSum } from './as-of.repo.ts';
import { atOf } from './as-of.ts';
import { keepAsked } from './asked-sums.repo.ts';

/** Counts the sums of one day that has passed, the newest first: whoever asks for it later need not wait. @returns which; null where all are kept */
export async function sumNextDay(deps: Deps): Promise<string | null> {
  if (!(await isAnybodyAsked(deps.db))) return null;
  const zone = Zone.of((await getHouse(deps.db)).zone);
  const now = deps.clock.now();
  // the last day that was over a day ago
  const day = await nextDayToSum(deps.db, dateOf(zone.dayAt(now) - 2));
  if (day !== null) {
    const at = atOf({ on: day, known: 'then' }, now, zone);
    await keepDay(deps.db, at);
    await keepAsked(deps.db, at);
  }
  return day;
}
