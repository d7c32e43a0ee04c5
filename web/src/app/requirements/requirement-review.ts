import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, input, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { Outside, RequirementPreview } from '@nudrik/contract';
import { DayPipe } from '../shared/moment.pipe.ts';

/** What would happen to whom: each group of people with their due dates, and the mails by day. */
@Component({
  selector: 'nk-requirement-review',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, FormsModule, RouterLink, DayPipe],
  template: `
    @if (preview().staying.count && !preview().assigned.count && !preview().attached.count && !preview().falling.count) {
      <p class="notice">Nobody's assignments change by it.</p>
    }
    @for (line of preview().warnings; track line) {
      <p class="notice">{{ line }}</p>
    }
    @if (preview().falling.count) {
      <div class="refusal" role="group" aria-label="What becomes of them">
        <p><strong>{{ preview().falling.count | number }} {{ preview().falling.count === 1 ? 'person has' : 'people have' }} the course open because of this, and would no longer be asked for it.</strong></p>
        <p class="gap">
          <label><input type="radio" name="outside" value="withdraw" [ngModel]="outside()" (ngModelChange)="outside.set($event)" /> withdraw their assignments</label>
          <label><input type="radio" name="outside" value="keep" [ngModel]="outside()" (ngModelChange)="outside.set($event)" /> keep them as they are</label>
          <label><input type="radio" name="outside" value="ask" [ngModel]="outside()" (ngModelChange)="outside.set($event)" /> decide one by one later</label>
        </p>
      </div>
    }
    <p class="counts" data-testid="review-counts">
      <span><strong>{{ preview().assigned.count | number }}</strong> assigned now</span>
      <span><strong>{{ preview().attached.count + preview().staying.count | number }}</strong> have it open already</span>
      <span><strong>{{ preview().covered.count | number }}</strong> covered</span>
      @if (preview().settled.count) {<span><strong>{{ preview().settled.count }}</strong> waived or withdrawn</span>}
      <span><strong>{{ preview().joining.count | number }}</strong> join in the next 60 days</span>
      <span><strong>{{ preview().mails | number }}</strong> {{ preview().mails === 1 ? 'mail' : 'mails' }}</span>
    </p>
    <div class="cols">
      <div>
        @for (group of groups(); track group.title) {
          <section>
            <h2>{{ group.title }}</h2>
            <p class="quiet small">{{ group.words }}</p>
            <table class="list">
              <tbody>
                @for (person of group.list.people; track person.id) {
                  <tr>
                    <td style="width: 40%"><a class="plain" [routerLink]="['/people', person.id]" target="_blank">{{ person.name }}</a>&ngsp;<span class="quiet">{{ person.site }}</span></td>
                    <td>{{ person.words }}</td>
                  </tr>
                }
              </tbody>
            </table>
            @if (group.list.count > group.list.people.length) {<p class="quiet">… and {{ group.list.count - group.list.people.length | number }} more.</p>}
          </section>
        } @empty {
          <p class="empty">Nobody is concerned: nobody is in the audience now, and nobody joins it in the next 60 days.</p>
        }
      </div>
      <section aria-label="Mails by day">
        <h2>Mails by day</h2>
        <p class="quiet small">If nobody finished; each finish takes the rest of theirs away.</p>
        <table class="list days">
          <tbody>
            @for (day of preview().byDay; track day.day) {
              <tr><td class="nowrap">{{ day.day | day }}</td><td class="bar"><div [style.width.%]="(100 * day.count) / most()"></div></td><td class="num">{{ day.count | number }}</td></tr>
            } @empty {
              <tr><td class="quiet">No mail.</td></tr>
            }
          </tbody>
        </table>
      </section>
    </div>
  `,
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
