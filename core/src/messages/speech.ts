import { OUTCOME_WORDS } from '../conditions/catalogue.ts';
import type { SignOffOutcome } from '../plans/anchor.ts';
import type { HoldReason } from '../notices/decide.ts';
import type { Language } from '../people/language.ts';
import { dateOf, type Calendar } from '../time/calendar.ts';
import { tellDistance, tellNear, tellWorkingDistance, workingDaysBetween } from '../time/relative.ts';
import { DETOUR_WORDS, type Detour, type Recipient } from '../people/role.ts';
import { tellAmount, tellDate, tellDay, tellList, tellMoment, tellTime, zoneWords } from '../time/words.ts';
import { DAY_MS, HOUR, type Day, type Instant, type Zone } from '../time/zone.ts';
import { TABLE_COLUMNS, type TableColumn } from './body.ts';
import { PHRASES } from './phrases.ts';
import { HOLD_WORDS } from './told.words.ts';

/** What a message says beside the words of its author, in one language. */
export interface Phrases {
  units: (n: number) => string;
  unitsOf: (done: number, n: number) => string;
  /** `in 3 working days`, `3 working days ago` */
  workingDays: (n: number, isAhead: boolean) => string;
  beforeNextWorkingDay: string;
  sinceLastWorkingDay: string;
  /** a day and its time, `tomorrow at 17:00` */
  at: (day: string, time: string) => string;
  /** before a day that is named, `on Fri 8 May`; some languages say nothing there */
  on: string;
  result: (score: number, isPassed: boolean) => string;
  waitsForMarking: string;
  outcomes: Readonly<Record<SignOffOutcome, string>>;
  noExpiry: string;
  /** under a message: whose it is, and who reads the reply */
  footer: (sender: string, organisation: string, reader: string | null) => string;
  columns: Readonly<Record<TableColumn, string>>;
  submissions: readonly [person: string, quiz: string, attempt: string, result: string, submitted: string];
  /** @param place of a zone, `Oslo` */
  timesAre: (place: string) => string;
  notTold: (why: string) => string;
  notToldYet: string;
  cameBack: (when: string) => string;
  holds: Readonly<Record<HoldReason, string>>;
  /** @param times null is as often as one likes */
  opensFor: (span: string, times: number | null) => string;
  /** behind the subject of one of several messages that come together: `and 2 more` */
  more: (n: number) => string;
  /** of a link by which its reader has no more of the kind */
  decline: string;
  /** why a message that was meant for somebody else reaches its reader */
  lead: (reasons: readonly string[]) => string;
  detours: { readonly [K in Detour['why']]: (detour: Extract<Detour, { why: K }>) => string };
  /** what a due date is called in a calendar, and what a calendar of one's own dates is */
  dueEntry: (course: string) => string;
  ownDates: string;
}

const ENGLISH: Phrases = {
  units: (n) => tellAmount(n, 'units'),
  unitsOf: (done, n) => `${done} of ${tellAmount(n, 'units')}`,
  workingDays: (n, isAhead) => (isAhead ? `in ${tellAmount(n, 'working days')}` : `${tellAmount(n, 'working days')} ago`),
  beforeNextWorkingDay: 'before the next working day',
  sinceLastWorkingDay: 'since the last working day',
  at: (day, time) => `${day} at ${time}`,
  on: 'on ',
  result: (score, isPassed) => `${score} %, ${isPassed ? 'passed' : 'not passed'}`,
  waitsForMarking: 'waits for marking',
  outcomes: OUTCOME_WORDS,
  noExpiry: 'no expiry',
  footer: (sender, organisation, reader) =>
    `${sender}, ${organisation}. Stuck? Just reply${reader === null ? '' : `, ${reader} reads it`}.`,
  columns: TABLE_COLUMNS,
  submissions: ['Person', 'Quiz', 'Attempt', 'Result', 'Submitted'],
  timesAre: (place) => `Times are ${place} time.`,
  notTold: (why) => `not told: ${why}`,
  notToldYet: 'not told yet',
  cameBack: (when) => `mail came back ${when}`,
  holds: HOLD_WORDS,
  more: (n) => `and ${n} more`,
  decline: 'I do not want messages like this one',
  lead: (reasons) => `This reaches you since ${tellList(reasons)}.`,
  detours: DETOUR_WORDS,
  dueEntry: (course) => `Due: ${course}`,
  ownDates: 'my dates',
  opensFor: (span, times) =>
    `opens for ${span} after this message went${times === null ? '' : times === 1 ? ', once' : `, ${times} times`}`,
};

/** How a language tells days, moments and distances, and what else stands in a message beside its author's words. */
export interface Speech extends Phrases {
  language: Language;
  day: (day: Day, today: Day | null) => string;
  date: (day: Day) => string;
  moment: (at: Instant, zone: Zone, now: Instant | null) => string;
  distance: (from: Instant, to: Instant, zone: Zone) => string;
  near: (from: Instant, to: Instant, zone: Zone) => string;
  workingDistance: (from: Instant, to: Instant, calendar: Calendar) => string;
  /** `24 hours`, `3 days` */
  span: (amount: number, unit: 'hours' | 'days') => string;
}

const SPEECHES = new Map<Language, Speech>();

/** For whom its reader stands in; null where a message reaches whom it was meant for. */
export const tellLead = ({ detours, lead }: Speech, recipient: Recipient): string | null =>
  recipient.person && recipient.detours?.length
    ? lead(recipient.detours.map((detour) => (detours[detour.why] as (of: Detour) => string)(detour)))
    : null;

export function speechOf(language: Language): Speech {
  let speech = SPEECHES.get(language);
  if (!speech) SPEECHES.set(language, (speech = language === 'en' ? english() : another(language, PHRASES[language])));
  return speech;
}

const english = (): Speech => ({
  ...ENGLISH,
  language: 'en',
  day: tellDay,
  date: tellDate,
  moment: tellMoment,
  distance: tellDistance,
  near: tellNear,
  workingDistance: tellWorkingDistance,
  span: tellAmount,
});

/** By what every browser and server knows of a language (CLDR); days stand in it as the calendar counts them, and not by the machine's zone. */
function another(language: Language, phrases: Phrases): Speech {
  const utc = { timeZone: 'UTC' } as const;
  const short = new Intl.DateTimeFormat(language, { ...utc, weekday: 'short', day: 'numeric', month: 'short' });
  const withYear = new Intl.DateTimeFormat(language, { ...utc, weekday: 'short', day: 'numeric', month: 'short', year: 'numeric' });
  const dated = new Intl.DateTimeFormat(language, { ...utc, day: 'numeric', month: 'short', year: 'numeric' });
  const relative = new Intl.RelativeTimeFormat(language, { numeric: 'auto' });
  const counted = new Intl.RelativeTimeFormat(language, { numeric: 'always' });
  const dateAt = (day: Day): Date => new Date(`${dateOf(day)}T00:00:00Z`);
  const day = (one: Day, today: Day | null): string =>
    (today !== null && dateOf(one).slice(0, 4) !== dateOf(today).slice(0, 4) ? withYear : short).format(dateAt(one));
  const distance = (from: Instant, to: Instant, zone: Zone): string => {
    const days = zone.dayAt(to) - zone.dayAt(from);
    if (Math.abs(to - from) < DAY_MS && Math.abs(days) < 2) {
      const hours = Math.round((to - from) / HOUR);
      return hours === 0 ? relative.format(0, 'second') : counted.format(hours, 'hour');
    }
    return counted.format(days, 'day');
  };
  return {
    ...phrases,
    language,
    day,
    date: (one) => dated.format(dateAt(one)),
    moment: (at, zone, now) => `${day(zone.dayAt(at), now === null ? null : zone.dayAt(now))} ${tellTime(at, zone)}`,
    distance,
    near: (from, to, zone) => {
      const [today, one] = [zone.dayAt(from), zone.dayAt(to)];
      const words = Math.abs(one - today) < 2 ? relative.format(one - today, 'day') : phrases.on + day(one, today);
      return phrases.at(words, tellTime(to, zone));
    },
    workingDistance: (from, to, calendar) => {
      const count = workingDaysBetween(from, to, calendar);
      if (count === null) return distance(from, to, calendar.zone);
      const { zone } = calendar;
      if (zone.dayAt(from) === zone.dayAt(to)) return relative.format(0, 'day');
      const isAhead = to > from;
      if (count === 0) return isAhead ? phrases.beforeNextWorkingDay : phrases.sinceLastWorkingDay;
      return phrases.workingDays(count, isAhead);
    },
    span: (amount, unit) =>
      new Intl.NumberFormat(language, { style: 'unit', unit: unit === 'hours' ? 'hour' : 'day', unitDisplay: 'long' }).format(amount),
  };
}

/** `Times are Oslo time.` */
export const timesAre = (speech: Speech, zone: Zone): string => speech.timesAre(zoneWords(zone.name).replace(/ time$/, ''));
