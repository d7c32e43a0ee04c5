import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { tellSeals, type SealsReport } from '@nudrik/contract';
import { dayOf, tellAmount, tellDate } from '@nudrik/core';
import { finalize } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SealsApi } from './seals.api.ts';

/** What shows that nobody changed the record: each day's head, to be kept elsewhere, and a look whether all stands as it was written. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, FormsModule, RouterLink],
  templateUrl: './seals.page.html',
  styles: `
    .head { font-family: var(--mono, ui-monospace, monospace); font-size: 12.5px; overflow-wrap: anywhere; }
    .day { width: 150px; }
    .kept { display: grid; grid-template-columns: 170px minmax(260px, 1fr) auto; gap: 12px; align-items: end; max-width: 900px; margin: 10px 0 18px; }
    section { margin-top: 24px; }
    .kept .field { margin: 0; }
    .explain { max-width: 760px; margin-bottom: 14px; }
    @media print { .screen { display: none; } }
  `,
})
export class SealsPage {
  private readonly api = inject(SealsApi);
  readonly before = input<string>();
  private readonly query = computed(() => ({ before: this.before() }));
  protected readonly seals = load(toObservable(this.query), ({ before }) => this.api.list(before));
  protected readonly day = signal('');
  protected readonly head = signal('');
  protected readonly isLooking = signal(false);
  protected readonly report = signal<SealsReport | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly words = computed(() => (this.report() ? tellSeals(this.report()!) : ''));

  protected readonly tell = (day: string): string => tellDate(dayOf(day));
  protected readonly amount = (count: number): string => tellAmount(count, 'entries');
  protected print(): void {
    window.print();
  }

  /** With a day and its head, against these too. */
  protected look(isKept: boolean): void {
    this.problem.set(null);
    this.report.set(null);
    this.isLooking.set(true);
    this.api
      .verify(isKept ? { day: this.day() || null, head: this.head() || null } : { day: null, head: null })
      .pipe(finalize(() => this.isLooking.set(false)))
      .subscribe({ next: (report) => this.report.set(report), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }
}
