import { beforeEach, describe, expect, it } from 'vitest';
import { TestBed } from '@angular/core/testing';
import { firstValueFrom, of } from 'rxjs';
import type { LookRequest, LookView } from '@nudrik/contract';
import { NEW_QUIZ, newQuestion, type Question } from '@nudrik/core';
import { openPage } from '../../testing/page.ts';
import { LookLearning, LookQuizzes, LookSession } from './look.session.ts';
import { LookPage } from './look.page.ts';
import { uploadFault } from '../files/files.api.ts';

const quiz = { ...NEW_QUIZ, pass: 50, attempts: 2, shows: 'right' as const, questions: [{ ...newQuestion('truth', 'q1'), text: '<p>A hose is red.</p>', isTrue: true } as Question] }; // prettier-ignore
const unit = (id: string, kind: string, rest: object = {}) => ({ id, kind, title: `Unit ${id}`, required: true, opens: null, body: '<p>Read.</p>', url: null, file: null, about: null, video: null, survey: null, place: null, doneAt: null, ...rest }); // prettier-ignore
const VIEW = {
  now: '2027-03-01T09:30:00Z', person: { id: null, name: 'Somebody New', site: 'Orla Quay', zone: 'Europe/Oslo' },
  view: { person: 'Somebody New', organisation: 'Orlasund Ferries', trainer: 'Tora', course: { title: 'Safe Lifting', summary: null }, assignedAt: '2027-03-01T09:30:00Z', dueAt: '2027-03-15T16:00:00Z', zone: 'Europe/Oslo', state: 'not started', finishedAt: null, finishedOn: null, closedReason: null, unitsDone: 0, unitsRequired: 2, percent: 0, finishWords: 'all 2 required units are done', sections: [{ title: 'One', units: [unit('11', 'page'), unit('12', 'quiz'), unit('13', 'video', { video: { share: 90, seconds: 100, percent: 0, captions: [{ language: 'en' }] } })] }], certificate: null },
  quizzes: { 12: quiz }, files: { 13: { id: '70', captions: [{ language: 'en', fileId: '71' }], package: null } }, notices: [],
} as unknown as LookView; // prettier-ignore

describe('what is done while looking', () => {
  let asked: LookRequest[] = [];
  let session: LookSession;
  let learning: LookLearning;
  let quizzes: LookQuizzes;
  beforeEach(async () => {
    asked = [];
    await openPage(LookPage, { inputs: { token: 'a-link-to-look-by' } });
    TestBed.resetTestingModule();
    const { provideHttpClient } = await import('@angular/common/http');
    TestBed.configureTestingModule({ providers: [provideHttpClient(), LookSession, LookLearning, LookQuizzes] });
    session = TestBed.inject(LookSession);
    learning = TestBed.inject(LookLearning);
    quizzes = TestBed.inject(LookQuizzes);
    session.ask = (request) => (asked.push(request), of(VIEW));
    await firstValueFrom(learning.find());
  });

  it('goes with the next look, and to nobody else', async () => {
    await firstValueFrom(learning.start());
    await firstValueFrom(learning.markDone('look', '11'));
    expect(asked.at(-1)!.done).toEqual([{ type: 'started', at: VIEW.now }, { type: 'unit-finished', at: VIEW.now, unit: '11' }]); // prettier-ignore
    session.again();
    await firstValueFrom(learning.find());
    expect(asked.at(-1)!.done).toEqual([]);
  });

  it('a quiz is drawn, scored and told as it would be, failed and passed', async () => {
    expect(await firstValueFrom(quizzes.view('look', '12'))).toMatchObject({ left: 2, open: null, next: { kind: 'now' } });
    const begun = await firstValueFrom(quizzes.begin('look', '12'));
    // what is right is not among what is shown
    expect(JSON.stringify(begun.open)).not.toContain('isTrue');
    const failed = await firstValueFrom(quizzes.submit('look', '12', 1, { q1: false }));
    expect(failed).toMatchObject({ left: 1, result: { isPassed: false, percent: 0, questions: [{ right: 'true', isRight: false }] } });
    await firstValueFrom(quizzes.begin('look', '12'));
    const passed = await firstValueFrom(quizzes.submit('look', '12', 2, { q1: true }));
    expect(passed).toMatchObject({ left: 0, next: { kind: 'never' }, result: { isPassed: true } });
    expect(session.done().map(({ type }) => type)).toEqual(['quiz-submitted', 'quiz-submitted', 'unit-finished']);
  });

  it('a film counts when it was played', async () => {
    expect(await firstValueFrom(learning.tellPlayed('look', '13', { played: [[0, 50]], at: 50 }))).toMatchObject({ percent: 50, isDone: false }); // prettier-ignore
    expect(await firstValueFrom(learning.tellPlayed('look', '13', { played: [[50, 95]], at: 95 }))).toMatchObject({ percent: 95, isDone: true }); // prettier-ignore
    expect([learning.fileAt('look', '13'), learning.captionsAt('look', '13', 'en')]).toEqual(['/api/files/70', '/api/files/71']);
  });
});

describe('a colleague', () => {
  it('sees who asks, looks, and leaves a remark on the unit that is open', async () => {
    const page = await openPage(LookPage, { inputs: { token: 'a-link-to-look-by' } });
    await page.answer('/api/looks/a-link-to-look-by', { course: 'Safe Lifting', name: 'Kai', by: 'Tora Hauge', until: '2027-03-08T09:30:00Z', words: 'Is it clear?', remarks: [] }); // prettier-ignore
    await page.answer('/api/looks/a-link-to-look-by/look', VIEW);
    expect(page.text()).toContain('Tora Hauge asks you, Kai, to look at this course');
    await page.click(page.getByRole('button', { name: /Unit 11/ }));
    await page.type(page.getByLabelText('A remark on “Unit 11”'), 'Say which hose.');
    await page.click(page.getByRole('button', { name: 'Leave it' }));
    const { body } = await page.answer('/api/looks/a-link-to-look-by/remarks', { course: 'Safe Lifting', name: 'Kai', by: 'Tora Hauge', until: '2027-03-08T09:30:00Z', words: '', remarks: [{ id: '1', unitId: '11', text: 'Say which hose.', by: 'Kai', at: VIEW.now, doneBy: null }] }); // prettier-ignore
    expect(body).toEqual({ unitId: '11', text: 'Say which hose.' });
    expect(page.text()).toContain('Say which hose. Kai,');
  });

  it('whose link has ended is told so', async () => {
    const page = await openPage(LookPage, { inputs: { token: 'a-link-to-look-by' } });
    await page.refuse('/api/looks/a-link-to-look-by', { code: 'wrong-link', message: 'This link has ended or is not complete.' } as never, 404); // prettier-ignore
    expect(page.text()).toContain('This link has ended or is not complete.');
  });
});

describe('what went wrong with an upload', () => {
  const answered = (body: string) => ({ originalResponse: { getBody: () => body } });
  it.each([
    ['by the server’s sentence', answered('{"message":"a.pdf: this is a program."}'), 'a.pdf: this is a program.'],
    ['without an answer', { originalResponse: null }, 'a.pdf: it did not come through. Choose it again; it goes on where it was.'],
    [
      'with an answer that is none of ours',
      answered('<html>'),
      'a.pdf: it did not come through. Choose it again; it goes on where it was.',
    ],
    ['elsewhere', new Error('x'), null],
  ])('%s', (_, error, words) => expect(uploadFault(error, 'a.pdf')).toBe(words));
});
