import { ChangeDetectionStrategy, Component, computed, inject, input, signal, viewChild } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { OUTCOME_FILTERS, outcomeWords, type LedgerExport, type NoticeGroups, type NoticeRow, type NoticesQuery } from '@nudrik/contract';
import { REASONS, dayOf, HOLD_WORDS, KINDS, SKIP_REASONS, tellDay, Zone, type HoldReason } from '@nudrik/core';
import type { MenuItem } from 'primeng/api';
import { Menu } from 'primeng/menu';
import { catchError, debounceTime, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { choicesOf, SelectField, wordsOf, type Choice } from '../shared/pick/select.ts';
import { download } from '../shared/download.ts';
import { Outcome } from '../shared/outcome.ts';
import { paramsOf } from '../shared/params.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { StructureApi } from '../structure/structure.api.ts';
import { WhyNothing } from './why-nothing.ts';
import { CoursesApi } from '../courses/courses.api.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { NoticesApi } from './notices.api.ts';
import { NoticeSheetPart } from './notice-sheet.ts';
import { KeptViews } from '../reports/kept-views.ts';

const SIZE = 60;

/** Why something was not sent: decided at its moment, or taken away before. */
const SKIPPED = [...SKIP_REASONS, 'by-hand', 'extended', 'replaced', 'plan-changed', 'undone'].filter(
  (reason, i, all) => all.indexOf(reason) === i,
);

const PERIODS: Choice[] = [
  { value: 'past', label: 'up to now' },
  { value: 'ahead', label: 'to come' },
  { value: 'all', label: 'all' },
];

/** All notices, past and planned, with what became of each and why. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, KeptViews, RouterLink, Menu, SelectField, KindMark, Outcome, MomentPipe, NoticeSheetPart, WhyNothing],
  templateUrl: './ledger.page.html',
  styles: `.when { width: 118px; } .mark { width: 30px; } .other { font-size: 12px; }`,
})
export class LedgerPage {
  private readonly api = inject(NoticesApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  private readonly clock = inject(ClockStore);
  readonly notice = input<string>();
  readonly assignment = input<string>();
  readonly step = input<string>();
  readonly from = input<string>();
  readonly to = input<string>();
  readonly course = input<string>();
  readonly person = input<string>();
  readonly outcome = input<string>();
  readonly find = input<string>();
  readonly when = input<string>();
  /** what holds a notice, and a merge field without a value: where Today leads to */
  readonly held = input<string>();
  readonly lacks = input<string>();
  readonly because = input<string>();
  readonly kind = input<string>();
  readonly department = input<string>();
  readonly by = input<string>();
  readonly sender = input<string>();
  /** what fits is shown by reason and step */
  readonly grouped = input<string>();
  readonly cursor = input<string>();
  protected readonly periods = PERIODS;
  protected readonly outcomeFilters: Choice[] = [
    { value: '', label: 'any' },
    ...OUTCOME_FILTERS.map((outcome) => ({ value: outcome, label: outcomeWords(outcome) })),
  ];
  protected readonly courseFilters = computed(() => [
    { value: '', label: 'any' },
    ...this.courses().map(({ id, title }) => ({ value: id, label: title })),
  ]);
  protected readonly zoneWords = zoneWords;
  protected readonly hasSheet = computed(() => Boolean(this.notice() || this.assignment()));
  /** with a step in the path ("why/…"), `step` is that one and no filter */
  protected readonly stepFilter = computed(() => (this.assignment() ? undefined : this.step()));

  /** without any filter the ledger opens on what has happened, the newest first */
  protected readonly period = computed(() => {
    const time = this.when();
    if (this.from() || time === 'all') return undefined;
    if (time === 'past' || time === 'ahead') return time;
    return this.person() ||
      this.outcome() ||
      this.find() ||
      this.stepFilter() ||
      this.held() ||
      this.lacks() ||
      this.because() ||
      this.by() ||
      this.sender() ||
      this.grouped()
      ? undefined
      : 'past';
  });

  private readonly query = computed((): Partial<NoticesQuery> => ({
    from: this.from(),
    to: this.to() ?? this.from(),
    course: this.course(),
    person: this.person(),
    step: this.stepFilter(),
    find: this.find(),
    when: this.period(),
    outcome: this.outcome() as NoticesQuery['outcome'],
    held: this.held(),
    lacks: this.lacks(),
    because: this.because(),
    kind: this.kind() as NoticesQuery['kind'],
    department: this.department(),
    by: this.by() as NoticesQuery['by'],
    sender: this.sender(),
    cursor: this.cursor(),
    size: SIZE,
  }));
  protected readonly ledger = load(toObservable(this.query).pipe(debounceTime(30)), (query) => this.api.list(query), ['notices', 'clock']);
  private readonly groupQuery = computed(() => (this.grouped() ? { ...this.query(), cursor: undefined } : null));
  protected readonly groups = load(toObservable(this.groupQuery).pipe(debounceTime(30)), (query) => this.api.groups(query), [
    'notices',
    'clock',
  ]);
  protected readonly isAsking = signal(false);
  protected readonly problem = signal<string | null>(null);
  private readonly structureApi = inject(StructureApi);
  private readonly structure = load(of(true), () => this.structureApi.structure(), ['people']);
  protected readonly departments = computed(() => [
    { value: '', label: 'any' },
    ...choicesOf(this.structure.data()?.departments, ({ id }: { id: string }) => id),
  ]);
  protected readonly kinds: Choice[] = [{ value: '', label: 'any' }, ...wordsOf(KINDS)];
  protected readonly bys: Choice[] = [
    { value: '', label: 'plan or hand' },
    { value: 'plan', label: 'a plan' },
    { value: 'hand', label: 'somebody by hand' },
    { value: 'test', label: 'a test' },
  ];
  protected readonly reasons: Choice[] = [
    { value: '', label: 'any' },
    ...SKIPPED.map((reason) => ({ value: reason, label: REASONS[reason] ?? reason, group: 'not sent' })),
    ...(Object.keys(HOLD_WORDS) as HoldReason[]).map((reason) => ({ value: `held ${reason}`, label: HOLD_WORDS[reason], group: 'held' })),
  ];
  private readonly choices = load(toObservable(computed(() => ({ course: this.course() }))), ({ course }) => this.api.choices(course));
  /** the steps of the course that is chosen, or of all; one that is named in the address stands there in any case */
  protected readonly steps = computed((): Choice[] => {
    const own = this.stepFilter();
    const names = this.choices.data()?.steps ?? [];
    return [{ value: '', label: 'any' }, ...wordsOf(own && !names.includes(own) ? [own, ...names] : names)];
  });
  /** whom messages came from, where that is not always the same */
  protected readonly senders = computed((): Choice[] | null => {
    const own = this.sender();
    const names = this.choices.data()?.senders ?? [];
    const all = own && !names.includes(own) ? [own, ...names] : names;
    return all.length > 1 || own ? [{ value: '', label: 'anybody' }, ...wordsOf(all)] : null;
  });
  protected readonly reason = computed(() => (this.held() ? `held ${this.held()}` : (this.because() ?? '')));
  /** what stands in the address of the filter, for a view with a name */
  protected readonly params = computed(
    (): Record<string, string> =>
      paramsOf({
        from: this.from(), to: this.to(), course: this.course(), person: this.person(), outcome: this.outcome(), find: this.find(), when: this.when(), held: this.held(),
        lacks: this.lacks(), because: this.because(), kind: this.kind(), department: this.department(), by: this.by(), sender: this.sender(), grouped: this.grouped(), step: this.stepFilter(),
      }),
  ); // prettier-ignore
  protected readonly saving: MenuItem[] = (['csv', 'xlsx', 'mbox'] as const).map((form) => ({
    label: { csv: 'A table, CSV', xlsx: 'A table, XLSX', mbox: 'The messages as sent, mbox' }[form],
    command: () => this.save(form),
  }));
  private readonly menu = viewChild(Menu);
  protected readonly courses = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(catchError(() => of([]))),
    { initialValue: [] },
  );
  protected readonly personName = computed(() => {
    const row = this.ledger.data()?.rows.find(({ person, addressee }) => person.id === this.person() || addressee?.id === this.person());
    return row ? (row.person.id === this.person() ? row.person.name : row.addressee!.name) : 'one person';
  });
  protected readonly heldWords = computed(() => HOLD_WORDS[this.held() as HoldReason] ?? this.held());
  /** "61 to 120 of 5,000,000", without the last where nobody counted. */
  protected readonly placeWords = computed(() => {
    const { rows, place, total } = this.ledger.data()!;
    const number = (count: number): string => count.toLocaleString('en');
    return `${number(place + 1)} to ${number(place + rows.length)}${total === null ? '' : ` of ${number(total)}`}`;
  });
  protected readonly summary = computed(() => {
    const page = this.ledger.data();
    if (!page) return '';
    if (page.summary === null) return 'more than are counted';
    const { summary } = page;
    const total = Object.values(summary).reduce((sum, count) => sum + count, 0);
    const sent = (summary.sent ?? 0) + (summary.delivered ?? 0);
    const parts = [
      sent && `${sent.toLocaleString('en')} sent`,
      summary.planned && `${summary.planned.toLocaleString('en')} planned`,
      summary.held && `${summary.held.toLocaleString('en')} held`,
      summary.bounced && `${summary.bounced.toLocaleString('en')} bounced`,
      summary.failed && `${summary.failed.toLocaleString('en')} failed`,
      summary.skipped && `${summary.skipped.toLocaleString('en')} skipped`,
      summary.cancelled && `${summary.cancelled.toLocaleString('en')} cancelled`,
    ].filter(Boolean);
    const from = this.from();
    const now = this.clock.now();
    const tell = (day: string): string => tellDay(dayOf(day), now === null ? null : Zone.of(this.session.zone()).dayAt(now));
    const days = from ? `${tell(from)}${this.to() && this.to() !== from ? ` to ${tell(this.to()!)}` : ''} · ` : '';
    return `${days}${total.toLocaleString('en')} ${total === 1 ? 'notice' : 'notices'}${parts.length ? `: ${parts.join(', ')}` : ''}`;
  });

  /** A group as a filter, so that its notices are looked at. */
  protected showGroup({ state, because, stepName }: NoticeGroups['groups'][number]): void {
    this.filter({
      grouped: null,
      outcome: state,
      step: stepName,
      because: state === 'held' ? null : because,
      held: state === 'held' ? because : null,
      when: this.when() ?? 'all',
    });
  }

  protected chooseReason(reason: string): void {
    const held = reason.startsWith('held ') ? reason.slice(5) : null;
    this.filter({ held, because: held ? null : reason || null });
  }

  /** Tests are no notices: they have a page of their own. */
  protected chooseBy(by: string): void {
    if (by === 'test') void this.router.navigate(['/ledger/tests'], { queryParamsHandling: 'merge' });
    else this.filter({ by: by || null });
  }

  protected openSaving(event: Event): void {
    this.menu()?.toggle(event);
  }

  private save(form: LedgerExport['form']): void {
    this.problem.set(null);
    this.api.export({ ...this.query(), cursor: undefined, size: undefined, form } as Partial<LedgerExport>).subscribe({
      next: ({ href }) => download(href),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected asked({ assignment, step }: { assignment: string; step: string }): void {
    this.isAsking.set(false);
    void this.router.navigate(['/ledger/why', assignment, step], { queryParamsHandling: 'merge' });
  }

  protected filter(params: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams: { ...params, cursor: null }, queryParamsHandling: 'merge' });
  }

  protected turn(cursor: string | null): void {
    void this.router.navigate([], { queryParams: { cursor }, queryParamsHandling: 'merge' });
  }

  protected open(row: NoticeRow): void {
    void this.router.navigate(['/ledger', row.id], { queryParamsHandling: 'merge' });
  }

  protected close(): void {
    void this.router.navigate(['/ledger'], { queryParamsHandling: 'merge' });
  }
}
