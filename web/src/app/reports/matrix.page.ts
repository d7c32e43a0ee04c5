import { ChangeDetectionStrategy, Component, computed, inject, input, signal, viewChild } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { type ActResult, type MatrixBy, type MatrixQuery } from '@nudrik/contract';
import { CELL_MARKS, CELL_WORDS, CELLS, tellAmount } from '@nudrik/core';
import { catchError, debounceTime, map, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { AssignmentActs } from '../assignments/assignment-acts.ts';
import { Undo } from '../assignments/undo.ts';
import { PeopleApi } from '../people/people.api.ts';
import { load } from '../shared/loaded.ts';
import { paramsOf } from '../shared/params.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { filtersOf, SelectField } from '../shared/pick/select.ts';
import { AsOf, type AsOfChoice } from './as-of.ts';
import { MatrixCourses } from './matrix-courses.ts';
import { cellsIn, MatrixGrid, type Area, type Spot } from './matrix-grid.ts';
import { MatrixSheet } from './matrix-sheet.ts';
import { MATRIX_VIEWS, MatrixViews } from './matrix-views.ts';
import { ReportFiles } from './report-files.ts';
import { ReportsApi } from './reports.api.ts';
import { KeptViews } from './kept-views.ts';

/** Rows that are fetched at once, and every how many of them the next are. */
const SIZE = 200;
const STEP = 100;
/** Acts by hand are on so many at the most. */
const MOST = 1_000;

/** Who holds what: people, or whom they belong to, by courses; or each course with its figures. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    AsOf,
    AssignmentActs,
    DateField,
    FormsModule,
    KeptViews,
    MatrixCourses,
    MatrixGrid,
    MatrixSheet,
    MatrixViews,
    ReportFiles,
    RouterLink,
    SelectField,
    Undo,
  ],
  templateUrl: './matrix.page.html',
  styleUrl: './matrix.page.css',
})
export class MatrixPage {
  private readonly api = inject(ReportsApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly by = input<string>();
  readonly find = input<string>();
  readonly department = input<string>();
  readonly site = input<string>();
  readonly manager = input<string>();
  readonly group = input<string>();
  readonly state = input<string>();
  readonly course = input<string>();
  readonly sort = input<string>();
  readonly order = input<string>();
  readonly on = input<string>();
  readonly known = input<string>();
  private readonly grid = viewChild(MatrixGrid);
  protected readonly view = computed(() =>
    this.by() && this.by()! in MATRIX_VIEWS && this.by() !== 'figures' ? (this.by() as MatrixBy | 'course') : 'person',
  );
  private readonly firstSeen = signal(0);
  private readonly from = computed(() => Math.max(0, Math.floor((this.firstSeen() - 50) / STEP)) * STEP);
  private readonly filters = computed(() => ({
    by: this.view(),
    find: this.find(),
    department: this.department(),
    site: this.site(),
    manager: this.manager(),
    group: this.group(),
    state: this.state(),
    course: this.course(),
    sort: this.sort(),
    order: this.order(),
    on: this.on(),
    known: this.known(),
  }));
  protected readonly file = computed(() => ({ report: 'matrix', ...paramsOf(this.filters()) }));
  /** the filters of the address, for a view with a name */
  protected readonly kept = computed(() => { const { by, ...rest } = paramsOf(this.filters()); return by && by !== 'person' ? { by, ...rest } : rest; }); // prettier-ignore
  private readonly query = computed(() =>
    this.view() === 'course'
      ? // now each course has its figures with it
        this.on() && paramsOf({ on: this.on(), known: this.known(), size: 1 })
      : paramsOf({ ...this.filters(), from: this.from(), size: SIZE }),
  );
  /** what can be done is done now */
  protected readonly mayAct = computed(() => this.session.canChange() && !this.matrix.data()?.asOf);
  protected readonly matrix = load(
    toObservable(this.query).pipe(
      debounceTime(40),
      map((params) => params || null),
    ),
    (params) => this.api.matrix(params),
    ['assignments', 'people', 'clock', 'courses', 'certificates'],
  );
  protected readonly facets = toSignal(
    inject(PeopleApi)
      .facets()
      .pipe(catchError(() => of(null))),
    { initialValue: null },
  );
  protected readonly departments = computed(() => filtersOf(this.facets()?.departments.map(({ name }) => ({ name }))));
  protected readonly sites = computed(() => filtersOf(this.facets()?.sites.map(({ name }) => ({ name }))));
  protected readonly groups = computed(() => [{ value: '', label: 'any' }, ...(this.facets()?.groups ?? []).map(({ id, name }) => ({ value: id, label: name }))]); // prettier-ignore
  protected readonly states = [
    { value: '', label: 'any' },
    ...CELLS.map((cell) => ({ value: cell as string, label: CELL_WORDS[cell] })),
    { value: 'none', label: 'never asked' },
  ];
  protected readonly columns = computed(() => [{ value: '', label: 'any course' }, ...(this.matrix.data()?.courses ?? []).map(({ id, title }) => ({ value: id, label: title }))]); // prettier-ignore
  protected readonly sorts = [
    { value: 'name', label: 'name' },
    { value: 'late', label: 'most late first' },
    { value: 'department', label: 'department' },
    { value: 'site', label: 'site' },
    { value: 'manager', label: 'manager' },
  ];
  protected readonly keyOf = CELLS.map((cell) => ({ cell, mark: CELL_MARKS[cell], words: CELL_WORDS[cell] }));
  protected readonly isFiltered = computed(
    () => !!(this.find() || this.department() || this.site() || this.manager() || this.group() || this.state() || this.course()),
  );
  protected readonly spot = signal<{ person: string; course: string } | null>(null);
  protected readonly area = signal<Area | null>(null);
  protected readonly done = signal<ActResult | null>(null);
  protected readonly picked = computed(() => {
    const [area, view] = [this.area(), this.matrix.data()];
    if (!area || view?.by !== 'person') return null;
    const cells = cellsIn(area, view.rows, view.from, view.courses);
    const count = (area.to.row - area.from.row + 1) * (area.to.course - area.from.course + 1);
    const open = cells.filter(({ cell }) => cell?.open);
    const none = cells.filter(({ cell }) => cell === null);
    return {
      words: `${tellAmount(count, 'cells')} chosen: ${open.length} open, ${none.length} never asked`,
      isMissing: cells.length < count,
      ids: open.slice(0, MOST).map(({ cell }) => cell!.open!),
      dueAt: `${open.reduce((last, { cell }) => (cell!.on !== null && cell!.on > last ? cell!.on : last), '2000-01-01')}T12:00:00Z`,
      // a course is assigned at a time: to whoever of one column was never asked
      assign: area.from.course === area.to.course && none.length > 0 ? { course: none[0]!.course, people: none.slice(0, MOST).map(({ row }) => row.id).join(',') } : null,
      assignWho: none.length === 1 ? none[0]!.row.name : `the ${none.length} never asked`,
    };
  }); // prettier-ignore

  protected filter(params: Partial<Record<keyof MatrixQuery, string | null>>): void {
    this.spot.set(null);
    void this.router.navigate([], { queryParams: params, queryParamsHandling: 'merge' });
  }

  protected back({ on, known }: AsOfChoice): void {
    this.filter({ on, known });
  }

  protected readonly saw = (row: number): void => this.firstSeen.set(row);

  /** A cell of a person tells what stands behind it; one of a group leads to its people; a name to whoever has it. */
  protected opened({ row, course }: Spot): void {
    const view = this.matrix.data();
    const found = view?.rows[row - view.from];
    if (!found) return;
    const of = view!.courses[course];
    const { by } = view!;
    if (by === 'person') {
      if (of) this.spot.set({ person: found.id, course: of.id });
      else void this.router.navigate(['/people', found.id]);
      return;
    }
    const into: Record<string, string | null> = { by: null, sort: null, order: null, state: null, course: of?.id ?? null };
    if (by === 'manager') {
      if (found.id === '0') return;
      into['manager'] = found.id;
    } else into[by] = found.name;
    this.filter(into);
  }

  protected clear(): void {
    this.grid()?.clear();
  }

  protected acted(done: ActResult): void {
    this.done.set(done);
    this.grid()?.clear();
    this.matrix.reload();
  }
}
