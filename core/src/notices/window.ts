import type { Digest, Person, Settings } from '../people/person.ts';
import { managerLevel, type Role } from '../people/role.ts';
import { windowOf, type Step } from '../plans/step.ts';
import { weekdayOf, type Calendar, type SendWindow } from '../time/calendar.ts';
import { DAY_MS, type Instant } from '../time/zone.ts';

/**
 * When somebody may be told: inside the send window of the house, or, for an employee who chose to hear of everything of a day at
 * once, at that time of their day. Every door goes by these: planning, deciding again, the rehearsal, the dispatcher.
 */

const windows = new Map<string, SendWindow>();

/** What somebody hears of their people comes at once, where they chose that. */
const digestOf = (to: Role, reader: Person | null): Digest | null => (managerLevel(to) === null ? null : (reader?.digest ?? null));

/** The one moment of a day at which somebody hears of everything; null where each message has its own. */
function dailyWindow(to: Role, reader: Person | null): SendWindow | null {
  const at = to === 'employee' ? (reader?.dailyAt ?? null) : (digestOf(to, reader)?.at ?? null);
  if (at === null) return null;
  let window = windows.get(at);
  if (!window) windows.set(at, (window = { from: at, to: at }));
  return window;
}

/** Whom a notice reads: its role, the person of it, their calendar. */
export interface Reading {
  to: Role;
  reader: Person | null;
  calendar: Calendar;
}

/**
 * The first moment at or after one at which somebody may be told. A choice gathers, and makes nothing late: what it would bring within
 * the last day before the due date goes at its own moment.
 * @param dueOf the due date as it is known at a moment; asked only of who chose
 */
export function tellableFrom(at: Instant, { to, reader, calendar }: Reading, settings: Settings, dueOf: (at: Instant) => Instant): Instant {
  const own = calendar.fitLater(at, settings.sendWindow);
  const daily = dailyWindow(to, reader);
  if (daily === null) return own;
  const on = digestOf(to, reader)?.on ?? null;
  const gathered = on === null ? calendar.fitLater(at, daily) : fitWeekly(at, daily, on, calendar);
  const dueAt = dueOf(own);
  return gathered > own && own < dueAt && gathered > dueAt - DAY_MS ? own : gathered;
}

const WEEK = 7;

/** The first moment at or after one on a day of the week; where that one is no working day, on the next that is. */
function fitWeekly(at: Instant, window: SendWindow, on: number, calendar: Calendar): Instant {
  const today = calendar.zone.dayAt(at);
  const last = today - ((weekdayOf(today) - on + WEEK) % WEEK);
  const fitted = (day: number): Instant => calendar.fitLater(calendar.zone.toInstant(day, 0), window);
  return fitted(last) >= at ? fitted(last) : fitted(last + WEEK);
}

/** The last moment at or before one at which somebody may be told. */
export const tellableBefore = (at: Instant, { to, reader, calendar }: Reading, settings: Settings): Instant =>
  calendar.fitEarlier(at, dailyWindow(to, reader) ?? settings.sendWindow);

/** Whether a message to somebody goes with all others of their day: not what goes at an exact moment, nor what brings files of its own. */
export function isDaily(
  step: Step & { message?: { files?: readonly { as: string }[]; withCertificate?: boolean; withRecord?: boolean } },
  to: Role,
  reader: Person | null,
): boolean {
  return (
    dailyWindow(to, reader) !== null &&
    windowOf(step) !== 'exact' &&
    !step.message?.withCertificate &&
    !step.message?.withRecord &&
    !step.message?.files?.some(({ as }) => as === 'attached')
  );
}
