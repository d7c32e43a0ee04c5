import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { Router, RouterLink } from '@angular/router';
import type { ActResult, ReportQuery, ReportRow } from '@nudrik/contract';
import { isOpenState } from '@nudrik/core';
import { Menu } from 'primeng/menu';
import { TableModule, type TableLazyLoadEvent } from 'primeng/table';
import { catchError, debounceTime, of, switchMap } from 'rxjs';
import { HoldStrip } from '../holding/hold-strip.ts';
import { SessionStore } from '../access/session.store.ts';
import { AssignmentActs } from '../assignments/assignment-acts.ts';
import { Undo } from '../assignments/undo.ts';
import { load } from '../shared/loaded.ts';
import { FinishedPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { Outcome } from '../shared/outcome.ts';
import { paramsOf } from '../shared/params.ts';
import { State } from '../shared/state.ts';
import { AsOf, type AsOfChoice } from './as-of.ts';
import { CourseLists } from './course-lists.ts';
import { ListFilters, type ListFilter } from './list-filters.ts';
import { OverTimeChart } from './over-time-chart.ts';
import { PlansApi } from '../plans/plans.api.ts';
import { ReportFiles } from './report-files.ts';
import { ReportsApi } from './reports.api.ts';
import { KeptViews } from './kept-views.ts';

const SIZE = 50;

/** Who was notified, who finished: one course, one table, the same in CSV and XLSX. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    AsOf,
    CourseLists,
    ReportFiles,
    HoldStrip,
    KeptViews,
    ListFilters,
    RouterLink,
    Menu,
    TableModule,
    FinishedPipe,
    MomentPipe,
    Outcome,
    State,
    OverTimeChart,
    AssignmentActs,
    Undo,
  ],
  templateUrl: './course-report.page.html',
  styles: `
    nk-over-time-chart { display: block; height: 130px; margin: 6px 0 14px; max-width: 980px; }
    .why { font-size: 12.5px; }
    .why .link { min-height: 24px; }
  `,
})
export class CourseReportPage {
  private readonly api = inject(ReportsApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly course = input.required<string>();
  readonly find = input<string>();
  readonly department = input<string>();
  readonly site = input<string>();
  readonly requirement = input<string>();
  readonly state = input<string>();
  readonly page = input<string>();
  readonly sort = input<string>();
  readonly order = input<string>();
  readonly on = input<string>();
  readonly known = input<string>();
  protected readonly chosen = signal<ReportRow[]>([]);
  protected readonly done = signal<ActResult | null>(null);
  /** of those chosen, who has it open: only that can be extended or closed */
  protected readonly open = computed(() => this.chosen().filter(({ state }) => isOpenState(state)));
  protected readonly openIds = computed(() => this.open().map(({ assignmentId }) => assignmentId));
  protected readonly latestDue = computed(() => this.open().reduce((latest, { dueAt }) => (dueAt > latest ? dueAt : latest), ''));
  protected readonly size = SIZE;
  protected readonly first = computed(() => Number(this.page() ?? 0) * SIZE);
  private readonly filterQuery = computed(() => ({
    find: this.find(),
    department: this.department(),
    site: this.site(),
    requirement: this.requirement(),
    state: this.state() as ReportQuery['state'],
    sort: this.sort() as ReportQuery['sort'],
    order: this.order() as ReportQuery['order'],
    on: this.on(),
    known: this.known() as ReportQuery['known'] | undefined,
  }));
  protected readonly file = computed(() => ({ report: 'course', course: this.course(), ...paramsOf(this.filterQuery()) }));
  /** the filters of the address, for a view with a name */
  protected readonly kept = computed(() => paramsOf(this.filterQuery()));
  /** what can be done is done now */
  protected readonly mayAct = computed(() => this.session.canChange() && !this.on());
  private readonly query = computed(() => ({
    course: this.course(),
    params: paramsOf({ ...this.filterQuery(), page: Number(this.page() ?? 0), size: SIZE }),
  }));
  protected readonly report = load(
    toObservable(this.query).pipe(debounceTime(30)),
    ({ course, params }) => this.api.course(course, params),
    ['notices', 'assignments', 'people', 'clock'],
  );
  protected readonly overTime = load(toObservable(this.course), (id) => this.api.overTime(id), ['assignments', 'clock']);
  private readonly plans = inject(PlansApi);
  protected readonly steps = toSignal(
    toObservable(this.course).pipe(switchMap((id) => this.plans.get(id).pipe(catchError(() => of(null))))),
    { initialValue: null },
  );
  /** the assignment whose steps are asked about */
  protected readonly asked = signal('');
  protected readonly whySteps = computed(() =>
    (this.steps()?.steps ?? []).map(({ id, name }) => ({ label: `${name}?`, command: () => this.why(this.asked(), id) })),
  );
  protected readonly tally = computed(() => {
    const report = this.report.data();
    if (!report) return [];
    const { counts } = report;
    const all = counts.finished + counts.inProgress + counts.notStarted + counts.late + counts.waived;
    return [
      { state: null, words: `${all} assignments`, tone: '' },
      { state: 'finished', words: finishedWords(counts.finished, report.finishedPeople), tone: 'done' },
      { state: 'in progress', words: `${counts.inProgress} in progress`, tone: '' },
      { state: 'not started', words: `${counts.notStarted} not started`, tone: '' },
      { state: 'late', words: `${counts.late} late`, tone: counts.late ? 'late' : '' },
      ...(counts.silent ? [{ state: 'silent', words: `${counts.silent} of these with nothing more planned`, tone: 'late' }] : []),
      ...(counts.unanswered === null
        ? []
        : [{ state: 'unanswered', words: `${counts.unanswered} late, and no answer of the line stands`, tone: 'late' }]),
      ...(counts.waived ? [{ state: 'waived', words: `${counts.waived} waived or withdrawn`, tone: 'quiet' }] : []),
    ];
  });

  protected filter(params: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams: { ...params, page: null }, queryParamsHandling: 'merge' });
  }

  /** another day has other people to choose from */
  protected narrow(filter: ListFilter): void {
    if (filter.on !== undefined) this.chosen.set([]);
    this.filter({ ...filter });
  }

  protected back(choice: AsOfChoice): void {
    this.narrow({ ...choice });
  }

  protected turn(event: TableLazyLoadEvent): void {
    const page = Math.floor((event.first ?? 0) / SIZE);
    void this.router.navigate([], {
      queryParams: {
        page: page || null,
        sort: (event.sortField as string | undefined) ?? null,
        order: event.sortOrder === -1 ? 'desc' : null,
      },
      queryParamsHandling: 'merge',
    });
  }

  protected acted(done: ActResult): void {
    this.done.set(done);
    this.chosen.set([]);
    this.report.reload();
  }

  private why(assignment: string, step: string): void {
    void this.router.navigate(['/ledger', 'why', assignment, step]);
  }
}

/** Assignments, and people where some finished more than one round. */
const finishedWords = (assignments: number, people: number): string =>
  assignments === people ? `${assignments} finished` : `${assignments} finished, by ${people} people`;
