import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { AttemptResult, OpenAttempt, QuizView, ShownQuestion } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { QuizPlayer } from './quiz-player.ts';

const shown = (id: string, kind: ShownQuestion['kind'], rest: Partial<ShownQuestion> = {}): ShownQuestion => ({ id, kind, text: `<p>Question ${id}</p>`, picture: null, points: 1, options: [], lefts: [], around: [], unit: '', ...rest }); // prettier-ignore
const ATTEMPT: OpenAttempt = {
  number: 1, answers: {}, begunAt: '2027-03-01T09:00:00Z', endsAt: null, now: '2027-03-01T09:00:00Z',
  questions: [shown('a', 'one', { options: ['Red', 'Green'] }), shown('b', 'several', { options: ['Torch', 'Phone'] }), shown('c', 'gaps', { around: ['Push the ', ' button.'] }), shown('d', 'order', { options: ['Count', 'Alarm'] }), shown('e', 'truth')],
}; // prettier-ignore
const view = (rest: Partial<QuizView> = {}): QuizView => ({
  words: '5 questions, 80 % passes',
  pass: 80,
  attempts: [],
  next: { kind: 'now' },
  left: null,
  open: null,
  result: null,
  ...rest,
});
const result = (rest: Partial<AttemptResult> = {}): AttemptResult => ({ id: '1', number: 1, submittedAt: '2027-03-01T09:10:00Z', isPassed: true, percent: 90, isCutOff: false, points: 9, max: 10, questions: [], marked: null, ...rest }); // prettier-ignore
const TOKEN = 'a-token-of-twenty-characters';
const AT = `/api/learning/${TOKEN}/units/7`;
const open = async (first: QuizView) => {
  const page = await openPage(QuizPlayer, { inputs: { token: TOKEN, unit: '7', zone: 'Europe/Oslo' } });
  await page.answer(`${AT}/quiz`, first);
  return page;
};
beforeEach(() => localStorage.clear());

describe('taking a quiz', () => {
  it('begins where somebody says so, and sends each answer as it is given', async () => {
    const page = await open(view());
    await page.click(page.getByRole('button', { name: 'Begin' }));
    await page.answer(`${AT}/quiz`, view({ open: ATTEMPT }), 'POST');
    await page.click(page.getByRole('radio', { name: 'Green' }));
    await page.click(page.getByRole('checkbox', { name: 'Torch' }));
    await page.type(page.getByLabelText('Gap 1'), 'red');
    await page.click(page.getByRole('button', { name: 'Alarm: up' }));
    const { body } = await page.answer(`${AT}/attempt`, { isOpen: true, now: '2027-03-01T09:01:00Z' }, 'PUT');
    expect(body).toEqual({ attempt: 1, answers: { a: 1, b: [0], c: ['red'], d: [1, 0] } });
    expect(localStorage.length).toBe(0);
  });

  it('says what is not answered before it is submitted, and what came of it after', async () => {
    const page = await open(view({ open: { ...ATTEMPT, answers: { a: 0, b: [0], c: ['red'], d: [0, 1] } } }));
    await page.click(page.getByRole('button', { name: 'Submit' }));
    expect(page.getByRole('alert').textContent).toContain('One question is not answered yet. Submit it all the same?');
    await page.click(page.getByRole('button', { name: 'Submit it all the same' }));
    const own = { text: 'Question a', answer: 'Green', isRight: false, share: 0, right: 'Red', words: 'Green is for foam.' };
    await page.answer(`${AT}/attempt`, view({ attempts: [result()], next: { kind: 'now' }, left: 1, result: result({ isPassed: false, percent: 40, points: 4, questions: [own] }) }), 'POST'); // prettier-ignore
    expect(page.text()).toContain('Not passed with 40 %, 4 of 10 points; 80 % passes');
    expect(textOf(page.getByRole('listitem'))).toBe('Question a not right Green Right is: Red Green is for foam.');
    expect(page.getByRole('button', { name: 'Try again' })).toBeTruthy();
    expect(page.text()).toContain('one attempt left');
  });

  it.each<[string, Partial<QuizView>, string]>([
    ['passed', { result: result() }, 'Passed with 90 %'],
    ['waiting for a trainer', { result: result({ isPassed: null }), next: { kind: 'waits' } }, 'Handed in: a trainer reads it'],
    [
      'in a pause',
      { result: result({ isPassed: false }), next: { kind: 'at', at: '2027-03-01T11:00:00Z' } },
      'The next attempt may begin Mon 1 Mar 12:00.',
    ],
    ['without attempts left', { result: result({ isPassed: false }), next: { kind: 'never' } }, 'All attempts are used.'],
    ['cut off', { result: result({ isCutOff: true }) }, 'The time was over; what you had answered by then counts.'],
    ['marked with a word', { result: result({ marked: { byWhom: 'Tora Hauge', words: 'Well seen.' } }) }, 'Tora Hauge: Well seen.'],
  ])('%s, it says so', async (_, rest, words) => {
    const page = await open(view(rest));
    expect(page.text()).toContain(words);
    expect(page.queryByRole('button', { name: /Begin|Try again/ })).toBeNull();
  });

  it('keeps on this device what a lost connection did not take, says so, and sends it when it can', async () => {
    const page = await open(view({ open: ATTEMPT }));
    await page.click(page.getByRole('radio', { name: 'Red' }));
    await page.refuse(`${AT}/attempt`, null, 503);
    expect(page.text()).toContain('No connection. What you answer stays on this device');
    expect(Object.values({ ...localStorage })).toEqual(['{"a":0}']);
    page.fixture.destroy();
    // opened again: what was answered is there, and goes
    const again = await open(view({ open: ATTEMPT }));
    expect((again.getByRole('radio', { name: 'Red' }) as HTMLInputElement).checked).toBe(true);
    expect((await again.answer(`${AT}/attempt`, { isOpen: true, now: ATTEMPT.now }, 'PUT')).body).toMatchObject({ answers: { a: 0 } });
    expect(localStorage.length).toBe(0);
  });

  it('submits by itself when the time is over, by the server’s clock and not by the phone’s', async () => {
    const page = await open(view({ open: { ...ATTEMPT, now: '2027-03-01T09:00:00Z', endsAt: '2027-03-01T09:00:01Z', answers: { a: 0 } } }));
    expect(page.text()).toContain('0:01 left');
    await vi.waitFor(() => expect(page.waiting()).toContain(`POST ${AT}/attempt`), { timeout: 4_000 });
    await page.answer(`${AT}/attempt`, view({ result: result({ isPassed: false, isCutOff: true }) }), 'POST');
    expect(page.text()).toContain('The time was over');
  });
});
