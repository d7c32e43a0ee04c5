import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { of } from 'rxjs';
import type { TodayNeed, TodayQuery } from '@nudrik/contract';
import { dayOf, NEWLY_LATE_DAYS, tellAmount, tellDay, tellTime, weekdayOf, Zone } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { NoticesApi } from '../notices/notices.api.ts';
import { ASKED_WORDS, CURRENT_WORDS } from './figures.ts';
import { ReportsApi } from './reports.api.ts';

const WEEKDAYS = ['', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const NUMBERS = [
  'Nothing needs',
  'One thing needs',
  'Two things need',
  'Three things need',
  'Four things need',
  'Five things need',
  'Six things need',
  'Seven things need',
  'Eight things need',
  'Nine things need',
];

const TOPICS = ['notices', 'clock', 'people', 'assignments', 'plans', 'feed', 'requirements', 'ahead'];

/** What needs a person first; then what goes out next, and who is due and late. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, KindMark],
  templateUrl: './today.page.html',
  styleUrl: './today.page.css',
})
export class TodayPage {
  private readonly api = inject(ReportsApi);
  private readonly notices = inject(NoticesApi);
  protected readonly currentWords = `${CURRENT_WORDS} ${ASKED_WORDS}`;
  protected readonly newlyLateDays = `0-${NEWLY_LATE_DAYS - 1}`;
  protected readonly session = inject(SessionStore);
  private readonly zone = computed(() => Zone.of(this.session.zone()));
  /** the days that are chosen on the ribbon */
  readonly from = input<string>();
  readonly to = input<string>();
  private readonly days = computed((): TodayQuery => (this.from() ? { from: this.from(), to: this.to() ?? this.from() } : {}));
  protected readonly today = load(toObservable(this.days), (days) => this.api.today(days), TOPICS);
  protected readonly needs = load(of(true), () => this.api.needs(), TOPICS);
  /** both, once both are there */
  protected readonly view = computed(() => {
    const [day, needs] = [this.today.data(), this.needs.data()];
    return day && needs ? { ...day, needs } : null;
  });
  protected readonly error = computed(() => this.today.error() ?? this.needs.error());
  protected readonly title = computed(() => {
    const view = this.view();
    if (!view) return '';
    const date = new Date(this.zone().toLocal(Date.parse(view.now)).day * 86_400_000);
    return `${WEEKDAYS[weekdayOf(date.getTime() / 86_400_000)]} ${date.getUTCDate()} ${date.toLocaleString('en', { month: 'long', timeZone: 'UTC' })}`;
  });
  protected readonly summary = computed(() => {
    const view = this.view();
    if (!view) return '';
    const count = view.needs.length;
    const sent =
      view.sentToday === 0
        ? 'Nothing has gone out yet today'
        : `${view.sentToday} ${view.sentToday === 1 ? 'notice' : 'notices'} went out today`;
    const more = `${view.plannedToday}${view.sentToday ? ' more' : ''} ${view.plannedToday === 1 ? 'is' : 'are'} planned`;
    const held = view.heldToday === 0 ? '' : view.heldToday >= view.plannedToday ? ', and held' : `, ${view.heldToday} of them held`;
    const planned = view.plannedToday === 0 ? 'No more are planned' : more + held;
    return `${sent}. ${planned}. ${NUMBERS[count] ?? `${count} things need`} you.`;
  });
  protected readonly next = computed(() =>
    (this.view()?.next ?? []).map((row) => {
      const isToday = row.day === this.todayDate();
      return {
        ...row,
        day: row.day,
        when: isToday ? '' : this.shortDay(row.day),
        time: tellTime(Date.parse(row.at), this.zone()),
        about: row.courses.length > 2 ? `${row.courses.length} courses` : row.courses.join(' and '),
      };
    }),
  );
  private readonly todayDate = computed(() => {
    const view = this.view();
    return view ? new Date(this.zone().dayAt(Date.parse(view.now)) * 86_400_000).toISOString().slice(0, 10) : '';
  });

  protected readonly daysTitle = computed(() => {
    const { from, to } = this.days();
    if (!from) return null;
    const tell = (day: string): string => tellDay(dayOf(day), dayOf(this.todayDate() || day));
    return to && to !== from ? `${tell(from)} to ${tell(to)}` : tell(from);
  });

  /** What requirements will bring in these days, which no list of what is planned has yet. */
  protected readonly aheadWords = computed(() => {
    const { assigned, notices } = this.view()?.ahead ?? { assigned: 0, notices: 0 };
    if (assigned + notices === 0) return null;
    const when = this.daysTitle() ? 'in these days' : 'in the next 7 days';
    const told =
      notices === 0 ? 'nothing of it goes out then' : `${tellAmount(notices, 'more notices')} ${notices === 1 ? 'goes' : 'go'} out then`;
    if (assigned === 0)
      return `Of what requirements will assign before, ${tellAmount(notices, 'more notices')} ${notices === 1 ? 'goes' : 'go'} out ${when}.`;
    return `Requirements will assign ${tellAmount(assigned, 'courses')} ${when} to who joins, moves or has to renew; of what they assign ${told}.`;
  });

  protected howMany({ count, sent }: { count: number; sent: number }): string {
    return sent === 0 ? String(count) : sent === count ? `${sent} sent` : `${sent} of ${count} sent`;
  }

  /** What a hold that stands keeps back of them. */
  protected heldWords({ count, held }: { count: number; held: number }): string {
    return held === 0 ? '' : held === count ? 'held' : `${held} held`;
  }

  private shortDay(date: string): string {
    const day = Math.floor(Date.parse(date) / 86_400_000);
    return `${WEEKDAYS[weekdayOf(day)]!.slice(0, 3)} ${Number(date.slice(8))}`;
  }

  protected reload(): void {
    if (this.today.error()) this.today.reload();
    if (this.needs.error()) this.needs.reload();
  }

  protected toneOf(need: TodayNeed): string {
    if (need.kind === 'reply') return need.label === 'Answer failed' ? 'late' : 'soon';
    return ['missing-value', 'marking', 'plan', 'held'].includes(need.kind) ? 'soon' : 'late';
  }

  protected queryOf(link: string): Record<string, string> {
    return Object.fromEntries(new URLSearchParams(link.split('?')[1] ?? ''));
  }

  protected retry(what: 'try-now' | 'try-again'): void {
    this.notices.retry(what).subscribe();
  }
}
