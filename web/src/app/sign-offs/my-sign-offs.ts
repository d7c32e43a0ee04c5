import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { catchError, of } from 'rxjs';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SignOffsApi } from './sign-offs.api.ts';

/** Where whoever is signed in may sign off, and for how many; nothing where that is nowhere. */
@Component({
  selector: 'nk-my-sign-offs',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe, RouterLink],
  template: `
    @if (mine().length) {
      <section>
        <h2>To sign off</h2>
        <table class="list">
          <thead><tr><th>What</th><th>Course</th><th class="num">Who waits</th><th></th></tr></thead>
          <tbody>
            @for (one of mine(); track one.unit.id + (one.session?.id ?? '')) {
              <tr>
                <td>{{ one.session ? one.session.title : one.unit.title }}@if (one.session; as session) {<span class="quiet">&ngsp;{{ session.startsAt | moment }}</span>}</td>
                <td>{{ one.course.title }}</td>
                <td class="num">{{ one.waiting }}</td>
                <td class="num"><a [routerLink]="['/sign-offs', one.course.id, one.unit.id]" [queryParams]="one.session ? { session: one.session.id } : {}" [attr.aria-label]="'Sign off ' + (one.session?.title ?? one.unit.title)">Open</a></td>
              </tr>
            }
          </tbody>
        </table>
      </section>
    }
  `,
  styles: `section { margin-top: 22px; }`,
})
export class MySignOffs {
  protected readonly mine = toSignal(
    inject(SignOffsApi)
      .mine()
      .pipe(catchError(() => of([]))),
    { initialValue: [] },
  );
}
