import { isOpenState } from '@nudrik/core';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { of } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { DayPipe, FinishedPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { State } from '../shared/state.ts';
import { Reach } from '../people/reach.ts';
import { LearningApi } from './learning.api.ts';

/** An employee's own courses, dates and certificates. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, Reach, FinishedPipe, MomentPipe, DayPipe, State],
  templateUrl: './my-training.page.html',
  styles: `.address { overflow-wrap: anywhere; }`,
})
export class MyTrainingPage {
  private readonly api = inject(LearningApi);
  protected readonly training = load(of(true), () => this.api.mine(), ['assignments', 'clock']);
  protected readonly open = computed(() => (this.training.data()?.assignments ?? []).filter(({ state }) => isOpenState(state)));
  protected readonly problem = signal<string | null>(null);
  protected readonly isCopied = signal(false);
  protected readonly closed = computed(() => (this.training.data()?.assignments ?? []).filter(({ state }) => !isOpenState(state)));

  protected setCalendar(isOn: boolean): void {
    this.problem.set(null);
    this.isCopied.set(false);
    this.api
      .setCalendar(isOn)
      .subscribe({ next: () => this.training.reload(), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }

  protected async copy(address: string): Promise<void> {
    // where a browser keeps the clipboard to itself the address stands there to be marked
    await navigator.clipboard?.writeText(address).then(
      () => this.isCopied.set(true),
      () => undefined,
    );
  }
}
