import { expect, test } from 'vitest';
import { newGroup, newRow, type GroupRow, type Row } from '../conditions/condition-model.ts';
import { NEW_FORM, whatIsMissing, type RequirementForm } from './requirement-form.ts';

const deck: Row = { kind: 'leaf', isNot: false, leaf: { department: ['1'], below: true } };
const rows = (...list: Row[]): GroupRow => ({ kind: 'group', isNot: false, mode: 'all', rows: list });
const FULL: RequirementForm = { ...NEW_FORM, name: 'Fire teams for deck', courseId: '2' };
const due = (rest: object): Partial<RequirementForm> => ({ due: { ...FULL.due, ...rest } as RequirementForm['due'] });

test.each<[string, Partial<RequirementForm>, GroupRow, string[]]>([
  ['all is there', {}, rows(deck), []],
  ['no condition at all is everyone', {}, rows(), []],
  ['a name of blanks', { name: '  ' }, rows(deck), ['Give it a name.']],
  ['nothing yet', NEW_FORM, rows(newRow()), ['Give it a name.', 'Choose the course.', 'Condition 1 is not finished: choose a department, or remove it.']],
  ['a later condition that says nothing', {}, rows(deck, newRow('group'), newRow('joinedBefore')), ['Condition 2 is not finished: choose a group, or remove it.', 'Condition 3 is not finished: give the date, or remove it.']],
  ['a condition inside a group', {}, rows(deck, newGroup('any')), ['Condition 2.1 is not finished: choose a department, or remove it.']],
  ['a group without a condition', {}, rows({ ...newGroup('any'), rows: [] }), ['Condition 1 is an empty group: add a condition to it, or remove it.']],
  ['a due date that is not chosen', { due: { kind: 'date', on: '' } }, rows(deck), ['Give the date on which it is due.']],
  ['a cleared number of days', due({ amount: null }), rows(deck), ['Say after how many days it is due: a whole number, 0 or more.']],
  ['half a day', due({ amount: 1.5 }), rows(deck), ['Say after how many days it is due: a whole number, 0 or more.']],
  ['months cleared', { due: { kind: 'month-end', months: null as unknown as number, event: 'joined' } }, rows(deck), ['Say how many months later it is due: a whole number, 0 or more.']],
  ['no time of day', { dueTime: '' }, rows(deck), ['Give the time of day at which it is due.']],
  ['no days of grace', { graceDays: 0 }, rows(deck), ['Say how many days somebody gets whose due date has passed already: a whole number, 1 or more.']],
  ['months of credit cleared', { creditMonths: NaN }, rows(deck), ['Say how many months back a finish counts: a whole number.']],
  ['nothing counts', { creditMonths: 0 }, rows(deck), []],
  ['again every nothing', { renewal: { months: 0, leadDays: 0 } }, rows(deck), ['Say for how many months finishing counts: a whole number, 1 or more.']],
  ['the next round before the last', { renewal: { months: 1, leadDays: 28 } }, rows(deck), ['The next round would be assigned before the last one began: give fewer days before it runs out.']],
  ['the last day before the first', { from: '2027-03-02', until: '2027-03-01' }, rows(deck), ['The last day is before the first.']],
  ['one day only', { from: '2027-03-01', until: '2027-03-01' }, rows(deck), []],
])('%s', (_, form, group, sentences) => expect(whatIsMissing({ ...FULL, ...form }, group)).toEqual(sentences)); // prettier-ignore
