import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { WITHIN, type RunningOutDepartment } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { debounceTime } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { paramsOf } from '../shared/params.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { CertificatesApi } from './certificates.api.ts';
import { CertificatesTabs } from './certificates-tabs.ts';

const SIZE = 60;

/** What people hold that runs out within 30, 60 and 90 days: by department, and who, and whether it was asked for again. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CertificatesTabs, DayPipe, FormsModule, MomentPipe, RouterLink, SelectField],
  templateUrl: './running-out.page.html',
  styles: `
    .counts { max-width: 760px; }
    .counts button { font-variant-numeric: tabular-nums; }
    tfoot td { font-weight: 600; }
  `,
})
export class RunningOutPage {
  private readonly api = inject(CertificatesApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly within = input<string>();
  readonly department = input<string>();
  readonly course = input<string>();
  readonly asked = input<string>();
  readonly page = input<string>();
  protected readonly size = SIZE;
  protected readonly spans: Choice[] = WITHIN.map((days) => ({ value: String(days), label: `${days} days` }));
  protected readonly again: Choice[] = [
    { value: '', label: 'or not' },
    { value: 'no', label: 'by nobody' },
    { value: 'yes', label: 'already, or by itself' },
  ];
  protected readonly days = computed(() => this.within() ?? '90');
  protected readonly pageNumber = computed(() => Number(this.page() ?? 0));
  private readonly query = computed(() =>
    paramsOf({
      within: this.within(),
      department: this.department(),
      course: this.course(),
      asked: this.asked(),
      page: this.pageNumber(),
      size: SIZE,
    }),
  );
  protected readonly found = load(toObservable(this.query).pipe(debounceTime(30)), (params) => this.api.runningOut(params), [
    'assignments',
    'people',
    'clock',
  ]);
  protected readonly departments = computed((): Choice[] => [
    { value: '', label: 'any' },
    ...(this.found.data()?.departments ?? []).map(({ id, name }) => ({ value: id, label: name })),
  ]);
  protected readonly courses = computed((): Choice[] => [
    { value: '', label: 'any' },
    ...(this.found.data()?.courses ?? []).map(({ id, title }) => ({ value: id, label: title })),
  ]);
  protected readonly sum = computed(() =>
    (this.found.data()?.departments ?? []).reduce(
      (all, { in30, in60, in90, unasked }) => ({
        in30: all.in30 + in30,
        in60: all.in60 + in60,
        in90: all.in90 + in90,
        unasked: all.unasked + unasked,
      }),
      { in30: 0, in60: 0, in90: 0, unasked: 0 },
    ),
  );
  protected readonly columns: readonly {
    key: 'in30' | 'in60' | 'in90' | 'unasked';
    words: string;
    filter: Record<string, string | null>;
  }[] = [
    ...WITHIN.map((days) => ({ key: `in${days}` as const, words: `in ${days} days`, filter: { within: String(days), asked: null } })),
    { key: 'unasked', words: 'of these asked for by nobody', filter: { within: '90', asked: 'no' } },
  ];
  protected readonly amount = tellAmount;

  protected show(department: RunningOutDepartment | null, filter: Record<string, string | null>): void {
    this.filter({ ...filter, department: department?.id ?? null, course: null });
  }

  protected filter(params: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams: { page: null, ...params }, queryParamsHandling: 'merge' });
  }
}
