import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { KEEP_MONTHS, KEPT, tellMonths, type KeepingView, type KeepPreview, type Kept, type KeptRow } from '@nudrik/contract';
import { dayOf, tellDate } from '@nudrik/core';
import { finalize, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { HouseRecord } from '../house/house-record.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { KeepingApi } from './keeping.api.ts';

const CHOICES = Object.fromEntries(
  Object.entries(KEPT).map(([kind, { least }]) => [
    kind,
    [{ value: null, label: 'for always' }, ...KEEP_MONTHS.filter((months) => months >= least).map((months) => ({ value: months, label: tellMonths(months) }))],
  ]),
) as Record<Kept, Choice<number | null>[]>; // prettier-ignore

/** How long each kind is kept, what would go before it is set, and what was erased. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, HouseRecord, MomentPipe, RouterLink, SelectField],
  templateUrl: './keeping.page.html',
  styles: `
    td { vertical-align: top; }
    .kind { max-width: 420px; }
    .small { font-size: 12.5px; }
    .would { margin-top: 6px; padding: 8px 10px; border-left: 2px solid var(--plum); max-width: 420px; }
    h2 { margin-top: 28px; }
    .counts { max-width: 320px; }
  `,
})
export class KeepingPage {
  private readonly api = inject(KeepingApi);
  protected readonly session = inject(SessionStore);
  protected readonly view = load(of(true), () => this.api.view(), ['keeping']);
  protected readonly kept = KEPT;
  protected readonly choices = CHOICES;
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  /** what is being thought about, and what would go by it */
  protected readonly asked = signal<{ kind: Kept; months: number | null; preview: KeepPreview | null } | null>(null);
  protected readonly more = signal<KeepingView['erasures']>([]);
  protected readonly hasMore = signal<boolean | null>(null);
  protected readonly tell = (months: number | null): string => (months === null ? 'for always' : tellMonths(months));
  protected readonly day = (on: string): string => tellDate(dayOf(on));

  protected ask({ kind, months: is }: KeptRow, months: number | null): void {
    this.problem.set(null);
    if (months === is) return this.asked.set(null);
    this.asked.set({ kind, months, preview: null });
    this.api.preview({ kind, months }).subscribe({
      next: (preview) => {
        const now = this.asked();
        if (now?.kind === kind && now.months === months) this.asked.set({ kind, months, preview });
      },
      error: (error: unknown) => {
        this.asked.set(null);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected set(): void {
    const asked = this.asked();
    if (!asked || this.isBusy()) return;
    this.isBusy.set(true);
    this.problem.set(null);
    this.api
      .set({ kind: asked.kind, months: asked.months })
      .pipe(finalize(() => this.isBusy.set(false)))
      .subscribe({
        next: () => {
          this.asked.set(null);
          this.view.reload();
        },
        error: (error: unknown) => this.problem.set(sentenceOf(error)),
      });
  }

  protected earlier(last: string): void {
    this.api.view(last).subscribe({
      next: ({ erasures, hasMore }) => {
        this.more.update((list) => [...list, ...erasures]);
        this.hasMore.set(hasMore);
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
