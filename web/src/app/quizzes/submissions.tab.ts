import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import type { AttemptView } from '@nudrik/contract';
import { combineLatest, EMPTY, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { CourseStore } from '../courses/course.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { QuizzesApi } from './quizzes.api.ts';

/** What came in for a quiz: who, with what, what waits to be marked, and how each question does. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, MomentPipe, NumberField],
  templateUrl: './submissions.tab.html',
  styleUrl: './submissions.tab.css',
})
export class SubmissionsTab {
  protected readonly store = inject(CourseStore);
  protected readonly session = inject(SessionStore);
  private readonly api = inject(QuizzesApi);
  private readonly router = inject(Router);
  protected readonly zoneWords = zoneWords;
  readonly unit = input.required<string>();
  /** the attempt that is open: by its id, or by the assignment and its number, as a message leads to it */
  readonly open = input<string>();
  readonly assignment = input<string>();
  readonly attempt = input<string>();
  private readonly asked = computed(() => ({ course: this.store.id(), unit: this.unit() }));
  protected readonly view = load(toObservable(this.asked), ({ course, unit }) => (course ? this.api.submissions(course, unit) : EMPTY), [
    'assignments',
  ]);
  private readonly chosen = computed(
    () =>
      this.open() ??
      this.view.data()?.rows.find(({ assignmentId, number }) => assignmentId === this.assignment() && String(number) === this.attempt())
        ?.id ??
      null,
  );
  private readonly again = signal(0);
  protected readonly detail = load(combineLatest([toObservable(this.chosen), toObservable(this.again)]), ([id]) =>
    id ? this.api.attempt(id) : of(null),
  );
  protected readonly marks = signal<Readonly<Record<string, number>>>({});
  protected readonly words = signal('');
  protected readonly problem = signal<string | null>(null);
  protected readonly said = signal<string | null>(null);
  protected readonly isBusy = signal(false);

  constructor() {
    effect(() => {
      this.chosen();
      untracked(() => {
        this.marks.set({});
        this.words.set('');
        this.problem.set(null);
        this.said.set(null);
      });
    });
  }

  protected show(id: string | null): void {
    void this.router.navigate([], {
      queryParams: { open: id, assignment: null, attempt: null },
      queryParamsHandling: 'merge',
      replaceUrl: true,
    });
  }

  protected isChosen(id: string): boolean {
    return this.chosen() === id;
  }

  protected share(share: number | null): string {
    return share === null ? '' : `${Math.round(share * 100)} %`;
  }

  /** How far a question tells those who know from those who do not, in a word. */
  protected tellsApart(value: number | null): string {
    if (value === null) return 'too few';
    return `${value.toFixed(2)}, ${value < 0 ? 'misleads' : value < 0.15 ? 'hardly' : value < 0.3 ? 'a little' : 'well'}`;
  }

  protected give(question: string, share: number | null): void {
    if (share !== null) this.marks.update((marks) => ({ ...marks, [question]: Math.max(0, Math.min(100, share)) / 100 }));
  }

  protected mark(view: AttemptView): void {
    this.run(this.api.mark(view.id, this.marks(), this.words()), 'Marked.');
  }

  protected another(view: AttemptView): void {
    this.run(this.api.another(view.assignmentId, view.unit.id), `${view.person.name} has another attempt.`);
  }

  private run(request: ReturnType<QuizzesApi['another']>, words: string): void {
    this.isBusy.set(true);
    this.problem.set(null);
    request.subscribe({
      next: () => {
        this.isBusy.set(false);
        this.said.set(words);
        this.view.reload();
        this.again.update((n) => n + 1);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
