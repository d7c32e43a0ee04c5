import { dateOf, Zone } from '@nudrik/core';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';

/** Today in the house's zone, by the installation's clock. */
export async function houseToday(deps: Deps): Promise<string> {
  return dateOf(Zone.of((await getHouse(deps.db)).zone).dayAt(deps.clock.now()));
}
