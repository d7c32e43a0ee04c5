import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { CoursesApi } from './courses.api.ts';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <div class="work">
      <div class="page-head">
        <h1>Courses</h1>
        <span class="grow"></span>
        @if (session.canEdit()) {
          <a class="button filled" routerLink="/courses/new">New course</a>
        }
      </div>
      @if (courses.data(); as rows) {
        <table class="list">
          <thead><tr><th>Course</th><th>Code</th><th>Owner</th><th class="num">Required units</th><th>Plan</th><th class="num">Open</th><th class="num">Late</th></tr></thead>
          <tbody>
            @for (course of rows; track course.id) {
              <tr data-row tabindex="0" (click)="open(course.id)">
                <td>{{ course.title }}</td>
                <td class="quiet">{{ course.code }}</td>
                <td>{{ course.owner ?? 'nobody' }}</td>
                <td class="num">{{ course.units }}</td>
                <td>
                  <a [routerLink]="['/plans', course.id]" (click)="$event.stopPropagation()">{{ course.stepsOn === course.steps ? course.steps + ' steps, all on' : course.stepsOn + ' of ' + course.steps + ' steps on' }}</a>
                </td>
                <td class="num">{{ course.open }}</td>
                <td class="num" [class.late]="course.late">{{ course.late }}</td>
              </tr>
            } @empty {
              <tr><td colspan="7" class="quiet">No course yet. <a routerLink="/courses/new">Make the first one</a>; it brings a plan of messages with it.</td></tr>
            }
          </tbody>
        </table>
      } @else if (courses.error()) {
        <p class="refusal" role="alert">{{ courses.error() }} <button class="link" (click)="courses.reload()">Try again</button></p>
      } @else {
        <p class="loading">Opening the courses …</p>
      }
    </div>
  `,
})
export class CoursesPage {
  private readonly api = inject(CoursesApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  protected readonly courses = load(of(true), () => this.api.list(), ['assignments', 'plans']);

  protected open(id: string): void {
    void this.router.navigate(['/courses', id]);
  }
}
