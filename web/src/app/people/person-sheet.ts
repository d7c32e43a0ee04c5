import { isOpenState, tellAmount, tellLanguage, WAY_WORDS } from '@nudrik/core';
import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import type { ActResult, AssignmentLine, PersonRow, WhyCourse } from '@nudrik/contract';
import { catchError, forkJoin, map, of, type Observable } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { Ladder } from '../assignments/ladder.ts';
import { AssignmentActs } from '../assignments/assignment-acts.ts';
import { Undo } from '../assignments/undo.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe, FinishedPipe, MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { Outcome } from '../shared/outcome.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { SelectField } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { State } from '../shared/state.ts';
import { PeopleApi } from './people.api.ts';
import { Reach } from './reach.ts';
import { PersonForm, type PersonDraft } from './person-form.ts';
import { PersonPick } from './person-pick.ts';
import { ErasePerson } from '../keeping/erase-person.ts';
import { HoldStrip } from '../holding/hold-strip.ts';
import { PersonTimeline } from './person-timeline.ts';

type Mending = 'erase' | 'email' | 'chat' | 'manager' | 'leave' | 'person';

/** One person: who they are, what they have to finish and why, every notice, and everything that happened. */
@Component({
  selector: 'nk-person-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    Reach,
    ErasePerson,
    HoldStrip,
    FormsModule,
    RouterLink,
    DayPipe,
    FinishedPipe,
    MomentPipe,
    KindMark,
    Outcome,
    State,
    AssignmentActs,
    Ladder,
    Undo,
    PersonForm,
    PersonPick,
    PersonTimeline,
    DateField,
    SelectField,
  ],
  templateUrl: './person-sheet.html',
  styles: `
    .head { display: flex; justify-content: space-between; align-items: start; gap: 12px; }
    .mend { margin: 12px 0; padding: 12px; border: 1px solid var(--rule); }
    .two { display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 1fr); gap: 0 12px; }
    .course { padding: 8px 0; border-bottom: 1px solid var(--rule); }
    .top { display: flex; justify-content: space-between; gap: 10px; }
    .why { border-left: 2px solid var(--plum); padding: 2px 0 2px 10px; margin: 6px 0; }
    section > h2 { display: flex; justify-content: space-between; align-items: baseline; }
    .when { width: 124px; }
    .mark { width: 28px; }
    .small { font-size: 12.5px; }
  `,
})
export class PersonSheetPart {
  private readonly api = inject(PeopleApi);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  protected readonly session = inject(SessionStore);
  readonly id = input.required<string>();
  readonly closed = output<void>();
  protected readonly sheet = load(toObservable(this.id), (id) => forkJoin({ person: this.api.person(id), notices: this.api.notices(id) }), [
    'people',
    'assignments',
    'notices',
    'clock',
  ]);
  /** whom nothing is known of any more is not changed */
  protected readonly canChange = computed(() => this.session.canChange() && !this.sheet.data()?.person.person.erasedAt);
  protected readonly groups = toSignal(
    this.api.facets().pipe(
      map((facets) => facets.groups),
      catchError(() => of(null)),
    ),
    { initialValue: null },
  );
  protected readonly tab = toSignal(this.route.queryParamMap.pipe(map((params) => params.get('see'))), { initialValue: null });
  protected readonly mending = signal<Mending | null>(this.route.snapshot.queryParamMap.get('mend') as Mending | null);
  protected readonly problem = signal<string | null>(null);
  protected readonly climbing = signal<string | null>(null);
  protected readonly acting = signal<AssignmentLine | null>(null);
  protected readonly done = signal<ActResult | null>(null);
  protected readonly draft = signal<PersonDraft | null>(null);
  protected readonly why = signal<{ course: string; why: WhyCourse } | null>(null);
  protected readonly isAllShown = signal(false);
  protected email = '';
  protected chatName = '';
  /** the leave whose last day is entered, and that day */
  protected readonly ending = signal<string | null>(null);
  protected lastDay = '';
  protected leave: { from: string; to: string; cover: PersonRow | null } = { from: '', to: '', cover: null };
  protected readonly zoneWords = zoneWords;
  protected readonly notices = computed(() => {
    const rows = [...(this.sheet.data()?.notices.rows ?? [])].reverse();
    return this.isAllShown() ? rows : rows.slice(0, 14);
  });
  protected readonly free = computed(() => {
    const own = new Set((this.sheet.data()?.person.person.groups ?? []).map(({ id }) => id));
    return (this.groups() ?? []).filter(({ id }) => !own.has(id)).map(({ id, name }) => ({ value: id, label: name }));
  });

  protected readonly tellLanguage = tellLanguage;
  /** `by mail, all of a day at 07:00; declined 2` */
  protected readonly toldWords = computed(() => {
    const { by, houseBy, chatName, dailyAt, declined } = this.sheet.data()!.person.person.reach;
    const way = chatName === null ? WAY_WORDS.mail : WAY_WORDS[by ?? houseBy];
    return [
      way,
      dailyAt && `all of a day at ${dailyAt}`,
      declined.length > 0 && `${tellAmount(declined.length, 'kinds of message')} declined`,
    ]
      .filter(Boolean)
      .join('; ');
  });
  protected readonly isOpen = ({ state }: AssignmentLine): boolean => isOpenState(state);
  /** why somebody has a course is asked of its newest round */
  protected readonly isNewest = ({ course, round }: AssignmentLine): boolean =>
    !(this.sheet.data()?.person.assignments ?? []).some((other) => other.course.id === course.id && other.round > round);
  protected readonly isOut = (reason: { isOut: boolean }): boolean => reason.isOut;

  protected show(see: string | null): void {
    void this.router.navigate([], { queryParams: { see }, queryParamsHandling: 'merge' });
  }

  protected edit(): void {
    const { id, name, email, personnelNumber, department, siteId, job, language, chatName, joinedOn, leftOn } =
      this.sheet.data()!.person.person;
    this.draft.set({
      id,
      name,
      email,
      personnelNumber: personnelNumber ?? '',
      department,
      siteId,
      job: job ?? '',
      language: language ?? '',
      chatName: chatName ?? '',
      joinedOn: joinedOn ?? '',
      leftOn: leftOn ?? '',
    });
    this.mending.set('person');
  }

  protected mendChat(): void {
    this.run(this.api.change(this.id(), { chatName: this.chatName.trim() || null }));
  }

  protected mendEmail(): void {
    this.run(this.api.change(this.id(), { email: this.email.trim() }));
  }

  protected setManager(managerId: string): void {
    this.run(this.api.change(this.id(), { managerId }));
  }

  protected addLeave(): void {
    const { from, to, cover } = this.leave;
    this.run(this.api.addLeave(this.id(), { from, to: to || null, coverId: cover?.id ?? null }));
  }

  protected endLeave(leaveId: string): void {
    this.run(this.api.endLeave(this.id(), leaveId, this.lastDay || null));
  }

  protected dropLeave(leaveId: string): void {
    this.run(this.api.removeLeave(this.id(), leaveId));
  }

  protected changeGroup(groupId: string, isIn: boolean): void {
    if (groupId) this.run(this.api.changeMembers(groupId, isIn ? { add: [this.id()] } : { remove: [this.id()] }));
  }

  protected askWhy(course: string): void {
    if (this.why()?.course === course) return this.why.set(null);
    this.problem.set(null);
    this.api.why(this.id(), course).subscribe({
      next: (why) => this.why.set({ course, why }),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected acted(done: ActResult): void {
    this.acting.set(null);
    this.done.set(done);
    this.sheet.reload();
  }

  private run(request: Observable<unknown>): void {
    this.problem.set(null);
    request.subscribe({
      next: () => {
        this.mending.set(null);
        this.ending.set(null);
        this.leave = { from: '', to: '', cover: null };
        this.sheet.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
