import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import type { JobView } from '@nudrik/contract';
import { of } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { JobsStore } from './jobs.store.ts';

const WORDS: Record<JobView['state'], string> = {
  waiting: 'waits for its turn',
  running: 'at work',
  done: 'done',
  failed: 'not done',
  cancelled: 'cancelled, nothing was changed',
};

/** Long work that somebody asked for, the newest first: what it is, how far, and what came of it. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, MomentPipe],
  templateUrl: './work.page.html',
})
export class WorkPage {
  private readonly jobs = inject(JobsStore);
  protected readonly work = load(of(true), () => this.jobs.list(), ['jobs']);
  protected readonly isGoing = ({ state }: JobView): boolean => state === 'waiting' || state === 'running';
  protected readonly wordsOf = (job: JobView): string =>
    job.refusal?.message ?? (job.isCancelling && this.isGoing(job) ? 'is taken back' : WORDS[job.state]);

  protected cancel(id: string): void {
    this.jobs.cancel(id).subscribe(() => this.work.reload());
  }
}
