import { addDays, addMonths, dateOf, dayOf, isKept, weekdayOf, type LocalDate } from './calendar.ts';

/** What somebody typed into a field: nothing, a value, or words that say what was expected. */
export type Typed = { kind: 'empty' } | { kind: 'value'; value: string } | { kind: 'unread'; words: string };

const EMPTY: Typed = { kind: 'empty' };
const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
const WEEKDAYS = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'];
const NEAR: Readonly<Record<string, number>> = { today: 0, tomorrow: 1, yesterday: -1 };

const unread = (text: string, expected: string): Typed => ({ kind: 'unread', words: `“${text}” is not ${expected}.` });
const DATE_EXPECTED = 'a date; write 12.6., 12 Jun 2027, fri, tomorrow or in 10 days';

/** The date of a year, a month from 1 and a day; null where there is none, as on a 31 June. */
function dateAt(year: number, month: number, day: number): LocalDate | null {
  const date = new Date(Date.UTC(2000, month - 1, day));
  date.setUTCFullYear(year, month - 1, day);
  return date.getUTCMonth() === month - 1 && date.getUTCDate() === day ? date.toISOString().slice(0, 10) : null;
}

/** The day and month without a year: the next from `today` on, or the last up to it; 29 February the next leap year's. */
function withoutYear(month: number, day: number, today: LocalDate, leaning: Leaning): LocalDate | null {
  const thisYear = Number(today.slice(0, 4));
  const step = leaning === 'ahead' ? 1 : -1;
  for (let n = 0; n <= 8; n++) {
    const date = dateAt(thisYear + n * step, month, day);
    if (date !== null && (leaning === 'ahead' ? date >= today : date <= today)) return date;
  }
  return null;
}

/** A year of two digits is of this century. */
const yearOf = (text: string): number => (text.length === 2 ? 2000 + Number(text) : Number(text));

const weekdayNamed = (word: string): number => (word.length < 3 ? -1 : WEEKDAYS.findIndex((day) => day.startsWith(word)));

const monthOf = (word: string): number => MONTHS.findIndex((month) => word.startsWith(month)) + 1;

/** Whether a date without a year, or a weekday, is meant before or after today. */
export type Leaning = 'ahead' | 'back';

const FULL_YEAR = /^\d{4}$/;

function byNumbers(text: string, today: LocalDate, leaning: Leaning): LocalDate | null {
  const iso = /^(\d{4})[-./](\d{1,2})[-./](\d{1,2})$/.exec(text);
  if (iso) return dateAt(Number(iso[1]), Number(iso[2]), Number(iso[3]));
  // the day stands first, as between dots everywhere
  const parts = /^(\d{1,2})[-./] ?(\d{1,2})(?:[-./] ?(\d{4}|\d{2}))?\.?$/.exec(text);
  if (!parts) return null;
  const [day, month] = [Number(parts[1]), Number(parts[2])];
  return parts[3] ? dateAt(yearOf(parts[3]), month, day) : withoutYear(month, day, today, leaning);
}

function byMonth(text: string, today: LocalDate, leaning: Leaning): LocalDate | null {
  const words = text
    .replace(/[.,]/g, ' ')
    .replace(/(\d)(st|nd|rd|th)\b/g, '$1')
    .split(/\s+/)
    .filter(Boolean);
  // a weekday before it is said again in words by the field itself
  if (words.length > 2 && weekdayNamed(words[0]!) !== -1) words.shift();
  const at = words.findIndex((word) => /^[a-z]{3,9}$/.test(word) && monthOf(word) > 0);
  const [day, year] = words.filter((_, index) => index !== at);
  if (at === -1 || words.length > 3 || !day || !/^\d{1,2}$/.test(day)) return null;
  const month = monthOf(words[at]!);
  if (!year) return withoutYear(month, Number(day), today, leaning);
  return FULL_YEAR.test(year) || /^\d{2}$/.test(year) ? dateAt(yearOf(year), month, Number(day)) : null;
}

function byDistance(text: string, today: LocalDate): LocalDate | null {
  if (text in NEAR) return addDays(today, NEAR[text]!);
  const parts = /^(?:(in|\+) ?)?(a|an|one|\d{1,5}) ?(d|days?|w|weeks?|m|months?|y|years?)?( ago)?$/.exec(text);
  // a number alone is a distance only where something says so
  if (!parts || (!parts[3] && parts[1] !== '+') || (parts[1] && parts[4])) return null;
  const count = (/^\d/.test(parts[2]!) ? Number(parts[2]) : 1) * (parts[4] ? -1 : 1);
  const unit = (parts[3] ?? 'd')[0]!;
  if (unit === 'd' || unit === 'w') return addDays(today, count * (unit === 'w' ? 7 : 1));
  return dateOf(addMonths(dayOf(today), count * (unit === 'y' ? 12 : 1)));
}

function byWeekday(text: string, today: LocalDate, leaning: Leaning): LocalDate | null {
  const found = weekdayNamed(text);
  if (found === -1) return null;
  const away = (found + 1 - weekdayOf(dayOf(today)) + 7) % 7 || 7;
  return addDays(today, leaning === 'ahead' ? away : away === 7 ? -7 : away - 7);
}

/**
 * Reads a date as people type it: `2027-06-12`, `12.6.`, `12/6/27`, `12 Jun`, `June 12, 2027`, `fri`, `tomorrow`,
 * `in 10 days`, `2 weeks ago`, `+10`. The day stands before the month.
 * @param today the local date that it is counted from
 * @param leaning whether a date without a year, or a weekday, lies ahead or back; a weekday is never today
 */
export function readTypedDate(text: string, today: LocalDate, leaning: Leaning = 'ahead'): Typed {
  const plain = text.trim().toLowerCase().replace(/\s+/g, ' ');
  if (plain === '') return EMPTY;
  const date =
    byNumbers(plain, today, leaning) ?? byDistance(plain, today) ?? byWeekday(plain, today, leaning) ?? byMonth(plain, today, leaning);
  if (date === null) return unread(text.trim(), DATE_EXPECTED);
  return isKept(date) ? { kind: 'value', value: date } : unread(text.trim(), 'a year from 1970 to 2199');
}

const TIME = /^(\d{1,2})(?:[:.h ]?([0-5]\d))?\s*(am|pm)?$/;

/** Reads a time of day as people type it: `9`, `930`, `9:30`, `17.00`, `5 pm`. @returns `HH:MM` */
export function readTypedTime(text: string): Typed {
  const plain = text.trim().toLowerCase();
  if (plain === '') return EMPTY;
  const parts = TIME.exec(plain);
  const [hour, half] = [Number(parts?.[1]), parts?.[3]];
  const fits = parts !== null && (half ? hour >= 1 && hour <= 12 : hour <= 23);
  if (!fits) return unread(text.trim(), 'a time of day; write 9, 9:30 or 17:00');
  const inDay = half ? (hour % 12) + (half === 'pm' ? 12 : 0) : hour;
  return { kind: 'value', value: `${String(inDay).padStart(2, '0')}:${parts[2] ?? '00'}` };
}
