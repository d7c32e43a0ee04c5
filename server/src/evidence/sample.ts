import type { SampleQuery, SampleView } from '@nudrik/contract';
import { dayOf, tellAmount, tellDate, Zone } from '@nudrik/core';
import type { Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { atOf } from '../reports/as-of.ts';
import { findTitle } from './packs.repo.ts';
import { listRequired } from './sample.repo.ts';

/** "30 of those who were required from 1 Mar 2026 to 31 Mar 2026, seed 7", and of what. */
export async function tellSample(db: Queryable, { size, from, to, course, requirement, seed, known }: SampleQuery): Promise<string> {
  const title = async (kind: 'course' | 'requirement', id: string): Promise<string> => {
    const found = await findTitle(db, kind, id);
    if (found === null) throw new Refused('not-found', `There is no such ${kind}, or not any more.`);
    return kind === 'course' ? found : `“${found}”`;
  };
  const what = [course && `for ${await title('course', course)}`, requirement && `by ${await title('requirement', requirement)}`].filter(Boolean);
  return `${tellAmount(size, 'people')} who were required${what.length > 0 ? ` ${what.join(', ')}` : ''} from ${tellDate(dayOf(from))} to ${tellDate(dayOf(to))}, ${known === 'then' ? 'as it was known then' : 'as is known now'}, seed ${seed}`;
} // prettier-ignore

/**
 * Some of those who were required in a period. Everybody is placed by the hash of the seed and of who they are: the same question has
 * the same answer, and one more who was required moves nobody else.
 */
export async function drawSample(db: Queryable, query: SampleQuery, zone: Zone, now: number): Promise<SampleView> {
  const words = await tellSample(db, query);
  const at = atOf({ on: query.to, known: query.known }, now, zone);
  const { of, print, rows } = await listRequired(db, query, {
    from: new Date(zone.toInstant(dayOf(query.from), 0)),
    until: new Date(at.now),
  });
  return { words, of, print, rows };
}

export async function sampleView(deps: Deps, query: SampleQuery): Promise<SampleView> {
  const zone = Zone.of((await getHouse(deps.db)).zone);
  return drawSample(deps.db, query, zone, deps.clock.now());
}
