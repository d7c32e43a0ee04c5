import { afterNextRender, ChangeDetectionStrategy, Component, type ElementRef, inject, signal, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { sentenceOf } from '../shared/refusal.ts';
import { CoursesApi } from './courses.api.ts';

/** A course begins with its name; the rest is written where it is. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink],
  template: `
    <div class="work">
      <p class="crumbs"><a routerLink="/courses">Courses</a></p>
      <h1>New course</h1>
      <form class="begin" (ngSubmit)="begin()">
        <label class="field"><span>Title, as it stands in every message</span><input class="input" name="title" [(ngModel)]="title" #field maxlength="200" /></label>
        @if (problem()) {
          <p class="refusal" role="alert">{{ problem() }}</p>
        }
        <button class="button filled" [disabled]="isBusy() || title().trim() === ''">Begin</button>
        <p class="quiet">It is a draft until it goes live: nobody is asked for it and nothing is sent before that. It brings a plan of messages with it.</p>
      </form>
    </div>
  `,
  styles: `
    .begin { max-width: 460px; margin-top: 14px; }
    .begin .quiet { margin-top: 14px; font-size: 13px; }
  `,
})
export class NewCoursePage {
  private readonly api = inject(CoursesApi);
  private readonly router = inject(Router);
  protected readonly title = signal('');
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  private readonly field = viewChild.required<ElementRef<HTMLInputElement>>('field');

  constructor() {
    afterNextRender(() => this.field().nativeElement.focus());
  }

  protected begin(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.add(this.title()).subscribe({
      next: ({ id }) => void this.router.navigate(['/courses', id], { replaceUrl: true }),
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
