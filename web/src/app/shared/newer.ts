import { ChangeDetectionStrategy, Component, input, signal, type WritableSignal } from '@angular/core';
import type { Observable } from 'rxjs';
import { isStale, sentenceOf } from './refusal.ts';
import { differences, type Difference } from './work-in-hand.ts';

/** Two versions told in words, field by field, and what was saved meanwhile itself. */
export interface Both<V> {
  theirs: V;
  mine: Record<string, string>;
  saved: Record<string, string>;
}

interface Choices<V> {
  /** what is in hand, and what is stored now */
  both(): Observable<Both<V>>;
  /** the work goes on, over the version that is stored now */
  goOn(theirs: V): void;
  /** what is stored takes the place of the work */
  take(theirs: V): void;
  problem: WritableSignal<string | null>;
}

/** What a page does when a save meets a newer version: both are fetched and shown, and one is chosen. */
export class NewerSaved<V> {
  readonly shown = signal<{ words: string; list: Difference[]; theirs: V } | null>(null);
  constructor(private readonly choices: Choices<V>) {}

  /** A save was refused: compared where somebody else saved meanwhile, told as a problem otherwise. */
  refused(error: unknown): void {
    const { both, problem } = this.choices;
    const words = sentenceOf(error);
    if (!isStale(error)) return problem.set(words);
    both().subscribe({
      next: ({ theirs, mine, saved }) => this.shown.set({ words, theirs, list: differences(mine, saved) }),
      error: (failed: unknown) => problem.set(`${words} ${sentenceOf(failed)}`),
    });
  }

  forget(): void {
    this.shown.set(null);
  }

  goOn(): void {
    this.choices.goOn(this.shown()!.theirs);
    this.forget();
  }

  take(): void {
    this.choices.take(this.shown()!.theirs);
    this.forget();
  }
}

/** A newer version was saved by somebody else: both stand side by side, and one of them is chosen. */
@Component({
  selector: 'nk-newer',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (of().shown(); as both) {
      <section class="refusal" role="alert">
        <p>{{ both.words }}</p>
        @if (both.list.length > 0) {
          <table class="list" aria-label="The two versions">
            <thead>
              <tr><th></th><th>Yours, not saved</th><th>Saved by somebody else</th></tr>
            </thead>
            <tbody>
              @for (line of both.list; track line.what) {
                <tr><th scope="row">{{ line.what }}</th><td>{{ line.mine }}</td><td>{{ line.theirs }}</td></tr>
              }
            </tbody>
          </table>
        } @else {
          <p>They say the same as yours.</p>
        }
        <div class="actions">
          <button type="button" class="button" (click)="of().goOn()">Go on with mine</button>
          <button type="button" class="button plain" (click)="of().take()">Take theirs, drop mine</button>
        </div>
      </section>
    }
  `,
  styles: `
    .actions { display: flex; gap: 8px; margin-top: 10px; }
    table { background: var(--sheet); color: var(--ink); margin-top: 8px; }
    td { white-space: pre-line; vertical-align: top; }
    th[scope] { font-weight: 400; color: var(--quiet); white-space: nowrap; }
  `,
})
export class Newer {
  readonly of = input.required<NewerSaved<unknown>>();
}
