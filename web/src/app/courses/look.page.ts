import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import type { InvitedView, LookRequest } from '@nudrik/contract';
import { DAY_MS } from '@nudrik/core';
import { LearningApi } from '../learning/learning.api.ts';
import { LearnPage } from '../learning/learn.page.ts';
import { QuizzesApi } from '../quizzes/quizzes.api.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { CoursesApi } from './courses.api.ts';
import { LookLearning, LookQuizzes, LookSession } from './look.session.ts';
import { Remarks } from './remarks.ts';

/** A course that a colleague was asked to look at: by a link, without an account, with a place for remarks. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [LearnPage, MomentPipe, Remarks],
  providers: [LookSession, { provide: LearningApi, useClass: LookLearning }, { provide: QuizzesApi, useClass: LookQuizzes }],
  template: `
    <div class="outer">
      @if (view(); as view) {
        <div class="top">
          <p class="name">nudrik<span>.</span></p>
          <p>{{ view.by }} asks you, {{ view.name }}, to look at this course as those who take it will see it. Nothing that you do is recorded; your remarks reach {{ view.by }}. The link lasts until {{ view.until | moment: 'day' }}.</p>
          @if (view.words) {<p class="words">{{ view.words }}</p>}
        </div>
        <div class="two">
          <div>
            <p class="steps"><span class="quiet">Some units open later.</span> <button class="button small" (click)="later(1)">A day later</button> <button class="button small" (click)="later(7)">A week later</button></p>
            <nk-learn [token]="'look-' + round()" [isLook]="true" (shown)="unit.set($event)" />
          </div>
          <section class="remarks">
            <h2>Your remarks</h2>
            @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
            <p class="quiet">{{ unit() ? 'On the unit that is open.' : 'Open a unit to remark on it, or remark on the course.' }}</p>
            <nk-remarks [remarks]="view.remarks" [unit]="unit()" [titleOf]="titleOf()" (left)="remark($event)" />
          </section>
        </div>
      } @else if (problem()) {
        <p class="name">nudrik<span>.</span></p>
        <h1>This link does not work</h1>
        <p class="refusal" role="alert">{{ problem() }}</p>
      } @else {
        <p class="loading">Opening the course …</p>
      }
    </div>
  `,
  styles: `
    .outer { max-width: 1100px; margin: 4vh auto 60px; padding: 0 20px; }
    .name { font: 700 21px var(--head); margin-bottom: 12px; }
    .name span { color: var(--plum); }
    .words { font: 400 17px/1.5 var(--head); margin-top: 8px; white-space: pre-wrap; }
    .two { display: grid; grid-template-columns: minmax(0, 1fr) 320px; gap: 40px; margin-top: 18px; border-top: 1px solid var(--rule); padding-top: 10px; }
    .remarks { position: sticky; top: 16px; align-self: start; }
    .steps { display: flex; gap: 8px; align-items: center; justify-content: flex-end; }
    @media (max-width: 800px) { .two { grid-template-columns: minmax(0, 1fr); } .remarks { position: static; } }
  `,
})
export class LookPage {
  private readonly api = inject(CoursesApi);
  private readonly look = inject(LookSession);
  readonly token = input.required<string>();
  protected readonly view = signal<InvitedView | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly unit = signal<string | null>(null);
  protected readonly round = signal(0);
  protected readonly titleOf = computed(() => {
    const units = this.look.seen()?.view.sections.flatMap((section) => section.units) ?? [];
    return (id: string): string => units.find((unit) => unit.id === id)?.title ?? 'a unit that is gone';
  });

  constructor() {
    effect(() => {
      const token = this.token();
      untracked(() => {
        this.look.request.update((request) => ({ ...request, of: 'draft' as const }));
        this.look.ask = (request: LookRequest) => this.api.invitedLook(token, request);
        this.look.fileAt = (file) => `/api/looks/${encodeURIComponent(token)}/files/${file}`;
        this.api
          .invited(token)
          .subscribe({ next: (view) => this.view.set(view), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
      });
    });
  }

  /** Goes on by so many days. */
  protected later(days: number): void {
    const { now, view } = this.look.seen()!;
    this.look.request.update((request) => ({
      ...request,
      assignedAt: view.assignedAt,
      at: new Date(Date.parse(now) + days * DAY_MS).toISOString(),
    }));
    this.round.update((round) => round + 1);
  }

  protected remark(text: string): void {
    this.problem.set(null);
    this.api
      .invitedRemark(this.token(), { unitId: this.unit(), text })
      .subscribe({ next: (view) => this.view.set(view), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }
}
