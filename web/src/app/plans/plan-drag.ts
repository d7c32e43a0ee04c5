import { inject, Injectable, signal } from '@angular/core';
import type { PlanStepView } from '@nudrik/contract';
import type { PlanStep } from '@nudrik/core';
import type { StepMoments } from '../rehearsal/rehearsal-desk.ts';
import { RehearsalLink } from '../rehearsal/rehearsal-link.ts';

/**
 * What a step comes to while it is dragged: worked out by a worker at once, for everybody of the course, before the server was asked. It
 * begins when a step is first moved; where it cannot, the server's answer is waited for.
 */
@Injectable()
export class PlanDrag {
  private readonly link = inject(RehearsalLink);
  readonly moments = signal<{ step: PlanStepView; found: StepMoments } | null>(null);
  private course: string | null = null;
  private opening: Promise<unknown> | null = null;
  private asked = 0;

  /**
   * @param steps the whole draft
   * @param step of it, that is dragged
   * @param shown assignments whose moments are looked at
   */
  async look(course: string, steps: readonly PlanStepView[], step: PlanStepView, shown: readonly string[]): Promise<void> {
    if (typeof Worker === 'undefined') return;
    const asked = ++this.asked;
    try {
      if (this.course !== course) {
        this.course = course;
        this.opening = this.link.desk.open(course);
      }
      await this.opening;
      if (asked !== this.asked) return; // it was moved on meanwhile
      const found = await this.link.desk.moments(steps as readonly PlanStep[], step.id, shown);
      if (asked === this.asked) this.moments.set({ step, found });
    } catch {
      this.course = null; // the server's own preview tells it a moment later
    }
  }

  forget(): void {
    this.asked += 1;
    this.moments.set(null);
  }
}
