import { DAY_MS, MINUTE, Zone, type Day, type Instant } from './zone.ts';

/** A date as `YYYY-MM-DD`. */
export type LocalDate = string;

/** A working calendar as it is stored: an IANA zone, weekdays 1 (Monday) … 7, and holidays. */
export interface CalendarFacts {
  id: string;
  zone: string;
  workingDays: readonly number[];
  holidays: readonly LocalDate[];
}

export interface SendWindow {
  /** local times `HH:MM`, both inclusive */
  from: string;
  to: string;
}

export function dayOf(date: LocalDate): Day {
  return Math.floor(Date.UTC(Number(date.slice(0, 4)), Number(date.slice(5, 7)) - 1, Number(date.slice(8, 10))) / DAY_MS);
}

// few days are written again and again: reconciling a large roster spends a quarter of its time here otherwise
const written = new Map<Day, LocalDate>();

export function dateOf(day: Day): LocalDate {
  let date = written.get(day);
  if (date === undefined) written.set(day, (date = new Date(day * DAY_MS).toISOString().slice(0, 10)));
  return date;
}

/** Whether a date lies in the years that Nudrik keeps: 1970 to 2199. */
export const isKept = (date: LocalDate): boolean => /^\d{4}-/.test(date) && date >= '1970' && date < '2200';

/** A date some days later, or earlier where negative. */
export const addDays = (date: LocalDate, days: number): LocalDate => dateOf(dayOf(date) + days);

/** 1 = Monday … 7 = Sunday. */
export function weekdayOf(day: Day): number {
  return ((((day + 3) % 7) + 7) % 7) + 1;
}

/** Milliseconds of `HH:MM` since local midnight. */
export function msOfTime(time: string): number {
  // by character codes: slicing and parsing cost a tenth of all planning
  return ((time.charCodeAt(0) * 10 + time.charCodeAt(1) - 528) * 60 + time.charCodeAt(3) * 10 + time.charCodeAt(4) - 528) * MINUTE;
}

/** Adds months to a day; the end of a month clamps: 31 Jan + 1 month = 28 or 29 Feb. */
export function addMonths(day: Day, months: number): Day {
  const date = new Date(day * DAY_MS);
  const year = date.getUTCFullYear();
  const month = date.getUTCMonth() + months;
  const lastOfMonth = new Date(Date.UTC(year, month + 1, 0)).getUTCDate();
  return Math.floor(Date.UTC(year, month, Math.min(date.getUTCDate(), lastOfMonth)) / DAY_MS);
}

/** A calendar ready for arithmetic. */
export class Calendar {
  readonly zone: Zone;
  private readonly working: boolean[];
  private readonly holidays: Set<Day>;

  /** @throws RangeError when the zone is unknown or no weekday is a working day */
  constructor(readonly facts: CalendarFacts) {
    this.zone = Zone.of(facts.zone);
    this.working = Array.from({ length: 8 }, (_, weekday) => facts.workingDays.includes(weekday));
    if (!this.working.some(Boolean))
      throw new RangeError(`Calendar "${facts.id}" has no working day; expected at least one weekday from 1 to 7.`);
    this.holidays = new Set(facts.holidays.map(dayOf));
  }

  isHoliday(day: Day): boolean {
    return this.holidays.has(day);
  }

  isWorkingDay(day: Day): boolean {
    return this.working[weekdayOf(day)]! && !this.holidays.has(day);
  }

  /** The nth working day after (before, where negative) `day`; 0 is the day itself, working or not. */
  addWorkingDays(day: Day, count: number): Day {
    const step = Math.sign(count);
    let left = Math.abs(count);
    while (left > 0) {
      day += step;
      if (this.isWorkingDay(day)) left -= 1;
    }
    return day;
  }

  /** The first allowed moment at or after `instant`: itself, or the `from` of a working day. */
  fitLater(instant: Instant, window: SendWindow): Instant {
    const { day, ms } = this.zone.toLocal(instant);
    const from = msOfTime(window.from);
    if (this.isWorkingDay(day)) {
      if (ms < from) return this.zone.toInstant(day, from);
      if (ms <= msOfTime(window.to)) return instant;
    }
    return this.zone.toInstant(this.addWorkingDays(day, 1), from);
  }

  /** The last allowed moment at or before `instant`: itself, or the `to` of a working day. */
  fitEarlier(instant: Instant, window: SendWindow): Instant {
    const { day, ms } = this.zone.toLocal(instant);
    const to = msOfTime(window.to);
    if (this.isWorkingDay(day)) {
      if (ms > to) return this.zone.toInstant(day, to);
      if (ms >= msOfTime(window.from)) return instant;
    }
    return this.zone.toInstant(this.addWorkingDays(day, -1), to);
  }
}

/** Calendars by id, each made when it is asked for: one that cannot be worked with is nobody's fault but its own people's. */
export class Calendars {
  private readonly facts: ReadonlyMap<string, CalendarFacts>;
  private readonly made = new Map<string, Calendar>();

  constructor(facts: readonly CalendarFacts[]) {
    this.facts = new Map(facts.map((calendar) => [calendar.id, calendar]));
  }

  /** @throws RangeError for a calendar with an unknown zone or without a working day */
  get(id: string): Calendar | undefined {
    let calendar = this.made.get(id);
    const facts = calendar ? undefined : this.facts.get(id);
    if (facts) this.made.set(id, (calendar = new Calendar(facts)));
    return calendar;
  }
}
