import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { ActResult } from '@nudrik/contract';
import { DateField } from '../shared/pick/date-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AssignmentsApi, type HandAct } from './assignments.api.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { Remind } from './remind.ts';

/** What may be done with open assignments, one or many: a later due date, or closing them; always with a reason, always on the record. */
@Component({
  selector: 'nk-assignment-acts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DateField, Remind],
  templateUrl: './assignment-acts.html',
  styles: `.acts { padding: 10px 12px; border: 1px solid var(--rule); margin-top: 8px; } .grow { flex: 1; min-width: 180px; } .part { border-top: 1px solid var(--rule); padding-top: 8px; margin-top: 10px; }`,
})
export class AssignmentActs {
  private readonly api = inject(AssignmentsApi);
  private readonly clock = inject(ClockStore);
  readonly assignmentIds = input.required<readonly string[]>();
  /** the latest due date in force: what a new one has to be after */
  readonly dueAt = input.required<string>();
  readonly canClose = input(false);
  /** a manager of the line: takes up, asks for a waiver */
  readonly isManager = input(false);
  /** by how many days they may move it; null is as they like */
  readonly mostDays = input<number | null>(null);
  readonly done = output<ActResult>();
  readonly left = output<void>();
  protected readonly dueOn = linkedSignal(() => new Date(Date.parse(this.dueAt()) + 7 * 86_400_000).toISOString().slice(0, 10));
  protected readonly until = signal('');
  protected readonly takenUntil = linkedSignal(() =>
    new Date(this.clock.now() === null ? 0 : this.clock.now()! + 7 * 86_400_000).toISOString().slice(0, 10),
  );
  protected tellAbove = false;
  protected reason = '';
  protected told = '';
  protected readonly problem = signal<string | null>(null);
  protected readonly isReminding = signal(false);
  protected readonly whom = computed(() => ({ assignmentIds: [...this.assignmentIds()] }));

  protected send(act: HandAct): void {
    this.problem.set(null);
    const rest =
      act === 'extend'
        ? { dueOn: this.dueOn() }
        : act === 'waive'
          ? { until: this.until() || null }
          : act === 'take-up'
            ? { until: this.takenUntil(), tellAbove: this.tellAbove }
            : {};
    const told = act === 'take-up' ? this.reason.trim() || null : act === 'extend' ? null : this.told || null;
    this.api
      .act(act, { assignmentIds: this.assignmentIds(), reason: this.reason, told, ...rest })
      .subscribe({ next: (result) => this.done.emit(result), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }
}
