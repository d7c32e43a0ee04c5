import { ChangeDetectionStrategy, Component, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MERGE_FIELDS, type Template } from '@nudrik/core';
import { SelectField } from '../shared/pick/select.ts';

/** Subject and text of a message, with merge fields put in where the cursor stands. */
@Component({
  selector: 'nk-template-edit',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SelectField],
  template: `
    <label class="field"><span>Subject</span><input class="input" [ngModel]="message().subject" (ngModelChange)="change({ subject: $event })" /></label>
    <label class="field"><span>Text; an empty line begins a paragraph</span><textarea class="input" rows="9" #area [ngModel]="message().body" (ngModelChange)="change({ body: $event })"></textarea></label>
    <div class="field"><span>Put in a merge field</span><nk-select class="wide" label="Put in a merge field" [options]="fields" [isAct]="true" [ngModel]="null" (ngModelChange)="insert(area, $event)" /></div>
  `,
})
export class TemplateEdit {
  readonly message = model.required<Template>();
  protected readonly fields = MERGE_FIELDS.map(({ name, about }) => ({ value: name, label: `${name}: ${about}` }));

  protected change(change: Partial<Template>): void {
    this.message.set({ ...this.message(), ...change });
  }

  protected insert(area: HTMLTextAreaElement, field: string): void {
    const at = area.selectionStart;
    const { body } = this.message();
    this.change({ body: `${body.slice(0, at)}{${field}}${body.slice(area.selectionEnd)}` });
    setTimeout(() => {
      area.focus();
      area.setSelectionRange(at + field.length + 2, at + field.length + 2);
    });
  }
}
