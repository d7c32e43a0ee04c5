import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import type { HoldView, PlanRow } from '@nudrik/contract';
import { of } from 'rxjs';
import { HoldingApi } from '../holding/holding.api.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { PlansApi } from './plans.api.ts';

/** Every plan, what of it is switched on, and what it sends in the next four weeks. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [KindMark, MomentPipe, RouterLink],
  templateUrl: './plans.page.html',
  styles: `.marks nk-kind { margin-right: 4px; }`,
})
export class PlansPage {
  private readonly api = inject(PlansApi);
  private readonly router = inject(Router);
  protected readonly plans = load(of(true), () => this.api.list(), ['plans', 'notices', 'assignments']);

  private readonly holding = inject(HoldingApi);
  private readonly holds = load(of(true), () => this.holding.list(), ['holds', 'clock']);

  /** What holds the messages of a plan, beside everything: that is said on each page. */
  protected heldBy(course: string): HoldView | null {
    return this.holds.data()?.standing.find(({ scope, of: held }) => (scope === 'plan' || scope === 'course') && held === course) ?? null;
  }

  protected offOf(plan: PlanRow): string[] {
    return plan.steps.filter((step) => !step.on).map((step) => step.name);
  }

  protected open(id: string): void {
    void this.router.navigate(['/plans', id]);
  }
}
