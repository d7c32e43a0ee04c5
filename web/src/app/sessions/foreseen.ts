import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { SessionChangeForeseen } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';

/** Who hears what, were a session moved or cancelled. */
@Component({
  selector: 'nk-session-foreseen',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section aria-label="Who hears what">
      <h3>Who hears what</h3>
      @for (one of foreseen().people; track one.person) {
        <p><strong>{{ one.person }}</strong>@if (one.clash) {<span class="late"> {{ one.clash }}</span>}</p>
        <ul>
          @for (message of one.messages; track $index) {<li [class.quiet]="!message.goes">“{{ message.step }}” to {{ message.to }}, {{ message.words }}</li>} @empty {<li class="soon">hears nothing: no step of the plan tells it</li>}
        </ul>
      } @empty {<p class="quiet">{{ none() }}</p>}
      @if (foreseen().falls) {<p class="quiet">{{ falls() }} for the former time, planned already, {{ foreseen().falls === 1 ? 'does' : 'do' }} not go.</p>}
    </section>
  `,
  styles: `section { margin: 10px 0; } ul { margin: 2px 0 8px; padding-left: 18px; }`,
})
export class SessionForeseenList {
  readonly foreseen = input.required<SessionChangeForeseen>();
  readonly none = input('Nobody has a seat in it.');
  protected readonly falls = computed(() => tellAmount(this.foreseen().falls, 'messages'));
}
