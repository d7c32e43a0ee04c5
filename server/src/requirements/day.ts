import type { AsOfQuery, RequirementsDay } from '@nudrik/contract';
import { Zone } from '@nudrik/core';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { atOf } from '../reports/as-of.ts';
import { listAskedByRequirement, NOBODY } from '../reports/asked-sums.repo.ts';
import { tellAsOf } from '../reports/differing.ts';
import { allAsked } from '../reports/states.ts';
import { listThen } from './day.repo.ts';

/** The requirements that there were at the end of a day that has passed: which were on, and how those stood whom each had asked. */
export async function requirementsDay({ db, clock }: Deps, asOf: AsOfQuery): Promise<RequirementsDay> {
  const at = atOf(asOf, clock.now(), Zone.of((await getHouse(db)).zone));
  if (at.past === null)
    throw new Refused('wrong-input', 'Which day? Expected one that has passed; how requirements stand today is told by the list of them.');
  const [list, counts, told] = await Promise.all([listThen(db, new Date(at.now)), listAskedByRequirement(db, at), tellAsOf(db, {}, at)]);
  return {
    asOf: told,
    rows: list.map((row) => {
      const stood = counts.get(row.id) ?? NOBODY;
      const { finished, inProgress, notStarted, late, waived } = stood;
      return { ...row, asked: allAsked(stood), finished, open: inProgress + notStarted, late, waived };
    }),
  };
}
