import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { Router, RouterLink } from '@angular/router';
import type { MatrixView } from '@nudrik/contract';
import { map } from 'rxjs';
import { CoursesApi } from '../courses/courses.api.ts';
import { load } from '../shared/loaded.ts';
import { ASKED_WORDS, CURRENT_WORDS } from './figures.ts';

/** Each course with who holds it, who has it open, who is late; a row leads to the people. */
@Component({
  selector: 'nk-matrix-courses',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  templateUrl: './matrix-courses.html',
})
export class MatrixCourses {
  /** of a day that has passed; without it each course has its figures of now with it */
  readonly past = input<MatrixView['courses'] | null>(null);
  readonly on = input<string>();
  readonly known = input<string>();
  private readonly api = inject(CoursesApi);
  private readonly router = inject(Router);
  protected readonly courses = load(
    toObservable(this.past).pipe(map((past) => (past ? null : true))),
    () => this.api.list().pipe(map((rows) => rows.filter(({ state }) => state !== 'draft'))),
    ['assignments', 'clock', 'courses'],
  );

  protected readonly currentWords = CURRENT_WORDS;
  protected readonly askedWords = ASKED_WORDS;

  protected open(id: string): void {
    void this.router.navigate(['/matrix', id], { queryParams: { on: this.on() ?? null, known: this.known() ?? null } });
  }
}
