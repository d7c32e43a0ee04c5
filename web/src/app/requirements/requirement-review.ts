import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, input, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { Outside, RequirementPreview } from '@nudrik/contract';
import { PlanWarnings } from '../plans/plan-warnings.ts';
import { DayPipe } from '../shared/moment.pipe.ts';

/** What would happen to whom: each group of people with their due dates, and the mails by day. */
@Component({
  selector: 'nk-requirement-review',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, FormsModule, RouterLink, DayPipe, PlanWarnings],
  templateUrl: './requirement-review.html',
  styles: `
    .counts { display: flex; gap: 24px; flex-wrap: wrap; margin: 2px 0 16px; }
    .counts strong { font-size: 17px; }
    .cols { display: grid; grid-template-columns: minmax(0, 1fr) 300px; gap: 0 40px; }
    .cols > section { margin-top: 0; }
    .small { font-size: 13px; margin-bottom: 4px; }
    .days .bar { width: 100%; vertical-align: middle; }
    .days .bar div { height: 12px; border: 1px solid var(--ink); background: var(--sheet); min-width: 2px; }
    .refusal label { display: inline-flex; gap: 6px; align-items: center; margin-right: 8px; }
  `,
})
export class RequirementReview {
  readonly preview = input.required<RequirementPreview>();
  readonly course = input<string | null>(null);
  readonly outside = model<Outside>('ask');
  protected readonly most = computed(() => Math.max(1, ...this.preview().byDay.map(({ count }) => count)));
  protected readonly groups = computed(() => {
    const { assigned, attached, staying, covered, settled, joining, falling } = this.preview();
    return [
      { title: 'No longer in', words: 'They have it open from this requirement.', list: falling },
      { title: 'Assigned now', words: 'Each with the due date in their own time.', list: assigned },
      { title: 'Have it open already', words: 'They keep that assignment; this reason is added to it.', list: attached },
      { title: 'Keep it as it is', words: 'They have it open from this requirement; nothing changes for them.', list: staying },
      { title: 'Join in the next 60 days', words: 'By the dates known; each is assigned on the first morning.', list: joining },
      { title: 'Covered', words: 'What they finished counts.', list: covered },
      { title: 'Waived or withdrawn', words: 'Somebody decided so; it stays.', list: settled },
    ].filter(({ list }) => list.count > 0);
  });
}
