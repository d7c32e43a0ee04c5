import { DecimalPipe, NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import {
  ALL_GROUPS,
  GROUPS,
  REQUIRED_COLUMNS,
  ROSTER_COLUMNS,
  tellLeave,
  type DateOrder,
  type Group,
  type Groups,
  type RosterColumn,
} from '@nudrik/core';
import type { ImportOrder, ImportResult } from '@nudrik/contract';
import { proxy, wrap, type Remote } from 'comlink';
import { DayPipe } from '../shared/moment.pipe.ts';
import { DATE_ORDERS } from '../shared/pick/date-orders.ts';
import { saveText } from '../shared/download.ts';
import { SelectField, wordsOf, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { tellField, tellValue } from './field-words.ts';
import { ImportForesightPart } from './import-foresight.ts';
import { PeopleApi } from './people.api.ts';
import { PeopleTabs } from './people-tabs.ts';
import type { OpenedFile, RosterWork, ShownPreview } from './roster.worker.ts';

const DELIMITERS: Record<string, string> = { ';': 'semicolons', ',': 'commas', '\t': 'tabs', '|': 'bars' };
const HOW: Record<string, string> = {
  remembered: 'as the last time',
  name: 'by its name',
  content: 'by what stands in it',
  none: 'left out',
};
const GROUP_WORDS: Record<Group, { title: string; one: string }> = {
  added: { title: 'Added', one: 'new on the roster' },
  changed: { title: 'Changed', one: 'something is new about them' },
  returned: { title: 'Returned', one: 'left once, and are back' },
  left: { title: 'Left', one: 'no longer there; their open courses are withdrawn' },
};

const COLUMN_CHOICES: Choice<RosterColumn | null>[] = [{ value: null, label: 'left out' }, ...wordsOf(ROSTER_COLUMNS)];
const EMPTY_CHOICES: Choice<'keep' | 'clear'>[] = [
  { value: 'keep', label: 'keeps what the roster knows' },
  { value: 'clear', label: 'clears it' },
];

/** A roster file: chosen or dropped, matched, compared in a worker, looked at, and only then taken. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, FormsModule, NgTemplateOutlet, RouterLink, DayPipe, SelectField, PeopleTabs, ImportForesightPart],
  templateUrl: './import.page.html',
  styleUrl: './import.page.css',
})
export class ImportPage {
  private readonly api = inject(PeopleApi);
  private readonly router = inject(Router);
  private readonly worker = new Worker(new URL('./roster.worker', import.meta.url), { type: 'module' });
  private readonly work: Remote<RosterWork> = wrap<RosterWork>(this.worker);
  protected readonly groups = GROUPS;
  protected readonly words = GROUP_WORDS;
  protected readonly columnChoices = COLUMN_CHOICES;
  protected readonly emptyChoices = EMPTY_CHOICES;
  protected readonly dateOrders = DATE_ORDERS;
  protected readonly how = HOW;

  protected readonly file = signal<File | null>(null);
  protected readonly opened = signal<OpenedFile | null>(null);
  protected readonly preview = signal<ShownPreview | null>(null);
  protected readonly progress = signal<{ words: string; share: number } | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly isTaking = signal(false);
  protected readonly isOver = signal(false);
  protected readonly taken = signal<ImportResult | null>(null);
  protected readonly isUndone = signal(false);

  protected readonly matched = signal<(RosterColumn | null)[]>([]);
  protected readonly dateOrder = signal<DateOrder>('ymd');
  protected readonly isComplete = signal(false);
  protected readonly emptyCells = signal<'keep' | 'clear'>('keep');
  protected readonly chosen = signal<Groups>(ALL_GROUPS);
  protected readonly confirmedLeft = signal(false);
  /** of rows that stand for one person, those that were chosen */
  protected readonly chosenRows = signal<readonly number[]>([]);
  protected readonly areColumnsShown = signal(false);

  protected readonly missing = computed(() => REQUIRED_COLUMNS.filter((column) => !this.matched().includes(column)));
  protected readonly hasDates = computed(() => this.opened() !== null && this.opened()!.dateOrder !== 'ymd');
  protected readonly readAs = computed(() => {
    const file = this.opened()?.file;
    if (!file) return '';
    const rows = `${file.rows.toLocaleString('en')} ${file.rows === 1 ? 'row' : 'rows'}`;
    return file.kind === 'xlsx'
      ? `XLSX, first sheet, ${rows}`
      : `CSV in ${file.encoding!.toUpperCase()}, separated by ${DELIMITERS[file.delimiter!]}, ${rows}`;
  });
  protected readonly needsSecondWord = computed(() => (this.preview()?.leftShare ?? 0) > (this.opened()?.changeShare ?? 100));
  protected readonly canTake = computed(
    () => !this.isBusy() && (this.preview()?.taken ?? 0) > 0 && (!this.needsSecondWord() || this.confirmedLeft()),
  );

  /** how the columns were understood, in a line */
  protected readonly told = computed(() => {
    const matches = this.opened()?.matches ?? [];
    const taken = matches.flatMap(({ header }, index) => (this.matched()[index] ? [`${header} is ${this.matched()[index]}`] : []));
    const out = matches.flatMap(({ header }, index) => (this.matched()[index] ? [] : [header || '(no name)']));
    return `${taken.join(', ')}.${out.length ? ` Left out: ${out.join(', ')}.` : ''}`;
  });
  /** How the file is read and what of it is taken, as the server is told. */
  protected readonly order = computed((): ImportOrder => ({
    fileName: this.file()?.name ?? '',
    mark: this.opened()?.mark ?? '',
    columns: this.matched(),
    dateOrder: this.dateOrder(),
    isComplete: this.isComplete(),
    emptyCells: this.emptyCells(),
    groups: this.chosen(),
    confirmedLeft: null,
    chosenRows: [...this.chosenRows()],
  }));
  private reporting = 0;

  constructor() {
    inject(DestroyRef).onDestroy(() => this.worker.terminate());
  }

  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.isOver.set(false);
    const file = event.dataTransfer?.files[0];
    if (file) void this.choose(file);
  }

  protected over(event: DragEvent): void {
    event.preventDefault();
    this.isOver.set(true);
  }

  protected async choose(file: File | undefined): Promise<void> {
    if (!file) return;
    this.startOver();
    this.file.set(file);
    this.isBusy.set(true);
    try {
      const opened = await this.work.open(file, this.report());
      this.opened.set(opened);
      this.matched.set(opened.matches.map(({ column }) => column));
      this.dateOrder.set(opened.dateOrder);
      // what was guessed is shown; what is plain by its name needs no look
      this.areColumnsShown.set(!opened.isDateOrderSure || this.missing().length > 0);
      await this.compare();
    } catch (error) {
      this.fail(error);
    }
  }

  protected async compare(): Promise<void> {
    this.isBusy.set(true);
    this.problem.set(null);
    this.confirmedLeft.set(false);
    try {
      const matching = { columns: this.matched(), dateOrder: this.dateOrder() };
      const options = { isComplete: this.isComplete(), emptyCells: this.emptyCells(), chosenRows: this.chosenRows() };
      this.preview.set(await this.work.compare(matching, options, this.chosen(), this.report()));
      this.reporting += 1; // what is still on its way is old
      this.progress.set(null);
      this.isBusy.set(false);
    } catch (error) {
      this.fail(error);
    }
  }

  private report(): (words: string, share: number) => void {
    const own = ++this.reporting;
    return proxy((words: string, share: number) => {
      if (own === this.reporting) this.progress.set({ words, share });
    });
  }

  protected match(index: number, column: RosterColumn | null): void {
    // a field is taken from one column: the one that had it before is left out
    this.matched.update((list) => list.map((old, i) => (i === index ? column : old === column ? null : old)));
    void this.compare();
  }

  /** Of rows that stand for one person, takes this one, or leaves the choice open again. */
  protected chooseRow(row: number, isChosen = true): void {
    this.chosenRows.update((rows) => (isChosen ? [...rows, row] : rows.filter((other) => other !== row)));
    void this.compare();
  }

  protected async take(group: Group, isTaken: boolean): Promise<void> {
    this.chosen.update((groups) => ({ ...groups, [group]: isTaken }));
    this.confirmedLeft.set(false);
    this.preview.set(await this.work.choose(this.chosen()));
  }

  protected save(): void {
    const file = this.file()!;
    this.isBusy.set(true);
    this.isTaking.set(true);
    this.problem.set(null);
    this.api.takeImport(file, { ...this.order(), confirmedLeft: this.confirmedLeft() ? this.preview()!.left : null }).subscribe({
      next: (taken) => {
        this.isBusy.set(false);
        this.isTaking.set(false);
        this.preview.set(null);
        this.opened.set(null);
        this.taken.set(taken);
      },
      error: (error: unknown) => this.fail(error),
    });
  }

  protected undo(): void {
    this.problem.set(null);
    this.isBusy.set(true);
    this.api.undoImport(this.taken()!.id!).subscribe({
      next: () => {
        this.isBusy.set(false);
        this.isUndone.set(true);
      },
      error: (error: unknown) => this.fail(error),
    });
  }

  private fail(error: unknown): void {
    this.isBusy.set(false);
    this.isTaking.set(false);
    this.progress.set(null);
    // what the worker throws is a sentence already; what HTTP throws carries one
    this.problem.set(error instanceof Error && !('status' in error) ? error.message : sentenceOf(error));
  }

  protected startOver(): void {
    for (const part of [this.file, this.opened, this.preview, this.problem, this.taken, this.progress]) part.set(null);
    this.chosen.set(ALL_GROUPS);
    this.isComplete.set(false);
    this.emptyCells.set('keep');
    this.isUndone.set(false);
    this.isBusy.set(false);
    this.confirmedLeft.set(false);
    this.chosenRows.set([]);
  }

  protected toPeople(): void {
    void this.router.navigate(['/people']);
  }

  /** All problems as a file, for whoever keeps the list that they came from. */
  protected async saveProblems(): Promise<void> {
    saveText(`${this.file()!.name.replace(/\.[^.]*$/, '')} problems.csv`, await this.work.problems(this.chosen()), 'text/csv');
  }

  protected readonly tellLeave = tellLeave;
  protected readonly tellField = tellField;
  protected readonly tellValue = tellValue;
}
