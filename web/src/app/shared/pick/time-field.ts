import { ChangeDetectionStrategy, Component, forwardRef } from '@angular/core';
import { NG_VALUE_ACCESSOR } from '@angular/forms';
import { readTypedTime } from '@nudrik/core';
import { TypedField } from './typed-field.ts';

/** A time of day on the 24-hour clock, `HH:MM`; typed as `9`, `930` or `17:00`. */
@Component({
  selector: 'nk-time',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [{ provide: NG_VALUE_ACCESSOR, useExisting: forwardRef(() => TimeField), multi: true }],
  templateUrl: './typed-field.html',
  styleUrl: './typed-field.css',
  host: { class: 'time' },
})
export class TimeField extends TypedField {
  protected readonly read = readTypedTime;
  protected readonly tellValue = (value: string): string => value;
}
