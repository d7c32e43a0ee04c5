import { isOpenState } from '@nudrik/core';
import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { of } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { DayPipe, FinishedPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { State } from '../shared/state.ts';
import { LearningApi } from './learning.api.ts';

/** An employee's own courses, dates and certificates. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, FinishedPipe, MomentPipe, DayPipe, State],
  templateUrl: './my-training.page.html',
})
export class MyTrainingPage {
  private readonly api = inject(LearningApi);
  protected readonly training = load(of(true), () => this.api.mine(), ['assignments', 'clock']);
  protected readonly open = computed(() => (this.training.data()?.assignments ?? []).filter(({ state }) => isOpenState(state)));
  protected readonly closed = computed(() => (this.training.data()?.assignments ?? []).filter(({ state }) => !isOpenState(state)));
}
