import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import type { Coverage, ToldCount } from '@nudrik/contract';
import { tellUntold, type Became } from '@nudrik/core';
import { PaginatorModule } from 'primeng/paginator';
import { debounceTime } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { Outcome } from '../shared/outcome.ts';
import { paramsOf } from '../shared/params.ts';
import { AsOf } from './as-of.ts';
import { CourseListPage } from './course-list.page.ts';
import { CourseLists } from './course-lists.ts';
import { ListFilters } from './list-filters.ts';
import { ReportFiles } from './report-files.ts';
import { KeptViews } from './kept-views.ts';

/** Departments that have a column of their own. */
const MOST_COLUMNS = 8;

/** Kinds that reasons tell apart. */
const REASONED: readonly Became[] = ['held', 'skipped', 'none'];
const whoOf = ({ told, because }: ToldCount): string => (REASONED.includes(told) ? `${told}:${because ?? ''}` : told);

/** Who was notified of a course, of what, where and when; and of everybody else why not. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AsOf, CourseLists, KeptViews, ListFilters, MomentPipe, Outcome, PaginatorModule, ReportFiles, RouterLink],
  templateUrl: './notified.page.html',
  styles: `
    .coverage { max-width: 1100px; margin-bottom: 18px; }
    .coverage td.step button { text-align: left; }
    .coverage tr.on td { background: var(--sheet); }
    .share { display: inline-block; width: 70px; height: 8px; background: var(--rule); vertical-align: middle; margin-right: 6px; }
    .share i { display: block; height: 100%; background: var(--ink); }
    .went { margin: 0; padding: 0; list-style: none; }
    .went li { padding: 1px 0; }
  `,
})
export class NotifiedPage extends CourseListPage {
  readonly step = input<string>();
  private readonly asked = computed(() => ({ ...this.filters(), step: this.step() }));
  private readonly query = computed(() => ({ course: this.course(), params: this.paged(this.asked()) }));
  protected readonly list = load(
    toObservable(this.query).pipe(debounceTime(30)),
    ({ course, params }) => this.api.notified(course, params),
    ['notices', 'assignments', 'people', 'clock'],
  );
  private readonly narrowed = computed(() => ({
    course: this.course(),
    params: paramsOf({ ...this.filters(), who: undefined }),
  }));
  // by itself: of a large course the list is there before all are counted
  protected readonly coverage = load(
    toObservable(this.narrowed).pipe(debounceTime(30)),
    ({ course, params }) => this.api.coverage(course, params),
    ['notices', 'assignments', 'people', 'clock'],
  );
  /** the filters of the address, for a view with a name */
  protected readonly kept = computed(() => paramsOf(this.asked()));
  protected readonly file = computed(() => ({ report: 'notified', course: this.course(), ...paramsOf(this.asked()) }));
  protected readonly stepName = computed(() => this.coverage.data()?.steps.find(({ id }) => id === this.step())?.name ?? null);
  /** of the chosen step, else of any */
  private readonly of = computed((): Coverage | null => {
    const data = this.coverage.data();
    return data ? (data.steps.find(({ id }) => id === this.step()) ?? data.people) : null;
  });
  protected readonly tally = computed(() => {
    const of = this.of();
    if (!of) return [];
    return [
      { who: null, words: `${of.required} asked`, tone: '' },
      { who: 'told', words: `${of.told} told`, tone: 'done' },
      ...of.untold.map((each) => ({
        who: whoOf(each),
        words: `${each.count} ${tellUntold(each.told, each.because)}`,
        tone: each.told === 'bounced' || each.told === 'failed' ? 'late' : each.told === 'held' ? 'soon' : 'quiet',
      })),
    ];
  });
  protected readonly departments = computed(() => {
    const names = this.coverage.data()?.steps[0]?.departments.map(({ name }) => name) ?? [];
    return names.length > 1 && names.length <= MOST_COLUMNS ? names : [];
  });
  protected readonly steps = computed(() =>
    (this.coverage.data()?.steps ?? []).map((step) => ({
      ...step,
      share: step.required === 0 ? 0 : Math.round((100 * step.told) / step.required),
      why: step.untold.map(({ told, because, count }) => `${count} ${tellUntold(told, because)}`).join(', '),
      cells: this.departments().map((name) => step.departments.find((each) => each.name === name)!),
    })),
  );
}
