import { TestBed } from '@angular/core/testing';
import { HttpErrorResponse } from '@angular/common/http';
import { describe, expect, it } from 'vitest';
import { Subject } from 'rxjs';
import { LiveService } from './live.service.ts';
import { load, type Loaded } from './loaded.ts';

/** What is loaded for each question; every answer is given by hand, in whichever order. */
function harness() {
  const questions = new Subject<string | null>();
  const live = new Subject<void>();
  const asked: { question: string; answer: Subject<string> }[] = [];
  TestBed.configureTestingModule({ providers: [{ provide: LiveService, useValue: { on: () => live } }] });
  const loaded: Loaded<string> = TestBed.runInInjectionContext(() =>
    load(
      questions,
      (question) => {
        const answer = new Subject<string>();
        asked.push({ question, answer });
        return answer;
      },
      ['people'],
    ),
  );
  return { questions, live, asked, loaded };
}
const refused = new HttpErrorResponse({ status: 409, error: { code: 'stale', message: 'The roster was changed meanwhile.' } });

describe('what a page has fetched', () => {
  it('stays while newer is on its way', () => {
    const { questions, asked, loaded } = harness();
    questions.next('deck');
    expect([loaded.data(), loaded.isLoading()]).toEqual([null, true]);
    asked[0]!.answer.next('12 on deck');
    expect([loaded.data(), loaded.isLoading()]).toEqual(['12 on deck', false]);
    questions.next('engine');
    expect([loaded.data(), loaded.isLoading()]).toEqual(['12 on deck', true]);
  });
  it('is never of an older question than the newest', () => {
    const { questions, asked, loaded } = harness();
    questions.next('deck');
    questions.next('engine');
    asked[1]!.answer.next('8 in the engine');
    asked[0]!.answer.next('12 on deck');
    expect(loaded.data()).toBe('8 in the engine');
    expect(asked[0]!.answer.observed).toBe(false);
  });
  it('stays when the next fetch fails, with the reason; and the reason goes with the next good answer', () => {
    const { questions, asked, loaded } = harness();
    questions.next('deck');
    asked[0]!.answer.next('12 on deck');
    loaded.reload();
    asked[1]!.answer.error(refused);
    expect([loaded.data(), loaded.error(), loaded.isLoading()]).toEqual(['12 on deck', 'The roster was changed meanwhile.', false]);
    loaded.reload();
    asked[2]!.answer.next('13 on deck');
    expect([loaded.data(), loaded.error()]).toEqual(['13 on deck', null]);
  });
  it('is fetched again when its topic is announced, also after a failure', () => {
    const { questions, live, asked, loaded } = harness();
    questions.next('deck');
    asked[0]!.answer.error(new HttpErrorResponse({ status: 0 }));
    expect(loaded.error()).toContain('does not answer');
    live.next();
    asked[1]!.answer.next('12 on deck');
    expect([asked.map(({ question }) => question), loaded.data(), loaded.error()]).toEqual([['deck', 'deck'], '12 on deck', null]);
  });
  it('is not given up for what is announced meanwhile: it is shown, and fetched again once, without being told as on its way', () => {
    const { questions, live, asked, loaded } = harness();
    questions.next('deck');
    live.next();
    live.next();
    expect(asked).toHaveLength(1);
    asked[0]!.answer.next('12 on deck');
    expect([loaded.data(), loaded.isLoading(), asked.length]).toEqual(['12 on deck', false, 2]);
    asked[1]!.answer.next('13 on deck');
    expect([loaded.data(), asked.length]).toEqual(['13 on deck', 2]);
    // a newer question still gives up what was announced for the older
    live.next();
    questions.next('engine');
    expect([asked[2]!.answer.observed, asked[3]!.question]).toEqual([false, 'engine']);
  });
  it('is nothing for no question, and nothing is asked', () => {
    const { questions, live, asked, loaded } = harness();
    questions.next('deck');
    asked[0]!.answer.next('12 on deck');
    questions.next(null);
    expect([loaded.data(), loaded.isLoading()]).toEqual([null, false]);
    live.next();
    expect(asked).toHaveLength(1);
  });
});
