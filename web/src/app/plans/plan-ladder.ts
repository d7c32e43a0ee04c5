import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { PlanStepView } from '@nudrik/contract';
import { isRung, tellAmount, tellCondition, tellRole, type Names, type Step } from '@nudrik/core';
import { DAYS } from './plan-line.ts';

/** The rungs of a plan, from the first: whom of the line it tells that somebody is late, after how long, and what ends it. */
@Component({
  selector: 'nk-plan-ladder',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (rungs().length) {
      <section aria-label="The ladder">
        <h2>The ladder</h2>
        <p class="quiet">When somebody is late and nobody takes it up. It ends at once with a finish, another date, a waiver, or when it is withdrawn; it waits while somebody of the line has taken it up.</p>
        <ol>
          @for (rung of rungs(); track rung.id + rung.to) {
            <li [class.off]="!rung.on"><strong>{{ rung.to }}</strong>&ngsp;<span>{{ rung.after }}</span>&ngsp;<span class="quiet">{{ rung.words }}</span></li>
          }
        </ol>
      </section>
    }
  `,
  styles: `
    section { margin: 18px 0; }
    ol { list-style: none; margin: 8px 0 0; padding: 0; display: flex; flex-direction: column-reverse; }
    li { border-left: 3px solid var(--plum); border-top: 2px solid var(--plum); padding: 6px 0 12px 14px; }
    li:last-child { border-top-color: transparent; }
    .off { opacity: 0.6; border-color: var(--rule-strong); }
    span { margin-left: 10px; }
  `,
})
export class PlanLadder {
  readonly steps = input.required<readonly PlanStepView[]>();
  readonly names = input.required<Names>();
  readonly nameOf = input.required<(id: string) => string>();
  protected readonly rungs = computed(() =>
    this.steps()
      .filter((step) => isRung(step as unknown as Step))
      .map((step) => ({ step, weight: step.offset.amount * DAYS[step.offset.unit] }))
      .sort((a, b) => a.weight - b.weight)
      .flatMap(({ step }) =>
        step.to.map((role) => ({
          id: step.id,
          on: step.on,
          to: tellRole(role, this.nameOf()),
          after: step.offset.amount === 0 ? 'when it is due' : `${tellAmount(step.offset.amount, step.offset.unit)} late`,
          words: [
            `“${step.name}”`,
            step.gather === 'per day' ? 'all of a day in one mail' : 'one mail each',
            step.repeat ? 'repeated' : '',
            step.onlyIf ? `only if ${tellCondition(step.onlyIf, this.names())}` : '',
            step.stopWhen ? `stops when ${tellCondition(step.stopWhen, this.names())}` : '',
            step.on ? '' : 'switched off',
          ]
            .filter(Boolean)
            .join(', '),
        })),
      ),
  );
}
