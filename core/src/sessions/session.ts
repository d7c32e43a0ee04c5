import type { Leave } from '../people/person.ts';
import { dayOf } from '../time/calendar.ts';
import { tellDay, tellMoment } from '../time/words.ts';
import { HOUR, type Day, type Instant, type Zone } from '../time/zone.ts';

/** How people come to a seat in a session of a unit. */
export interface SessionRules {
  /** employees choose one themselves */
  employees: boolean;
  /** managers choose one for their people */
  managers: boolean;
  /** whoever has the course gets a seat in the next one with room that does not clash */
  rule: boolean;
  /** until how many hours before it starts a seat may be taken or given up */
  closes: number;
}
export const NEW_SESSIONS: SessionRules = { employees: true, managers: true, rule: false, closes: 12 };

/** When a session takes place. */
export interface SessionSpan {
  id: string;
  title: string;
  startsAt: Instant;
  endsAt: Instant;
}

/** What is wrong with a session as it is written, in a sentence, or null. */
export function sessionFault(
  { startsAt, endsAt, seats }: Pick<SessionSpan, 'startsAt' | 'endsAt'> & { seats: number },
  now: Instant,
  taken: number,
): string | null {
  if (endsAt <= startsAt) return 'It ends before it starts: expected an end after its start.';
  if (endsAt - startsAt > MOST_MS) return 'It lasts longer than two weeks: expected several sessions instead of one.';
  if (startsAt <= now) return 'It starts in the past: expected a time that is still to come.';
  if (seats < taken) return `It has ${seats} seats, and ${taken} are taken: expected at least as many as are taken.`;
  return null;
}
const MOST_MS = 14 * 86_400_000;

export type Clash = { kind: 'leave'; from: Day; to: Day | null } | { kind: 'session'; other: SessionSpan };

/** What somebody cannot be at a session for: leave, by the days of their own calendar, or a seat in another one at that time. */
export function clashOf(span: SessionSpan, leave: readonly Leave[], others: readonly SessionSpan[], zone: Zone): Clash | null {
  const [first, last] = [zone.dayAt(span.startsAt), zone.dayAt(span.endsAt - 1)];
  const away = leave.find(({ from, to }) => dayOf(from) <= last && (to === null || dayOf(to) >= first));
  if (away) return { kind: 'leave', from: dayOf(away.from), to: away.to === null ? null : dayOf(away.to) };
  const other = others.find(({ id, startsAt, endsAt }) => id !== span.id && startsAt < span.endsAt && span.startsAt < endsAt);
  return other ? { kind: 'session', other } : null;
}

/** What keeps them, as the rest of a sentence that begins with their name. */
export function tellClash(clash: Clash, zone: Zone, now: Instant): string {
  const today = zone.dayAt(now);
  if (clash.kind === 'session') return `has a seat in “${clash.other.title}”, ${tellMoment(clash.other.startsAt, zone, now)}`;
  const from = tellDay(clash.from, today);
  return clash.to === null ? `is on leave from ${from}` : `is on leave ${from} to ${tellDay(clash.to, today)}`;
}

/** Whether it is too late to take a seat, or to give one up, for everybody but the training office. */
export const isTooLate = ({ closes }: Pick<SessionRules, 'closes'>, startsAt: Instant, now: Instant): boolean =>
  now > startsAt - closes * HOUR;

/** Who came is recorded from twelve hours before it starts: lists are opened in the morning of the day. */
export const HELD_BEFORE = 12 * HOUR;
export const heldFrom = (startsAt: Instant): Instant => startsAt - HELD_BEFORE;

/** Of sessions with room, the one that starts first and does not clash; null is none. */
export function nextSession<T extends SessionSpan & { free: number }>(
  sessions: readonly T[],
  leave: readonly Leave[],
  others: readonly SessionSpan[],
  zone: Zone,
): T | null {
  const open = sessions.filter(({ free }) => free > 0).sort((a, b) => a.startsAt - b.startsAt || Number(a.id) - Number(b.id));
  return open.find((session) => clashOf(session, leave, others, zone) === null) ?? null;
}
