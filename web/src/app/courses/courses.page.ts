import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import type { CourseTaken } from '@nudrik/contract';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
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

  protected readonly taken = signal<CourseTaken | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isTaking = signal(false);

  protected take(file: File | undefined): void {
    if (!file) return;
    this.problem.set(null);
    this.taken.set(null);
    this.isTaking.set(true);
    this.api.fromFile(file).subscribe({
      next: (taken) => {
        this.isTaking.set(false);
        // what could not be taken over is read first
        if (taken.left.length === 0) return this.open(taken.id);
        this.taken.set(taken);
        this.courses.reload();
      },
      error: (error: unknown) => {
        this.isTaking.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected open(id: string): void {
    void this.router.navigate(['/courses', id]);
  }
}
