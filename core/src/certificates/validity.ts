import { addMonths, dateOf, dayOf, type LocalDate } from '../time/calendar.ts';
import { tellAmount } from '../time/words.ts';

/** How long a certificate holds from the day of finishing. */
export interface Validity {
  count: number;
  unit: 'days' | 'months' | 'years';
  /** it holds on to the last day of the month in which it would run out */
  toMonthEnd: boolean;
}

/** What may be said: at the most twenty years. */
export const MOST_VALID: Readonly<Record<Validity['unit'], number>> = { days: 7300, months: 240, years: 20 };

/** The last day on which a certificate holds; null for ever. */
export function expiryOf(issuedOn: LocalDate, validity: Validity | null): LocalDate | null {
  if (validity === null) return null;
  const { count, unit, toMonthEnd } = validity;
  const from = dayOf(issuedOn);
  const until = dateOf(unit === 'days' ? from + count : addMonths(from, unit === 'years' ? count * 12 : count));
  return toMonthEnd ? dateOf(addMonths(dayOf(`${until.slice(0, 8)}01`), 1) - 1) : until;
}

/** “12 months”, “2 years, to the end of the month”, “no expiry”. */
export const tellValidity = (validity: Validity | null): string =>
  validity === null ? 'no expiry' : tellAmount(validity.count, validity.unit) + (validity.toMonthEnd ? ', to the end of the month' : '');

/** Whole months of a validity, at the most as long as it is: what renews by them is never later than what it renews. Null is for ever. */
export const monthsOf = (validity: Validity | null): number | null =>
  validity && Math.max(1, { days: Math.floor(validity.count / 31), months: validity.count, years: validity.count * 12 }[validity.unit]);
