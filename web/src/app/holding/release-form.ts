import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { HoldRelease, HoldView } from '@nudrik/contract';
import { headOfHold, tellAmount } from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { HoldingApi } from './holding.api.ts';

/** Ends a hold: shows message by message what would go now and what is past, then sends what is still useful, or lets it pass. */
@Component({
  selector: 'nk-release-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog, FormsModule, MomentPipe],
  templateUrl: './release-form.html',
  styles: `
    .choice { display: flex; gap: 9px; align-items: baseline; margin: 6px 0; }
    .rows { max-height: 300px; overflow: auto; margin-top: 12px; padding: 0 8px; }
    .small { font-size: 12.5px; }
  `,
})
export class ReleaseForm {
  private readonly api = inject(HoldingApi);
  readonly hold = input.required<HoldView>();
  readonly done = output();
  readonly left = output();
  protected readonly how = signal<HoldRelease['how']>('send');
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly preview = load(toObservable(this.hold), ({ id }) => this.api.previewRelease(id), ['notices', 'clock']);
  protected readonly head = computed(() => headOfHold(this.hold()));
  protected readonly sendWords = computed(() => {
    const found = this.preview.data();
    if (!found) return '';
    const parts = [
      found.goes > 0 &&
        `${tellAmount(found.goes, 'messages')} ${found.goes === 1 ? 'goes' : 'go'}, at night and on days off when the day begins where it is read`,
      found.later > 0 && `${found.later} later, each for its reason`,
      found.passes > 0 &&
        `${found.passes} ${found.passes === 1 ? 'is' : 'are'} no longer of use and ${found.passes === 1 ? 'is' : 'are'} skipped`,
    ].filter(Boolean);
    return parts.length ? `${parts.join('; ')}.` : 'Nothing waits; it only goes on.';
  });
  protected readonly OUTCOMES = { send: 'goes now', hold: 'waits on', skip: 'skipped' } as const;
  protected readonly TONES = { send: 'done', hold: 'soon', skip: 'quiet' } as const;

  protected release(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.release(this.hold().id, this.how()).subscribe({
      next: () => this.done.emit(),
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
