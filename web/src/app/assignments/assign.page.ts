import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { tellAmount } from '@nudrik/core';
import type { AssignResult, PreviewPerson, Resolved } from '@nudrik/contract';
import { catchError, debounceTime, of } from 'rxjs';
import { PeopleApi } from '../people/people.api.ts';
import { RequirementsTabs } from '../requirements/requirements-tabs.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { PlanWarnings } from '../plans/plan-warnings.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe, zoneWords } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { choicesOf, SelectField, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { Undo } from './undo.ts';
import { CoursesApi } from '../courses/courses.api.ts';
import { AssignmentsApi } from './assignments.api.ts';

/** Who gets which course by when; and before the confirm, for these very people, what goes out when and what does not. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, KindMark, PlanWarnings, DayPipe, DateField, SelectField, TimeField, RequirementsTabs, Undo],
  templateUrl: './assign.page.html',
  styleUrl: './assign.page.css',
})
export class AssignPage {
  private readonly api = inject(AssignmentsApi);
  private readonly peopleApi = inject(PeopleApi);
  private readonly clock = inject(ClockStore);
  readonly people = input<string>();
  readonly department = input<string>();
  readonly site = input<string>();
  readonly group = input<string>();
  readonly course = input<string>();

  protected readonly courses = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(catchError(() => of([]))),
    { initialValue: null },
  );
  protected readonly facets = toSignal(this.peopleApi.facets().pipe(catchError(() => of(null))), { initialValue: null });
  protected readonly courseId = linkedSignal(() => this.course() ?? '');
  /** `people`, `pasted`, `d:Deck`, `s:Orla Quay` or `g:3` */
  protected readonly who = linkedSignal(() =>
    this.people()
      ? 'people'
      : this.department()
        ? `d:${this.department()}`
        : this.group()
          ? `g:${this.group()}`
          : this.site()
            ? `s:${this.site()}`
            : '',
  );
  protected readonly chosenCount = computed(() => this.people()?.split(',').filter(Boolean).length ?? 0);
  protected readonly courseChoices = computed(() =>
    (this.courses() ?? []).filter(({ state }) => state === 'live').map(({ id, title }) => ({ value: id, label: title })),
  );
  protected readonly whoChoices = computed((): Choice[] => {
    const facets = this.facets();
    const chosen = this.chosenCount();
    const pasted = this.pasted()?.found.length;
    const inGroup = (group: string, choices: Choice[]): Choice[] => choices.map((choice) => ({ ...choice, group }));
    return [
      ...(chosen ? [{ value: 'people', label: `${tellAmount(chosen, 'people')} chosen`, group: 'Chosen' }] : []),
      ...(pasted ? [{ value: 'pasted', label: `${tellAmount(pasted, 'people')} pasted`, group: 'Chosen' }] : []),
      ...inGroup(
        'A whole department',
        choicesOf(facets?.departments, ({ name }) => `d:${name}`),
      ),
      ...inGroup(
        'A group',
        choicesOf(facets?.groups, ({ id }) => `g:${id}`),
      ),
      ...inGroup(
        'A whole site',
        choicesOf(facets?.sites, ({ name }) => `s:${name}`),
      ),
    ];
  });
  /** the date that somebody chose; until then three weeks from now, which moves with the clock */
  private readonly chosenDueOn = signal<string | null>(null);
  protected readonly dueOn = computed(() => {
    const now = this.clock.now();
    return this.chosenDueOn() ?? (now === null ? '' : new Date(now + 21 * 86_400_000).toISOString().slice(0, 10));
  });
  protected readonly dueTime = signal('17:00');
  protected readonly opened = signal<string | null>(null);
  protected readonly isPasting = signal(false);
  protected readonly pasted = signal<Resolved | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly result = signal<AssignResult | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly zoneWords = zoneWords;

  private readonly request = computed(() => {
    const who = this.who();
    if (!this.courseId() || !who || !/^\d{4}-\d{2}-\d{2}$/.test(this.dueOn()) || !/^\d{2}:\d{2}$/.test(this.dueTime())) return null;
    return {
      courseId: this.courseId(),
      dueOn: this.dueOn(),
      dueTime: this.dueTime(),
      personIds:
        who === 'people' ? this.people()!.split(',').filter(Boolean) : who === 'pasted' ? this.pasted()!.found.map(({ id }) => id) : [],
      departments: who.startsWith('d:') ? [who.slice(2)] : [],
      sites: who.startsWith('s:') ? [who.slice(2)] : [],
      groups: who.startsWith('g:') ? [who.slice(2)] : [],
    };
  });
  protected readonly preview = load(toObservable(this.request).pipe(debounceTime(200)), (request) => this.api.previewAssign(request));
  protected readonly hasAsked = computed(() => this.request() !== null);
  protected readonly skipped = computed(() =>
    (this.preview.data()?.people ?? []).reduce((sum, person) => sum + person.notices.filter(({ outcome }) => outcome === 'skip').length, 0),
  );
  protected readonly most = computed(() => Math.max(1, ...(this.preview.data()?.byDay ?? []).map(({ count }) => count)));

  protected setDueOn(date: string): void {
    this.chosenDueOn.set(date);
    this.result.set(null);
  }

  protected sends(person: PreviewPerson): PreviewPerson['notices'] {
    return person.notices.filter(({ outcome, occurrence }) => outcome !== 'wait' && occurrence === 0);
  }

  /** Finds the people of a pasted list; what is not found is said and left out. */
  protected resolve(text: string): void {
    this.problem.set(null);
    this.result.set(null);
    this.peopleApi.resolve(text).subscribe({
      next: (pasted) => {
        this.pasted.set(pasted);
        if (pasted.found.length === 0) return this.problem.set('Nobody in this list is on the roster; nothing was chosen.');
        this.isPasting.set(false);
        this.who.set('pasted');
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected assign(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.assign(this.request()!).subscribe({
      next: (result) => {
        this.isBusy.set(false);
        this.result.set(result);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
