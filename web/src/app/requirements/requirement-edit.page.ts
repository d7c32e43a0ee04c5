import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { takeUntilDestroyed, toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { everyone, monthsOf, tellValidity, type DueRule } from '@nudrik/core';
import type { Outside, RequirementDraft, RequirementPreview, RequirementView } from '@nudrik/contract';
import { catchError, filter, forkJoin, map, of, switchMap, type Observable } from 'rxjs';
import { SettingsApi } from '../house/settings.api.ts';
import { CoursesApi } from '../courses/courses.api.ts';
import { FoundAgain } from '../shared/found-again.ts';
import type { HasWork } from '../shared/leave.ts';
import { Newer, NewerSaved } from '../shared/newer.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { WorkInHand } from '../shared/work-in-hand.ts';
import { conditionFrom, newRow, rowsFrom, type GroupRow } from '../conditions/condition-model.ts';
import { AudiencePeople } from './audience-people.ts';
import { ConditionPeople, ConditionRows } from '../conditions/condition-rows.ts';
import { AudienceStore } from './audience.store.ts';
import { CREDITS, DUE_EVENTS, DUE_WORDS, RENEWALS, WHEN_OUTS, type Credit } from './requirement-choices.ts';
import { NEW_FORM, whatIsMissing, type RequirementForm } from './requirement-form.ts';
import { RequirementReview } from './requirement-review.ts';
import { RequirementsApi } from './requirements.api.ts';

/** Writes or changes a requirement: whom it asks, by when, what counts, how often; reviewed before anything happens. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    FormsModule,
    RouterLink,
    DateField,
    NumberField,
    SelectField,
    TimeField,
    ConditionRows,
    AudiencePeople,
    RequirementReview,
    FoundAgain,
    Newer,
  ],
  providers: [AudienceStore, { provide: ConditionPeople, useExisting: AudienceStore }],
  templateUrl: './requirement-edit.page.html',
  styleUrl: './requirement-edit.page.css',
})
export class RequirementEditPage implements HasWork {
  private readonly api = inject(RequirementsApi);
  private readonly router = inject(Router);
  private readonly settings = inject(SettingsApi);
  protected readonly audience = inject(AudienceStore);
  readonly id = input<string>();
  /** the course that a new one is to ask for */
  readonly forCourse = input<string>();
  /** it cannot be on before its course is live */
  protected readonly waits = computed(() => this.course()?.state === 'draft');
  protected readonly courses = toSignal(
    inject(CoursesApi)
      .list()
      .pipe(catchError(() => of([]))),
    { initialValue: null },
  );
  protected readonly courseChoices = computed(() =>
    (this.courses() ?? [])
      .filter(({ id, state }) => state !== 'retired' || id === this.form().courseId)
      .map(({ id, title, state }) => ({ value: id, label: state === 'draft' ? `${title}, a draft` : title })),
  );
  protected readonly dueWords = DUE_WORDS;
  protected readonly dueEvents = DUE_EVENTS;
  protected readonly credits = CREDITS;
  protected readonly renewals = RENEWALS;
  protected readonly tellValidity = tellValidity;
  protected readonly whenOuts = WHEN_OUTS;
  protected readonly form = signal<RequirementForm>(NEW_FORM);
  protected readonly rows = signal<GroupRow>({ kind: 'group', isNot: false, mode: 'all', rows: [newRow()] });
  protected readonly stored = signal<RequirementView | null>(null);
  protected readonly review = signal<RequirementPreview | null>(null);
  private readonly before = signal('');
  private readonly inHand = computed(() => ({ form: this.form(), rows: this.rows() }));
  protected readonly isChanged = computed(() => this.before() !== '' && JSON.stringify(this.inHand()) !== this.before());
  readonly work = new WorkInHand<{ form: RequirementForm; rows: GroupRow }>({
    key: computed(() => `requirement/${this.id() ?? 'new'}`),
    draft: this.inHand,
    version: computed(() => this.stored()?.version ?? null),
    isChanged: this.isChanged,
  });
  /** what somebody else saved meanwhile, beside mine */
  protected readonly problem = signal<string | null>(null);
  protected readonly newer = new NewerSaved<RequirementView>({
    problem: this.problem,
    both: () => {
      const { id } = this.stored()!;
      return forkJoin({ theirs: this.api.get(id), mine: this.api.preview(id, this.draft()) }).pipe(
        map(({ theirs, mine }) => ({
          theirs,
          mine: tellRules(this.form().name, mine.words),
          saved: tellRules(theirs.name, theirs.words),
        })),
      );
    },
    goOn: ({ version }) => this.stored.update((stored) => stored && { ...stored, version }),
    take: (theirs) => {
      this.work.drop();
      this.fill(theirs);
      this.review.set(null);
    },
  });
  protected readonly outside = signal<Outside>('ask');
  /** a number that was cleared is not "ever" */
  protected readonly noNumber = NaN;
  private readonly wasTried = signal(false);
  /** what has to be filled in: told from the first try on, and each taken away as it is mended */
  protected readonly gaps = computed(() => (this.wasTried() ? whatIsMissing(this.form(), this.rows()) : []));
  protected readonly isBusy = signal(false);
  protected readonly course = computed(() => this.courses()?.find(({ id }) => id === this.form().courseId) ?? null);

  constructor() {
    this.setRows(this.rows());
    // a new one: what is asked for by its address is known only after the page was made
    effect(() => {
      if (this.id() === undefined) untracked(() => this.begin());
    });
    toObservable(this.id)
      .pipe(
        filter((id) => id !== undefined),
        switchMap((id) => this.api.get(id)),
        takeUntilDestroyed(),
      )
      .subscribe({
        next: (view) => {
          this.fill(view);
          const kept = this.work.find(`requirement/${view.id}`);
          if (kept) this.takeUp(kept.draft, kept.version ?? view.version);
        },
        error: (error: unknown) => this.problem.set(sentenceOf(error)),
      });
  }

  private begin(): void {
    this.before.set(JSON.stringify(this.inHand()));
    const kept = this.work.find('requirement/new');
    if (kept) return this.takeUp(kept.draft, null);
    const course = this.forCourse();
    if (course) this.set({ courseId: course });
    this.settings.get().subscribe(({ graceDays }) => {
      if (this.isChanged() && !course) return;
      this.set({ graceDays });
      this.before.set(JSON.stringify(this.inHand()));
    });
  }

  private fill(view: RequirementView): void {
    const { name, courseId, due, dueTime, graceDays, creditMonths, renewal, from, until, takesJoiners, whenOut } = view;
    this.form.set({ name, courseId, due, dueTime, graceDays, creditMonths, renewal, from, until, takesJoiners, whenOut });
    this.stored.set(view);
    this.setRows(rowsFrom(view.audience));
    this.before.set(JSON.stringify(this.inHand()));
  }

  private takeUp(kept: { form: RequirementForm; rows: GroupRow }, version: number | null): void {
    this.form.set(kept.form);
    this.setRows(kept.rows);
    if (version !== null) this.stored.update((view) => view && { ...view, version });
  }

  protected dropWork(): void {
    this.work.drop();
    const { form, rows } = JSON.parse(this.before()) as { form: RequirementForm; rows: GroupRow };
    this.form.set(form);
    this.setRows(rows);
  }

  protected setRows(rows: GroupRow): void {
    this.rows.set(rows);
    void this.audience.ask(conditionFrom(rows) ?? everyone);
  }

  protected set(change: Partial<RequirementForm>): void {
    this.form.update((form) => ({ ...form, ...change }));
  }

  protected setDue(change: Partial<Record<string, unknown>>): void {
    this.set({ due: { ...this.form().due, ...change } as DueRule });
  }

  /** The due rule by its first word: `days`, `working days`, `month-end`, `date`. */
  protected readonly dueWord = computed(() => {
    const { due } = this.form();
    return due.kind === 'after' ? due.unit : due.kind;
  });
  protected readonly dueEvent = computed(() => {
    const { due } = this.form();
    return due.kind === 'date' ? 'assigned' : due.event;
  });

  protected setDueWord(word: string): void {
    const { due } = this.form();
    const event = this.dueEvent();
    const amount = due.kind === 'after' ? due.amount : 14;
    this.set({
      due:
        word === 'date'
          ? { kind: 'date', on: '' }
          : word === 'month-end'
            ? { kind: 'month-end', months: 0, event }
            : { kind: 'after', amount, unit: word as 'days', event },
    });
  }

  protected readonly credit = computed((): Credit => {
    const { creditMonths } = this.form();
    return creditMonths === null ? 'ever' : creditMonths === 0 ? 'nothing' : 'months';
  });

  protected setCredit(credit: Credit): void {
    this.set({ creditMonths: credit === 'ever' ? null : credit === 'nothing' ? 0 : 12 });
  }

  protected setCourse(courseId: string): void {
    this.set({ courseId });
  }

  protected setRenewal(isOn: boolean): void {
    this.set({ renewal: isOn ? { months: monthsOf(this.course()?.validity ?? null) ?? 12, leadDays: 30 } : null });
  }

  private draft(): RequirementDraft {
    return { ...this.form(), audience: conditionFrom(this.rows()) ?? everyone };
  }

  /** Says what has to be filled in first. @returns whether nothing has */
  private isFilledIn(): boolean {
    this.wasTried.set(true);
    this.problem.set(null);
    return this.gaps().length === 0;
  }

  /** Shows what it would do; nothing is stored. */
  protected look(): void {
    if (!this.isFilledIn()) return;
    this.run(this.api.preview(this.id() ?? null, this.draft()), (preview) => {
      this.review.set(preview);
      this.outside.set('ask');
    });
  }

  /** Keeps it without switching it on. */
  protected save(): void {
    if (!this.isFilledIn()) return;
    const stored = this.stored();
    const done = (id: string) => () => this.leaveTo(id);
    if (stored) this.run(this.api.change(stored.id, stored.version, this.draft(), this.outside()), done(stored.id));
    else this.run(this.api.add(this.draft()), ({ id }) => done(id)());
  }

  protected saveAndSwitchOn(): void {
    const stored = this.stored();
    const kept: Observable<{ id: string }> = stored
      ? this.api.change(stored.id, stored.version, this.draft(), 'ask')
      : this.api.add(this.draft());
    this.run(
      kept.pipe(
        switchMap(({ id }) => this.api.get(id)),
        switchMap((view) => {
          this.stored.set(view);
          return this.api.switchOn(view.id, view.version);
        }),
      ),
      ({ id }) => this.leaveTo(id),
    );
  }

  /** Saved: nothing is in hand any more. */
  private leaveTo(id: string): void {
    this.work.drop();
    this.before.set(JSON.stringify(this.inHand()));
    void this.router.navigate(['/requirements', id]);
  }

  private run<T>(request: Observable<T>, then: (value: T) => void): void {
    this.isBusy.set(true);
    this.problem.set(null);
    request.subscribe({
      next: (value) => {
        this.isBusy.set(false);
        then(value);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.newer.refused(error);
      },
    });
  }
}

/** A requirement in words, for comparing two. */
const tellRules = (name: string, rules: readonly string[]): Record<string, string> =>
  Object.fromEntries([['Name', name], ...rules.map((rule, i) => [`Rule ${i + 1}`, rule])]);
