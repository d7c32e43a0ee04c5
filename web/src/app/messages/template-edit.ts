import { ChangeDetectionStrategy, Component, input, linkedSignal, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { plainWords, type Body, type Template } from '@nudrik/core';
import { TextEditor, type PartChoices } from './text-editor.ts';

/** Subject, text and button of a message; and its plain text where somebody would rather write that. */
@Component({
  selector: 'nk-template-edit',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, TextEditor],
  template: `
    <div class="field"><span>Subject</span><nk-text-editor label="Subject" [isLine]="true" [values]="values()" [body]="message().subject" (changed)="subject($event)" /></div>
    <div class="field"><span>Text</span><nk-text-editor label="Text" [values]="values()" [isGathered]="isGathered()" [parts]="isGathered() ? null : parts()" [body]="message().body" (changed)="change({ body: $event })" /></div>
    <label class="field"><span>Button under the text; empty for none</span><input class="input" maxlength="80" [ngModel]="message().button ?? ''" (ngModelChange)="change({ button: $event.trim() === '' ? null : $event })" /></label>
    @if (!isGathered()) {
      <label class="pair date"><input type="checkbox" [ngModel]="!!message().withDate" (ngModelChange)="withDate($event)" /> With the due date, for the employee’s calendar</label>
      <label class="pair date"><input type="checkbox" [ngModel]="!!message().withCertificate" (ngModelChange)="withCertificate($event)" /> With the certificate, as a PDF, once there is one</label>
      @if (isSigned()) {<label class="pair date"><input type="checkbox" [ngModel]="!!message().withRecord" (ngModelChange)="withRecord($event)" /> With the record of the sign-off, as a PDF</label>}
    }
    @if (hasPlain()) {
      <label class="field"><span>As plain text, for readers without more</span><textarea class="input" rows="6" [ngModel]="message().plain ?? ''" (ngModelChange)="change({ plain: $event })"></textarea></label>
      <button type="button" class="link" (click)="leavePlain()">Make it from the text again</button>
    } @else {
      <button type="button" class="link quiet" (click)="writePlain()">Write the plain text yourself …</button>
    }
  `,
  styles: `.link { margin-right: 12px; } .date { display: block; margin: 2px 0 10px; }`,
})
export class TemplateEdit {
  readonly message = model.required<Template>();
  readonly values = input<Readonly<Record<string, string | null>> | null>(null);
  readonly isGathered = input(false);
  /** it hangs on a sign-off */
  readonly isSigned = input(false);
  readonly parts = input<PartChoices | null>(null);
  protected readonly hasPlain = linkedSignal(() => (this.message().plain ?? null) !== null);

  protected change(change: Partial<Template>): void {
    this.message.set({ ...this.message(), ...change });
  }

  protected subject(body: Body): void {
    this.change({ subject: plainWords(body).replace(/\s+/g, ' ') });
  }

  protected withDate(withDate: boolean): void {
    const { withDate: _, ...rest } = this.message();
    this.message.set(withDate ? { ...rest, withDate } : rest);
  }

  protected withRecord(withRecord: boolean): void {
    const { withRecord: _, ...rest } = this.message();
    this.message.set(withRecord ? { ...rest, withRecord } : rest);
  }

  protected withCertificate(withCertificate: boolean): void {
    const { withCertificate: _, ...rest } = this.message();
    this.message.set(withCertificate ? { ...rest, withCertificate } : rest);
  }

  protected writePlain(): void {
    this.change({ plain: plainWords(this.message().body) });
  }

  protected leavePlain(): void {
    const { plain: _, ...rest } = this.message();
    this.message.set(rest);
  }
}
