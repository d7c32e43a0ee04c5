import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { MyTraining } from '@nudrik/contract';
import { of } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { DayPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { State } from '../shared/state.ts';

/** An employee's own courses, dates and certificates. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, MomentPipe, DayPipe, State],
  templateUrl: './my-training.page.html',
})
export class MyTrainingPage {
  private readonly http = inject(HttpClient);
  protected readonly training = load(of(true), () => this.http.get<MyTraining>('/api/my-training'), ['assignments', 'clock']);
  protected readonly open = computed(() =>
    (this.training.data()?.assignments ?? []).filter(({ state }) => ['overdue', 'in progress', 'not started'].includes(state)),
  );
  protected readonly closed = computed(() =>
    (this.training.data()?.assignments ?? []).filter(({ state }) => !['overdue', 'in progress', 'not started'].includes(state)),
  );
}
