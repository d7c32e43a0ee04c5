import { computed, Directive, inject, input } from '@angular/core';
import { Router } from '@angular/router';
import { SessionStore } from '../access/session.store.ts';
import { paramsOf } from '../shared/params.ts';
import type { ListFilter } from './list-filters.ts';
import { ReportsApi } from './reports.api.ts';

export const LIST_SIZE = 50;

/** What both lists of a course have in common: what stands in their address. */
@Directive()
export abstract class CourseListPage {
  protected readonly api = inject(ReportsApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly course = input.required<string>();
  readonly find = input<string>();
  readonly department = input<string>();
  readonly site = input<string>();
  readonly requirement = input<string>();
  readonly who = input<string>();
  readonly on = input<string>();
  readonly known = input<string>();
  readonly page = input<string>();
  protected readonly size = LIST_SIZE;
  protected readonly first = computed(() => Number(this.page() ?? 0) * LIST_SIZE);
  protected readonly filters = computed(() => ({
    find: this.find(),
    department: this.department(),
    site: this.site(),
    requirement: this.requirement(),
    who: this.who(),
    on: this.on(),
    known: this.known(),
  }));

  protected paged(filters: object): Record<string, string> {
    return paramsOf({ ...filters, page: Number(this.page() ?? 0), size: LIST_SIZE });
  }

  protected filter(change: ListFilter & { who?: string | null; step?: string | null; days?: string | null; since?: string | null }): void {
    void this.router.navigate([], { queryParams: { ...change, page: null }, queryParamsHandling: 'merge' });
  }

  protected turn(first: number | undefined): void {
    const page = Math.floor((first ?? 0) / LIST_SIZE);
    void this.router.navigate([], { queryParams: { page: page || null }, queryParamsHandling: 'merge' });
  }
}
