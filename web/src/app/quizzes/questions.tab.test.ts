import { findByRole } from '@testing-library/dom';
import { ViewContainerRef } from '@angular/core';
import { beforeEach, describe, expect, it } from 'vitest';
import { NEW_QUIZ, newQuestion, type Question, type Quiz } from '@nudrik/core';
import type { DraftView } from '@nudrik/contract';
import { CoursePage } from '../courses/course.page.ts';
import { openPage, textOf } from '../../testing/page.ts';
import { QuestionsTab } from './questions.tab.ts';

const draft = (quiz: Quiz): DraftView => ({
  content: {
    title: 'Hose Drill', code: null, summary: null, ownerId: null, assistants: [], validity: null, certificateDesignId: null, certificate: 'none', asks: 'none', finish: { kind: 'all' },
    sections: [{ id: '1', title: 'One', units: [{ id: '11', kind: 'quiz', title: 'The hoses', required: true, weight: 1, release: null, body: null, url: null, fileId: null, file: null, quiz }] }],
  },
  owner: null, people: [], state: 'draft', version: 4, savedAt: null, savedBy: null, faults: [], others: [],
}); // prettier-ignore
const HOSES = { ...newQuestion('one', 'a'), text: '<p>Which hose?</p>', choices: [{ text: 'Red', isRight: true, words: '' }, { text: 'Green', isRight: false, words: '' }] } as Question; // prettier-ignore

const open = async (quiz: Quiz) => {
  const page = await openPage(CoursePage, { inputs: { course: '7' } });
  await page.answer('/api/courses/7/draft', draft(quiz));
  const made = page.fixture.componentRef.injector
    .get(ViewContainerRef)
    .createComponent(QuestionsTab, { injector: page.fixture.componentRef.injector });
  made.setInput('unit', '11');
  page.root.append(made.location.nativeElement as HTMLElement);
  await page.settle();
  /** What is kept; on a slow machine some of it was kept before all of it was said. */
  const kept = async (isAll: (quiz: Quiz) => boolean = () => true): Promise<Quiz> => {
    for (let saves = 1; ; saves++) {
      const { body } = await page.answer(
        '/api/courses/7/draft',
        { version: 5, savedAt: '2027-03-01T09:42:00Z', ids: {}, faults: [] },
        'PUT',
      );
      const quiz = (body as { content: DraftView['content'] }).content.sections[0]!.units[0]!.quiz!;
      if (isAll(quiz) || saves === 5) return quiz;
    }
  };
  return { ...page, kept };
};
beforeEach(() => localStorage.clear());

describe('the questions of a quiz', () => {
  it('are pasted from a text; what cannot be read is named by its line and stays there', async () => {
    const page = await open(NEW_QUIZ);
    expect(page.text()).toContain('No question yet.');
    await page.click(page.getByRole('button', { name: 'Paste questions' }));
    await page.type(page.getByLabelText(/A blank line between two/), 'Which hose?\n+ Red\n- Green\n\nAlone\n\nThe alarm is a bell.\nfalse');
    await page.click(page.getByRole('button', { name: 'Take them in' }));
    expect(page.text()).toContain('Line 5: “Alone” has no answer below it');
    expect((page.getByLabelText(/A blank line between two/) as HTMLTextAreaElement).value).toBe('Alone');
    expect((await page.kept()).questions.map(({ kind }) => kind)).toEqual(['one', 'truth']);
  });

  it('are written by keys: Enter makes the next choice, one of them is right, and what lacks is said', async () => {
    const page = await open({ ...NEW_QUIZ, questions: [HOSES] });
    await page.click(page.getByRole('button', { name: '1 Which hose?' }));
    const second = page.getByLabelText('Choice 2');
    second.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }));
    await page.settle();
    expect(page.text()).toContain('It has a choice without words.');
    await page.type(page.getByLabelText('Choice 3'), 'Blue');
    await page.click(page.getByRole('radio', { name: 'Choice 3 is right' }));
    await page.type(page.getByLabelText('Said when it was not'), 'Look at the colour.');
    const [question] = (await page.kept(({ questions: [one] }) => one?.whenWrong === 'Look at the colour.')).questions;
    expect(question).toMatchObject({ whenWrong: 'Look at the colour.', choices: [{ text: 'Red', isRight: false }, { text: 'Green', isRight: false }, { text: 'Blue', isRight: true }] }); // prettier-ignore
    expect(page.text()).not.toContain('It has a choice');
  });

  it('are moved, doubled and taken away; whom it tells stands in plain sight', async () => {
    const page = await open({ ...NEW_QUIZ, questions: [HOSES, { ...HOSES, id: 'b', text: '<p>And then?</p>' } as Question] });
    const list = () => [...page.root.querySelectorAll('.questions .open')].map(textOf);
    page
      .getByRole('button', { name: '2 And then?' })
      .dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', altKey: true, bubbles: true, cancelable: true }));
    await page.settle();
    expect(list()).toEqual(['1 And then?', '2 Which hose?']);
    await page.click(page.getByRole('button', { name: '1 And then?' }));
    await page.click(page.getByRole('button', { name: 'Duplicate' }));
    expect(list()).toEqual(['1 And then?', '2 And then?', '3 Which hose?']);
    await page.click(page.getByRole('button', { name: 'Remove' }));
    expect(list()).toEqual(['1 And then?', '2 Which hose?']);
    await page.choose(page.getByRole('combobox', { name: 'What the trainer is told of' }), 'every submission');
    await page.choose(page.getByRole('combobox', { name: 'How often' }), 'at once, one each');
    const others = page.getByPlaceholderText('mail addresses');
    await page.type(others, 'bridge@orlasund.example');
    others.dispatchEvent(new Event('blur'));
    await page.settle();
    expect((await page.kept(({ told }) => told.to.length === 2)).told).toEqual({
      of: 'all',
      when: 'at once',
      to: ['trainer', 'bridge@orlasund.example'],
    });
    await page.click(page.getByLabelText('the assistants'));
    expect(page.text()).toContain('The course has no assistants yet');
    // each is kept by itself, however long it takes
    await page.kept();
    await page.type(page.getByRole('combobox', { name: 'Tell somebody' }), 'odd');
    await page.answer('/api/people?find=odd&sort=fit&size=12', {
      rows: [{ id: '5', name: 'Odd Aske', department: 'Deck', site: 'Orla Quay', job: null }],
      total: 1,
    });
    await page.click(await findByRole(document.body, 'option', { name: /Odd Aske/ }));
    expect(page.getByRole('button', { name: 'Take out Odd Aske' })).toBeTruthy();
    await page.kept();
    await page.type(others, 'bridge@orlasund.example, tora');
    others.dispatchEvent(new Event('blur'));
    await page.settle();
    expect(page.getByRole('alert').textContent).toContain('“tora” is no mail address');
    expect((await page.kept()).told.to).toEqual(['trainer', 'assistants', 'person 5', 'bridge@orlasund.example']);
  });
});
