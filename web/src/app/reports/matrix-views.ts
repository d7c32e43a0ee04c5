import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { MATRIX_ROWS, type MatrixBy } from '@nudrik/contract';

export type MatrixViewName = MatrixBy | 'course' | 'figures' | 'evidence';
/** Views with a page of their own: no day and no filters go along. */
const APART: readonly MatrixViewName[] = ['figures', 'evidence'];
export const MATRIX_VIEWS: Readonly<Record<MatrixViewName, string>> = {
  person: 'People',
  department: 'Departments',
  site: 'Sites',
  manager: 'Managers',
  course: 'Courses',
  figures: 'Figures',
  evidence: 'Evidence',
};

/** The ways to look at who holds what. */
@Component({
  selector: 'nk-matrix-views',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <nav class="views" aria-label="Ways to look at it">
      @for (each of views; track each.view) {
        <a
          [routerLink]="each.isApart ? ['/matrix', each.view] : ['/matrix']"
          [queryParams]="each.view === 'person' || each.isApart ? { by: null } : { by: each.view }"
          [queryParamsHandling]="isApart() || each.isApart ? '' : 'merge'"
          [class.on]="current() === each.view"
          [attr.aria-current]="current() === each.view ? 'page' : null"
          >{{ each.words }}</a
        >
      }
    </nav>
  `,
})
export class MatrixViews {
  readonly current = input.required<MatrixViewName>();
  protected readonly isApart = computed(() => APART.includes(this.current()));
  protected readonly views = [...MATRIX_ROWS, 'course' as const, ...APART].map((view) => ({
    view,
    words: MATRIX_VIEWS[view],
    isApart: APART.includes(view),
  }));
}
