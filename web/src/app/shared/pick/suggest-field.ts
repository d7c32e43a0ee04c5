import { ChangeDetectionStrategy, Component, computed, forwardRef, input, signal } from '@angular/core';
import { FormsModule, NG_VALUE_ACCESSOR } from '@angular/forms';
import { AutoComplete } from 'primeng/autocomplete';
import { PickField } from './field.ts';

/** A text of one's own, with what there is already offered while one types. */
@Component({
  selector: 'nk-suggest',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, AutoComplete],
  providers: [{ provide: NG_VALUE_ACCESSOR, useExisting: forwardRef(() => SuggestField), multi: true }],
  template: `
    <p-autocomplete
      [ngModel]="value() ?? ''"
      (ngModelChange)="take($event ?? '')"
      [ngModelOptions]="{ standalone: true }"
      [suggestions]="fitting()"
      (completeMethod)="typed.set($event.query)"
      [delay]="0"
      [minLength]="1"
      [disabled]="isOff()"
      [ariaLabel]="label()"
      [showEmptyMessage]="false"
      (onBlur)="leave()"
      appendTo="body"
      inputStyleClass="input"
    />
  `,
  styles: `
    :host { display: block; }
    p-autocomplete { width: 100%; }
  `,
})
export class SuggestField extends PickField<string> {
  readonly label = input.required<string>();
  readonly options = input.required<readonly string[]>();
  protected readonly typed = signal('');
  protected readonly fitting = computed(() => {
    const typed = this.typed().trim().toLowerCase();
    return this.options().filter((option) => option.toLowerCase().includes(typed) && option !== this.typed());
  });
}
