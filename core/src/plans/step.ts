import type { Role } from '../people/chain.ts';
import type { LocalDate } from '../time/calendar.ts';
import { tellAmount, tellList } from '../time/words.ts';
import { tellCondition, type Condition } from './condition.ts';

export const KINDS = ['invitation', 'onboarding', 'reminder', 'late', 'manager', 'certificate', 'follow-up'] as const;
export type Kind = (typeof KINDS)[number];

/** Precedence within a person's day when the daily limit bites; invitations and certificates are exempt. */
const PRECEDENCE: Record<Kind, number> = {
  invitation: 0,
  certificate: 0,
  late: 1,
  manager: 2,
  reminder: 3,
  onboarding: 4,
  'follow-up': 5,
};
export const precedenceOf = (kind: Kind): number => PRECEDENCE[kind];
export const isExemptFromLimit = (kind: Kind): boolean => PRECEDENCE[kind] === 0;

export const UNITS = ['minutes', 'hours', 'days', 'working days', 'weeks', 'months'] as const;
export type Unit = (typeof UNITS)[number];
export const isElapsed = (unit: Unit): boolean => unit === 'minutes' || unit === 'hours';

export const ANCHORS = [
  'assigned', 'unit-opened', 'unit-finished', 'quiz-submitted', 'quiz-passed', 'quiz-failed', 'signed-off', 'due',
  'finished', 'certificate-issued', 'expires', 'session-starts', 'idle', 'date',
] as const; // prettier-ignore
export type AnchorEvent = (typeof ANCHORS)[number];

export interface Anchor {
  event: AnchorEvent;
  unit?: string;
  date?: LocalDate;
}

export interface Duration {
  amount: number;
  unit: Unit;
}

/** One line of a plan, as it is stored. */
export interface Step {
  id: string;
  name: string;
  kind: Kind;
  on: boolean;
  anchor: Anchor;
  offset: Duration;
  /** local time `HH:MM` in the recipient's zone; only with days, working days, weeks or months */
  at: string | null;
  /** null is the default: `earlier` before due, `later` otherwise */
  window: 'exact' | 'later' | 'earlier' | null;
  /** times counts the first */
  repeat: { every: Duration; times: number } | null;
  to: readonly Role[];
  gather: 'none' | 'per day';
  /** last local date, inclusive, in the assignee's zone */
  endsOn: LocalDate | null;
  onlyIf: Condition | null;
  stopWhen: Condition | null;
}

/** Anchors whose notices go although the assignment is closed. */
export const outlivesAssignment = (event: AnchorEvent): boolean =>
  event === 'finished' || event === 'certificate-issued' || event === 'expires';

export const isBeforeDue = (step: Step): boolean => step.anchor.event === 'due' && step.offset.amount < 0;

export const windowOf = (step: Step): 'exact' | 'later' | 'earlier' => step.window ?? (isBeforeDue(step) ? 'earlier' : 'later');

/** What is wrong with a step's timing, in a sentence, or null. */
export function stepFault(step: Step): string | null {
  if (step.at !== null && isElapsed(step.offset.unit))
    return `"${step.name}": a time of day (${step.at}) goes with days, working days, weeks or months; got ${step.offset.unit}.`;
  if (step.gather === 'per day' && step.at === null) return `"${step.name}": a message gathered per day needs a time of day.`;
  if (step.anchor.event === 'date' && !step.anchor.date) return `"${step.name}": the anchor "date" needs a date.`;
  if ((step.anchor.event === 'unit-opened' || step.anchor.event === 'unit-finished') && !step.anchor.unit)
    return `"${step.name}": the anchor "${step.anchor.event}" needs a unit.`;
  if (step.repeat && step.repeat.every.amount <= 0)
    return `"${step.name}": a repeat needs at least 1 ${step.repeat.every.unit} between; got ${step.repeat.every.amount}.`;
  if (step.repeat && step.repeat.times < 1) return `"${step.name}": a repeat needs at least one time; got ${step.repeat.times}.`;
  if (step.to.length === 0) return `"${step.name}": a step needs somebody to write to.`;
  return null;
}

const ANCHOR_WORDS: Record<AnchorEvent, string> = {
  assigned: 'assigned', 'unit-opened': 'the unit opens', 'unit-finished': 'the unit is finished', 'quiz-submitted': 'the quiz is submitted',
  'quiz-passed': 'the quiz is passed', 'quiz-failed': 'the quiz is failed', 'signed-off': 'signed off', due: 'due', finished: 'finished',
  'certificate-issued': 'the certificate is issued', expires: 'the certificate expires', 'session-starts': 'the session starts', idle: 'the last activity', date: 'the date',
}; // prettier-ignore

export const tellAnchor = (anchor: Anchor): string => (anchor.event === 'date' ? `${anchor.date}` : ANCHOR_WORDS[anchor.event]);

/** `2 days after assigned, 09:00; every 3 working days, 4 times`. */
export function tellWhen(step: Step): string {
  const { amount, unit } = step.offset;
  const anchor = tellAnchor(step.anchor);
  const base =
    amount === 0
      ? step.anchor.event === 'date'
        ? `on ${anchor}`
        : `when ${anchor}`
      : `${tellAmount(amount, unit)} ${amount < 0 ? 'before' : 'after'} ${anchor}`;
  const at = step.at ? `, ${step.at}` : '';
  const times =
    step.repeat && step.repeat.times > 1
      ? `; every ${step.repeat.every.amount === 1 ? step.repeat.every.unit.replace(/s$/, '') : tellAmount(step.repeat.every.amount, step.repeat.every.unit)}, ${step.repeat.times} times`
      : '';
  const gathered = step.gather === 'per day' ? ', one message a day' : '';
  return base + at + times + gathered;
}

/** `employee, only if not finished` in words. */
export function tellWho(step: Step): string {
  return tellList(step.to) + (step.onlyIf ? `, only if ${tellCondition(step.onlyIf)}` : '');
}
