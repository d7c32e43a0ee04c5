import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

export const REASONS: Record<string, string> = {
  finished: 'finished before',
  waived: 'waived',
  withdrawn: 'withdrawn',
  left: 'has left',
  stopped: 'its stop condition holds',
  condition: 'its condition does not hold',
  'after-end': 'after its end',
  superseded: 'overtaken',
  'no-recipient': 'nobody to tell',
  'before-assignment': 'before the assignment',
  'moment-passed': 'its moment had passed',
  'switched-off': 'step switched off',
  leave: 'on leave',
  'daily-limit': 'enough messages that day',
  unreachable: 'mail comes back',
  'missing-value': 'a value is missing',
  extended: 'due date moved',
  'plan-changed': 'plan changed',
  bounced: 'address refused',
  'gave-up': 'given up',
  undone: 'taken back',
  replaced: 'took place otherwise',
  'no-certificate': 'no certificate',
  declined: 'declined',
  renewed: 'renewed by then',
  'by-hand': 'skipped by hand',
  'on-hold': 'somebody holds it',
  'taken-up': 'taken up',
  'let-pass': 'let pass when a hold ended',
};
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
