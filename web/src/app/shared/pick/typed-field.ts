import { computed, Directive, input, signal } from '@angular/core';
import type { Typed } from '@nudrik/core';
import { PickField } from './field.ts';

/**
 * A value that is typed in many ways and shown in one. While somebody types, what is understood is told beside it; the
 * field is set in order when it is left. What is not understood is given on as it was typed, so that it is refused and
 * never taken for nothing.
 */
@Directive()
export abstract class TypedField extends PickField<string> {
  readonly label = input.required<string>();
  readonly placeholder = input('');
  protected readonly isTyping = signal(false);
  private readonly typed = signal('');
  private readonly reading = computed(() => this.read(this.typed()));

  protected abstract read(text: string): Typed;
  /** the value as it stands in the field; a text that is none stands as it was typed */
  protected abstract tellValue(value: string): string;

  protected readonly shown = computed(() => (this.isTyping() ? this.typed() : this.tellValue(this.value() ?? '')));
  /** what is wrong with the text, told when it is left: half of a date is no date yet */
  protected readonly problem = computed(() => {
    const typed = this.read(this.shown());
    return !this.isTyping() && typed.kind === 'unread' ? typed.words : null;
  });
  /** what the text is understood as, where it is not what stands there */
  protected readonly understood = computed(() => {
    const typed = this.reading();
    if (!this.isTyping() || typed.kind !== 'value') return null;
    const words = this.tellValue(typed.value);
    return words === this.typed().trim() ? null : words;
  });

  protected type(text: string): void {
    this.isTyping.set(true);
    this.typed.set(text);
    const typed = this.read(text);
    this.take(typed.kind === 'value' ? typed.value : text.trim());
  }

  protected settle(): void {
    this.isTyping.set(false);
    this.leave();
  }
}
