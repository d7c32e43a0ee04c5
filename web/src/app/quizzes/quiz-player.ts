import { HttpErrorResponse } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, computed, DestroyRef, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { Answer, OpenAttempt, QuizView, ShownQuestion } from '@nudrik/contract';
import { debounceTime, interval, Subject, timer, type Observable } from 'rxjs';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { QuizzesApi } from './quizzes.api.ts';

const REST_MS = 800;
const AGAIN_MS = 3_000;

/** A quiz as it is taken: its terms, the attempt with its time, and what came of it. What is answered is kept as it goes on. */
@Component({
  selector: 'nk-quiz',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, SelectField],
  templateUrl: './quiz-player.html',
  styleUrl: './quiz-player.css',
})
export class QuizPlayer {
  private readonly api = inject(QuizzesApi);
  readonly token = input.required<string>();
  readonly unit = input.required<string>();
  readonly zone = input.required<string>();
  /** the assignment is closed: it is read and not taken */
  readonly isOver = input(false);
  /** it was submitted, and maybe passed */
  readonly changed = output<void>();
  protected readonly view = signal<QuizView | null>(null);
  protected readonly answers = signal<Readonly<Record<string, Answer>>>({});
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly isAsking = signal(false);
  /** not kept at the server: it stays on this device and is tried again */
  protected readonly isCutOff = signal(false);
  private readonly isKept = signal(true);
  protected readonly open = computed(() => this.view()?.open ?? null);
  protected readonly result = computed(() => this.view()?.result ?? null);
  protected readonly unanswered = computed(
    () => (this.open()?.questions ?? []).filter(({ id, kind }) => isEmpty(this.answers()[id], kind)).length,
  );
  protected readonly secondsLeft = signal<number | null>(null);
  protected readonly timeLeft = computed(() => {
    const left = this.secondsLeft();
    return left === null ? null : `${Math.floor(left / 60)}:${String(left % 60).padStart(2, '0')}`;
  });
  private endsAt: number | null = null;
  private readonly typed = new Subject<void>();
  private isKeeping = false;

  constructor() {
    effect(() => {
      const [token, unit] = [this.token(), this.unit()];
      untracked(() => this.ask(this.api.view(token, unit)));
    });
    this.typed.pipe(debounceTime(REST_MS), takeUntilDestroyed()).subscribe(() => this.keep());
    interval(1_000)
      .pipe(takeUntilDestroyed())
      .subscribe(() => this.tick());
    inject(DestroyRef).onDestroy(() => {
      if (!this.isKept()) this.keep();
    });
  }

  private ask(request: Observable<QuizView>, isEnd = false): void {
    this.isBusy.set(true);
    this.problem.set(null);
    request.subscribe({
      next: (view) => {
        this.isBusy.set(false);
        this.isAsking.set(false);
        this.fill(view);
        if (isEnd) this.changed.emit();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  private fill(view: QuizView): void {
    this.view.set(view);
    const { open } = view;
    if (!open) {
      this.endsAt = null;
      this.secondsLeft.set(null);
      this.forget();
      return;
    }
    // the server's clock counts, a phone's may be off
    this.endsAt = open.endsAt === null ? null : Date.now() + Date.parse(open.endsAt) - Date.parse(open.now);
    this.answers.set({ ...open.answers, ...this.found(open) });
    this.tick();
  }

  protected begin(): void {
    this.ask(this.api.begin(this.token(), this.unit()));
  }

  protected answer(question: string, answer: Answer): void {
    this.answers.update((answers) => ({ ...answers, [question]: answer }));
    this.isKept.set(false);
    this.remember();
    this.typed.next();
  }

  private keep(): void {
    const open = this.open();
    if (!open || this.isKeeping || this.isKept()) return;
    const sent = this.answers();
    this.isKeeping = true;
    this.api.keep(this.token(), this.unit(), open.number, sent).subscribe({
      next: ({ isOpen }) => {
        this.isKeeping = false;
        this.isCutOff.set(false);
        if (!isOpen) return this.ask(this.api.view(this.token(), this.unit()), true);
        if (sent === this.answers()) {
          this.isKept.set(true);
          this.forget();
        } else this.keep();
      },
      error: (error: unknown) => {
        this.isKeeping = false;
        if (error instanceof HttpErrorResponse && (error.status === 0 || error.status >= 502)) {
          this.isCutOff.set(true);
          timer(AGAIN_MS).subscribe(() => this.keep());
        } else this.problem.set(sentenceOf(error));
      },
    });
  }

  protected submit(): void {
    const open = this.open();
    if (!open) return;
    if (this.unanswered() > 0 && !this.isAsking()) return this.isAsking.set(true);
    this.isKept.set(true);
    this.ask(this.api.submit(this.token(), this.unit(), open.number, this.answers()), true);
  }

  private tick(): void {
    if (this.endsAt === null) return;
    const left = Math.max(0, Math.ceil((this.endsAt - Date.now()) / 1_000));
    this.secondsLeft.set(left);
    if (left === 0 && !this.isBusy() && this.open()) {
      this.endsAt = null;
      this.isAsking.set(true);
      this.submit();
    }
  }

  /** On this device, for as long as the server has not taken it. */
  private key(number: number): string {
    return `nudrik.quiz.${this.token().slice(0, 12)}.${this.unit()}.${number}`;
  }
  private remember(): void {
    try {
      localStorage.setItem(this.key(this.open()!.number), JSON.stringify(this.answers()));
    } catch {
      // a browser that keeps nothing
    }
  }
  private found(open: OpenAttempt): Record<string, Answer> {
    try {
      const text = localStorage.getItem(this.key(open.number));
      if (text === null) return {};
      this.isKept.set(false);
      this.typed.next();
      return JSON.parse(text) as Record<string, Answer>;
    } catch {
      return {};
    }
  }
  private forget(): void {
    try {
      for (const key of Object.keys(localStorage))
        if (key.startsWith(`nudrik.quiz.${this.token().slice(0, 12)}.${this.unit()}.`)) localStorage.removeItem(key);
    } catch {
      // a browser that keeps nothing
    }
  }

  protected has(question: ShownQuestion, at: number): boolean {
    const answer = this.answers()[question.id];
    return Array.isArray(answer) && answer.includes(at);
  }

  protected toggle(question: ShownQuestion, at: number): void {
    const chosen = this.listOf(question.id);
    this.answer(question.id, chosen.includes(at) ? chosen.filter((one) => one !== at) : [...chosen, at]);
  }

  protected listOf(id: string): (number | string | null)[] {
    const answer = this.answers()[id];
    return Array.isArray(answer) ? [...answer] : [];
  }

  protected textOf(id: string): string {
    const answer = this.answers()[id];
    return typeof answer === 'string' ? answer : '';
  }

  protected putAt(question: ShownQuestion, index: number, count: number, value: number | string): void {
    const list = Array.from({ length: count }, (_, i) => this.listOf(question.id)[i] ?? null);
    list[index] = value;
    this.answer(question.id, list);
  }

  /** Things to be put in order: as they were put so far, or as they were dealt. */
  protected orderOf(question: ShownQuestion): number[] {
    const list = this.listOf(question.id).filter((at): at is number => typeof at === 'number');
    return list.length === question.options.length ? list : question.options.map((_, i) => i);
  }

  protected move(question: ShownQuestion, index: number, step: -1 | 1): void {
    const list = this.orderOf(question);
    const other = index + step;
    if (other < 0 || other >= list.length) return;
    [list[index], list[other]] = [list[other]!, list[index]!];
    this.answer(question.id, list);
  }

  /** What may be matched with: made once for an attempt. */
  protected readonly choices = computed(
    () =>
      new Map(
        (this.open()?.questions ?? []).map(({ id, options }) => [id, options.map((label, value): Choice<number> => ({ value, label }))]),
      ),
  );
}

const isEmpty = (answer: Answer | undefined, kind: ShownQuestion['kind']): boolean =>
  answer === undefined ||
  answer === null ||
  answer === '' ||
  (Array.isArray(answer) && kind !== 'order' && answer.every((one) => one === null || one === ''));
