import type { RequirementDraft } from '@nudrik/contract';
import { openConditions, type GroupRow } from '../conditions/condition-model.ts';

/** A requirement as the page holds it; its audience stands in the builder's rows. */
export type RequirementForm = Omit<RequirementDraft, 'audience'>;

export const NEW_FORM: RequirementForm = {
  name: '',
  courseId: '',
  due: { kind: 'after', amount: 14, unit: 'working days', event: 'assigned' },
  dueTime: '17:00',
  graceDays: 14,
  creditMonths: null,
  renewal: null,
  from: null,
  until: null,
  takesJoiners: true,
  whenOut: 'ask',
};

const isWhole = (value: unknown, least: number): boolean => Number.isInteger(value) && (value as number) >= least;
const DATE = /^\d{4}-\d{2}-\d{2}$/;

/** What has to be filled in before a requirement can be looked at or kept, each in a sentence; none when all is there. */
export function whatIsMissing(form: RequirementForm, rows: GroupRow): string[] {
  const { due, renewal, from, until } = form;
  const gaps: [boolean, string][] = [
    [form.name.trim() === '', 'Give it a name.'],
    [form.courseId === '', 'Choose the course.'],
    ...openConditions(rows).map((words): [boolean, string] => [true, words]),
    [due.kind === 'date' && !DATE.test(due.on), 'Give the date on which it is due.'],
    [due.kind === 'after' && !isWhole(due.amount, 0), 'Say after how many days it is due: a whole number, 0 or more.'],
    [due.kind === 'month-end' && !isWhole(due.months, 0), 'Say how many months later it is due: a whole number, 0 or more.'],
    [!/^\d{2}:\d{2}$/.test(form.dueTime), 'Give the time of day at which it is due.'],
    [!isWhole(form.graceDays, 1), 'Say how many days somebody gets whose due date has passed already: a whole number, 1 or more.'],
    [form.creditMonths !== null && !isWhole(form.creditMonths, 0), 'Say how many months back a finish counts: a whole number.'],
    [renewal !== null && !isWhole(renewal.months, 1), 'Say for how many months finishing counts: a whole number, 1 or more.'],
    [
      renewal !== null && !isWhole(renewal.leadDays, 0),
      'Say how many days before it runs out the next round is assigned: a whole number, 0 or more.',
    ],
    [
      renewal !== null && isWhole(renewal.months, 1) && renewal.leadDays >= renewal.months * 28,
      'The next round would be assigned before the last one began: give fewer days before it runs out.',
    ],
    [from !== null && until !== null && until < from, 'The last day is before the first.'],
  ];
  return gaps.flatMap(([isGap, words]) => (isGap ? [words] : []));
}
