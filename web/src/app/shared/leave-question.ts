import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Dialog } from 'primeng/dialog';
import { LeaveService } from './leave.ts';

/** The question itself; loaded when it is asked for the first time. */
@Component({
  selector: 'nk-leave-question',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog],
  templateUrl: './leave-question.html',
  styles: `.actions { display: flex; gap: 8px; flex-wrap: wrap; margin-top: 16px; }`,
})
export class LeaveQuestion {
  protected readonly leave = inject(LeaveService);
}
