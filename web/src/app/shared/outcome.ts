import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { REASONS } from '@nudrik/core';

const TONES: Record<string, string> = {
  delivered: 'done',
  sent: 'done',
  bounced: 'late',
  failed: 'late',
  held: 'soon',
  skipped: 'quiet',
  cancelled: 'quiet',
  planned: '',
  sending: '',
};

/** What became of a notice, and why in a few words. */
@Component({
  selector: 'nk-outcome',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<span [class]="tone()">{{ words() }}@if (reason()) {: {{ reason() }}}</span>`,
})
export class Outcome {
  readonly state = input.required<string>();
  readonly because = input<string | null>(null);
  protected readonly tone = computed(() => TONES[this.state()] ?? '');
  /** what was skipped or cancelled was not sent, whoever decided it */
  protected readonly words = computed(() => (this.state() === 'skipped' || this.state() === 'cancelled' ? 'not sent' : this.state()));
  protected readonly reason = computed(() => {
    const because = this.because();
    return because === null || this.state() === 'delivered' || this.state() === 'sent' ? null : (REASONS[because] ?? because);
  });
}
