import { afterNextRender, ChangeDetectionStrategy, Component, type ElementRef, input, model, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';

/** Where the code of a second factor is typed; it comes up when it is asked for, and has the focus then. */
@Component({
  selector: 'nk-code-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  template: `
    <label class="field"
      ><span>{{ label() }}</span
      ><input class="input" #box [ngModel]="code()" (ngModelChange)="code.set($event)" [ngModelOptions]="{ standalone: true }" autocomplete="one-time-code" maxlength="40" spellcheck="false"
    /></label>
  `,
})
export class CodeField {
  readonly label = input('Code that your app shows, or a spare one');
  readonly code = model('');
  private readonly box = viewChild.required<ElementRef<HTMLInputElement>>('box');

  constructor() {
    afterNextRender(() => this.box().nativeElement.focus());
  }
}
