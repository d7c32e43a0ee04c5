import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import {
  REASONS,
  addDays,
  dateOf,
  dayOf,
  HOLD_WORDS,
  KINDS,
  type Kind,
  MOST_DAYS,
  PLAINLY,
  tellAmount,
  tellDay,
  tellMoment,
  Zone,
  type HoldReason,
  type LocalDate,
  type Supposition,
} from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { Letter } from '../messages/letter.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { zoneWords } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { saveText } from '../shared/download.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { ForwardChart } from './forward-chart.ts';
import type { Desk, ShownForward, ShownLine, ShownOtherwise } from './rehearsal-desk.ts';
import { RehearsalLink } from './rehearsal-link.ts';

const SPANS: Choice<number>[] = [7, 14, 28, 60, MOST_DAYS].map((days) => ({ value: days, label: `${days} days` }));
const ACTS: Choice[] = [
  { value: 'nobody', label: 'nobody does anything' },
  { value: 'all', label: 'everyone finishes after some days' },
  { value: 'past', label: 'people do as they did in the past' },
];
type Beside = '' | 'published' | 'nobody' | 'plain';
const OUTCOMES: Choice[] = [
  { value: 'send', label: 'what goes' },
  { value: 'skip', label: 'what is not sent' },
  { value: 'hold', label: 'what is held' },
];

/** Plans played forward on the real roster: day by day, under suppositions, beside each other. The address holds all that is supposed. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, DateField, ForwardChart, KindMark, Letter, NumberField, SelectField],
  providers: [RehearsalLink],
  templateUrl: './rehearsal.page.html',
  styleUrl: './rehearsal.page.css',
})
export class RehearsalPage {
  private readonly link = inject(RehearsalLink);
  private readonly router = inject(Router);
  private readonly clock = inject(ClockStore);
  protected readonly session = inject(SessionStore);
  readonly course = input<string>();
  readonly days = input<string>();
  readonly draft = input<string>();
  readonly act = input<string>();
  readonly after = input<string>();
  /** `site~2027-03-01` */
  readonly holiday = input<string>();
  /** `2027-03-01~2` */
  readonly outage = input<string>();
  /** `40~2027-03-01~site~course~14` */
  readonly joiners = input<string>();
  readonly unheld = input<string>();
  readonly beside = input<Beside>();
  /** the day whose lines are shown */
  readonly day = input<string>();
  readonly outcome = input<string>();

  protected readonly desk = signal<Desk | null>(null);
  protected readonly shown = signal<ShownForward | null>(null);
  protected readonly other = signal<ShownForward | null>(null);
  protected readonly otherwiseCount = signal(0);
  protected readonly otherwise = signal<ShownOtherwise[] | null>(null);
  protected readonly lines = signal<{ lines: ShownLine[]; total: number } | null>(null);
  protected readonly letter = signal<{ index: number; subject: string; html: string; text: string; to: string } | null>(null);
  protected readonly noLetter = signal<number | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isPlaying = signal(true);
  protected readonly spans = SPANS;
  protected readonly acts = computed(() => (this.desk()?.hasPast ? ACTS : ACTS.slice(0, 2)));
  protected readonly outcomes = OUTCOMES;
  protected readonly kinds = KINDS;
  /** `1 reminder`, `9 reminders`, `4 to managers`; `late` and `onboarding` count no pieces. */
  protected readonly kindWords = (kind: Kind, count: number): string =>
    kind === 'manager'
      ? `${count} to managers`
      : kind === 'late' || kind === 'onboarding'
        ? `${count} ${kind}`
        : tellAmount(count, `${kind}s`);
  protected readonly zoneWords = zoneWords;

  private readonly today = computed((): LocalDate => {
    const now = this.clock.now() ?? this.desk()?.now ?? 0;
    return dateOf(Zone.of(this.session.zone()).dayAt(now));
  });
  protected readonly plans = computed((): Choice[] => [
    { value: '', label: 'all plans in force' },
    ...(this.desk()?.plans.map(({ course, title }) => ({ value: course, label: title })) ?? []),
  ]);
  protected readonly allPlans = signal<Choice[]>([]);
  /** all plans, also while one of them is looked at */
  protected readonly wholePlans = computed((): Choice[] => {
    const own = this.plans().slice(1);
    const others = this.allPlans().filter(({ value }) => !own.some((plan) => plan.value === value));
    return [{ value: '', label: 'all plans in force' }, ...own, ...others];
  });
  protected readonly courses = computed(() => this.plans().slice(1));
  protected readonly readers = computed(() => this.shown()?.readers.slice(0, 8) ?? []);
  protected readonly sites = computed((): Choice[] => (this.desk()?.sites ?? []).map(({ id, name }) => ({ value: id, label: name })));
  protected readonly hasDraft = computed(
    () => this.desk()?.plans.some((plan) => plan.hasDraft && (!this.course() || plan.course === this.course())) ?? false,
  );

  protected readonly holidayOf = computed(() => partsOf(this.holiday(), 2));
  protected readonly outageOf = computed(() => partsOf(this.outage(), 2));
  protected readonly joinersOf = computed(() => partsOf(this.joiners(), 5));

  protected readonly supposition = computed((): Supposition => {
    const kind = this.act();
    const [site, date] = this.holidayOf() ?? [];
    const [from, long] = this.outageOf() ?? [];
    const [count, on, calendar, course, dueDays] = this.joinersOf() ?? [];
    return {
      days: Number(this.days() ?? PLAINLY.days) || PLAINLY.days,
      course: this.course() || null,
      withDraft: this.draft() === '1',
      act: kind === 'all' ? { kind: 'all', after: Math.max(0, Number(this.after() ?? 7) || 0) } : kind === 'past' ? { kind: 'past' } : { kind: 'nobody' },
      holiday: site && isDate(date) ? { calendar: site, date } : null,
      outage: isDate(from) ? { from, days: Math.min(MOST_DAYS, Math.max(1, Number(long) || 1)) } : null,
      joiners:
        isDate(on) && calendar && course
          ? { count: Math.min(2_000, Math.max(1, Number(count) || 1)), on, calendar, course, dueDays: Math.min(365, Math.max(1, Number(dueDays) || 14)) }
          : null,
      withoutHolds: this.unheld() === '1',
    };
  }); // prettier-ignore
  protected readonly besides = computed((): Choice<Beside>[] => {
    const { withDraft, act, holiday, outage, joiners, withoutHolds } = this.supposition();
    return [
      { value: '', label: 'nothing' },
      ...(withDraft ? [{ value: 'published' as const, label: 'the plan as it is published' }] : []),
      ...(act.kind === 'nobody' ? [] : [{ value: 'nobody' as const, label: 'nobody does anything' }]),
      ...(holiday || outage || joiners || withoutHolds ? [{ value: 'plain' as const, label: 'none of the what-ifs' }] : []),
    ];
  });
  private readonly besideIt = computed((): Supposition | null => {
    const own = this.supposition();
    switch (this.beside()) {
      case 'published':
        return own.withDraft ? { ...own, withDraft: false } : null;
      case 'nobody':
        return { ...own, act: { kind: 'nobody' } };
      case 'plain':
        return { ...own, holiday: null, outage: null, joiners: null, withoutHolds: false };
      default:
        return null;
    }
  });
  protected readonly besideWords = computed(() => this.besides().find(({ value }) => value === this.beside())?.label ?? '');
  protected readonly chosenDay = computed(() => this.day() ?? this.shown()?.days.find(({ mails }) => mails > 0)?.day ?? null);
  protected readonly shownOutcome = computed(() => this.outcome() ?? 'send');
  protected readonly busyDays = computed(() => this.shown()?.days.filter(({ mails, skipped, held }) => mails + skipped + held > 0) ?? []);
  protected readonly hours = computed(() => {
    const hours = this.shown()?.hours ?? [];
    const most = Math.max(1, ...hours);
    return hours.map((mails, hour) => ({ hour, mails, share: mails / most })).filter(({ mails }) => mails > 0);
  });

  private opened: string | null | undefined;
  private asked = 0;

  constructor() {
    effect(() => {
      const course = this.course() || null;
      untracked(() => void this.open(course));
    });
    effect(() => {
      const desk = this.desk();
      const own = this.supposition();
      const beside = this.besideIt();
      if (desk) untracked(() => void this.play(own, beside));
    });
    effect(() => {
      const day = this.chosenDay();
      const outcome = this.shownOutcome();
      if (this.shown() && day) untracked(() => void this.look(day, outcome));
    });
  }

  private async open(course: string | null): Promise<void> {
    if (this.opened === course) return;
    this.opened = course;
    this.desk.set(null);
    this.isPlaying.set(true);
    this.problem.set(null);
    try {
      const desk = await this.link.desk.open(course);
      if (this.opened !== course) return;
      if (course === null) this.allPlans.set(desk.plans.map(({ course: of, title }) => ({ value: of, label: title })));
      this.desk.set(desk);
    } catch (error) {
      this.problem.set((error as Error).message);
      this.isPlaying.set(false);
      this.opened = undefined;
    }
  }

  private async play(own: Supposition, beside: Supposition | null): Promise<void> {
    const asked = ++this.asked;
    this.isPlaying.set(true);
    const found = await this.link.desk.play(own, beside);
    if (asked !== this.asked) return;
    this.letter.set(null);
    this.noLetter.set(null);
    this.otherwise.set(null);
    this.shown.set(found.shown);
    this.other.set(found.beside);
    this.otherwiseCount.set(found.otherwise);
    this.isPlaying.set(false);
  }

  private async look(day: string, outcome: string): Promise<void> {
    const asked = this.asked;
    const found = await this.link.desk.day(day, [outcome]);
    if (asked === this.asked && day === this.chosenDay()) this.lines.set(found);
  }

  protected again(): void {
    this.opened = undefined;
    void this.open(this.course() || null);
  }

  protected set(params: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams: params, queryParamsHandling: 'merge', replaceUrl: 'day' in params });
  }

  protected choosePlan(course: string): void {
    this.set({ course: course || null, draft: null, day: null, joiners: null });
  }

  protected addHoliday(): void {
    this.set({ holiday: `${this.desk()!.sites[0]?.id ?? ''}~${this.nextWorkday()}` });
  }

  protected addOutage(): void {
    this.set({ outage: `${this.nextWorkday()}~2` });
  }

  protected addJoiners(): void {
    const monday = addDays(this.today(), ((8 - weekday(this.today())) % 7) || 7); // prettier-ignore
    this.set({ joiners: `40~${monday}~${this.desk()!.sites[0]?.id ?? ''}~${this.course() || (this.desk()!.plans[0]?.course ?? '')}~14` });
  }

  private nextWorkday(): LocalDate {
    const shown = this.shown()?.days.find(({ day, mails, isWorking }) => isWorking && day > this.today() && mails > 0)?.day;
    return shown ?? addDays(this.today(), 1);
  }

  /** One part of what stands in the address under a name. */
  protected part(name: 'holiday' | 'outage' | 'joiners', at: number, value: string | number | null): void {
    const parts = { holiday: this.holidayOf(), outage: this.outageOf(), joiners: this.joinersOf() }[name];
    if (!parts || value === null || value === '') return;
    this.set({ [name]: parts.map((part, i) => (i === at ? String(value) : part)).join('~') });
  }

  protected numberOf(text: string | undefined): number {
    return Number(text) || 0;
  }

  protected async read(line: ShownLine): Promise<void> {
    if (this.letter()?.index === line.index || this.noLetter() === line.index) {
      this.letter.set(null);
      this.noLetter.set(null);
      return;
    }
    const found = await this.link.desk.letter(line.index);
    this.letter.set(found && { index: line.index, ...found });
    this.noLetter.set(found ? null : line.index);
  }

  protected async showOtherwise(): Promise<void> {
    this.otherwise.set(this.otherwise() ? null : await this.link.desk.otherwise());
  }

  protected async save(): Promise<void> {
    saveText(`rehearsal ${this.today()}.csv`, await this.link.desk.csv(), 'text/csv');
  }

  protected readonly summary = computed(() => {
    const found = this.shown();
    if (!found) return '';
    const parts = [
      found.skipped > 0 && `${found.skipped.toLocaleString('en')} are not sent`,
      found.held > 0 && `${found.held.toLocaleString('en')} are held`,
    ].filter(Boolean);
    return `${tellAmount(found.mails, 'mails')} to come to ${tellAmount(found.people, 'people')}${parts.length ? `; ${parts.join(', ')}` : ''}.`;
  });
  protected readonly aheadWords = computed(() => {
    const ahead = this.shown()?.ahead ?? 0;
    return `${ahead === 1 ? 'One of the assignments is' : `${ahead.toLocaleString('en')} of the assignments are`} still to be made by requirements: renewals, and people who join or come to be in an audience.`;
  });
  protected readonly busiest = computed(() => {
    const found = this.shown()?.busiest;
    const now = this.desk()?.now;
    return found && now !== undefined
      ? `${tellMoment(found.at, Zone.of(this.session.zone()), now)}, ${tellAmount(found.mails, 'mails')}`
      : '';
  });

  protected dayWords(day: LocalDate): string {
    return tellDay(dayOf(day), dayOf(this.today()));
  }

  protected otherMails(day: LocalDate): number {
    return this.other()?.days.find((one) => one.day === day)?.mails ?? 0;
  }

  protected reasonWords(because: string): string {
    return REASONS[because] ?? because;
  }

  protected holdWords(because: string): string {
    return HOLD_WORDS[because as HoldReason] ?? because;
  }
}

const isDate = (text: string | undefined): text is LocalDate => /^\d{4}-\d{2}-\d{2}$/.test(text ?? '');
const weekday = (date: LocalDate): number => ((dayOf(date) + 3) % 7) + 1;
const partsOf = (text: string | undefined, count: number): string[] | null => {
  const parts = text?.split('~') ?? [];
  return parts.length === count ? parts : null;
};
