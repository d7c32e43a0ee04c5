import { dateOf, Zone, rehearse, type Instant, type LocalDate } from '@nudrik/core';
import { announce, maybeRow, oneRow, transaction, type Queryable } from '../db/db.ts';
import { isPassing } from '../db/failures.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { foreseeOpenings, listAssignmentFacts, listCourseFacts, listPlanFacts } from '../notices/facts.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { listWoken, requirementsAhead } from '../requirements/ahead.ts';

/** Days from tomorrow on for which it is kept: those of the ribbon. */
export const DAYS_AHEAD = 28;
/** So many people are asked of in one go, so that nothing else waits long. */
const PART = 200;
/** People of whom it is asked at the most, those whose day comes first. */
const MOST_PEOPLE = 20_000;
/** It is worked out anew no sooner than so many times as long as it took. */
const REST = 20;

/** What requirements will bring on a day: assignments that they make or take up again, and notices of these. */
interface AheadDay {
  assigned: number;
  notices: number;
}

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
  for (const { assignedAt } of ahead.assigned) add(assignedAt, 'assigned');
  for (const [, events] of again) for (const { type, at } of events) if (isBegun(type)) add(at, 'assigned');
  // what they had before they are taken up again stands in the ledger
  const beganAt = new Map(again.map(([id, events]) => [id, events.find(({ type }) => isBegun(type))!.at]));
  const lines = rehearse({ from: now, until, roster, plans, assignments, isTold: () => false });
  for (const { outcome, at, assignment } of lines) if (outcome === 'send' && at! >= (beganAt.get(assignment) ?? 0)) add(at!, 'notices');
} // prettier-ignore

// whatever changes what requirements will do changes one of these
const GET_STATE = `
select concat_ws(' ',
  $1::text,
  (select max(id) from assignments),
  (select max(id) from person_changes),
  (select max(changed_at) from requirements),
  (select max(published_at) from plans)
) as state
`;
const GET_KEPT = 'select state, kept_at, took_ms from ahead_kept';
const FORGET = 'delete from ahead_days';
const INSERT_DAYS = 'insert into ahead_days (day, assigned, notices) select * from unnest($1::date[], $2::integer[], $3::integer[])';
const SET_KEPT = `
insert into ahead_kept (state, kept_at, took_ms)
values ($1::text, $2::timestamptz, $3::integer)
on conflict (id) do update set state = excluded.state, kept_at = excluded.kept_at, took_ms = excluded.took_ms
`;
// two workers that wrote it at once would write the same days
const LOCK = 'select pg_advisory_xact_lock(7309)';

/**
 * Works out what requirements will bring in the days to come, where something changed that it depends on, or an hour has passed.
 * @returns whether it did
 */
export async function keepAhead(deps: Deps): Promise<boolean> {
  const { db, clock } = deps;
  const now = clock.now();
  const { state } = await oneRow<{ state: string }>(db, GET_STATE, [new Date(Math.floor(now / 3_600_000) * 3_600_000).toISOString()]);
  const kept = await maybeRow<{ state: string; kept_at: Date; took_ms: number }>(db, GET_KEPT);
  if (kept?.state === state || (kept && Date.now() < kept.kept_at.getTime() + REST * kept.took_ms)) return false;
  const begun = Date.now();
  let failure: unknown = null;
  const days = [
    ...(await countAhead(deps, now).catch((error: unknown) => {
      // what cannot be worked out is told once and tried again when something has changed, not each second
      if (isPassing(error)) throw error;
      failure = error;
      return new Map<LocalDate, AheadDay>();
    })),
  ];
  await transaction(db, async (client) => {
    await client.query(LOCK);
    await client.query(FORGET);
    await client.query(INSERT_DAYS, [days.map(([day]) => day), days.map(([, of]) => of.assigned), days.map(([, of]) => of.notices)]);
    await client.query(SET_KEPT, [state, new Date(), Date.now() - begun]);
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
