import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { AsOf, type AsOfChoice } from '../reports/as-of.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { paramsOf } from '../shared/params.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { RequirementsApi } from './requirements.api.ts';
import { RequirementsTabs } from './requirements-tabs.ts';

/** All standing rules: whether each is on, whom it asks, and how that stands. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AsOf, DateField, DecimalPipe, FormsModule, RouterLink, MomentPipe, RequirementsTabs],
  templateUrl: './requirements.page.html',
})
export class RequirementsPage {
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  private readonly api = inject(RequirementsApi);
  /** a day that has passed, and by which reading; now where it is not given */
  readonly on = input<string>();
  readonly known = input<string>();
  protected readonly list = load(of(true), () => this.api.list(), ['requirements', 'people', 'assignments', 'clock']);
  protected readonly summary = computed(() => {
    const rows = this.list.data();
    if (!rows?.length) return '';
    const off = rows.filter(({ isOn }) => !isOn).length;
    return `${rows.length - off} on${off ? `, ${off} off` : ''}.`;
  });

  protected readonly day = load(
    toObservable(computed(() => (this.on() ? paramsOf({ on: this.on(), known: this.known() }) : null))),
    (asked) => this.api.day(asked),
    ['requirements', 'people', 'assignments', 'clock'],
  );

  protected back({ on, known }: AsOfChoice): void {
    void this.router.navigate([], { queryParams: { on, known } });
  }

  protected open(id: string): void {
    void this.router.navigate(['/requirements', id]);
  }
}
