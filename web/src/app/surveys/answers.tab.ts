import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { CourseStore } from '../courses/course.store.ts';
import { load } from '../shared/loaded.ts';
import { SurveysApi } from './surveys.api.ts';

/** What came of a survey: how often each was chosen, and what was written. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <div class="work">
      @if (view.data(); as data) {
        <div class="top">
          <h2>{{ data.unit.title }}</h2>
          <span class="quiet">{{ data.answered }} of {{ data.asked }} answered, {{ data.isAnonymous ? 'anonymously' : 'with their names' }}</span>
          <span class="grow"></span>
          @if (!data.hiddenUntil && data.answered > 0) {<a class="button" [href]="'/api/courses/' + data.course.id + '/surveys/' + data.unit.id + '/csv'">CSV</a>}
          <a class="link" [routerLink]="['/courses', data.course.id]" [queryParams]="{ unit: data.unit.id }">Back to the outline</a>
        </div>
        @if (data.hiddenUntil) {
          <p class="notice">It is anonymous, and {{ data.answered === 0 ? 'nobody' : data.answered }} answered yet. It is shown from {{ data.hiddenUntil }} answers on: with fewer one could tell who gave them.</p>
        }
        @for (one of data.questions; track one.question.id; let i = $index) {
          <section>
            <h3>{{ i + 1 }}. {{ one.question.text }}</h3>
            <p class="quiet">{{ one.answered }} answered@if (one.mean !== null) {, {{ one.mean.toFixed(1) }} on average, {{ one.question.low || '1' }} to {{ one.question.high || '5' }}}</p>
            @if (one.counts.length) {
              <table>
                <tbody>
                  @for (count of one.counts; track count.words) {
                    <tr><th scope="row">{{ count.words }}</th><td class="n">{{ count.count }}</td><td class="bar"><div [style.width.%]="share(count.count, one.answered)"></div></td></tr>
                  }
                </tbody>
              </table>
            }
            @for (text of one.texts; track $index) {
              <blockquote>{{ text.text }}@if (text.by) {<span class="quiet"> {{ text.by }}</span>}</blockquote>
            }
          </section>
        }
      } @else if (view.error()) {
        <p class="refusal" role="alert">{{ view.error() }}</p>
      } @else {
        <p class="loading">Counting …</p>
      }
    </div>
  `,
  styles: `
    .top { display: flex; gap: 14px; align-items: baseline; }
    .grow { flex: 1; }
    section { margin-top: 22px; max-width: 760px; }
    h3 { margin: 0; }
    table { width: 100%; border-collapse: collapse; margin-top: 6px; }
    th { text-align: left; font-weight: 400; padding: 4px 12px 4px 0; width: 240px; }
    .n { width: 40px; text-align: right; padding-right: 12px; font-variant-numeric: tabular-nums; }
    .bar div { height: 14px; background: var(--plum); min-width: 1px; }
    blockquote { margin: 6px 0; padding: 8px 12px; border: 1px solid var(--rule); background: var(--sheet); white-space: pre-wrap; overflow-wrap: anywhere; }
  `,
})
export class AnswersTab {
  private readonly api = inject(SurveysApi);
  private readonly store = inject(CourseStore);
  readonly unit = input.required<string>();
  private readonly asked = computed(() => ({ course: this.store.id()!, unit: this.unit() }));
  protected readonly view = load(toObservable(this.asked), ({ course, unit }) => this.api.view(course, unit), ['assignments']);

  protected share(count: number, answered: number): number {
    return answered === 0 ? 0 : (100 * count) / answered;
  }
}
