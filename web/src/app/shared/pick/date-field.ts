import { ChangeDetectionStrategy, Component, computed, type ElementRef, forwardRef, inject, input, signal, viewChild } from '@angular/core';
import { NG_VALUE_ACCESSOR } from '@angular/forms';
import { dateOf, dayOf, readTypedDate, tellDay, Zone, type LocalDate, type Leaning } from '@nudrik/core';
import { SessionStore } from '../../access/session.store.ts';
import { ClockStore } from '../../shell/clock.store.ts';
import { CalendarPick } from './calendar-pick.ts';
import { TypedField } from './typed-field.ts';

/** what stands in the field has its year, and hangs on no day */
const SOME_DAY: LocalDate = '2000-01-01';
const WHOLE = /^\d{4}-\d{2}-\d{2}$/;

/**
 * A local date, `YYYY-MM-DD`: typed as `12.6.`, `fri` or `in 10 days`, or picked from a calendar, which is loaded when it
 * is opened. It stands with its weekday and year, so that a mistyped one is seen.
 */
@Component({
  selector: 'nk-date',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CalendarPick],
  providers: [{ provide: NG_VALUE_ACCESSOR, useExisting: forwardRef(() => DateField), multi: true }],
  templateUrl: './date-field.html',
  styleUrl: './typed-field.css',
  host: { class: 'with-calendar' },
})
export class DateField extends TypedField {
  private readonly session = inject(SessionStore);
  private readonly clock = inject(ClockStore);
  private readonly text = viewChild.required<ElementRef<HTMLInputElement>>('text');
  /** whether `12.6.` or `fri` lies ahead or back */
  readonly leaning = input<Leaning>('ahead');
  /** the site whose holidays are marked; those of all where it is not known */
  readonly site = input<string | null>(null);
  protected readonly isOpen = signal(false);
  /** null until the house's clock is known: before that nothing is typed, since `fri` would be another day */
  protected readonly today = computed((): LocalDate | null => {
    const now = this.clock.now();
    return now === null ? null : dateOf(Zone.of(this.session.zone()).dayAt(now));
  });
  protected readonly day = computed(() => (WHOLE.test(this.value() ?? '') ? this.value() : null));
  protected readonly weekStartsOn = computed(() => this.session.current()?.weekStartsOn ?? 1);
  protected readonly read = (text: string): ReturnType<typeof readTypedDate> =>
    readTypedDate(text, this.today() ?? SOME_DAY, this.leaning());
  protected readonly tellValue = (value: string): string => (WHOLE.test(value) ? `${tellDay(dayOf(value))} ${value.slice(0, 4)}` : value);

  protected picked(date: LocalDate): void {
    this.isTyping.set(false);
    this.take(date);
    this.close();
  }

  protected close(): void {
    this.isOpen.set(false);
    this.text().nativeElement.focus();
  }
}
