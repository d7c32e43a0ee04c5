import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { ReachChange, ReachView } from '@nudrik/contract';
import { WAY_WORDS, WAYS, type Way } from '@nudrik/core';
import type { Observable } from 'rxjs';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ReachApi } from './reach.api.ts';

/** The time that is offered first: before most shifts begin. */
const MORNING = '07:00';

/** How somebody is told: by mail or in the chat, each message at its moment or all of a day at once, and what they declined. */
@Component({
  selector: 'nk-reach',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, SelectField, TimeField],
  template: `
    @let now = view();
    @if (now.chatName) {
      <p class="line">
        <span>Messages come</span>
        <nk-select label="How messages come" [options]="ways()" [ngModel]="now.by ?? ''" (ngModelChange)="change({ by: $event || null })" [disabled]="!canChange()" />
        <span class="quiet">in the chat as {{ now.chatName }}</span>
      </p>
    }
    <p class="line">
      <nk-select label="When messages come" [options]="times" [ngModel]="now.dailyAt === null ? 'each' : 'daily'" (ngModelChange)="setDaily($event === 'daily')" [disabled]="!canChange()" />
      @if (now.dailyAt; as at) {
        <span>at</span>
        <nk-time label="At what time of the day" [ngModel]="at" (ngModelChange)="setTime($event)" [disabled]="!canChange()" />
      }
    </p>
    @if (now.dailyAt) {<p class="quiet">On working days. What would come within the last day before a due date still comes at its own moment, so that nothing is told too late.</p>}
    @if (now.leads) {
      <p class="line">
        <span>About {{ whose() === 'You' ? 'your' : 'their' }} people</span>
        <nk-select label="When messages about their people come" [options]="digests" [ngModel]="digestOf(now)" (ngModelChange)="setDigest($event)" [disabled]="!canChange()" />
        @if (now.digest; as digest) {
          <span>at</span>
          <nk-time label="At what time about their people" [ngModel]="digest.at" (ngModelChange)="setDigestTime($event)" [disabled]="!canChange()" />
        }
      </p>
    }
    @if (now.declined.length) {
      <p>{{ whose() }} declined:</p>
      <ul>
        @for (one of now.declined; track one.id) {
          <li>“{{ one.step }}” of {{ one.course }}, {{ one.at | moment: 'date' }}@if (canChange()) {&ngsp;<button type="button" class="link" (click)="haveAgain(one.id)" [attr.aria-label]="'Send “' + one.step + '” again'">send it again</button>}</li>
        }
      </ul>
    }
    @if (problem(); as words) {<p class="refusal" role="alert">{{ words }}</p>}
    @if (isKept()) {<p class="quiet" role="status">Kept.</p>}
  `,
  styles: `
    :host { display: block; }
    .line { display: flex; flex-wrap: wrap; gap: 6px 10px; align-items: center; margin: 4px 0; }
    p { margin: 4px 0; }
    ul { margin: 2px 0 6px; padding-left: 20px; }
  `,
})
export class Reach {
  private readonly api = inject(ReachApi);
  readonly base = input.required<string>();
  readonly reach = input.required<ReachView>();
  readonly whose = input('You');
  readonly canChange = input(true);
  readonly changed = output();
  protected readonly view = linkedSignal(() => this.reach());
  protected readonly problem = signal<string | null>(null);
  protected readonly isKept = signal(false);
  protected readonly ways = computed((): Choice<Way | ''>[] => [
    { value: '', label: `as the house has it: ${WAY_WORDS[this.view().houseBy]}` },
    ...WAYS.map((value) => ({ value, label: WAY_WORDS[value] })),
  ]);
  protected readonly times: Choice<'each' | 'daily'>[] = [
    { value: 'each', label: 'each message at its own moment' },
    { value: 'daily', label: 'all of a day in one message' },
  ];

  protected readonly digests: Choice[] = [
    { value: 'each', label: 'each message at its own moment' },
    { value: 'day', label: 'all of a day in one message' },
    ...['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday'].map((day, i) => ({
      value: String(i + 1),
      label: `once a week, on ${day}`,
    })),
  ];

  protected digestOf({ digest }: ReachView): string {
    return digest === null ? 'each' : digest.on === null ? 'day' : String(digest.on);
  }

  protected setDigest(choice: string): void {
    const at = this.view().digest?.at ?? MORNING;
    this.change({ digest: choice === 'each' ? null : { at, on: choice === 'day' ? null : Number(choice) } });
  }

  protected setDigestTime(at: string): void {
    const { digest } = this.view();
    if (at && digest && at !== digest.at) this.change({ digest: { ...digest, at } });
  }

  private take(request: Observable<ReachView>): void {
    this.problem.set(null);
    this.isKept.set(false);
    request.subscribe({
      next: (view) => {
        this.view.set(view);
        this.isKept.set(true);
        this.changed.emit();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected change(change: ReachChange): void {
    this.take(this.api.change(this.base(), change));
  }

  protected setDaily(isDaily: boolean): void {
    this.change({ dailyAt: isDaily ? MORNING : null });
  }

  protected setTime(at: string): void {
    if (at && at !== this.view().dailyAt) this.change({ dailyAt: at });
  }

  protected haveAgain(id: string): void {
    this.take(this.api.haveAgain(this.base(), id));
  }
}
