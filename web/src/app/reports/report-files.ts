import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FILE_KINDS_OF_REPORTS, type ReportFileKind } from '@nudrik/contract';
import { RouterLink } from '@angular/router';
import { finalize } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { download } from '../shared/download.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ReportsApi } from './reports.api.ts';

/** What a page shows, as a file: of many rows it is made as long work, and comes down by itself when it is there. */
@Component({
  selector: 'nk-report-files',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    @for (kind of kinds; track kind) {
      <button class="button" (click)="make(kind)" [disabled]="isMaking()">{{ kind.toUpperCase() }}</button>
    }
    @if (session.canEdit() && !isOfADay()) {
      <a class="button plain" routerLink="/ledger/reports" [queryParams]="{ of: json(), title: title() || null }">Send it by itself</a>
    }
    @if (error()) {
      <p class="refusal" role="alert">{{ error() }}</p>
    }
  `,
  styles: `
    :host { display: flex; gap: 8px; flex-wrap: wrap; justify-content: flex-end; }
    .refusal { flex-basis: 100%; }
  `,
})
export class ReportFiles {
  private readonly api = inject(ReportsApi);
  /** which report, by which filters */
  readonly of = input.required<object>();
  /** what it is called where it is sent by itself */
  readonly title = input('');
  protected readonly session = inject(SessionStore);
  protected readonly json = computed(() => JSON.stringify(this.of()));
  /** one of a day that has passed stays what it is */
  protected readonly isOfADay = computed(() => ['on', 'from', 'to'].some((name) => name in this.of()));
  protected readonly kinds = FILE_KINDS_OF_REPORTS;
  protected readonly isMaking = signal(false);
  protected readonly error = signal<string | null>(null);

  protected make(kind: ReportFileKind): void {
    this.isMaking.set(true);
    this.error.set(null);
    this.api
      .file(kind, this.of())
      .pipe(finalize(() => this.isMaking.set(false)))
      .subscribe({ next: ({ href }) => download(href), error: (error: unknown) => this.error.set(sentenceOf(error)) });
  }
}
