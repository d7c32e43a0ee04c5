import { inject, Injectable, signal } from '@angular/core';
import type { Answer, LearningView, LookDone, LookRequest, LookView, OpenAttempt, PackageView, PlayedReport, PlayedView, QuizView } from '@nudrik/contract'; // prettier-ignore
import { drawQuiz, isPackageDone, isPlayed, mergeStretches, nextAttempt, packageTold, playedShare, scoreQuiz, showQuestion, tellAttempt, tellQuiz, type Drawn, type Stretch } from '@nudrik/core'; // prettier-ignore
import { defer, map, of, switchMap, tap, throwError, type Observable } from 'rxjs';
import { LearningApi } from '../learning/learning.api.ts';
import { QuizzesApi } from '../quizzes/quizzes.api.ts';

interface LookAttempt {
  number: number;
  drawn: Drawn[];
  answers: Record<string, Answer>;
  begunAt: number;
  submittedAt: number | null;
  percent: number;
  points: number;
  max: number;
  isPassed: boolean | null;
}

/** What is looked at, from where, and what was done while looking: it stands on this page, and is gone with it. */
@Injectable()
export class LookSession {
  readonly request = signal<Omit<LookRequest, 'done'>>({ of: 'draft', at: null, assignedAt: null, dueAt: null, person: null });
  readonly done = signal<readonly LookDone[]>([]);
  /** as it was answered last */
  readonly seen = signal<LookView | null>(null);
  readonly attempts = new Map<string, LookAttempt[]>();
  readonly played = new Map<string, Stretch[]>();
  readonly packages = new Map<string, string>();
  /** asks the server: an author for their course, or a colleague by their link */
  ask: (request: LookRequest) => Observable<LookView> = () => throwError(() => new Error('Nothing is looked at yet.'));
  fileAt: (file: string) => string = (file) => `/api/files/${file}`;

  look(): Observable<LookView> {
    return defer(() => this.ask({ ...this.request(), done: [...this.done()] })).pipe(tap((seen) => this.seen.set(seen)));
  }

  /** The moment at which one looks. */
  now(): string {
    return this.seen()?.now ?? new Date().toISOString();
  }

  add(...done: LookDone[]): void {
    this.done.update((before) => [...before, ...done]);
  }

  again(): void {
    this.done.set([]);
    this.attempts.clear();
    this.played.clear();
    this.packages.clear();
  }
}

/** What an employee's pages ask for, of a course that is only looked at. */
@Injectable()
export class LookLearning extends LearningApi {
  private readonly session = inject(LookSession);

  override find(): Observable<LearningView> {
    return this.session.look().pipe(map(({ view }) => view));
  }

  override start(): Observable<unknown> {
    if (!this.session.done().some(({ type }) => type === 'started')) this.session.add({ type: 'started', at: this.session.now() });
    return of(null);
  }

  override markDone(_token: string, unit: string): Observable<{ finished: boolean }> {
    this.session.add({ type: 'unit-finished', at: this.session.now(), unit });
    return this.session.look().pipe(map(({ view }) => ({ finished: view.state === 'finished' })));
  }

  override keepPlace(): Observable<unknown> {
    return of(null);
  }

  override tellPlayed(_token: string, unit: string, { played }: PlayedReport): Observable<PlayedView> {
    const video = this.unit(unit)?.video;
    const seconds = video?.seconds ?? 0;
    const all = mergeStretches([...(this.session.played.get(unit) ?? []), ...(played as Stretch[])], seconds);
    this.session.played.set(unit, all);
    const isDone = isPlayed({ share: video?.share ?? 100, seconds, captions: [] }, all);
    this.finishOnce(unit, isDone);
    return of({ percent: playedShare(all, seconds), share: video?.share ?? 100, isDone, finished: false });
  }

  override package(_token: string, unit: string): Observable<PackageView> {
    const found = this.session.seen()?.files[unit]?.package;
    if (!found) return throwError(() => new Error('This unit has no package yet.'));
    return of({ ...found, data: this.session.packages.get(unit) ?? null, person: { id: 'look', name: this.session.seen()!.person.name } });
  }

  override tellPackage(_token: string, unit: string, data: string): Observable<{ isDone: boolean; finished: boolean }> {
    this.session.packages.set(unit, data);
    const edition = this.session.seen()?.files[unit]?.package?.edition ?? '1.2';
    const isDone = isPackageDone(packageTold(edition, JSON.parse(data)));
    this.finishOnce(unit, isDone);
    return of({ isDone, finished: false });
  }

  override answerSurvey(_token: string, unit: string): Observable<{ finished: boolean }> {
    this.session.add({ type: 'survey-answered', at: this.session.now(), unit });
    this.finishOnce(unit, true);
    return this.session.look().pipe(map(({ view }) => ({ finished: view.state === 'finished' })));
  }

  override fileAt(_token: string, unit: string): string {
    const id = this.session.seen()?.files[unit]?.id;
    return id ? this.session.fileAt(id) : '';
  }

  override captionsAt(_token: string, unit: string, language: string): string {
    const captions = this.session.seen()?.files[unit]?.captions.find((one) => one.language === language);
    return captions ? this.session.fileAt(captions.fileId) : '';
  }

  private unit(id: string) {
    return this.session.seen()?.view.sections.flatMap(({ units }) => units).find((unit) => unit.id === id); // prettier-ignore
  }

  private finishOnce(unit: string, isDone: boolean): void {
    if (isDone && !this.session.done().some((one) => one.type === 'unit-finished' && one.unit === unit))
      this.session.add({ type: 'unit-finished', at: this.session.now(), unit });
  }
}

/** A quiz as it is taken while looking: drawn, scored and told by the same core, and kept nowhere. */
@Injectable()
export class LookQuizzes extends QuizzesApi {
  private readonly session = inject(LookSession);

  override view(_token: string, unit: string): Observable<QuizView> {
    return of(this.viewOf(unit));
  }

  override begin(_token: string, unit: string): Observable<QuizView> {
    const quiz = this.session.seen()!.quizzes[unit]!;
    const list = this.session.attempts.get(unit) ?? [];
    const attempt: LookAttempt = { number: list.length + 1, drawn: drawQuiz(quiz, Math.floor(Math.random() * 2 ** 32)), answers: {}, begunAt: Date.now(), submittedAt: null, percent: 0, points: 0, max: 0, isPassed: null }; // prettier-ignore
    this.session.attempts.set(unit, [...list, attempt]);
    return of(this.viewOf(unit));
  }

  override keep(
    _token: string,
    unit: string,
    _attempt: number,
    answers: Record<string, Answer>,
  ): Observable<{ isOpen: boolean; now: string }> {
    const open = this.openOf(unit);
    if (open) open.answers = { ...open.answers, ...answers };
    return of({ isOpen: open !== null, now: new Date().toISOString() });
  }

  override submit(_token: string, unit: string, _attempt: number, answers: Record<string, Answer>): Observable<QuizView> {
    const open = this.openOf(unit);
    if (!open) return of(this.viewOf(unit));
    const quiz = this.session.seen()!.quizzes[unit]!;
    open.answers = { ...open.answers, ...answers };
    const { points, max, percent, isPassed } = scoreQuiz(open.drawn, open.answers, {}, quiz.pass);
    Object.assign(open, { points, max, percent, isPassed, submittedAt: Date.parse(this.session.now()) });
    const at = this.session.now();
    this.session.add({ type: 'quiz-submitted', at, unit, attempt: open.number, score: percent, passed: isPassed });
    if (isPassed && !this.session.done().some((one) => one.type === 'unit-finished' && one.unit === unit)) this.session.add({ type: 'unit-finished', at, unit }); // prettier-ignore
    return this.session.look().pipe(switchMap(() => of(this.viewOf(unit))));
  }

  private openOf(unit: string): LookAttempt | null {
    return this.session.attempts.get(unit)?.find(({ submittedAt }) => submittedAt === null) ?? null;
  }

  private viewOf(unit: string): QuizView {
    const quiz = this.session.seen()!.quizzes[unit]!;
    const list = this.session.attempts.get(unit) ?? [];
    const over = list.filter(({ submittedAt }) => submittedAt !== null);
    const last = over.at(-1);
    const open = this.openOf(unit);
    const line = (one: LookAttempt) => ({ id: `look ${one.number}`, number: one.number, submittedAt: new Date(one.submittedAt!).toISOString(), isPassed: one.isPassed, percent: one.percent, isCutOff: false }); // prettier-ignore
    // nobody waits for a pause who only looks
    const next = nextAttempt({ ...quiz, pause: 0 }, over.map(({ submittedAt }) => submittedAt!), 0, Date.now()); // prettier-ignore
    return {
      words: tellQuiz(quiz),
      pass: quiz.pass,
      attempts: over.map(line),
      next: next.kind === 'at' ? { kind: 'at', at: new Date(next.at).toISOString() } : next,
      left: quiz.attempts === null ? null : Math.max(0, quiz.attempts - over.length),
      open: open && this.shown(open, quiz.limit),
      result: last ? { ...line(last), points: last.points, max: last.max, questions: tellAttempt(last.drawn, last.answers, {}, quiz.shows), marked: null } : null, // prettier-ignore
    };
  }

  private shown({ number, drawn, answers, begunAt }: LookAttempt, limit: number | null): OpenAttempt {
    return {
      number,
      questions: drawn.map(showQuestion),
      answers,
      begunAt: new Date(begunAt).toISOString(),
      endsAt: limit === null ? null : new Date(begunAt + limit * 60_000).toISOString(),
      now: new Date().toISOString(),
    };
  }
}
