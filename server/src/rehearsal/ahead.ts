import { dateOf, HOUR, Zone, rehearse, type Instant, type LocalDate } from '@nudrik/core';
import { announce, transaction, type Queryable } from '../db/db.ts';
import { isPassing } from '../db/failures.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { foreseeOpenings, listAssignmentFacts, listCourseFacts, listPlanFacts } from '../notices/facts.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { listWoken, requirementsAhead } from '../requirements/ahead.ts';
import { keptAhead, putAhead, stateAhead, type AheadDay } from './ahead.repo.ts';

/** Days from tomorrow on for which it is kept: those of the ribbon. */
export const DAYS_AHEAD = 28;
/** So many people are asked of in one go, so that nothing else waits long. */
const PART = 200;
/** People of whom it is asked at the most, those whose day comes first. */
const MOST_PEOPLE = 20_000;
/** It is worked out anew no sooner than so many times as long as it took. */
const REST = 20;

const isLive = ({ state }: { state: string }): boolean => state === 'live';

/** Adds what requirements will bring for some people to what is counted by day of the house. */
async function countPart(db: Queryable, now: Instant, until: Instant, woken: readonly [string, Instant][], days: Map<LocalDate, AheadDay>): Promise<void> {
  const house = await getHouse(db);
  const zone = Zone.of(house.zone);
  const ahead = await requirementsAhead(db, now, until, woken);
  const isBegun = (type: string): boolean => type === 'reopened';
  const again = [...ahead.happenings].filter(([, events]) => events.some(({ type }) => isBegun(type)));
  const known = (await listAssignmentFacts(db, again.map(([id]) => id))).map((one) => ({ ...one, events: [...one.events, ...ahead.happenings.get(one.id)!] }));
  const all = [...known, ...ahead.assigned];
  const courses = (await listCourseFacts(db, [...new Set(all.map(({ course }) => course))])).filter(isLive);
  const courseOf = new Map(courses.map((course) => [course.id, course]));
  const assignments = all.filter(({ course }) => courseOf.has(course));
  if (assignments.length === 0) return;
  const plans = await listPlanFacts(db, [...courseOf.keys()]);
  const roster = await loadRoster(db, [...new Set(assignments.map(({ person }) => person))], courses, house.sending);
  for (const assignment of assignments) foreseeOpenings(assignment, courseOf.get(assignment.course)!, roster);
  const add = (at: Instant, what: keyof AheadDay): void => {
    const day = dateOf(zone.dayAt(at));
    const counts = days.get(day) ?? { assigned: 0, notices: 0 };
    counts[what] += 1;
    days.set(day, counts);
  };
  // what they had before they are taken up again stands in the ledger
  const beganAt = new Map(again.map(([id, events]) => [id, events.find(({ type }) => isBegun(type))!.at]));
  for (const { id, assignedAt } of assignments) add(beganAt.get(id) ?? assignedAt, 'assigned');
  const lines = rehearse({ from: now, until, roster, plans, assignments, isTold: () => false });
  for (const { outcome, at, assignment } of lines) if (outcome === 'send' && at! >= (beganAt.get(assignment) ?? 0)) add(at!, 'notices');
} // prettier-ignore

/**
 * Works out what requirements will bring in the days to come, where something changed that it depends on, or an hour has passed.
 * @returns whether it did
 */
export async function keepAhead(deps: Deps): Promise<boolean> {
  const { db, clock } = deps;
  const now = clock.now();
  const state = await stateAhead(db, new Date(Math.floor(now / HOUR) * HOUR).toISOString());
  const kept = await keptAhead(db);
  if (kept?.state === state || (kept && Date.now() < kept.keptAt.getTime() + REST * kept.tookMs)) return false;
  const begun = Date.now();
  let failure: unknown = null;
  const days = await countAhead(deps, now).catch((error: unknown) => {
    // what cannot be worked out is told once and tried again when something has changed, not each second
    if (isPassing(error)) throw error;
    failure = error;
    return new Map<LocalDate, AheadDay>();
  });
  await transaction(db, async (client) => {
    await putAhead(client, days, state, new Date(), Date.now() - begun);
    await announce(client, 'ahead');
  });
  if (failure !== null) throw failure as Error;
  return true;
}

async function countAhead({ db }: Deps, now: Instant): Promise<Map<LocalDate, AheadDay>> {
  const zone = Zone.of((await getHouse(db)).zone);
  const until = zone.toInstant(zone.dayAt(now) + 1 + DAYS_AHEAD, 0);
  const { woken } = await listWoken(db, until, MOST_PEOPLE);
  const days = new Map<LocalDate, AheadDay>();
  for (let from = 0; from < woken.length; from += PART) await countPart(db, now, until, woken.slice(from, from + PART), days);
  return days;
}
