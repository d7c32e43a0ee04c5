import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { ActivatedRoute, NavigationEnd, Router } from '@angular/router';
import type { RibbonDay } from '@nudrik/contract';
import { dayOf, tellDay, weekdayOf } from '@nudrik/core';
import { filter, map, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ClockStore } from './clock.store.ts';
import { KeysService } from './keys.service.ts';
import { ShellApi } from './shell.api.ts';

const WEEKDAYS = ['', 'Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'];
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const FOLDED = 'nudrik.ribbon.folded';
const BAR = 30;
/** The pages whose lists are filtered by the days that are chosen: Today, the roster, the ledger. */
const FILTERED = /^\/(today|ledger(\/.*)?|people(\/\d+)?)$/;
const pathOf = (url: string): string => url.split(/[?#]/)[0]!;

/** Seven days back to twenty-eight ahead: solid bars sent, outlined bars planned. Choosing days filters the page below, or opens them in the ledger. */
@Component({
  selector: 'nk-ribbon',
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './ribbon.html',
  styleUrl: './ribbon.css',
})
export class Ribbon {
  private readonly api = inject(ShellApi);
  private readonly router = inject(Router);
  protected readonly clock = inject(ClockStore);
  protected readonly session = inject(SessionStore);
  protected readonly isFolded = signal(localStorage.getItem(FOLDED) === 'yes');
  protected readonly problem = signal<string | null>(null);
  protected readonly view = load(of(true), () => this.api.ribbon(), ['notices', 'clock', 'people', 'ahead']);
  private readonly params = toSignal(
    inject(ActivatedRoute).queryParamMap.pipe(map((params) => ({ from: params.get('from'), to: params.get('to') }))),
    { initialValue: { from: null, to: null } },
  );
  private dragFrom: string | null = null;

  protected readonly chosen = computed(() => {
    const { from, to } = this.params();
    return from ? { from, to: to ?? from } : null;
  });
  protected readonly days = computed(() => {
    const view = this.view.data();
    if (!view) return [];
    const most = Math.max(8, ...view.days.map((day) => day.sent + day.planned + day.trouble + day.ahead));
    // a root scale: one full Monday does not flatten every other day
    const height = (count: number): number => (count === 0 ? 0 : Math.max(2, Math.round((BAR * Math.sqrt(count)) / Math.sqrt(most))));
    return view.days.map((day, i) => {
      const weekday = weekdayOf(dayOf(day.day));
      const date = Number(day.day.slice(8));
      const all = height(day.sent + day.planned + day.trouble + day.ahead);
      const total = day.ahead === 0 ? all : height(day.sent + day.planned + day.trouble);
      const solid =
        day.sent + day.trouble === 0
          ? 0
          : Math.max(2, Math.round((total * (day.sent + day.trouble)) / (day.sent + day.planned + day.trouble)));
      return {
        ...day,
        weekday: WEEKDAYS[weekday]!,
        date,
        month: i === 0 || date === 1 ? MONTHS[Number(day.day.slice(5, 7)) - 1]! : null,
        solid,
        outline: Math.max(0, total - solid),
        dashed: Math.max(0, all - total),
        isToday: day.day === view.today,
        isWeekend: weekday > 5,
        startsWeek: weekday === 1,
        label: this.labelOf(day),
      };
    });
  });
  protected readonly words = computed(() => {
    const chosen = this.chosen();
    if (!chosen) return null;
    const known = this.view.data()?.days ?? [];
    const span = chosen.from === chosen.to ? this.tell(chosen.from) : `${this.tell(chosen.from)} to ${this.tell(chosen.to)}`;
    // an address may ask for days that are not on the ribbon: of those it knows nothing, and says nothing
    if (!known.length || chosen.from < known[0]!.day || chosen.to > known.at(-1)!.day) return span;
    const days = known.filter((day) => day.day >= chosen.from && day.day <= chosen.to);
    return `${span}: ${this.tellCounts(days) || 'nothing sent or planned'}`;
  });
  protected readonly canGoThere = computed(
    () =>
      this.session.canChange() &&
      this.clock.isDemo() &&
      this.chosen()?.from === this.chosen()?.to &&
      (this.chosen()?.from ?? '') > (this.view.data()?.today ?? '9'),
  );
  /** the page below; its address changes with each turn of it */
  private readonly path = toSignal(
    this.router.events.pipe(
      filter((event) => event instanceof NavigationEnd),
      map(() => pathOf(this.router.url)),
    ),
    { initialValue: pathOf(this.router.url) },
  );
  protected readonly isLedger = computed(() => this.path().startsWith('/ledger'));
  /** whether choosing days filters the page below; elsewhere a day leads to the ledger */
  protected readonly filters = computed(() => FILTERED.test(this.path()));

  constructor() {
    inject(KeysService).onRibbon((step) => this.step(step));
  }

  /** `Fri 8 May`, with the year where it is not this one. */
  private tell(day: string): string {
    return tellDay(dayOf(day), dayOf(this.view.data()?.today ?? day));
  }

  private labelOf(day: RibbonDay): string {
    return `${this.tell(day.day)}${day.holiday ? `, ${day.holiday}` : ''}: ${this.tellCounts([day]) || 'nothing'}`;
  }

  /** What is still to go on a day that has passed waits; it is not planned for it. */
  private tellCounts(days: readonly RibbonDay[]): string {
    const today = this.view.data()?.today ?? '';
    const sum = (key: 'sent' | 'planned' | 'trouble' | 'ahead', list = days): number => list.reduce((total, day) => total + day[key], 0);
    const hasPassed = ({ day }: RibbonDay): boolean => day < today;
    const waiting = sum('planned', days.filter(hasPassed));
    const counts: [number, string][] = [
      [sum('sent'), 'sent'],
      [waiting, 'waiting'],
      [sum('planned') - waiting, 'planned'],
      [sum('trouble'), 'bounced or failed'],
      // what requirements will assign by then
      [sum('ahead'), 'foreseen'],
    ];
    return counts
      .filter(([count]) => count > 0)
      .map(([count, word]) => `${count} ${word}`)
      .join(', ');
  }

  protected fold(): void {
    this.isFolded.update((isFolded) => !isFolded);
    localStorage.setItem(FOLDED, this.isFolded() ? 'yes' : 'no');
  }

  protected press(day: string): void {
    this.dragFrom = day;
  }

  protected release(day: string): void {
    const from = this.dragFrom;
    this.dragFrom = null;
    if (from !== null && from !== day) this.choose(from < day ? from : day, from < day ? day : from);
  }

  /** The same day again clears the choice. */
  protected toggle(day: string): void {
    const chosen = this.chosen();
    if (chosen && chosen.from === day && chosen.to === day) this.choose(null, null);
    else this.choose(day, null);
  }

  protected choose(from: string | null, to: string | null): void {
    if (this.filters() || from === null)
      void this.router.navigate([], { queryParams: { from, to, page: null }, queryParamsHandling: 'merge' });
    else void this.router.navigate(['/ledger'], { queryParams: { from, to } });
  }

  protected showInLedger(): void {
    void this.router.navigate(['/ledger'], { queryParams: { from: this.chosen()!.from, to: this.chosen()!.to } });
  }

  private step(step: number): void {
    const list = this.days();
    const at = list.findIndex((day) => day.day === (this.chosen()?.from ?? this.view.data()?.today));
    const next = list[Math.min(list.length - 1, Math.max(0, at + step))];
    if (next) this.choose(next.day, null);
  }

  protected goThere(): void {
    this.problem.set(null);
    this.clock.move({ day: this.chosen()!.from }).subscribe({ error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }
}
