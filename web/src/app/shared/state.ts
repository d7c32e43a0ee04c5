import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

const TONES: Record<string, string> = {
  finished: 'done',
  'finished late': 'done',
  overdue: 'late',
  current: 'done',
  expiring: 'soon',
  expired: 'late',
  revoked: 'late',
  waived: 'quiet',
  withdrawn: 'quiet',
};

/** A state in its word and its colour. */
@Component({
  selector: 'nk-state',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<span [class]="tone()">{{ state() }}</span>`,
})
export class State {
  readonly state = input.required<string>();
  protected readonly tone = computed(() => TONES[this.state()] ?? '');
}
