import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { MATRIX_ROWS, type MatrixBy } from '@nudrik/contract';

export type MatrixViewName = MatrixBy | 'course' | 'figures';
export const MATRIX_VIEWS: Readonly<Record<MatrixViewName, string>> = {
  person: 'People',
  department: 'Departments',
  site: 'Sites',
  manager: 'Managers',
  course: 'Courses',
  figures: 'Figures',
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
          [routerLink]="each.view === 'figures' ? ['/matrix', 'figures'] : ['/matrix']"
          [queryParams]="each.view === 'person' || each.view === 'figures' ? { by: null } : { by: each.view }"
          [queryParamsHandling]="current() === 'figures' || each.view === 'figures' ? '' : 'merge'"
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
  protected readonly views = [...MATRIX_ROWS, 'course' as const, 'figures' as const].map((view) => ({ view, words: MATRIX_VIEWS[view] }));
}
