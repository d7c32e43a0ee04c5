import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { map, of } from 'rxjs';
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
  private readonly api = inject(CoursesApi);
  private readonly router = inject(Router);
  protected readonly courses = load(of(true), () => this.api.list().pipe(map((rows) => rows.filter(({ state }) => state !== 'draft'))), [
    'assignments',
    'clock',
    'courses',
  ]);

  protected readonly currentWords = CURRENT_WORDS;
  protected readonly askedWords = ASKED_WORDS;

  protected open(id: string): void {
    void this.router.navigate(['/matrix', id]);
  }
}
