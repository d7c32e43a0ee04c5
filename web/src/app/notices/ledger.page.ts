import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import type { NoticeRow, NoticesQuery } from '@nudrik/contract';
import { dayOf, HOLD_WORDS, tellDay, type HoldReason } from '@nudrik/core';
import { catchError, debounceTime, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { Outcome } from '../shared/outcome.ts';
import { CoursesApi } from '../courses/courses.api.ts';
import { NoticesApi } from './notices.api.ts';
import { NoticeSheetPart } from './notice-sheet.ts';

const SIZE = 60;
const OUTCOMES = ['planned', 'held', 'sending', 'sent', 'delivered', 'bounced', 'failed', 'skipped', 'cancelled', 'trouble'] as const;

const PERIODS: Choice[] = [
  { value: 'past', label: 'up to now' },
  { value: 'ahead', label: 'to come' },
  { value: 'all', label: 'all' },
];

/** All notices, past and planned, with what became of each and why. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, SelectField, KindMark, Outcome, MomentPipe, NoticeSheetPart],
  templateUrl: './ledger.page.html',
  styles: `.when { width: 118px; } .mark { width: 30px; } .other { font-size: 12px; }`,
})
export class LedgerPage {
  private readonly api = inject(NoticesApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
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
  readonly cursor = input<string>();
  protected readonly periods = PERIODS;
  protected readonly outcomeFilters: Choice[] = [
    { value: '', label: 'any' },
    ...OUTCOMES.map((outcome) => ({ value: outcome, label: outcome === 'trouble' ? 'bounced, failed or held' : outcome })),
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
    return this.person() || this.outcome() || this.find() || this.stepFilter() || this.held() || this.lacks() ? undefined : 'past';
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
    cursor: this.cursor(),
    size: SIZE,
  }));
  protected readonly ledger = load(toObservable(this.query).pipe(debounceTime(30)), (query) => this.api.list(query), ['notices', 'clock']);
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
    const days = from ? `${tellDay(dayOf(from))}${this.to() && this.to() !== from ? ` to ${tellDay(dayOf(this.to()!))}` : ''} · ` : '';
    return `${days}${total.toLocaleString('en')} ${total === 1 ? 'notice' : 'notices'}${parts.length ? `: ${parts.join(', ')}` : ''}`;
  });

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
