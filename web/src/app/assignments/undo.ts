import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import type { ActResult } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { AssignmentsApi } from './assignments.api.ts';

const MINUTE = 60_000;

/** What was just done by hand, what it will send once it has settled, and the way back while there is one. */
@Component({
  selector: 'nk-undo',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe],
  template: `
    @if (problem()) {
      <p class="refusal" role="alert">{{ problem() }}</p>
    } @else {
      <p class="success" role="status">
        {{ isUndone() ? 'Taken back: ' + lower(done().words) : done().words }}
        @if (!isUndone()) {
          @if (left(done().settlesAt); as time) {
            <span class="quiet">Nothing goes out before {{ done().settlesAt | moment: 'time' }}, in {{ time }}.</span>
          }
          @if (done().actId && left(done().undoUntil); as time) {
            <button class="link" (click)="undo()">Undo</button>&ngsp;<span class="quiet">for {{ time }} more</span>
          }
        }
      </p>
    }
  `,
})
export class Undo {
  private readonly api = inject(AssignmentsApi);
  private readonly clock = inject(ClockStore);
  readonly done = input.required<ActResult>();
  protected readonly isUndone = signal(false);
  protected readonly problem = signal<string | null>(null);
  private readonly now = computed(() => this.clock.now() ?? 0);

  constructor() {
    effect(() => {
      this.done();
      this.isUndone.set(false);
      this.problem.set(null);
    });
  }

  /** The time left until a moment, in whole minutes; null once it has passed. */
  protected left(until: string | null): string | null {
    if (until === null) return null;
    const ms = Date.parse(until) - this.now();
    return ms <= 0 ? null : tellAmount(Math.ceil(ms / MINUTE), 'minutes');
  }

  protected undo(): void {
    this.api.undo(this.done().actId!).subscribe({
      next: () => this.isUndone.set(true),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected readonly lower = (words: string): string => words[0]!.toLowerCase() + words.slice(1);
}
