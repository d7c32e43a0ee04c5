import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { CoursesApi } from './courses.api.ts';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  templateUrl: './courses.page.html',
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
