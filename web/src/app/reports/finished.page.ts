import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { tellNarrower, type FinishedQuery } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { PaginatorModule } from 'primeng/paginator';
import { debounceTime } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { FinishedPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { paramsOf } from '../shared/params.ts';
import { State } from '../shared/state.ts';
import { AsOf } from './as-of.ts';
import { CourseListPage } from './course-list.page.ts';
import { CourseLists } from './course-lists.ts';
import { ListFilters } from './list-filters.ts';
import { ReportFiles } from './report-files.ts';
import { KeptViews } from './kept-views.ts';

/** Who finished a course, when and how; and of everybody else why not. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AsOf, CourseLists, FinishedPipe, KeptViews, ListFilters, MomentPipe, PaginatorModule, ReportFiles, RouterLink, State],
  templateUrl: './finished.page.html',
})
export class FinishedPage extends CourseListPage {
  readonly days = input<string>();
  readonly since = input<string>();
  private readonly asked = computed(() => ({ ...this.filters(), days: this.days(), since: this.since() }));
  private readonly query = computed(() => ({ course: this.course(), params: this.paged(this.asked()) }));
  protected readonly list = load(
    toObservable(this.query).pipe(debounceTime(30)),
    ({ course, params }) => this.api.finished(course, params),
    ['assignments', 'people', 'certificates', 'clock'],
  );
  /** the filters of the address, for a view with a name */
  protected readonly kept = computed(() => paramsOf(this.asked()));
  protected readonly file = computed(() => ({ report: 'finished', course: this.course(), ...this.kept() }));
  /** what a figure led to */
  protected readonly narrower = computed(() =>
    tellNarrower({ who: this.who() as FinishedQuery['who'], days: this.days(), since: this.since() }),
  );
  protected readonly tally = computed(() => {
    const data = this.list.data();
    if (!data) return [];
    const { required, finished, finishedLate, late, open, closed } = data.counts;
    return [
      { who: null, words: `${required} asked`, tone: '' },
      { who: 'finished', words: `${finished} finished${finishedLate > 0 ? `, ${finishedLate} of them late` : ''}`, tone: 'done' },
      { who: 'late', words: `${late} late`, tone: late > 0 ? 'late' : '' },
      { who: 'open', words: `${open} open, not late`, tone: '' },
      { who: 'closed', words: `${closed} waived or withdrawn`, tone: 'quiet' },
    ];
  });
  protected readonly lateBy = (days: number | null): string =>
    days === null ? '' : days === 0 ? 'the same day' : tellAmount(days, 'days');
}
