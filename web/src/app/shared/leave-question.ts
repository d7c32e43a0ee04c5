import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Dialog } from 'primeng/dialog';
import { LeaveService } from './leave.ts';

/** The question itself; loaded when it is asked for the first time. */
@Component({
  selector: 'nk-leave-question',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog],
  template: `
    <p-dialog [visible]="leave.isAsking()" (visibleChange)="$event || leave.answer('stay')" [modal]="true" [draggable]="false" [style]="{ width: '460px' }" header="Not saved yet">
      <p>You changed something here and did not save it. It is kept in this browser: open the page again and go on.</p>
      <div class="actions">
        <button class="button filled" (click)="leave.answer('stay')">Stay here</button>
        <button class="button" (click)="leave.answer('keep')">Leave, go on later</button>
        <button class="button plain" (click)="leave.answer('drop')">Leave and drop it</button>
      </div>
    </p-dialog>
  `,
  styles: `.actions { display: flex; gap: 8px; flex-wrap: wrap; margin-top: 16px; }`,
})
export class LeaveQuestion {
  protected readonly leave = inject(LeaveService);
}
