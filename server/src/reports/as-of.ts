import type { AsOfQuery } from '@nudrik/contract';
import { dateOf, dayOf, tellDate, type Instant, type Known, type Zone } from '@nudrik/core';
import { Refused } from '../refusal.ts';

/** When figures are of: the moment, the day of the house that it is in, and by which reading, where that day has passed. */
export interface At {
  now: Instant;
  today: string;
  past: Known | null;
  /** so long ago that everything that was done by then is on the record: nothing of it is being written still */
  isOver: boolean;
}

/** What was done at a moment is on the record by so much later. */
const WRITTEN_BY = 86_400_000;

/** Now; or the end of a day that has passed. */
export function atOf({ on, known }: Pick<AsOfQuery, 'on' | 'known'>, now: Instant, zone: Zone): At {
  const today = dateOf(zone.dayAt(now));
  if (on === undefined || on === today) return { now, today, past: null, isOver: false };
  if (on > today)
    throw new Refused('wrong-input', `${tellDate(dayOf(on))} has not come yet; expected a day that has passed, or none for what is now.`);
  const moment = zone.toInstant(dayOf(on) + 1, 0);
  return { now: moment, today: on, past: known, isOver: moment <= now - WRITTEN_BY };
}

const isThen = ({ past }: At): boolean => past === 'then';

export const atNow = (now: Instant, zone: Zone): At => atOf({ known: 'then' }, now, zone);

/** The people, their assignments, and how they stand with courses, of that time; $1 is its moment, $2 its day. */
export const peopleAt = (at: At): string => (at.past === null ? 'people' : `roster_at($1::timestamptz, $2::date, ${isThen(at)})`);
export const standingsAt = (at: At): string => (at.past === null ? 'standings' : `standings_at($1::timestamptz, $2::date, ${isThen(at)})`);
export const assignmentsAt = (at: At): string => (at.past === null ? 'assignments' : `assignments_at($1::timestamptz, ${isThen(at)})`);
