import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import type { PeopleQuery, PersonRow } from '@nudrik/contract';
import { TableModule, type TableLazyLoadEvent } from 'primeng/table';
import { catchError, debounceTime, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { DayPipe } from '../shared/moment.pipe.ts';
import { load } from '../shared/loaded.ts';
import { choicesOf, filtersOf, SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { PeopleApi } from './people.api.ts';
import { PeopleTabs } from './people-tabs.ts';
import { NOBODY, PersonForm } from './person-form.ts';
import { PersonSheetPart } from './person-sheet.ts';

const SIZE = 50;
const SHOWS: Choice[] = [
  { value: 'here', label: 'who is here' },
  { value: 'left', label: 'who left' },
  { value: 'no-manager', label: 'without a manager' },
  { value: 'unreachable', label: 'whose mail comes back' },
  { value: 'all', label: 'everyone' },
];

/** The roster: sorted, filtered and paged on the server. A chosen row opens as a sheet; chosen people are assigned. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, FormsModule, RouterLink, TableModule, DayPipe, SelectField, PeopleTabs, PersonForm, PersonSheetPart],
  templateUrl: './people.page.html',
})
export class PeoplePage {
  private readonly api = inject(PeopleApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly person = input<string>();
  readonly find = input<string>();
  readonly department = input<string>();
  readonly site = input<string>();
  readonly group = input<string>();
  readonly show = input<string>();
  /** the days that are chosen on the ribbon */
  readonly from = input<string>();
  readonly to = input<string>();
  readonly page = input<string>();
  readonly sort = input<string>();
  readonly order = input<string>();
  protected readonly size = SIZE;
  protected readonly first = computed(() => Number(this.page() ?? 0) * SIZE);
  private readonly query = computed(() => ({
    find: this.find(),
    department: this.department(),
    site: this.site(),
    group: this.group(),
    show: this.show() as PeopleQuery['show'],
    page: Number(this.page() ?? 0),
    size: SIZE,
    from: this.from(),
    to: this.to() ?? this.from(),
    sort: this.sort() as PeopleQuery['sort'],
    order: this.order() as PeopleQuery['order'],
  }));
  protected readonly people = load(toObservable(this.query).pipe(debounceTime(30)), (query) => this.api.list(query), [
    'people',
    'assignments',
  ]);
  protected readonly facets = toSignal(this.api.facets().pipe(catchError(() => of(null))), { initialValue: null });
  protected readonly shows = SHOWS;
  protected readonly departmentFilters = computed(() => filtersOf(this.facets()?.departments));
  protected readonly siteFilters = computed(() => filtersOf(this.facets()?.sites));
  protected readonly groups = computed(() => (this.facets()?.groups ?? []).map(({ id, name }) => ({ value: id, label: name })));
  protected readonly groupFilters = computed(() => [{ value: '', label: 'any' }, ...choicesOf(this.facets()?.groups, ({ id }) => id)]);
  protected readonly chosen = signal<PersonRow[]>([]);
  protected readonly isAdding = signal(false);
  protected readonly told = signal<string | null>(null);
  protected readonly nobody = NOBODY;
  protected readonly isFiltered = computed(() =>
    Boolean(this.find() || this.department() || this.site() || this.group() || this.show() || this.from()),
  );

  protected filter(params: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams: { ...params, page: null }, queryParamsHandling: 'merge' });
  }

  protected turn(event: TableLazyLoadEvent): void {
    const page = Math.floor((event.first ?? 0) / SIZE);
    const sort = (event.sortField as string | undefined) ?? null;
    const order = event.sortOrder === -1 ? 'desc' : null;
    if (String(page || '') === (this.page() ?? '') && sort === (this.sort() ?? null) && order === (this.order() ?? null)) return;
    void this.router.navigate([], { queryParams: { page: page || null, sort, order }, queryParamsHandling: 'merge' });
  }

  protected open(id: string): void {
    void this.router.navigate(['/people', id], { queryParamsHandling: 'merge' });
  }

  protected close(): void {
    void this.router.navigate(['/people'], { queryParamsHandling: 'merge', queryParams: { mend: null } });
  }

  protected added(id: string): void {
    this.isAdding.set(false);
    this.open(id);
  }

  protected putIntoGroup(groupId: string): void {
    const group = this.facets()?.groups.find(({ id }) => id === groupId);
    if (!group) return;
    const add = this.chosen().map(({ id }) => id);
    this.api.changeMembers(groupId, { add }).subscribe({
      next: () => {
        this.told.set(`${add.length} put into ${group.name}.`);
        this.chosen.set([]);
      },
      error: (error: unknown) => this.told.set(sentenceOf(error)),
    });
  }

  protected assign(): void {
    void this.router.navigate(['/assign'], {
      queryParams: {
        people: this.chosen()
          .map(({ id }) => id)
          .join(','),
      },
    });
  }

  protected assignAll(): void {
    void this.router.navigate(['/assign'], {
      queryParams: { department: this.department() ?? null, site: this.site() ?? null, group: this.group() ?? null },
    });
  }
}
