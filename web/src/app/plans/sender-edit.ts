import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { SenderRule } from '@nudrik/core';
import { SelectField, type Choice } from '../shared/pick/select.ts';

type From = 'above' | 'trainer' | 'name';
const NOTHING: SenderRule = { isTrainer: false, name: null, replyTo: null };
const ADDRESS = /^[^\s@<>"',;]+@[^\s@<>"',;]+\.[^\s@<>"',;]+$/;

/** Who messages come from, of a course or of one step: by which name, and where replies go. What is left open is said by the one above. */
@Component({
  selector: 'nk-sender-edit',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SelectField],
  template: `
    <div class="grid">
      <div class="field"><span>By name of</span><nk-select class="wide" label="By name of" [options]="choices()" [ngModel]="from()" (ngModelChange)="setFrom($event)" /></div>
      @if (from() === 'name') {
        <label class="field"><span>Which name</span><input class="input" maxlength="80" [ngModel]="rule()?.name ?? ''" [ngModelOptions]="{ updateOn: 'blur' }" (ngModelChange)="setName($event)" /></label>
      }
      <label class="field"><span>Replies go to</span><input class="input" maxlength="200" [placeholder]="from() === 'trainer' ? 'the trainer' : 'as above: ' + replies()" [ngModel]="rule()?.replyTo ?? ''" [ngModelOptions]="{ updateOn: 'blur' }" (ngModelChange)="setReplyTo($event)" /></label>
    </div>
    @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
  `,
  styles: `:host { display: block; } .grid { display: grid; grid-template-columns: 1fr 1fr; gap: 0 8px; }`,
})
export class SenderEdit {
  readonly rule = input<SenderRule | null>(null);
  /** what stands above it, in words */
  readonly above = input.required<string>();
  readonly replies = input.required<string>();
  readonly trainer = input<string | null>(null);
  readonly changed = output<SenderRule | null>();
  protected readonly problem = signal<string | null>(null);
  // a name that is still to be written is none yet
  protected readonly from = linkedSignal<From>(() => (this.rule()?.isTrainer ? 'trainer' : this.rule()?.name ? 'name' : 'above'));
  protected readonly choices = computed((): Choice<From>[] => [
    { value: 'above', label: `as above: ${this.above()}` },
    { value: 'trainer', label: `the trainer${this.trainer() ? `: ${this.trainer()}` : ''}` },
    { value: 'name', label: 'another name' },
  ]);

  private put(change: Partial<SenderRule>): void {
    const next = { ...(this.rule() ?? NOTHING), ...change };
    this.changed.emit(next.isTrainer || next.name !== null || next.replyTo !== null ? next : null);
  }

  protected setFrom(from: From): void {
    this.put({ isTrainer: from === 'trainer', ...(from !== 'name' && { name: null }) });
    this.from.set(from);
  }

  protected setName(name: string): void {
    const kept = this.from();
    this.put({ isTrainer: false, name: name.trim().replace(/\s+/g, ' ') || null });
    this.from.set(kept);
  }

  protected setReplyTo(typed: string): void {
    const address = typed.trim();
    const isOne = address === '' || ADDRESS.test(address);
    this.problem.set(isOne ? null : `“${address}” is no mail address, and was not taken.`);
    if (isOne) this.put({ replyTo: address === '' ? null : address });
  }
}
