import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { dateOf, Zone, type Release } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, wordsOf, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import type { UnitForm } from './course-form.ts';

type Kind = Release['kind'] | 'at once';
const KINDS: Choice<Kind>[] = [
  { value: 'at once', label: 'at once' },
  { value: 'after', label: 'some time after the assignment' },
  { value: 'weekday', label: 'on a weekday after it' },
  { value: 'on', label: 'on a date' },
  { value: 'finished', label: 'when another unit is finished' },
  { value: 'passed', label: 'when a quiz is passed' },
];

/** When something opens: one sentence of fields. */
@Component({
  selector: 'nk-release',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DateField, NumberField, SelectField, TimeField],
  templateUrl: './release-field.html',
  styles: `
    :host { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; }
    nk-select.kind { min-width: 220px; }
  `,
})
export class ReleaseField {
  private readonly session = inject(SessionStore);
  private readonly clock = inject(ClockStore);
  readonly release = input.required<Release | null>();
  readonly others = input<readonly UnitForm[]>([]);
  /** the unit itself, which it cannot wait for */
  readonly self = input<string | null>(null);
  readonly isOff = input(false);
  readonly changed = output<Release | null>();
  protected readonly kinds = computed(() => KINDS.map((kind) => ({ ...kind, isOff: (kind.value === 'finished' && this.finishable().length === 0) || (kind.value === 'passed' && this.passable().length === 0) }))); // prettier-ignore
  protected readonly units = wordsOf(['days', 'working days', 'weeks'] as const);
  protected readonly weekdays: Choice<number>[] = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'].map(
    (label, i) => ({ value: i + 1, label }),
  );

  /** units that it may wait for: made once for each change, since a list that is another each time is drawn again each time */
  protected readonly finishable = computed(() => this.choicesOf(() => true));
  protected readonly passable = computed(() => this.choicesOf(({ kind }) => kind === 'quiz'));

  private choicesOf(isMeant: (unit: UnitForm) => boolean): Choice[] {
    return this.others()
      .filter((unit) => unit.id !== this.self() && isMeant(unit))
      .map(({ id, title }) => ({ value: id, label: title || 'a unit without a title' }));
  }

  protected become(kind: Kind): void {
    this.changed.emit(this.begins(kind));
  }

  private begins(kind: Kind): Release | null {
    switch (kind) {
      case 'at once':
        return null;
      case 'after':
        return { kind, amount: 1, unit: 'weeks', at: '08:00' };
      case 'weekday':
        return { kind, weekday: 1, nth: 1, at: '08:00' };
      case 'on': {
        const today = Zone.of(this.session.zone()).dayAt(this.clock.now() ?? Date.now());
        return { kind, date: dateOf(today + 7), at: '08:00' };
      }
      default: {
        const [first] = kind === 'passed' ? this.passable() : this.finishable();
        return first ? { kind, unit: first.value } : null;
      }
    }
  }

  private readonly as = <K extends Release['kind']>(kind: K): Extract<Release, { kind: K }> | null => {
    const release = this.release();
    return release?.kind === kind ? (release as Extract<Release, { kind: K }>) : null;
  };
  protected readonly asAfter = computed(() => this.as('after'));
  protected readonly asWeekday = computed(() => this.as('weekday'));
  protected readonly asOn = computed(() => this.as('on'));
  protected readonly unitOf = computed(() => (this.as('finished') ?? this.as('passed'))?.unit ?? null);

  protected put(change: Partial<Record<string, unknown>>): void {
    this.changed.emit({ ...this.release()!, ...change } as Release);
  }
}
