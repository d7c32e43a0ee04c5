import { tellMoment, Zone } from '@nudrik/core';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import type { Deps } from '../deps.ts';
import type { Client } from './db.ts';

/** What stands, and who made it so. */
export interface Versioned {
  version: number;
  changed_at?: Date | null;
  changed_by?: string | null;
}

/**
 * Refuses a save over a newer version: what somebody else saved meanwhile is not lost, and neither is what is refused; the
 * page shows both.
 * @param what "this course", for the sentence
 * @throws Refused `stale`
 */
export async function refuseStale(deps: Deps, client: Client, what: string, stored: Versioned, version: number): Promise<void> {
  if (stored.version === version) return;
  const { zone } = await getHouse(client);
  const when = stored.changed_at ? ` on ${tellMoment(stored.changed_at.getTime(), Zone.of(zone), deps.clock.now())}` : '';
  const who = stored.changed_by ? ` by ${stored.changed_by}` : '';
  throw new Refused(
    'stale',
    `Version ${stored.version} of ${what} was saved${who}${when} while you worked on version ${version}. ` +
      'Nothing of yours is lost: compare the two and save again.',
  );
}
