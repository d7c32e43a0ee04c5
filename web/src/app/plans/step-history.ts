import { computed, signal } from '@angular/core';
import type { PlanStepView } from '@nudrik/contract';

/** Steps that can be taken back. */
const MOST = 200;

/** The steps of a draft, with what was done to them: taken back and done again over the whole plan. */
export class StepHistory {
  private readonly current = signal<PlanStepView[]>([]);
  private readonly done = signal<readonly PlanStepView[][]>([]);
  private readonly undone = signal<readonly PlanStepView[][]>([]);
  /** what the last change was: more of the same is one step */
  private last: string | null = null;
  readonly steps = this.current.asReadonly();
  readonly canUndo = computed(() => this.done().length > 0);
  readonly canRedo = computed(() => this.undone().length > 0);

  /** Begins with these, without a past. */
  reset(steps: PlanStepView[]): void {
    this.current.set(steps);
    this.done.set([]);
    this.undone.set([]);
    this.last = null;
  }

  /** @param what the same words twice running are taken back together, as when somebody types */
  change(what: string, change: (steps: PlanStepView[]) => PlanStepView[]): void {
    const before = this.current();
    const after = change(before);
    if (JSON.stringify(after) === JSON.stringify(before)) return;
    if (what !== this.last) this.done.update((list) => [...list.slice(-MOST + 1), before]);
    this.last = what;
    this.undone.set([]);
    this.current.set(after);
  }

  /** The next change is one of its own. */
  rest(): void {
    this.last = null;
  }

  undo(): void {
    this.move(this.done, this.undone);
  }

  redo(): void {
    this.move(this.undone, this.done);
  }

  private move(from: typeof this.done, to: typeof this.done): void {
    const next = from().at(-1);
    if (!next) return;
    from.update((list) => list.slice(0, -1));
    to.update((list) => [...list, this.current()]);
    this.current.set(next);
    this.last = null;
  }
}
