import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import type { HoldView } from '@nudrik/contract';
import { headOfHold, tellWaits, type HoldScope } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { HoldForm } from './hold-form.ts';
import { HoldingApi } from './holding.api.ts';
import { ReleaseForm } from './release-form.ts';

/** What holds the messages of a page: by whom, since when, why, how many wait; and the way to hold them, or to release them. */
@Component({
  selector: 'nk-holds',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe, HoldForm, ReleaseForm],
  template: `
    @for (hold of holds.data(); track hold.id) {
      <p class="notice" role="status">
        <strong>{{ head(hold) }}.</strong> Since {{ hold.from | moment }}, by {{ hold.by }}: {{ hold.reason }}. {{ hold.until ? 'Until the morning of ' + hold.until : 'Until it is released' }}; {{ waits(hold.waits) }}.
        @if (mayHold(hold.scope)) {&ngsp;<button class="link" (click)="releasing.set(hold)">Release …</button>}
      </p>
    }
    @if (canBegin()) {
      <button class="link" (click)="isHolding.set(true)">Hold {{ what() }} …</button>
    }
    @defer (when isHolding()) {
      @if (isHolding()) {
        <nk-hold-form [scope]="scope()" [of]="of()" [name]="name()" (done)="isHolding.set(false); holds.reload()" (left)="isHolding.set(false)" />
      }
    }
    @defer (when releasing() !== null) {
      @if (releasing(); as hold) {
        <nk-release-form [hold]="hold" (done)="releasing.set(null); holds.reload()" (left)="releasing.set(null)" />
      }
    }
  `,
  styles: `:host { display: block; }`,
})
export class HoldStrip {
  private readonly api = inject(HoldingApi);
  private readonly session = inject(SessionStore);
  readonly scope = input.required<HoldScope>();
  readonly of = input<string | null>(null);
  /** what it is called, for the form */
  readonly name = input('');
  /** what the act says: Hold this plan … */
  readonly what = input('messages');
  /** shows what holds, and no act to begin one */
  readonly isQuiet = input(false);
  protected readonly isHolding = signal(false);
  protected readonly releasing = signal<HoldView | null>(null);
  private readonly question = computed(() => (this.scope() !== 'everything' && !this.of() ? null : { scope: this.scope(), of: this.of() }));
  protected readonly holds = load(toObservable(this.question), ({ scope, of }) => this.api.over(scope, of), ['holds', 'clock']);
  protected readonly canBegin = computed(
    () =>
      !this.isQuiet() &&
      this.mayHold(this.scope()) &&
      this.holds.data() !== null &&
      !this.holds.data()!.some((hold) => hold.scope === this.scope() && hold.of === this.of()),
  );
  protected readonly head = headOfHold;
  protected readonly waits = tellWaits;

  /** Begins to hold what the page is about. */
  begin(): void {
    this.isHolding.set(true);
  }

  /** Trainers hold what they publish; the rest is for administrators. */
  protected mayHold(scope: HoldScope): boolean {
    return this.session.canChange() || (this.session.canEdit() && (scope === 'plan' || scope === 'course'));
  }
}
