import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';

/** The lists of a course beside each other; the day that one is of, and which requirement asks, go along. */
@Component({
  selector: 'nk-course-lists',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <nav class="views" aria-label="Lists of the course">
      @for (each of lists; track each.path) {
        <a
          [routerLink]="each.path === '' ? ['/matrix', course()] : ['/matrix', course(), each.path]"
          [queryParams]="{ on: on() || null, known: known() || null, requirement: requirement() || null }"
          [class.on]="current() === each.path"
          [attr.aria-current]="current() === each.path ? 'page' : null"
          >{{ each.words }}</a
        >
      }
    </nav>
  `,
})
export class CourseLists {
  readonly course = input.required<string>();
  readonly current = input.required<'' | 'notified' | 'finished'>();
  readonly on = input<string>();
  readonly known = input<string>();
  readonly requirement = input<string>();
  protected readonly lists = [
    { path: '' as const, words: 'Everybody' },
    { path: 'notified' as const, words: 'Who was notified' },
    { path: 'finished' as const, words: 'Who finished' },
  ];
}
