import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { JobsStore } from './jobs.store.ts';

/** Long work that goes on: how far it is, and a way to end it. It stays while one goes to other pages. */
@Component({
  selector: 'nk-work-bar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, RouterLink],
  template: `
    @for (job of jobs.going(); track job.id) {
      <div class="bar" role="status">
        <span>{{ job.words }}</span>
        <progress [attr.value]="job.total ? job.done : null" [max]="job.total || 1" [attr.aria-label]="job.words"></progress>
        <span class="quiet">
          @if (job.state === 'waiting') {
            waits for its turn
          } @else if (job.isCancelling) {
            is taken back …
          } @else if (job.total && job.total > 3) {
            {{ job.done | number }} of {{ job.total | number }}
          } @else {
            at work …
          }
        </span>
        <span class="grow"></span>
        <a routerLink="/work">All work</a>
        <button class="link" (click)="jobs.cancel(job.id).subscribe()" [disabled]="job.isCancelling" [attr.aria-label]="'Cancel: ' + job.words">Cancel</button>
      </div>
    }
  `,
  styles: `
    .bar { display: flex; align-items: center; gap: 12px; padding: 6px 24px; border-bottom: 1px solid var(--rule); background: var(--sheet); font-size: 13px; }
    progress { width: 220px; height: 6px; accent-color: var(--plum); }
    .grow { flex: 1; }
  `,
})
export class WorkBar {
  protected readonly jobs = inject(JobsStore);
}
