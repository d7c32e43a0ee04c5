import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, viewChild } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { dateOf, dayOf, type Day, type LocalDate } from '@nudrik/core';
import { DatePicker } from 'primeng/datepicker';
import { Popover } from 'primeng/popover';
import { Holidays } from './holidays.ts';

interface Cell {
  day: number;
  month: number;
  year: number;
}

const dateAt = (day: Day): Date => {
  const [year, month, date] = dateOf(day).split('-').map(Number);
  return new Date(year!, month! - 1, date);
};

const two = (n: number): string => String(n).padStart(2, '0');
const localDateOf = (year: number, month: number, day: number): LocalDate =>
  `${String(year).padStart(4, '0')}-${two(month + 1)}-${two(day)}`;

/** A month to pick a day from, beside the field that asked for it: holidays marked, the week as the house begins it. */
@Component({
  selector: 'nk-calendar',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DatePicker, Popover],
  template: `
    <p-popover #pop appendTo="body" [ariaLabel]="label()" (onHide)="closed.emit()">
      <p-datepicker
        [inline]="true"
        [ngModel]="chosen()"
        [defaultDate]="first()"
        (onSelect)="pick($event)"
        [firstDayOfWeek]="weekStartsOn() % 7"
        [minDate]="from"
        [maxDate]="until"
      >
        <ng-template #date let-cell>
          <span class="nk-cell" [class.today]="isToday(cell)" [class.holiday]="holidayOn(cell)" [title]="holidayOn(cell) ?? ''">{{ cell.day }}</span>
        </ng-template>
      </p-datepicker>
      @if (holidays() === null) {
        <p class="quiet" style="padding: 4px 8px">Holidays are not marked: they could not be read.</p>
      }
    </p-popover>
  `,
})
export class CalendarPick {
  private readonly pop = viewChild.required(Popover);
  readonly isOpen = input.required<boolean>();
  /** what it stands beside */
  readonly at = input.required<HTMLElement>();
  readonly label = input.required<string>();
  readonly day = input.required<LocalDate | null>();
  readonly today = input.required<LocalDate>();
  readonly weekStartsOn = input.required<number>();
  readonly site = input.required<string | null>();
  readonly picked = output<LocalDate>();
  readonly closed = output();
  protected readonly from = dateAt(dayOf('1970-01-01'));
  protected readonly until = dateAt(dayOf('2199-12-31'));
  protected readonly holidays = toSignal(inject(Holidays).all, { initialValue: [] });
  private readonly names = computed(() => {
    const names = new Map<LocalDate, string>();
    for (const { on, name, siteId, site } of this.holidays() ?? []) {
      if (this.site() !== null && this.site() !== siteId) continue;
      const line = this.site() === null ? `${name} (${site})` : name;
      names.set(on, names.has(on) ? `${names.get(on)}, ${line}` : line);
    }
    return names;
  });
  protected readonly chosen = computed(() => (this.day() === null ? null : dateAt(dayOf(this.day()!))));
  protected readonly first = computed(() => dateAt(dayOf(this.day() ?? this.today())));

  constructor() {
    effect(() => {
      if (this.isOpen()) this.pop().show(null, this.at());
      else this.pop().hide();
    });
  }

  private dateOf = ({ year, month, day }: Cell): LocalDate => localDateOf(year, month, day);
  protected isToday = (cell: Cell): boolean => this.dateOf(cell) === this.today();
  protected holidayOn = (cell: Cell): string | null => this.names().get(this.dateOf(cell)) ?? null;

  protected pick(date: Date): void {
    this.picked.emit(localDateOf(date.getFullYear(), date.getMonth(), date.getDate()));
  }
}
