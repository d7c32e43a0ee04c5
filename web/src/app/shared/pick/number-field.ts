import { ChangeDetectionStrategy, Component, forwardRef, input } from '@angular/core';
import { FormsModule, NG_VALUE_ACCESSOR } from '@angular/forms';
import { InputNumber } from 'primeng/inputnumber';
import { PickField } from './field.ts';

/** A number, or nothing. What it may be is said by whoever reads it: nothing typed is changed silently. */
@Component({
  selector: 'nk-number',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, InputNumber],
  providers: [{ provide: NG_VALUE_ACCESSOR, useExisting: forwardRef(() => NumberField), multi: true }],
  template: `
    <p-inputnumber
      [ngModel]="value()"
      (ngModelChange)="take($event)"
      [ngModelOptions]="{ standalone: true }"
      [disabled]="isOff()"
      [min]="0"
      [useGrouping]="false"
      [maxFractionDigits]="decimals()"
      locale="en"
      [ariaLabel]="label()"
      [placeholder]="placeholder()"
      (onBlur)="leave()"
      inputStyleClass="input"
    />
  `,
  styles: `
    :host { display: inline-block; width: 76px; vertical-align: middle; }
    :host(.wide) { display: block; width: 100%; }
    p-inputnumber { width: 100%; }
  `,
})
export class NumberField extends PickField<number> {
  readonly label = input.required<string>();
  readonly placeholder = input('');
  /** digits after the point */
  readonly decimals = input(0);
}
