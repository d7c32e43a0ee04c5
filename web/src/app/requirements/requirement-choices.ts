import type { DueRule, WhenOut } from '@nudrik/core';
import type { Choice } from '../shared/pick/select.ts';

/** What the rules of a requirement choose from, in the words of their sentences. */
export const DUE_WORDS: Choice[] = [
  { value: 'working days', label: 'working days after' },
  { value: 'days', label: 'days after' },
  { value: 'month-end', label: 'at the end of the month of' },
  { value: 'date', label: 'on a date' },
];
export const DUE_EVENTS: Choice<Exclude<DueRule, { kind: 'date' }>['event']>[] = [
  { value: 'assigned', label: 'assignment' },
  { value: 'joined', label: 'joining' },
  { value: 'job', label: 'a change of job' },
];
export type Credit = 'ever' | 'months' | 'nothing';
export const CREDITS: Choice<Credit>[] = [
  { value: 'ever', label: 'having finished it ever before' },
  { value: 'months', label: 'having finished it within the last' },
  { value: 'nothing', label: 'nothing that was finished before' },
];
export const RENEWALS: Choice<boolean>[] = [
  { value: false, label: 'never: finishing once is enough' },
  { value: true, label: 'every' },
];
export const WHEN_OUTS: Choice<WhenOut>[] = [
  { value: 'ask', label: 'kept until I decide (asked on Today)' },
  { value: 'withdraw', label: 'withdrawn' },
  { value: 'keep', label: 'kept' },
];
