import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { catchError, of } from 'rxjs';
import { ASK_WORDS, ASKS, MOST_VALID, tellFinish, type Asks, type FinishRule, type Validity } from '@nudrik/core';
import type { Named } from '../people/named.ts';
import { PeoplePick } from '../people/people-pick.ts';
import { PersonPick } from '../people/person-pick.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { CertificatesApi } from '../certificates/certificates.api.ts';
import { CERTIFICATE_WORDS } from './course-form.ts';
import { CourseStore } from './course.store.ts';

/** What a course is called, who owns it, what finishing it means and brings. */
@Component({
  selector: 'nk-course-facts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, NumberField, PeoplePick, PersonPick, RouterLink, SelectField],
  templateUrl: './course-facts.html',
  styles: `
    .facts-form { display: grid; grid-template-columns: 2fr 110px 1.3fr 1.3fr; gap: 0 14px; max-width: 1180px; }
    .second { grid-template-columns: 1.2fr 0.9fr 2fr 1fr 1fr; }
    .valid { display: flex; gap: 8px; align-items: center; white-space: nowrap; }
    .valid nk-number { width: 60px; }
    .finish { display: flex; gap: 8px; align-items: center; }
    .finish nk-select { flex: 1; }
  `,
})
export class CourseFacts {
  protected readonly store = inject(CourseStore);
  /** the field that somebody was led to */
  readonly field = input<string | null>(null);
  protected readonly isOff = computed(() => !this.store.canWrite());
  protected readonly certificates: Choice<string>[] = (['open', 'issued', 'none'] as const).map((value) => ({
    value,
    label: CERTIFICATE_WORDS[value],
  }));
  protected readonly asks: Choice<Asks>[] = ASKS.map((value) => ({ value, label: ASK_WORDS[value] }));
  protected readonly finishes: Choice<string>[] = [
    { value: 'all', label: 'all required units' },
    { value: 'some', label: 'some of them' },
    { value: 'score', label: 'a score, by weight' },
  ];
  protected readonly validities: Choice<string>[] = [
    { value: '', label: 'no expiry' },
    { value: 'days', label: 'for days' },
    { value: 'months', label: 'for months' },
    { value: 'years', label: 'for years' },
  ];
  private readonly known = toSignal(
    inject(CertificatesApi)
      .designs()
      .pipe(catchError(() => of([]))),
    { initialValue: [] },
  );
  protected readonly designs = computed((): Choice<string | null>[] => {
    const own = this.store.form()?.certificateDesignId ?? null;
    const house = this.known().find(({ isHouse }) => isHouse);
    return [
      { value: null, label: `as the house’s${house ? `: ${house.name}` : ''}` },
      ...this.known()
        .filter(({ id, isRetired }) => id !== null && (!isRetired || id === own))
        .map(({ id, name }) => ({ value: id, label: name })),
    ];
  });
  protected readonly words = computed(() => tellFinish(this.store.form()!.finish, this.store.units()));
  private readonly led = signal<string | null>(null);

  constructor() {
    effect(() => {
      const field = this.field();
      if (field && this.led() !== field) {
        this.led.set(field);
        setTimeout(() =>
          document.querySelector<HTMLElement>(`[data-field="${field}"] input, [data-field="${field}"] [role="combobox"]`)?.focus(),
        );
      }
    });
  }

  protected leaveOut(person: Named): void {
    this.store.assist(this.store.assistants().filter(({ id }) => id !== person.id));
  }

  protected finishBy(kind: string): void {
    const required = this.store.units().filter((unit) => unit.required).length;
    const finish: FinishRule =
      kind === 'some' ? { kind, units: Math.max(1, required - 1) } : kind === 'score' ? { kind, percent: 80 } : { kind: 'all' };
    this.store.set({ finish });
  }

  protected validFor(unit: Validity['unit'] | ''): void {
    const before = this.store.form()!.validity;
    const counts = { days: 90, months: 12, years: 1 };
    this.store.set({ validity: unit === '' ? null : { count: counts[unit], unit, toMonthEnd: before?.toMonthEnd ?? false } });
  }

  protected setCount(count: number | null): void {
    const { validity } = this.store.form()!;
    if (validity && count !== null && count >= 1)
      this.store.set({ validity: { ...validity, count: Math.min(count, MOST_VALID[validity.unit]) } });
  }

  protected setNumber(value: number | null): void {
    const { finish } = this.store.form()!;
    if (value === null || value < 1) return;
    if (finish.kind === 'some') this.store.set({ finish: { ...finish, units: value } });
    if (finish.kind === 'score') this.store.set({ finish: { ...finish, percent: Math.min(100, value) } });
  }
}
