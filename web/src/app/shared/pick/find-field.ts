import { ChangeDetectionStrategy, Component, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { AutoComplete } from 'primeng/autocomplete';

/** What was found: its name, and words that tell it from others of the name. */
export interface Hit {
  id: string;
  name: string;
  words: string;
}

/** Finds something while somebody types: who it belongs to looks, and is told what was chosen. */
@Component({
  selector: 'nk-find',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, AutoComplete],
  template: `
    <p-autocomplete
      [ngModel]="text() ?? current() ?? ''"
      (ngModelChange)="text.set($event)"
      [ngModelOptions]="{ standalone: true }"
      [suggestions]="hits()"
      (completeMethod)="find.emit($event.query)"
      (onSelect)="pick($event.value)"
      (onBlur)="text.set(null)"
      optionLabel="name"
      [delay]="150"
      [minLength]="2"
      [disabled]="isOff()"
      [placeholder]="placeholder()"
      [ariaLabel]="label()"
      [emptyMessage]="none()"
      [autoOptionFocus]="true"
      scrollHeight="260px"
      appendTo="body"
      inputStyleClass="input"
    >
      <ng-template #item let-hit>
        <span>{{ hit.name }} <span class="quiet">{{ hit.words }}</span></span>
      </ng-template>
    </p-autocomplete>
  `,
  styles: `
    :host { display: block; }
    p-autocomplete { width: 100%; }
  `,
})
export class FindField<T extends Hit> {
  readonly label = input.required<string>();
  readonly placeholder = input('');
  /** the name of what is chosen now, where the field keeps it; otherwise it is empty again after each choice */
  readonly current = input<string | null>(null);
  readonly isOff = input(false);
  readonly hits = input.required<T[]>();
  /** told where there are no hits */
  readonly none = input.required<string>();
  readonly find = output<string>();
  readonly picked = output<T>();
  /** what is being typed; what was chosen, for the moment of choosing */
  protected readonly text = signal<string | T | null>(null);

  protected pick(hit: T): void {
    this.text.set(null);
    this.picked.emit(hit);
  }
}
