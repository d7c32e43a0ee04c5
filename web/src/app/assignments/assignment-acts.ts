import { ChangeDetectionStrategy, Component, inject, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { ActResult } from '@nudrik/contract';
import { DateField } from '../shared/pick/date-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AssignmentsApi, type HandAct } from './assignments.api.ts';

/** What may be done with open assignments, one or many: a later due date, or closing them; always with a reason, always on the record. */
@Component({
  selector: 'nk-assignment-acts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DateField],
  template: `
    <form class="acts" (submit)="$event.preventDefault()">
      <div class="gap">
        <div class="field"><span>New due date, 17:00</span><nk-date label="New due date, 17:00" name="due" [ngModel]="dueOn()" (ngModelChange)="dueOn.set($event)" /></div>
        @if (canClose()) {
          <div class="field"><span>Waived until</span><nk-date label="Waived until" placeholder="for good" name="until" [ngModel]="until()" (ngModelChange)="until.set($event)" /></div>
        }
        <label class="field grow"><span>Reason</span><input class="input" name="reason" [(ngModel)]="reason" placeholder="for the record; not shown to them" required /></label>
        @if (canClose()) {
          <label class="field grow"><span>What they are told</span><input class="input" name="told" [(ngModel)]="told" placeholder="on their page, when waived or withdrawn" /></label>
        }
      </div>
      <div class="gap">
        <button type="submit" class="button small" (click)="send('extend')">Extend</button>
        @if (canClose()) {
          <button type="button" class="button small plain" (click)="send('waive')">Waive</button>
          <button type="button" class="button small plain" (click)="send('withdraw')">Withdraw</button>
        }
        <button type="button" class="link" (click)="left.emit()">Leave it</button>
      </div>
      @if (problem()) {
        <p class="refusal" role="alert">{{ problem() }}</p>
      }
    </form>
  `,
  styles: `.acts { padding: 10px 12px; border: 1px solid var(--rule); margin-top: 8px; } .grow { flex: 1; min-width: 180px; }`,
})
export class AssignmentActs {
  private readonly api = inject(AssignmentsApi);
  readonly assignmentIds = input.required<readonly string[]>();
  /** the latest due date in force: what a new one has to be after */
  readonly dueAt = input.required<string>();
  readonly canClose = input(false);
  readonly done = output<ActResult>();
  readonly left = output<void>();
  protected readonly dueOn = linkedSignal(() => new Date(Date.parse(this.dueAt()) + 7 * 86_400_000).toISOString().slice(0, 10));
  protected readonly until = signal('');
  protected reason = '';
  protected told = '';
  protected readonly problem = signal<string | null>(null);

  protected send(act: HandAct): void {
    this.problem.set(null);
    const rest = act === 'extend' ? { dueOn: this.dueOn() } : act === 'waive' ? { until: this.until() || null } : {};
    const told = act === 'extend' ? null : this.told || null;
    this.api
      .act(act, { assignmentIds: this.assignmentIds(), reason: this.reason, told, ...rest })
      .subscribe({ next: (result) => this.done.emit(result), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }
}
