import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { catchError, map, of } from 'rxjs';
import type { Invitation, LookNotice, LookRequest, RemarksView } from '@nudrik/contract';
import { dateOf, dayOf, msOfTime, Zone } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { LearningApi } from '../learning/learning.api.ts';
import { LearnPage } from '../learning/learn.page.ts';
import { Letter } from '../messages/letter.ts';
import { PersonPick } from '../people/person-pick.ts';
import { QuizzesApi } from '../quizzes/quizzes.api.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ClockStore } from '../shell/clock.store.ts';
import { StructureApi } from '../structure/structure.api.ts';
import { CoursesApi } from './courses.api.ts';
import { CourseStore } from './course.store.ts';
import { LookLearning, LookQuizzes, LookSession } from './look.session.ts';
import { Remarks } from './remarks.ts';

/** The course as an employee would have it: as anybody, on any day, with what the plan would send; nothing is recorded. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DateField, KindMark, LearnPage, Letter, MomentPipe, NumberField, PersonPick, Remarks, SelectField, TimeField],
  providers: [LookSession, { provide: LearningApi, useClass: LookLearning }, { provide: QuizzesApi, useClass: LookQuizzes }],
  templateUrl: './look.tab.html',
  styleUrl: './look.tab.css',
})
export class LookTab {
  protected readonly store = inject(CourseStore);
  private readonly api = inject(CoursesApi);
  private readonly session = inject(SessionStore);
  private readonly clock = inject(ClockStore);
  protected readonly look = inject(LookSession);
  protected readonly zoneWords = zoneWords;
  /** another each time that what is looked at changes */
  protected readonly round = signal(0);
  protected readonly unit = signal<string | null>(null);
  protected readonly letter = signal<LookNotice | null>(null);
  protected readonly isNarrow = signal(false);
  protected readonly person = signal<{ id: string; name: string } | null>(null);
  protected readonly site = signal<string | null>(null);
  protected readonly of = signal<'draft' | 'live'>('draft');
  private readonly zone = computed(() => Zone.of(this.look.seen()?.person.zone ?? this.session.zone()));
  protected readonly assignedOn = signal<string | null>(null);
  protected readonly day = signal<string | null>(null);
  protected readonly time = signal('09:00');
  protected readonly ofChoices: Choice<'draft' | 'live'>[] = [{ value: 'draft', label: 'as it is written' }, { value: 'live', label: 'as it is live' }]; // prettier-ignore
  protected readonly sites = toSignal(
    inject(StructureApi)
      .structure()
      .pipe(
        map(({ sites }) => sites.map(({ id, name }): Choice => ({ value: id, label: name }))),
        catchError(() => of<Choice[]>([])),
      ),
    { initialValue: [] },
  );
  protected readonly remarks = signal<RemarksView>({ remarks: [], invited: [] });
  protected readonly problem = signal<string | null>(null);
  protected readonly said = signal<string | null>(null);
  protected readonly isInviting = signal(false);
  protected readonly invitation = signal<Invitation>({ email: '', name: '', days: 7, words: '' });
  protected readonly open = computed(() => this.remarks().remarks.filter(({ doneBy }) => doneBy === null).length);
  protected readonly titleOf = (id: string): string => this.store.units().find((unit) => unit.id === id)?.title ?? 'a unit that is gone';

  constructor() {
    this.look.ask = (request: LookRequest) => this.api.look(this.store.id()!, request);
    // what is written goes on while one looks: it is looked at as it is kept
    effect(() => {
      this.store.version();
      untracked(() => this.anew());
    });
    this.readRemarks();
  }

  private readRemarks(): void {
    this.api.remarks(this.store.id()!).subscribe({ next: (view) => this.remarks.set(view), error: () => undefined });
  }

  private instant(day: string, time: string): string {
    const zone = this.zone();
    return new Date(zone.toInstant(dayOf(day), msOfTime(time))).toISOString();
  }

  /** Looks again, with what was done. */
  protected anew(): void {
    const [assignedOn, day, person, site] = [this.assignedOn(), this.day(), this.person(), this.site()];
    this.look.request.set({
      of: this.store.state() === 'draft' ? 'draft' : this.of(),
      at: day === null ? null : this.instant(day, this.time()),
      assignedAt: assignedOn === null ? null : this.instant(assignedOn, '08:00'),
      dueAt: null,
      person: person ? { id: person.id } : site ? { name: 'Somebody New', siteId: site } : null,
    });
    this.letter.set(null);
    this.round.update((round) => round + 1);
  }

  /** Goes on by so many days. */
  protected later(days: number): void {
    const now = Date.parse(this.look.now());
    const zone = this.zone();
    this.assignedOn.update((on) => on ?? dateOf(zone.dayAt(Date.parse(this.look.seen()?.view.assignedAt ?? new Date(this.clock.now() ?? now).toISOString())))); // prettier-ignore
    this.day.set(dateOf(zone.dayAt(now) + days));
    this.anew();
  }

  protected again(): void {
    this.look.again();
    this.assignedOn.set(null);
    this.day.set(null);
    this.anew();
  }

  protected pick(person: { id: string; name: string } | null): void {
    this.person.set(person);
    this.look.again();
    this.anew();
  }

  protected pickSite(site: string): void {
    this.site.set(site);
    this.pick(null);
  }

  protected remark(text: string): void {
    this.api.remark(this.store.id()!, { unitId: this.unit(), text }).subscribe({ next: () => this.readRemarks(), error: (error: unknown) => this.problem.set(sentenceOf(error)) }); // prettier-ignore
  }

  protected tick({ id, isDone }: { id: string; isDone: boolean }): void {
    this.api.tick(id, isDone).subscribe({ next: () => this.readRemarks(), error: (error: unknown) => this.problem.set(sentenceOf(error)) });
  }

  protected setInvitation(change: Partial<Invitation>): void {
    this.invitation.update((invitation) => ({ ...invitation, ...change }));
  }

  protected invite(): void {
    this.problem.set(null);
    this.said.set(null);
    const { email, name, ...rest } = this.invitation();
    this.api.invite(this.store.id()!, { ...rest, email, name: name.trim() || email.split('@')[0]! }).subscribe({
      next: ({ words }) => {
        this.said.set(words);
        this.isInviting.set(false);
        this.invitation.set({ email: '', name: '', days: 7, words: '' });
        this.readRemarks();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected end(look: string): void {
    this.api.endInvitation(this.store.id()!, look).subscribe({ next: () => this.readRemarks(), error: (error: unknown) => this.problem.set(sentenceOf(error)) }); // prettier-ignore
  }
}
