import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { FILE_KINDS_OF_REPORTS, type ReportFileKind } from '@nudrik/contract';
import { finalize } from 'rxjs';
import { download } from '../shared/download.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ReportsApi } from './reports.api.ts';

/** What a page shows, as a file: of many rows it is made as long work, and comes down by itself when it is there. */
@Component({
  selector: 'nk-report-files',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (kind of kinds; track kind) {
      <button class="button" (click)="make(kind)" [disabled]="isMaking()">{{ kind.toUpperCase() }}</button>
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
