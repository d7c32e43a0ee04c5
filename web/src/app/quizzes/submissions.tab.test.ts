import { beforeEach, describe, expect, it } from 'vitest';
import type { AttemptView, SubmissionsView } from '@nudrik/contract';
import { TestBed } from '@angular/core/testing';
import { CourseStore } from '../courses/course.store.ts';
import { openPage, textOf } from '../../testing/page.ts';
import { SubmissionsTab } from './submissions.tab.ts';

const row = (id: string, isPassed: boolean | null, rest: object = {}) => ({ id, number: 1, submittedAt: '2027-03-01T09:10:00Z', isPassed, percent: 40, isCutOff: false, person: { id: '3', name: 'Runa Aske' }, assignmentId: '9', ...rest }); // prettier-ignore
const SEEN: SubmissionsView = {
  course: { id: '7', title: 'Hose Drill' }, unit: { id: '11', title: 'The hoses' }, words: '2 questions, 80 % passes', waiting: 1, total: 2,
  rows: [row('1', null), row('2', false, { number: 2 })],
  questions: [{ id: 'a', kind: 'one', words: 'Which?', taken: 40, right: 0.25, discrimination: -0.2, mostTaken: 'Green (20)' }, { id: 'b', kind: 'text', words: 'Why?', taken: 3, right: 1, discrimination: null, mostTaken: null }],
}; // prettier-ignore
const ATTEMPT: AttemptView = {
  ...row('1', null), points: 1, max: 2, marked: null, course: SEEN.course, unit: SEEN.unit, zone: 'Europe/Oslo', begunAt: '2027-03-01T09:00:00Z', ids: ['a', 'b'], waiting: ['b'],
  questions: [{ text: 'Which?', answer: 'Red', isRight: true, share: 1, right: 'Red', words: '' }, { text: 'Why?', answer: 'wind', isRight: null, share: null, right: 'what a trainer finds right', words: '' }],
}; // prettier-ignore

const open = async (inputs: Record<string, string>, role: 'trainer' | 'auditor' = 'trainer') => {
  const page = await openPage(SubmissionsTab, { inputs: { unit: '11', ...inputs }, role, providers: [CourseStore] });
  TestBed.inject(CourseStore).id.set('7');
  await page.settle();
  await page.answer('/api/courses/7/quizzes/11', SEEN);
  return page;
};
beforeEach(() => localStorage.clear());

describe('what came in for a quiz', () => {
  it('stands with who, what and how its questions do: one that misleads is seen', async () => {
    const page = await open({});
    expect(page.text()).toContain('One waits for marking.');
    const lines = page.getAllByRole('row').map(textOf);
    expect(lines).toContain('Runa Aske 1 Mon 1 Mar 10:10 waits for marking');
    expect(lines).toContain('Runa Aske 2 Mon 1 Mar 10:10 40 % not passed');
    expect(lines).toContain('1 Which? 40 25 % -0.20, misleads Green (20)');
    expect(lines).toContain('2 Why? 3 100 % too few');
  });

  it('is marked from the link of a message: right, not right, or a part', async () => {
    const page = await open({ assignment: '9', attempt: '1' });
    await page.answer('/api/attempts/1', ATTEMPT);
    await page.click(page.getByRole('button', { name: 'Right' }));
    await page.type(page.getByLabelText(/A word to them/), 'Well seen.');
    await page.click(page.getByRole('button', { name: 'Mark it' }));
    expect((await page.answer('/api/attempts/1/marks', { ...ATTEMPT, isPassed: true })).body).toEqual({
      marks: { b: 1 },
      words: 'Well seen.',
    });
    await page.answer('/api/courses/7/quizzes/11', { ...SEEN, waiting: 0 });
    await page.answer('/api/attempts/1', { ...ATTEMPT, isPassed: true, waiting: [], marked: { byWhom: 'Sigrid Aune', words: '' } });
    expect(page.text()).toContain('Marked.');
    expect(page.queryByRole('button', { name: 'Mark it' })).toBeNull();
  });

  it('may be given another attempt', async () => {
    const page = await open({ open: '2' });
    await page.answer('/api/attempts/2', { ...ATTEMPT, ...row('2', false), waiting: [] });
    await page.click(page.getByRole('button', { name: 'Give another attempt' }));
    await page.answer('/api/assignments/9/quizzes/11/another', {});
    expect(page.text()).toContain('Runa Aske has another attempt.');
  });

  it('is read and not marked by an auditor', async () => {
    const page = await open({ open: '1' }, 'auditor');
    await page.answer('/api/attempts/1', ATTEMPT);
    expect(page.queryByRole('button', { name: 'Mark it' })).toBeNull();
    expect(page.queryByRole('link', { name: 'Its questions' })).toBeNull();
  });
});
