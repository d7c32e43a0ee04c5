import { isOpenState } from '@nudrik/core';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { LearningUnit } from '@nudrik/contract';
import { DayPipe, FinishedPipe, MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { QuizPlayer } from '../quizzes/quiz-player.ts';
import { LearningApi } from './learning.api.ts';

/** What an employee sees behind the personal link: dates, progress, the units, and at the end the certificate. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FinishedPipe, MomentPipe, DayPipe, QuizPlayer],
  templateUrl: './learn.page.html',
  styleUrl: './learn.page.css',
})
export class LearnPage {
  private readonly api = inject(LearningApi);
  readonly token = input.required<string>();
  protected readonly course = load(toObservable(this.token), (token) => this.api.find(token), ['assignments']);
  protected readonly opened = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly zoneWords = zoneWords;
  protected readonly percent = computed(() => this.course.data()?.percent ?? 0);
  protected readonly isOpen = computed(() => isOpenState(this.course.data()?.state ?? ''));
  protected readonly firstOpen = computed(
    () =>
      this.course
        .data()
        ?.sections.flatMap(({ units }) => units)
        .find((unit) => !unit.doneAt && unit.required && !unit.opens)?.id ?? null,
  );

  protected open(unit: LearningUnit): void {
    if (unit.opens) return;
    this.opened.set(this.opened() === unit.id ? null : unit.id);
    if (this.isOpen()) this.api.start(this.token()).subscribe();
  }

  protected finish(unit: LearningUnit): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.markDone(this.token(), unit.id).subscribe({
      next: () => {
        this.isBusy.set(false);
        const units = this.course.data()!.sections.flatMap(({ units }) => units);
        const next = units[units.findIndex(({ id }) => id === unit.id) + 1];
        this.opened.set(next && !next.opens ? next.id : null);
        this.course.reload();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected readonly renewed = signal<string | null>(null);

  protected renew(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.renew(this.token()).subscribe({
      next: ({ words }) => {
        this.isBusy.set(false);
        this.renewed.set(words);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected size(bytes: number): string {
    return bytes < 1_000_000 ? `${Math.max(1, Math.round(bytes / 1000))} kB` : `${(bytes / 1_000_000).toFixed(1)} MB`;
  }
}
