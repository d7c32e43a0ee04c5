import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Router } from '@angular/router';
import type { PlanRow } from '@nudrik/contract';
import { of } from 'rxjs';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { PlansApi } from './plans.api.ts';

/** Every plan, what of it is switched on, and what it sends in the next four weeks. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [KindMark, MomentPipe],
  template: `
    <div class="work">
      <div class="page-head"><h1>Plans</h1></div>
      @if (plans.data(); as rows) {
        <table class="list">
          <thead>
            <tr><th>Course</th><th>Steps</th><th>Switched off</th><th>Published</th><th class="num">Open assignments</th><th class="num">Next 28 days</th></tr>
          </thead>
          <tbody>
            @for (plan of rows; track plan.course.id) {
              <tr data-row tabindex="0" (click)="open(plan.course.id)">
                <td>{{ plan.course.title }}</td>
                <td class="marks">
                  @for (step of plan.steps; track $index) {
                    <nk-kind [kind]="step.kind" [style.opacity]="step.on ? 1 : 0.25" />
                  }
                </td>
                <td>
                  @for (step of offOf(plan); track $index) {
                    <span class="soon">{{ step }}</span>@if (!$last) {, }
                  } @empty {
                    <span class="quiet">all on</span>
                  }
                </td>
                <td>version {{ plan.version }}, {{ plan.publishedAt | moment: 'date' }}@if (plan.publishedBy) {&ngsp;<span class="quiet">by {{ plan.publishedBy }}</span>}</td>
                <td class="num">{{ plan.open }}</td>
                <td class="num">{{ plan.next28 }}</td>
              </tr>
            } @empty {
              <tr><td class="quiet" colspan="6">No course has a plan yet: a new course brings the standard plan with it.</td></tr>
            }
          </tbody>
        </table>
      } @else if (plans.error()) {
        <p class="refusal" role="alert">{{ plans.error() }} <button class="link" (click)="plans.reload()">Try again</button></p>
      } @else {
        <p class="loading">Opening the plans …</p>
      }
    </div>
  `,
  styles: `.marks nk-kind { margin-right: 4px; }`,
})
export class PlansPage {
  private readonly api = inject(PlansApi);
  private readonly router = inject(Router);
  protected readonly plans = load(of(true), () => this.api.list(), ['plans', 'notices', 'assignments']);

  protected offOf(plan: PlanRow): string[] {
    return plan.steps.filter((step) => !step.on).map((step) => step.name);
  }

  protected open(id: string): void {
    void this.router.navigate(['/plans', id]);
  }
}
