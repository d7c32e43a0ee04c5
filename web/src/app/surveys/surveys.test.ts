import { beforeEach, describe, expect, it } from 'vitest';
import { TestBed } from '@angular/core/testing';
import type { DraftView, LearningUnit, SurveyView } from '@nudrik/contract';
import { newSurveyQuestion, type Survey } from '@nudrik/core';
import { openPage, textOf } from '../../testing/page.ts';
import { CourseStore } from '../courses/course.store.ts';
import { AnswersTab } from './answers.tab.ts';
import { SurveyTab } from './survey.tab.ts';
import { UnitSurvey } from './unit-survey.ts';

const survey: Survey = {
  isAnonymous: true,
  questions: [
    { ...newSurveyQuestion('scale', 'a'), text: 'How clear?', low: 'not', high: 'wholly', isRequired: true },
    { ...newSurveyQuestion('several', 'b'), text: 'What helped?', choices: ['The film', 'The drill'] },
    { ...newSurveyQuestion('text', 'c'), text: 'Anything else?' },
  ],
};
const unit = {
  id: '11',
  kind: 'survey',
  title: 'What you think',
  required: false,
  doneAt: null,
  opens: null,
  survey,
} as unknown as LearningUnit;
beforeEach(() => localStorage.clear());

describe('a survey as it is answered', () => {
  const inputs = { token: 'a-link-of-somebody', unit };

  it('asks for what it asks for, and sends the rest as it is', async () => {
    const page = await openPage(UnitSurvey, { inputs });
    expect(page.text()).toContain('Anonymous: what you answer is kept without your name');
    await page.click(page.getByRole('button', { name: 'Send it' }));
    expect(page.getByRole('alert').textContent).toBe('Question 1 asks for an answer.');
    await page.click(page.getByRole('radio', { name: '4' }));
    await page.click(page.getByRole('checkbox', { name: 'The drill' }));
    await page.click(page.getByRole('button', { name: 'Send it' }));
    const { body } = await page.answer('/api/learning/a-link-of-somebody/units/11/survey', { finished: false });
    expect(body).toEqual({ answers: { a: 4, b: ['The drill'] } });
  });

  it('keeps what was written on this device until it is through', async () => {
    const page = await openPage(UnitSurvey, { inputs });
    await page.click(page.getByRole('radio', { name: '5' }));
    await page.type(page.getByLabelText('Anything else?'), 'More rope.');
    await page.click(page.getByRole('button', { name: 'Send it' }));
    await page.refuse('/api/learning/a-link-of-somebody/units/11/survey', null, 0);
    expect(page.getByRole('alert').textContent).toContain('What you wrote stays here.');
    const again = await openPage(UnitSurvey, { inputs });
    expect((again.getByLabelText('Anything else?') as HTMLTextAreaElement).value).toBe('More rope.');
    await again.click(again.getByRole('button', { name: 'Send it' }));
    await again.answer('/api/learning/a-link-of-somebody/units/11/survey', { finished: true });
    expect(Object.keys(localStorage)).toEqual([]);
  });

  it('is read and not answered once it was', async () => {
    const page = await openPage(UnitSurvey, { inputs: { ...inputs, unit: { ...unit, doneAt: '2027-03-01T09:00:00Z' } } });
    expect(page.text()).toBe('Answered, thank you.');
  });
});

describe('a survey as it is written', () => {
  const DRAFT = {
    content: { title: 'Safe Lifting', code: null, summary: null, ownerId: null, assistants: [], validity: { count: 12, unit: 'months', toMonthEnd: false }, certificateDesignId: null, certificate: 'issued', asks: 'none', finish: { kind: 'all' }, sections: [{ id: '1', title: 'One', units: [{ id: '11', kind: 'survey', title: 'What you think', required: true, weight: 1, release: null, body: null, url: null, fileId: null, file: null, quiz: null, video: null, survey }] }] },
    owner: null, people: [], state: 'draft', version: 4, savedAt: null, savedBy: null, faults: [], others: [],
  } as unknown as DraftView; // prettier-ignore
  const open = async () => {
    const page = await openPage(SurveyTab, { providers: [CourseStore], inputs: { unit: '11' } });
    TestBed.inject(CourseStore).open('7');
    await page.answer('/api/courses/7/draft', DRAFT);
    return page;
  };

  it('is written by keys: Enter in a choice begins the next, Backspace in an empty one takes it out', async () => {
    const page = await open();
    const choice = page.getByLabelText('Choice 2 of question 2');
    choice.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    await page.settle();
    await page.type(page.getByLabelText('Choice 3 of question 2'), 'The talk');
    const store = TestBed.inject(CourseStore);
    expect(store.units()[0]!.survey!.questions[1]!.choices).toEqual(['The film', 'The drill', 'The talk']);
    await page.type(page.getByLabelText('Choice 3 of question 2'), '');
    page.getByLabelText('Choice 3 of question 2').dispatchEvent(new KeyboardEvent('keydown', { key: 'Backspace', bubbles: true }));
    await page.settle();
    expect(store.units()[0]!.survey!.questions[1]!.choices).toEqual(['The film', 'The drill']);
  });

  it('becomes one with names, and back by Undo', async () => {
    const page = await open();
    await page.click(page.getByRole('radio', { name: 'with their names' }));
    const store = TestBed.inject(CourseStore);
    expect([page.text().includes('3 questions, with your name'), store.units()[0]!.survey!.isAnonymous]).toEqual([true, false]);
    store.undo();
    await page.settle();
    expect(store.units()[0]!.survey!.isAnonymous).toBe(true);
  });
});

describe('what was answered', () => {
  const VIEW: SurveyView = { course: { id: '7', title: 'Safe Lifting' }, unit: { id: '11', title: 'What you think' }, isAnonymous: true, asked: 9, answered: 2, hiddenUntil: 3, questions: [] }; // prettier-ignore
  const open = async (view: SurveyView) => {
    const page = await openPage(AnswersTab, { providers: [CourseStore], inputs: { unit: '11' } });
    TestBed.inject(CourseStore).id.set('7');
    await page.settle();
    await page.answer('/api/courses/7/surveys/11', view).catch(() => page.answer('/api/courses/null/surveys/11', view));
    return page;
  };

  it('of few is not shown, and why not', async () => {
    const page = await open(VIEW);
    expect(page.text()).toContain('2 of 9 answered, anonymously');
    expect(page.text()).toContain('It is shown from 3 answers on');
    expect(page.queryByRole('link', { name: 'CSV' })).toBeNull();
  });

  it('is counted, with what was written', async () => {
    const questions = [
      { question: survey.questions[0]!, answered: 3, mean: 4, counts: [{ words: '4', count: 3 }], texts: [] },
      { question: survey.questions[2]!, answered: 1, mean: null, counts: [], texts: [{ text: 'More rope.', by: null }] },
    ];
    const page = await open({ ...VIEW, answered: 3, hiddenUntil: null, questions });
    expect(page.getAllByRole('row').map(textOf)).toEqual(['4 3']);
    expect(page.text()).toContain('3 answered, 4.0 on average, not to wholly');
    expect(page.text()).toContain('More rope.');
    expect(page.getByRole('link', { name: 'CSV' }).getAttribute('href')).toBe('/api/courses/7/surveys/11/csv');
  });
});
