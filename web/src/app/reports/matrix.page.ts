import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { of } from 'rxjs';
import { CoursesApi } from '../courses/courses.api.ts';
import { load } from '../shared/loaded.ts';
import { ASKED_WORDS, CURRENT_WORDS } from './figures.ts';

/** Each course with who holds it, who has it open, who is late; a row leads to the people. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <div class="work">
      <div class="page-head"><div><h1>Matrix</h1><p class="quiet">Choose a course: who was notified, who finished</p></div></div>
      @if (courses.data(); as rows) {
        <table class="list">
          <thead><tr><th>Course</th><th>Code</th><th class="num" [title]="currentWords">Current</th><th class="num" [title]="askedWords">Asked</th><th class="num">Open</th><th class="num">Due in 7 days</th><th class="num">Late</th><th class="num">Have ever finished</th></tr></thead>
          <tbody>
            @for (course of rows; track course.id) {
              <tr data-row tabindex="0" (click)="open(course.id)">
                <td>{{ course.title }}</td>
                <td class="quiet">{{ course.code }}</td>
                <td class="num">{{ course.current }}</td>
                <td class="num quiet">{{ course.asked }}</td>
                <td class="num">{{ course.open }}</td>
                <td class="num" [class.soon]="course.dueSoon > 0">{{ course.dueSoon }}</td>
                <td class="num" [class.late]="course.late > 0">{{ course.late }}</td>
                <td class="num">{{ course.finished }}</td>
              </tr>
            } @empty {
              <tr><td class="quiet" colspan="8">No course yet. <a routerLink="/courses/new">Make the first one</a>, assign it, and who holds it stands here.</td></tr>
            }
          </tbody>
        </table>
        <p class="quiet hint">All are people. {{ currentWords }} {{ askedWords }} Who has left counts only among those who have ever finished.</p>
      } @else if (courses.error()) {
        <p class="refusal" role="alert">{{ courses.error() }} <button class="link" (click)="courses.reload()">Try again</button></p>
      } @else {
        <p class="loading">Counting …</p>
      }
    </div>
  `,
})
export class MatrixPage {
  private readonly api = inject(CoursesApi);
  private readonly router = inject(Router);
  protected readonly courses = load(of(true), () => this.api.list(), ['assignments', 'clock']);

  protected readonly currentWords = CURRENT_WORDS;
  protected readonly askedWords = ASKED_WORDS;

  protected open(id: string): void {
    void this.router.navigate(['/matrix', id]);
  }
}
