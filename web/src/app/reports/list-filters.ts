import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { catchError, of } from 'rxjs';
import { PeopleApi } from '../people/people.api.ts';
import { RequirementsApi } from '../requirements/requirements.api.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { filtersOf, SelectField } from '../shared/pick/select.ts';

/** What a list of a course is narrowed down by, and of which day it is. */
export interface ListFilter {
  find?: string | null;
  department?: string | null;
  site?: string | null;
  requirement?: string | null;
  on?: string | null;
  known?: string | null;
}

@Component({
  selector: 'nk-list-filters',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, FormsModule, SelectField],
  template: `
    <div class="filters">
      <label>Find <input class="input" type="search" [ngModel]="find() ?? ''" (ngModelChange)="changed.emit({ find: $event || null })" placeholder="person or manager" /></label>
      <span class="pair">Department <nk-select label="Department" [options]="departments()" [ngModel]="department() ?? ''" (ngModelChange)="changed.emit({ department: $event || null })" /></span>
      <span class="pair">Site <nk-select label="Site" [options]="sites()" [ngModel]="site() ?? ''" (ngModelChange)="changed.emit({ site: $event || null })" /></span>
      @if (requirements().length > 1) {<span class="pair">Asked by <nk-select label="Asked by" [options]="requirements()" [ngModel]="requirement() ?? ''" (ngModelChange)="changed.emit({ requirement: $event || null })" /></span>}
      <span class="pair">As of <nk-date label="As of" placeholder="now" leaning="back" [ngModel]="on() ?? ''" (ngModelChange)="changed.emit({ on: $event || null, known: null })" /></span>
    </div>
  `,
})
export class ListFilters {
  readonly course = input.required<string>();
  readonly find = input<string>();
  readonly department = input<string>();
  readonly site = input<string>();
  readonly requirement = input<string>();
  readonly on = input<string>();
  readonly changed = output<ListFilter>();
  private readonly facets = toSignal(
    inject(PeopleApi)
      .facets()
      .pipe(catchError(() => of(null))),
    { initialValue: null },
  );
  protected readonly departments = computed(() => filtersOf(this.facets()?.departments.map(({ name }) => ({ name }))));
  protected readonly sites = computed(() => filtersOf(this.facets()?.sites.map(({ name }) => ({ name }))));
  private readonly rules = toSignal(
    inject(RequirementsApi)
      .list()
      .pipe(catchError(() => of([]))),
    { initialValue: [] },
  );
  protected readonly requirements = computed(() => [
    { value: '', label: 'anything' },
    ...this.rules()
      .filter(({ course }) => course.id === this.course())
      .map(({ id, name }) => ({ value: id, label: name })),
  ]);
}
