import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { SentOf, SentReportDraft, tellIssues, type ReportLetter, type SentReportView } from '@nudrik/contract';
import { capital, FIGURE_WORDS, tellFilters, WEEKDAY_NAMES } from '@nudrik/core';
import { ToggleSwitch } from 'primeng/toggleswitch';
import { finalize, of, type Observable } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SentApi } from './sent.api.ts';

type Edit = Omit<SentReportDraft, 'version' | 'of'> & { of: object & { report: string }; id: string | null; version: number | null };

const STATES: Readonly<Record<ReportLetter['state'], { words: string; tone: string }>> = {
  waiting: { words: 'on its way', tone: 'quiet' },
  sent: { words: 'sent', tone: 'done' },
  failed: { words: 'did not arrive', tone: 'late' },
  skipped: { words: 'not sent', tone: 'soon' },
};

/** Reports that go by mail by themselves: what, when, to whom, and what became of each. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, RouterLink, SelectField, TimeField, ToggleSwitch],
  templateUrl: './sent.page.html',
  styles: `
    .edit { border: 1px solid var(--rule); background: var(--sheet); padding: 16px 18px; margin-bottom: 20px; max-width: 900px; }
    .line { display: flex; gap: 14px; flex-wrap: wrap; align-items: start; }
    .line .field { min-width: 150px; }
    .line .name { flex: 1 1 260px; }
    .what { padding-top: 5px; }
    fieldset { border: 0; padding: 0; margin: 0 0 6px; }
    .reader { display: flex; gap: 8px; align-items: center; min-height: 26px; }
    h2 { margin-top: 28px; }
  `,
})
export class SentPage {
  private readonly api = inject(SentApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  /** a report to begin with, as JSON: where it was looked at it leads here */
  readonly of = input<string>();
  readonly title = input<string>();
  readonly before = input<string>();
  protected readonly reports = load(of(true), () => this.api.reports(), ['reports']);
  private readonly question = computed(() => ({ before: this.before() }));
  protected readonly letters = load(toObservable(this.question), ({ before }) => this.api.letters(before), ['reports', 'conversations']);
  protected readonly draft = signal<Edit | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly told = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly kinds: Choice[] = [{ value: 'xlsx', label: 'XLSX' }, { value: 'csv', label: 'CSV' }, { value: 'pdf', label: 'PDF' }];
  protected readonly whats: Choice[] = [{ value: 'matrix', label: 'Matrix' }, { value: 'seals', label: 'Heads of the seals' }];
  protected readonly everys: Choice[] = [{ value: 'day', label: 'each day' }, { value: 'week', label: 'each week' }, { value: 'month', label: 'each month' }];
  protected readonly weekdays: Choice<number>[] = WEEKDAY_NAMES.map((label, i) => ({ value: i + 1, label }));
  protected readonly monthDays: Choice<number>[] = Array.from({ length: 31 }, (_, i) => ({ value: i + 1, label: i === 30 ? 'the last day' : `the ${i + 1}.` }));
  /** one with filters or of a course: it was begun where it was looked at */
  protected readonly isOfPage = computed(() => {
    const edit = this.draft();
    return edit !== null && (Object.keys(edit.of).length > 1 || !['matrix', 'seals'].includes(edit.of.report));
  });
  protected readonly whatWords = computed(() => {
    const edit = this.draft();
    if (!edit) return '';
    const saved = this.reports.data()?.reports.find(({ id }) => id === edit.id);
    if (saved) return saved.words.split(', each ')[0]!.split(', on the ')[0]!;
    const name = (edit.of as { name?: keyof typeof FIGURE_WORDS }).name;
    const filters = tellFilters(edit.of as Record<string, unknown>, ['course']);
    return `${this.title() ?? (name ? FIGURE_WORDS[name].title : capital(edit.of.report))}${filters ? ` (${filters})` : ''}`;
  });
  protected readonly readers = computed(() => {
    const report = this.draft()?.of.report;
    return (this.reports.data()?.readers ?? []).map((reader) => ({
      ...reader,
      isOff: reader.role === 'manager' && report !== 'matrix',
      words: reader.role !== 'manager' ? '' : report === 'matrix' ? 'their own people' : 'managers get the matrix of their people',
    }));
  });

  constructor() {
    effect(() => {
      const text = this.of();
      untracked(() => {
        if (text && !this.draft()) this.begin(this.read(text));
      });
    });
  }

  private read(text: string): { report: string } {
    try {
      const parsed = SentOf.safeParse(JSON.parse(text));
      if (parsed.success) return parsed.data;
    } catch {
      // told below, as what is none
    }
    this.problem.set('The address names no report that can be sent: choose what it is.');
    return { report: 'matrix' };
  }

  protected begin(what: object & { report: string }): void {
    const me = this.session.account()?.id;
    this.told.set(null);
    this.draft.set({ id: null, version: null, name: this.title() ?? '', of: what, kind: 'xlsx', rhythm: { every: 'week', on: 1, at: '08:00' }, to: me ? [me] : [], isOn: true });
  }

  protected edit({ id, version, name, of: what, kind, rhythm, to, isOn }: SentReportView): void {
    this.told.set(null);
    this.draft.set({ id, version, name, of: what, kind, rhythm: { ...rhythm }, to: to.map((reader) => reader.id), isOn });
  }

  protected set(change: Partial<Edit>): void {
    this.draft.update((draft) => draft && { ...draft, ...change });
  }

  protected setEvery(every: Edit['rhythm']['every']): void {
    const at = this.draft()?.rhythm.at ?? '08:00';
    this.set({ rhythm: { every, on: every === 'day' ? null : 1, at } });
  }

  protected toggle(id: string): void {
    const to = this.draft()?.to ?? [];
    this.set({ to: to.includes(id) ? to.filter((one) => one !== id) : [...to, id] });
  }

  protected leave(): void {
    this.draft.set(null);
    this.problem.set(null);
    if (this.of()) void this.router.navigate([], { queryParams: {} });
  }

  private act(work: Observable<unknown>, done: () => void): void {
    this.problem.set(null);
    this.told.set(null);
    this.isBusy.set(true);
    work.pipe(finalize(() => this.isBusy.set(false))).subscribe({
      next: () => {
        done();
        this.reports.reload();
        this.letters.reload();
      },
      error: (error: unknown) => {
        this.problem.set(sentenceOf(error));
        this.reports.reload();
      },
    });
  }

  protected save(): void {
    const edit = this.draft();
    if (!edit || this.isBusy()) return;
    const { id, version, ...rest } = edit;
    // whoever may not get it is not asked for it
    const off = new Set(this.readers().filter(({ isOff }) => isOff).map((reader) => reader.id));
    const read = SentReportDraft.safeParse({ ...rest, to: rest.to.filter((one) => !off.has(one)), ...(version === null ? {} : { version }) });
    if (!read.success) return this.problem.set(tellIssues(read.error).map(({ field, message }) => capital(field === '' ? message : `${field}: ${message}`)).join('. '));
    this.act(id === null ? this.api.add(read.data) : this.api.change(id, read.data), () => {
      this.told.set(id === null ? `“${edit.name}” is sent from now on.` : `“${edit.name}” is kept so.`);
      this.leave();
    });
  }

  protected switch(row: SentReportView, isOn: boolean): void {
    const { name, of: what, kind, rhythm, to, version } = row;
    this.act(this.api.change(row.id, { name, of: what, kind, rhythm, to: to.map(({ id }) => id), isOn, version }), () => this.told.set(`“${name}” is ${isOn ? 'sent again' : 'sent no more'}.`));
  }

  protected now(row: SentReportView): void {
    this.act(this.api.now(row.id), () => this.told.set(`“${row.name}” is on its way to you.`));
  }

  protected remove(row: SentReportView): void {
    this.act(this.api.remove(row.id), () => this.told.set(`“${row.name}” is taken away. What went stays below.`));
  }

  protected words(state: ReportLetter['state']): string {
    return STATES[state].words;
  }

  protected tone(state: ReportLetter['state']): string {
    return STATES[state].tone;
  }
} // prettier-ignore
