import { ChangeDetectionStrategy, Component, inject, input, linkedSignal, output, signal } from '@angular/core';
import type { PlanView } from '@nudrik/contract';
import type { SenderRule } from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { sentenceOf } from '../shared/refusal.ts';
import { PlansApi } from './plans.api.ts';
import { SenderEdit } from './sender-edit.ts';

/** Who the messages of a course come from, and whom replies reach. It counts for what goes from now on, without publishing. */
@Component({
  selector: 'nk-plan-sender',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Dialog, SenderEdit],
  template: `
    <p class="quiet">
      Messages come from <strong>{{ plan().senders.now.name }}</strong>; replies reach {{ plan().senders.now.replies }}.
      @if (canChange()) {&ngsp;<button class="link quiet" (click)="open()">Change …</button>}
    </p>
    @if (isOpen()) {
      <p-dialog [header]="'Who the messages of ' + plan().course.title + ' come from'" [visible]="true" (visibleChange)="$event || isOpen.set(false)" [modal]="true" [draggable]="false" [style]="{ width: '640px', maxWidth: '96vw' }">
        <nk-sender-edit [rule]="rule()" [above]="plan().senders.house" [replies]="plan().senders.replies" [trainer]="plan().senders.trainer" (changed)="rule.set($event)" />
        <p class="quiet">It counts for every message of this course that goes from now on, without publishing. A step may say otherwise.</p>
        @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
        <ng-template #footer>
          <button class="link" (click)="isOpen.set(false)">Leave it</button>
          <button class="button filled" [disabled]="isBusy()" (click)="save()">Keep it</button>
        </ng-template>
      </p-dialog>
    }
  `,
  styles: `:host { display: block; } p { margin: 0; }`,
})
export class PlanSender {
  private readonly api = inject(PlansApi);
  readonly plan = input.required<PlanView>();
  readonly canChange = input(false);
  readonly changed = output();
  protected readonly isOpen = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly rule = linkedSignal<SenderRule | null>(() => this.plan().sender);
  protected open(): void {
    this.rule.set(this.plan().sender);
    this.problem.set(null);
    this.isOpen.set(true);
  }

  protected save(): void {
    this.isBusy.set(true);
    this.api.setSender(this.plan().course.id, { sender: this.rule(), was: this.plan().sender }).subscribe({
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
