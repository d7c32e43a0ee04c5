import type { Role } from '../people/role.ts';
import type { Way } from '../people/ways.ts';
import type { LocalDate } from '../time/calendar.ts';
import { tellAmount, tellList } from '../time/words.ts';
import { anchorFault, tellAnchor, type Anchor } from './anchor.ts';
import { tellCondition, type Condition } from '../conditions/condition.ts';

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
/** Kinds that nobody is owed: tips on the way, and what comes after. */
export const canBeDeclined = (kind: Kind): boolean => kind === 'onboarding' || kind === 'follow-up';
export const isExemptFromLimit = (kind: Kind): boolean => PRECEDENCE[kind] === 0;

export const UNITS = ['minutes', 'hours', 'days', 'working days', 'weeks', 'months'] as const;
export type Unit = (typeof UNITS)[number];
export const isElapsed = (unit: Unit): boolean => unit === 'minutes' || unit === 'hours';

export interface Duration {
  amount: number;
  unit: Unit;
}

/** How many of a unit ten years hold at the most: longer spans and later repeats are a slip of the hand. */
const TEN_YEARS: Record<Unit, number> = {
  minutes: 5_259_600,
  hours: 87_660,
  days: 3_653,
  'working days': 2_610,
  weeks: 522,
  months: 120,
};

/** What is wrong with a span of time, in words without a full stop, or null: none is longer than ten years. */
export function spanFault({ amount, unit }: Duration, times = 1): string | null {
  const most = TEN_YEARS[unit];
  const span = Math.abs(amount) * times;
  return span <= most ? null : `expected at most ten years (${most} ${unit}); got ${span} ${unit}`;
}

/** The same of repeats: the last of them comes within ten years of the first. */
export const repeatFault = ({ every, times }: { every: Duration; times: number }): string | null => {
  const fault = spanFault(every, times - 1);
  return fault && `the last repeat comes too late: ${fault}`;
};

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
  /** how it reaches people; null or none is as each of them has it */
  by?: Way | null;
  /** who is told may have no more of it: never of what required training asks */
  mayDecline?: boolean;
}

export const isBeforeDue = (step: Step): boolean => step.anchor.event === 'due' && step.offset.amount < 0;

export const windowOf = (step: Step): 'exact' | 'later' | 'earlier' => step.window ?? (isBeforeDue(step) ? 'earlier' : 'later');

/** Whether a step is a rung of the ladder: what tells the line that somebody is late. */
export const isRung = ({ kind, anchor, offset }: Step): boolean => kind === 'manager' && anchor.event === 'due' && offset.amount >= 0;

/** What is wrong with a step's timing, in a sentence, or null. */
export function stepFault(step: Step): string | null {
  if (step.at !== null && isElapsed(step.offset.unit))
    return `"${step.name}": a time of day (${step.at}) goes with days, working days, weeks or months; got ${step.offset.unit}.`;
  if (step.gather === 'per day' && step.at === null) return `"${step.name}": a message gathered per day needs a time of day.`;
  const anchor = anchorFault(step.anchor);
  if (anchor) return `"${step.name}": ${anchor}.`;
  if (step.repeat && step.repeat.every.amount <= 0)
    return `"${step.name}": a repeat needs at least 1 ${step.repeat.every.unit} between; got ${step.repeat.every.amount}.`;
  if (step.repeat && step.repeat.times < 1) return `"${step.name}": a repeat needs at least one time; got ${step.repeat.times}.`;
  const tooFar = spanFault(step.offset) ?? (step.repeat && repeatFault(step.repeat));
  if (tooFar) return `"${step.name}": ${tooFar}.`;
  if (step.mayDecline && !canBeDeclined(step.kind))
    return `"${step.name}": only what is on the way (onboarding) and what comes after (follow-up) may be declined; got ${step.kind}.`;
  if (step.to.length === 0) return `"${step.name}": a step needs somebody to write to.`;
  return null;
}

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
      ? '; every ' +
        `${step.repeat.every.amount === 1 ? step.repeat.every.unit.replace(/s$/, '') : tellAmount(step.repeat.every.amount, step.repeat.every.unit)}` +
        `, ${step.repeat.times} times`
      : '';
  const gathered = step.gather === 'per day' ? ', one message a day' : '';
  return base + at + times + gathered;
}

/** `employee, only if not finished` in words. */
export function tellWho(step: Step): string {
  return tellList(step.to) + (step.onlyIf ? `, only if ${tellCondition(step.onlyIf)}` : '');
}
