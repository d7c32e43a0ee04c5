import { Directive, signal } from '@angular/core';
import type { ControlValueAccessor } from '@angular/forms';

/** What every picker of ours is to a form: a value that is set from outside and told when somebody changes it. */
@Directive()
export abstract class PickField<T> implements ControlValueAccessor {
  protected readonly value = signal<T | null>(null);
  protected readonly isOff = signal(false);
  private tell: (value: T | null) => void = () => undefined;
  protected leave: () => void = () => undefined;

  writeValue(value: T | null): void {
    this.value.set(value);
  }

  registerOnChange(tell: (value: T | null) => void): void {
    this.tell = tell;
  }

  registerOnTouched(leave: () => void): void {
    this.leave = leave;
  }

  setDisabledState(isOff: boolean): void {
    this.isOff.set(isOff);
  }

  /** Somebody changed it. */
  protected take(value: T | null): void {
    this.value.set(value);
    this.tell(value);
  }
}
