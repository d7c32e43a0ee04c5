import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import type { WaitingAttempt } from '@nudrik/contract';
import { of } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { QuizzesApi } from './quizzes.api.ts';

/** Everything that waits for somebody to mark it, the oldest first. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, MomentPipe],
  template: `
    <div class="work">
      <p class="crumbs"><a routerLink="/courses">Courses</a></p>
      <h1>Waits for marking</h1>
      @if (list.data(); as rows) {
        <table class="list">
          <thead><tr><th>Person</th><th>Quiz</th><th>Course</th><th class="num">Attempt</th><th>Submitted</th></tr></thead>
          <tbody>
            @for (row of rows; track row.id) {
              <tr data-row tabindex="0" (click)="open(row)">
                <td>{{ row.person }}</td><td>{{ row.unit }}</td><td>{{ row.course }}</td><td class="num">{{ row.number }}</td><td>{{ row.submittedAt | moment }}</td>
              </tr>
            } @empty {
              <tr><td colspan="5" class="quiet">Nothing waits. A question of a quiz that is left to a trainer brings what is answered here.</td></tr>
            }
          </tbody>
        </table>
      } @else if (list.error()) {
        <p class="refusal" role="alert">{{ list.error() }} <button class="link" (click)="list.reload()">Try again</button></p>
      } @else {
        <p class="loading">Looking at what waits …</p>
      }
    </div>
  `,
})
export class MarkingPage {
  private readonly api = inject(QuizzesApi);
  private readonly router = inject(Router);
  protected readonly list = load(of(true), () => this.api.waiting(), ['assignments']);

  protected open(row: WaitingAttempt): void {
    void this.router.navigate(['/courses', row.courseId, 'quizzes', row.unitId], { queryParams: { open: row.id } });
  }
}
