import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { RequirementsApi } from './requirements.api.ts';
import { RequirementsTabs } from './requirements-tabs.ts';

/** All standing rules: whether each is on, whom it asks, and how that stands. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, RouterLink, MomentPipe, RequirementsTabs],
  templateUrl: './requirements.page.html',
})
export class RequirementsPage {
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  private readonly api = inject(RequirementsApi);
  protected readonly list = load(of(true), () => this.api.list(), ['requirements', 'people', 'assignments', 'clock']);
  protected readonly summary = computed(() => {
    const rows = this.list.data();
    if (!rows?.length) return '';
    const off = rows.filter(({ isOn }) => !isOn).length;
    return `${rows.length - off} on${off ? `, ${off} off` : ''}.`;
  });

  protected open(id: string): void {
    void this.router.navigate(['/requirements', id]);
  }
}
