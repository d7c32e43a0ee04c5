import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { gapsIn, questionFault, type Question, type QuizChoice } from '@nudrik/core';
import { PageEditor } from '../courses/page-editor.ts';
import { NumberField } from '../shared/pick/number-field.ts';

/** One question as it is written: what it asks, what is right, what is said afterwards. Enter in a line begins the next. */
@Component({
  selector: 'nk-question-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, NumberField, PageEditor],
  templateUrl: './question-form.html',
  styleUrl: './question-form.css',
})
export class QuestionForm {
  readonly question = input.required<Question>();
  readonly isOff = input(false);
  readonly changed = output<Question>();
  protected readonly fault = questionFault;
  protected readonly gapsIn = gapsIn;

  protected set(change: object): void {
    this.changed.emit({ ...this.question(), ...change } as Question);
  }

  protected choices(): QuizChoice[] {
    const question = this.question();
    return question.kind === 'one' || question.kind === 'several' ? question.choices : [];
  }

  protected setChoice(index: number, change: Partial<QuizChoice>): void {
    const isOne = this.question().kind === 'one';
    this.set({
      choices: this.choices().map((choice, i) =>
        i === index ? { ...choice, ...change } : isOne && change.isRight ? { ...choice, isRight: false } : choice,
      ),
    });
  }

  protected addChoice(after: number): void {
    const choices = this.choices();
    this.set({ choices: [...choices.slice(0, after + 1), { text: '', isRight: false, words: '' }, ...choices.slice(after + 1)] });
    this.focus(`choice-${after + 1}`);
  }

  protected dropChoice(index: number): void {
    this.set({ choices: this.choices().filter((_, i) => i !== index) });
    this.focus(`choice-${Math.max(0, index - 1)}`);
  }

  /** Lines of a list of words: accepted answers, things in their order. */
  protected setLine(field: 'accepted' | 'items', list: readonly string[], index: number, text: string): void {
    this.set({ [field]: list.map((line, i) => (i === index ? text : line)) });
  }

  protected addLine(field: 'accepted' | 'items', list: readonly string[], after: number): void {
    this.set({ [field]: [...list.slice(0, after + 1), '', ...list.slice(after + 1)] });
    this.focus(`${field}-${after + 1}`);
  }

  protected dropLine(field: 'accepted' | 'items', list: readonly string[], index: number): void {
    this.set({ [field]: list.filter((_, i) => i !== index) });
    this.focus(`${field}-${Math.max(0, index - 1)}`);
  }

  protected setPair(index: number, change: object): void {
    const question = this.question();
    if (question.kind === 'match') this.set({ pairs: question.pairs.map((pair, i) => (i === index ? { ...pair, ...change } : pair)) });
  }

  protected addPair(): void {
    const question = this.question();
    if (question.kind === 'match') this.set({ pairs: [...question.pairs, { left: '', right: '' }] });
  }

  protected dropPair(index: number): void {
    const question = this.question();
    if (question.kind === 'match') this.set({ pairs: question.pairs.filter((_, i) => i !== index) });
  }

  private focus(id: string): void {
    setTimeout(() => document.getElementById(`${this.question().id}-${id}`)?.focus());
  }

  protected key(event: KeyboardEvent, add: () => void, drop: (() => void) | null): void {
    const text = (event.target as HTMLInputElement).value;
    if (event.key === 'Enter') {
      event.preventDefault();
      add();
    } else if (event.key === 'Backspace' && text === '' && drop) {
      event.preventDefault();
      drop();
    }
  }
}
