import type { PlanStepView } from '@nudrik/contract';
import { History } from '../shared/history.ts';

/** The steps of a draft, with what was done to them: taken back and done again over the whole plan. */
export class StepHistory extends History<PlanStepView[]> {
  readonly steps = this.value;

  constructor() {
    super([]);
  }
}
