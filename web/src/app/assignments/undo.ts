import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, effect, inject, input, signal } from '@angular/core';
import type { ActResult } from '@nudrik/contract';
import { sentenceOf } from '../shared/refusal.ts';

/** What was just done by hand, with the way back. */
@Component({
  selector: 'nk-undo',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (problem()) {
      <p class="refusal" role="alert">{{ problem() }}</p>
    } @else {
      <p class="success" role="status">{{ isUndone() ? 'Taken back: ' + lower(done().words) : done().words }}@if (done().actId && !isUndone()) {&ngsp;<button class="link" (click)="undo()">Undo</button>&ngsp;<span class="quiet">within ten minutes, where nothing was sent</span>}</p>
    }
  `,
})
export class Undo {
  private readonly http = inject(HttpClient);
  readonly done = input.required<ActResult>();
  protected readonly isUndone = signal(false);
  protected readonly problem = signal<string | null>(null);

  constructor() {
    effect(() => {
      this.done();
      this.isUndone.set(false);
      this.problem.set(null);
    });
  }

  protected undo(): void {
    this.http.post(`/api/assignments/acts/${this.done().actId}/undo`, {}).subscribe({
      next: () => this.isUndone.set(true),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected readonly lower = (words: string): string => words[0]!.toLowerCase() + words.slice(1);
}
