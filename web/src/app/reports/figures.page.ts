import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { FIGURES } from '@nudrik/contract';
import { catchError, map, of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { CoursesApi } from '../courses/courses.api.ts';
import { PeopleApi } from '../people/people.api.ts';
import { paramsOf } from '../shared/params.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { filtersOf, SelectField } from '../shared/pick/select.ts';
import { Figure } from './figure.ts';
import { KeptViews } from './kept-views.ts';
import { MatrixViews } from './matrix-views.ts';

/** Figures that help decide: how late, how fast, after what, by whom. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DateField, Figure, FormsModule, KeptViews, MatrixViews, SelectField],
  template: `
    <div class="work">
      <div class="page-head"><div><h1>Figures</h1><p class="quiet">How late, how fast, and what helped; each number leads to whom it counts. Days in {{ session.zoneWords() }}</p></div></div>
      <nk-matrix-views current="figures" />
      <div class="filters">
        <span class="pair">From <nk-date label="From" placeholder="26 weeks before" leaning="back" [ngModel]="from() ?? ''" (ngModelChange)="filter({ from: $event || null })" /></span>
        <span class="pair">to <nk-date label="To" placeholder="today" leaning="back" [ngModel]="to() ?? ''" (ngModelChange)="filter({ to: $event || null })" /></span>
        <span class="pair">Course <nk-select label="Course" [options]="courses()" [ngModel]="course() ?? ''" (ngModelChange)="filter({ course: $event || null })" /></span>
        <span class="pair">Department <nk-select label="Department" [options]="departments()" [ngModel]="department() ?? ''" (ngModelChange)="filter({ department: $event || null })" /></span>
        <span class="pair">Site <nk-select label="Site" [options]="sites()" [ngModel]="site() ?? ''" (ngModelChange)="filter({ site: $event || null })" /></span>
        <span class="pair">Within <nk-select label="Within how many days after a notice" [options]="spans" [ngModel]="days() ?? '7'" (ngModelChange)="filter({ days: $event === '7' ? null : $event })" /></span>
      </div>
      <nk-kept-views page="figures" [params]="params()" />
      @if (isNarrow()) {<p class="quiet small">Week by week and what comes back are counted of all departments and sites.</p>}
      @for (name of names; track name) {<nk-figure [name]="name" [params]="params()" [isTableOpen]="name === 'after' || name === 'managers'" />}
    </div>
  `,
})
export class FiguresPage {
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly from = input<string>();
  readonly to = input<string>();
  readonly course = input<string>();
  readonly department = input<string>();
  readonly site = input<string>();
  readonly days = input<string>();
  protected readonly names = FIGURES;
  protected readonly spans = ['3', '7', '14', '30'].map((value) => ({ value, label: `${value} days after a notice` }));
  protected readonly params = computed(() =>
    paramsOf({
      from: this.from(),
      to: this.to(),
      course: this.course(),
      department: this.department(),
      site: this.site(),
      days: this.days(),
    }),
  );
  protected readonly isNarrow = computed(() => !!(this.department() || this.site()));
  protected readonly courses = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(
        map((list) => list.filter(({ state }) => state !== 'draft').map(({ id, title }) => ({ value: id, label: title }))),
        catchError(() => of([])),
        map((list) => [{ value: '', label: 'any' }, ...list]),
      ),
    { initialValue: [{ value: '', label: 'any' }] },
  );
  private readonly facets = toSignal(
    inject(PeopleApi)
      .facets()
      .pipe(catchError(() => of(null))),
    { initialValue: null },
  );
  protected readonly departments = computed(() => filtersOf(this.facets()?.departments.map(({ name }) => ({ name }))));
  protected readonly sites = computed(() => filtersOf(this.facets()?.sites.map(({ name }) => ({ name }))));

  protected filter(change: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams: change, queryParamsHandling: 'merge' });
  }
}
