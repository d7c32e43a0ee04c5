import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { SampleQuery, type PackMade } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { catchError, finalize, map, of } from 'rxjs';
import { CoursesApi } from '../courses/courses.api.ts';
import { RequirementsApi } from '../requirements/requirements.api.ts';
import { download } from '../shared/download.ts';
import { load } from '../shared/loaded.ts';
import { paramsOf } from '../shared/params.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { EvidenceApi } from './evidence.api.ts';
import { EvidenceViews } from './evidence-views.ts';

/** A sample of those who were required in a period: its question is its address. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, EvidenceViews, FormsModule, NumberField, RouterLink, SelectField],
  templateUrl: './sample.page.html',
  styles: `
    .more { gap: 18px; }
    .more label { display: inline-flex; gap: 7px; align-items: center; color: var(--quiet); }
    .seed { width: 110px; }
    .drawn { display: flex; align-items: center; gap: 14px; margin: 14px 0 8px; }
    .grow { flex: 1; }
    .print { font-family: var(--mono, ui-monospace, monospace); font-size: 12.5px; }
    td.num:first-child, th.num:first-child { width: 54px; }
  `,
})
export class SamplePage {
  private readonly api = inject(EvidenceApi);
  private readonly router = inject(Router);
  readonly from = input<string>();
  readonly to = input<string>();
  readonly course = input<string>();
  readonly requirement = input<string>();
  readonly size = input<string>();
  readonly seed = input<string>();
  readonly known = input<string>();
  protected readonly readings: Choice[] = [
    { value: 'then', label: 'as it was known then' },
    { value: 'now', label: 'as is known now' },
  ];
  protected readonly params = computed(() => {
    const { from, to } = { from: this.from(), to: this.to() };
    return from && to ? paramsOf({ from, to, course: this.course(), requirement: this.requirement(), size: this.size(), seed: this.seed(), known: this.known() }) : null; // prettier-ignore
  });
  protected readonly sample = load(toObservable(this.params), (params) => this.api.sample(params));
  protected readonly isMaking = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly made = signal<PackMade | null>(null);
  protected readonly amount = tellAmount;
  private readonly any: Choice = { value: '', label: 'any' };
  protected readonly courses = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(
        map((list) => [this.any, ...list.filter(({ state }) => state !== 'draft').map(({ id, title }): Choice => ({ value: id, label: title }))]),
        catchError(() => of([this.any])),
      ),
    { initialValue: [this.any] },
  ); // prettier-ignore
  protected readonly requirements = toSignal(
    inject(RequirementsApi)
      .list()
      .pipe(
        map((list) => [this.any, ...list.map(({ id, name }): Choice => ({ value: id, label: name }))]),
        catchError(() => of([this.any])),
      ),
    { initialValue: [this.any] },
  );

  constructor() {
    effect(() => {
      this.params();
      untracked(() => {
        this.made.set(null);
        this.problem.set(null);
      });
    });
  }

  protected filter(change: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams: change, queryParamsHandling: 'merge', replaceUrl: true });
  }

  protected seedOf(event: Event): string | null {
    return (event.target as HTMLInputElement).value.trim() || null;
  }

  /** The pack of exactly these people. */
  protected make(): void {
    const read = SampleQuery.safeParse(this.params());
    if (!read.success || this.isMaking()) return;
    this.isMaking.set(true);
    this.problem.set(null);
    this.api
      .make({ of: { kind: 'sample', sample: read.data }, from: null, to: null, withMessages: true })
      .pipe(finalize(() => this.isMaking.set(false)))
      .subscribe({
        next: (made) => {
          this.made.set(made);
          download(made.href);
        },
        error: (error: unknown) => this.problem.set(sentenceOf(error)),
      });
  }
}
