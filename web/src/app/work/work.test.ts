import { HttpClient, type HttpErrorResponse, provideHttpClient, withInterceptors } from '@angular/common/http';
import { HttpTestingController, provideHttpClientTesting } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { JobView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { jobInterceptor } from './job.interceptor.ts';
import { JobsStore } from './jobs.store.ts';
import { WorkBar } from './work-bar.ts';
import { WorkPage } from './work.page.ts';

const job = (rest: Partial<JobView> = {}): JobView => ({
  id: '7', kind: 'requirement-on', words: 'Switching on “All hands”', state: 'running', done: 12_000, total: 50_000, isCancelling: false, canCancel: true, byWhom: 'Sigrid Aune',
  madeAt: '2027-03-01T09:00:00Z', endedAt: null, result: null, refusal: null, fileId: null, ...rest,
}); // prettier-ignore

describe('a request whose work takes long', () => {
  let http: HttpTestingController;
  let client: HttpClient;
  beforeEach(() => {
    vi.useFakeTimers();
    TestBed.resetTestingModule();
    TestBed.configureTestingModule({ providers: [provideHttpClient(withInterceptors([jobInterceptor])), provideHttpClientTesting()] });
    http = TestBed.inject(HttpTestingController);
    client = TestBed.inject(HttpClient);
  });
  afterEach(() => vi.useRealTimers());

  it('is followed, a moment without an answer too, and its result is the answer', () => {
    const answers: unknown[] = [];
    client.post('/api/requirements/1/on', { version: 1 }).subscribe((answer) => answers.push(answer));
    http.expectOne('/api/requirements/1/on').flush({ job: '7' }, { status: 202, statusText: 'begun' });
    http.expectOne('/api/jobs/7').flush(job({ state: 'waiting', done: 0, total: null }));
    expect(TestBed.inject(JobsStore).going()).toHaveLength(1);
    vi.advanceTimersByTime(700);
    http.expectOne('/api/jobs/7').flush(null, { status: 503, statusText: 'away' });
    vi.advanceTimersByTime(700);
    http.expectOne('/api/jobs/7').flush(job());
    expect(answers).toEqual([]);
    vi.advanceTimersByTime(700);
    http.expectOne('/api/jobs/7').flush(job({ state: 'done', result: { assigned: 50_000 } }));
    expect(answers).toEqual([{ assigned: 50_000 }]);
    expect(TestBed.inject(JobsStore).going()).toEqual([]);
  });

  it.each([
    ['was refused', job({ state: 'failed', refusal: { code: 'stale', message: 'Tora changed it.' } }), 'Tora changed it.'],
    ['was cancelled', job({ state: 'cancelled' }), 'Switching on “All hands”: cancelled. Nothing was changed.'],
  ])('that %s is refused like any other', (_what, ended, message) => {
    const errors: HttpErrorResponse[] = [];
    client.post('/api/requirements/1/on', {}).subscribe({ error: (error: HttpErrorResponse) => errors.push(error) });
    http.expectOne('/api/requirements/1/on').flush({ job: '7' }, { status: 202, statusText: 'begun' });
    http.expectOne('/api/jobs/7').flush(ended);
    expect(errors[0]).toMatchObject({ status: 409, error: { message } });
  });

  it('that only looks is cancelled when nobody waits for it any more', () => {
    const waiting = client.post('/api/plans/1/preview', {}).subscribe();
    http.expectOne('/api/plans/1/preview').flush({ job: '7' }, { status: 202, statusText: 'begun' });
    http.expectOne('/api/jobs/7').flush(job());
    waiting.unsubscribe();
    http.expectOne('/api/jobs/7/cancel').flush(job({ isCancelling: true }));
    const switching = client.post('/api/requirements/1/on', {}).subscribe();
    http.expectOne('/api/requirements/1/on').flush({ job: '8' }, { status: 202, statusText: 'begun' });
    http.expectOne('/api/jobs/8').flush(job({ id: '8' }));
    switching.unsubscribe();
    http.expectNone('/api/jobs/8/cancel');
  });

  it('any other answer passes as it is', () => {
    const answers: unknown[] = [];
    client.get('/api/today').subscribe((answer) => answers.push(answer));
    http.expectOne('/api/today').flush({ job: 'no' });
    expect(answers).toEqual([{ job: 'no' }]);
  });
});

describe('long work as it is shown', () => {
  it('the bar tells how far it is, and cancels', async () => {
    const page = await openPage(WorkBar);
    TestBed.inject(JobsStore).follow('7').subscribe();
    await page.answer('/api/jobs/7', job());
    expect(page.text()).toContain('Switching on “All hands” 12,000 of 50,000');
    await page.click(page.getByRole('button', { name: /^Cancel/ }));
    await page.answer('/api/jobs/7/cancel', job({ isCancelling: true }));
    expect(page.text()).toContain('is taken back');
  });

  it('the page lists it with what came of it', async () => {
    const page = await openPage(WorkPage);
    await page.answer('/api/jobs', [
      job(),
      job({ id: '6', words: 'Exporting Fire Teams Aboard', state: 'done', fileId: '4' }),
      job({
        id: '5',
        words: 'Changing “Deck”',
        state: 'failed',
        refusal: { code: 'stale', message: 'Tora changed “Deck” in the meantime.' },
      }),
    ]);
    expect(page.text()).toContain('Switching on “All hands” Sigrid Aune at work, 12,000 of 50,000');
    expect(page.getByRole('link', { name: 'Download' }).getAttribute('href')).toBe('/api/jobs/6/file');
    expect(page.text()).toContain('Tora changed “Deck” in the meantime.');
  });

  it('says when nothing took long', async () => {
    const page = await openPage(WorkPage);
    await page.answer('/api/jobs', []);
    expect(page.text()).toContain('Nothing took long so far.');
  });
});
