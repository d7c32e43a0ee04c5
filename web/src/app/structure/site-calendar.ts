import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { dayOf, nextYear, tellAmount, tellDate, weekdayOf } from '@nudrik/core';
import type { StructureView } from '@nudrik/contract';
import { map } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { Newer, NewerSaved, type Both } from '../shared/newer.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { StructureApi } from './structure.api.ts';

interface Line {
  on: string;
  name: string;
  /** why somebody should look at it before it is saved */
  note: string | null;
}

/** Whether a date is whole: a field that is being typed in may be empty. */
const isWhole = (on: string): boolean => /^\d{4}-\d{2}-\d{2}$/.test(on);

/** The holidays of one site by year: entered, copied to the next year, or read from an iCalendar file. */
@Component({
  selector: 'nk-site-calendar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DateField, Newer],
  templateUrl: './site-calendar.html',
  styles: `
    .head { display: flex; justify-content: space-between; align-items: start; gap: 12px; margin-bottom: 12px; }
    .note { font-size: 12.5px; }
    .add { display: grid; grid-template-columns: 168px 1fr auto; gap: 8px; margin: 12px 0; }
  `,
})
export class SiteCalendar {
  private readonly api = inject(StructureApi);
  private readonly clock = inject(ClockStore);
  protected readonly session = inject(SessionStore);
  readonly site = input.required<StructureView['sites'][number]>();
  readonly closed = output<void>();
  readonly saved = output<void>();
  protected readonly year = signal(new Date(this.clock.now() ?? 0).getUTCFullYear());
  private readonly siteId = computed(() => this.site().id);
  /** what was changed and is not saved yet, by year; another site begins anew, news of this one change nothing of it */
  private readonly drafts = linkedSignal<string, ReadonlyMap<number, Line[]>>({ source: this.siteId, computation: () => new Map() });
  /** the version of the site that the drafts began from */
  private readonly version = linkedSignal<string, number | null>({ source: this.siteId, computation: () => null });
  /** somebody else saved this site meanwhile */
  protected readonly problem = signal<string | null>(null);
  protected readonly newer = new NewerSaved<StructureView['sites'][number] | undefined>({
    problem: this.problem,
    both: () => this.api.structure().pipe(map(({ sites }) => this.both(sites.find(({ id }) => id === this.siteId())))),
    goOn: (theirs) => this.version.set(theirs?.version ?? null),
    take: () => {
      this.put(null);
      this.version.set(null);
      this.saved.emit();
    },
  });
  protected readonly lines = computed(
    () =>
      this.drafts().get(this.year()) ??
      this.site()
        .holidays.filter(({ on }) => on.startsWith(`${this.year()}-`))
        .map((holiday): Line => ({ ...holiday, note: null })),
  );
  protected readonly isChanged = computed(() => this.drafts().has(this.year()));
  protected readonly told = signal<string | null>(null);
  protected readonly passedOver = signal<string[]>([]);
  protected on = '';
  protected name = '';
  protected readonly years = computed(() => {
    const years = new Set(this.site().holidays.map(({ on }) => Number(on.slice(0, 4))));
    for (let ahead = 0; ahead < 3; ahead++) years.add(new Date(this.clock.now() ?? 0).getUTCFullYear() + ahead);
    return [...years].sort();
  });

  protected isDraft(year: number): boolean {
    return this.drafts().has(year);
  }

  protected weekday(on: string): string {
    return isWhole(on) ? ['', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'][weekdayOf(dayOf(on))]! : '';
  }

  protected change(index: number, rest: Partial<Line>): void {
    this.put(this.lines().map((line, i) => (i === index ? { ...line, ...rest, note: null } : line)));
  }

  protected remove(index: number): void {
    this.put(this.lines().filter((_, i) => i !== index));
  }

  protected add(): void {
    if (!isWhole(this.on) || !this.name.trim()) return;
    this.year.set(Number(this.on.slice(0, 4)));
    this.merge([{ on: this.on, name: this.name.trim(), note: null }]);
    this.on = this.name = '';
  }

  /** The same dates a year later; feasts that move are marked. */
  protected copyToNextYear(): void {
    const copied = this.lines()
      .filter(({ on }) => isWhole(on))
      .map((line): Line => {
        const { on, name, needsLook } = nextYear(line);
        return { on, name, note: needsLook ? 'moves from year to year: set its date' : null };
      });
    this.year.update((year) => year + 1);
    this.merge(copied);
    this.told.set(`Copied from ${this.year() - 1}. Look through the dates, then save.`);
  }

  protected read(file: File | undefined): void {
    if (!file) return;
    this.problem.set(null);
    this.api.readHolidays(file, this.year(), this.year()).subscribe({
      next: ({ holidays, passedOver }) => {
        const before = this.lines().length;
        this.merge(holidays.map((holiday) => ({ ...holiday, note: null })));
        this.passedOver.set(passedOver);
        this.told.set(
          `${file.name}: ${holidays.length} whole ${holidays.length === 1 ? 'day' : 'days'} in ${this.year()}, ` +
            `${this.lines().length - before} of them new. Look through them, then save.`,
        );
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  private merge(more: Line[]): void {
    const byDate = new Map(this.lines().map((line) => [line.on, line]));
    for (const line of more) if (!byDate.has(line.on)) byDate.set(line.on, line);
    this.put([...byDate.values()].sort((a, b) => (a.on < b.on ? -1 : 1)));
  }

  private put(lines: Line[] | null): void {
    const year = this.year();
    this.version.update((version) => version ?? this.site().version);
    this.drafts.update((old) => {
      const drafts = new Map(old);
      if (lines) drafts.set(year, lines);
      else drafts.delete(year);
      return drafts;
    });
    this.told.set(null);
    this.problem.set(null);
  }

  protected save(): void {
    this.problem.set(null);
    const holidays = this.lines().map(({ on, name }) => ({ on, name }));
    this.api.saveHolidays(this.site().id, { version: this.version() ?? this.site().version, year: this.year(), holidays }).subscribe({
      next: () => {
        this.put(null);
        // drafts of other years go on from what was saved now
        this.version.update((version) => (this.drafts().size > 0 && version !== null ? version + 1 : null));
        this.passedOver.set([]);
        this.told.set(`Saved. Notices of ${tellAmount(this.site().people, 'people')} at ${this.site().name} are planned anew.`);
        this.saved.emit();
      },
      error: (error: unknown) => {
        this.newer.refused(error);
      },
    });
  }

  /** The holidays of the year, as they are here and as they are stored. */
  private both<S extends StructureView['sites'][number]>(theirs: S | undefined): Both<S | undefined> {
    const tell = (list: readonly { on: string; name: string }[]) => Object.fromEntries(list.map(({ on, name }) => [on, name]));
    const ofYear = theirs?.holidays.filter(({ on }) => on.startsWith(`${this.year()}-`)) ?? [];
    return { theirs, mine: tell(this.lines()), saved: tell(ofYear) };
  }

  protected readonly tellDate = (on: string): string => tellDate(dayOf(on));
}
