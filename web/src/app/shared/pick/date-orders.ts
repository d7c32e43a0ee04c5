import type { DateOrder } from '@nudrik/core';
import type { Choice } from './select.ts';

/** How the dates of a file can be meant, where a file leaves it open. */
export const DATE_ORDERS: Choice<DateOrder>[] = [
  { value: 'dmy', label: 'day, month, year' },
  { value: 'mdy', label: 'month, day, year' },
];
