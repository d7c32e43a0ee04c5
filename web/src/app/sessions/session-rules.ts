import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { SessionRules } from '@nudrik/core';
import { NumberField } from '../shared/pick/number-field.ts';

/** How people come to a seat in the sessions of a unit. */
@Component({
  selector: 'nk-session-rules',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, NumberField],
  template: `
    @let it = rules();
    <fieldset>
      <legend>Who chooses a session</legend>
      <label><input type="checkbox" [checked]="it.employees" (change)="set({ employees: !it.employees })" [disabled]="isOff()" /> employees, for themselves</label>
      <label><input type="checkbox" [checked]="it.managers" (change)="set({ managers: !it.managers })" [disabled]="isOff()" /> managers, for their people</label>
      <label><input type="checkbox" [checked]="it.rule" (change)="set({ rule: !it.rule })" [disabled]="isOff()" /> nobody has to: whoever has the course gets a seat in the next one that does not clash</label>
      <p class="pair">Seats are taken and given up until <nk-number label="Hours before it starts" [ngModel]="it.closes" (ngModelChange)="set({ closes: $event ?? 0 })" [disabled]="isOff()" /> hours before it starts; the training office always may.</p>
    </fieldset>
  `,
  styles: `
    fieldset { border: 0; border-top: 1px solid var(--rule); margin: 0 0 12px; padding: 6px 0 0; min-width: 0; }
    legend { padding: 0 8px 0 0; font-family: var(--head); font-weight: 600; }
    label { display: block; margin: 3px 0; }
    input[type='checkbox'] { vertical-align: -2px; }
    p { margin-top: 8px; }
    nk-number { display: inline-block; width: 64px; }
  `,
})
export class SessionRulesEdit {
  readonly rules = input.required<SessionRules>();
  readonly isOff = input(false);
  readonly changed = output<SessionRules>();

  protected set(change: Partial<SessionRules>): void {
    this.changed.emit({ ...this.rules(), ...change });
  }
}
