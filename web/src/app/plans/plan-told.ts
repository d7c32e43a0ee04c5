import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { PlanView } from '@nudrik/contract';
import { sentenceOf } from '../shared/refusal.ts';
import { PlansApi } from './plans.api.ts';

/** Where in the chat a course tells who finished it. It counts for what is finished from now on, without publishing. */
@Component({
  selector: 'nk-plan-told',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  template: `
    @if (plan().chat; as chat) {
      <p class="quiet">
        @if (chat.toldIn) {Who finishes is told in the chat, in <strong>#{{ chat.toldIn }}</strong>.} @else {The chat is not told who finishes.}
        @if (canChange() && !isOpen()) {&ngsp;<button class="link quiet" (click)="open(chat.toldIn)">Change where …</button>}
      </p>
      @if (isOpen()) {
        <form class="gap" (submit)="$event.preventDefault(); save(chat.toldIn)">
          <label>Channel <input class="input" name="channel" maxlength="80" placeholder="none: nobody is told" [(ngModel)]="channel" /></label>
          <button class="button small" [disabled]="isBusy()">Keep it</button>
          <button type="button" class="link" (click)="isOpen.set(false)">Leave it</button>
        </form>
        <p class="quiet">Everybody in the channel reads names there: one line for whoever finished at about the same time.</p>
        @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
      }
    }
  `,
  styles: `:host { display: block; } p { margin: 0; } form { margin: 4px 0; align-items: center; }`,
})
export class PlanTold {
  private readonly api = inject(PlansApi);
  readonly plan = input.required<PlanView>();
  readonly canChange = input(false);
  readonly changed = output();
  protected readonly isOpen = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected channel = '';

  protected open(toldIn: string | null): void {
    this.channel = toldIn ?? '';
    this.problem.set(null);
    this.isOpen.set(true);
  }

  protected save(was: string | null): void {
    this.isBusy.set(true);
    this.api.setToldIn(this.plan().course.id, { toldIn: this.channel, was }).subscribe({
      next: () => {
        this.isBusy.set(false);
        this.isOpen.set(false);
        this.changed.emit();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
