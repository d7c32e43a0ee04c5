import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { toObservable, takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { oneMoreEvery, tellRelease, type Release } from '@nudrik/core';
import type { ReleaseSeen } from '@nudrik/contract';
import { catchError, combineLatest, debounceTime, map, of, switchMap } from 'rxjs';
import { PersonPick } from '../people/person-pick.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import type { UnitForm } from './course-form.ts';
import { CoursesApi } from './courses.api.ts';
import { CourseStore } from './course.store.ts';
import { ReleaseField } from './release-field.ts';

/** When each unit of a course opens: one table, with real dates for a real person beside it. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, PersonPick, ReleaseField, SelectField, TimeField],
  templateUrl: './release.tab.html',
  styleUrl: './release.tab.css',
})
export class ReleaseTab {
  protected readonly store = inject(CourseStore);
  private readonly api = inject(CoursesApi);
  protected readonly zoneWords = zoneWords;
  protected readonly person = signal<{ id: string; name: string } | null>(null);
  protected readonly chosen = signal<ReadonlySet<string>>(new Set());
  protected readonly editing = signal<string | null>(null);
  /** what the chosen ones get */
  protected readonly forAll = signal<Release | null>(null);
  protected readonly weekday = signal(1);
  protected readonly time = signal('08:00');
  protected readonly weekdays: Choice<number>[] = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'].map((label, i) => ({ value: i + 1, label })); // prettier-ignore
  protected readonly seen = signal<ReleaseSeen | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly faults = computed(() => new Map(this.store.faults().filter(({ unit, words }) => unit !== null && / open|years/.test(words)).map(({ unit, words }) => [unit!, words]))); // prettier-ignore
  protected readonly units = computed(() => this.store.form()!.sections.flatMap((section) => section.units.map((unit, i) => ({ unit, section: i === 0 ? section.title : null })))); // prettier-ignore

  constructor() {
    combineLatest([toObservable(this.store.draft), toObservable(this.person)])
      .pipe(
        debounceTime(250),
        switchMap(([content, person]) =>
          content && this.store.id()
            ? this.api.openings(this.store.id()!, { content, personId: person?.id ?? null, assignedAt: null }).pipe(
                map((seen) => ({ seen, problem: null as string | null })),
                catchError((error: unknown) => of({ seen: null, problem: sentenceOf(error) })),
              )
            : of({ seen: null, problem: null }),
        ),
        takeUntilDestroyed(),
      )
      .subscribe(({ seen, problem }) => {
        if (seen) this.seen.set(seen);
        this.problem.set(problem);
      });
  }

  protected words(release: Release | null): string {
    return tellRelease(release, (id) => this.store.units().find((unit) => unit.id === id)?.title ?? null);
  }

  protected seenFor(unit: UnitForm): string {
    return this.seen()?.units.find(({ id }) => id === unit.id)?.words ?? '';
  }

  protected choose(key: string, isChosen: boolean): void {
    this.chosen.update((chosen) => new Set(isChosen ? [...chosen, key] : [...chosen].filter((other) => other !== key)));
  }

  protected chooseAll(isChosen: boolean): void {
    this.chosen.set(new Set(isChosen ? this.store.units().map(({ key }) => key) : []));
  }

  protected pick(person: { id: string; name: string }): void {
    this.person.set(person);
  }

  private chosenUnits(): UnitForm[] {
    return this.store.units().filter(({ key }) => this.chosen().has(key));
  }

  protected setChosen(): void {
    this.store.setUnits(new Map(this.chosenUnits().map(({ key }) => [key, { release: this.forAll() }])));
  }

  protected setOneMore(): void {
    const units = this.chosenUnits();
    const releases = oneMoreEvery(this.weekday(), this.time(), units.length);
    this.store.setUnits(new Map(units.map(({ key }, i) => [key, { release: releases[i]! }])));
  }
}
