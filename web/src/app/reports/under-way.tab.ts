import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { ActResult, UnderWayRow } from '@nudrik/contract';
import { SessionStore } from '../access/session.store.ts';
import { AssignmentActs } from '../assignments/assignment-acts.ts';
import { GroupLetters } from '../assignments/group-letters.ts';
import { Remind } from '../assignments/remind.ts';
import { Undo } from '../assignments/undo.ts';
import { CourseStore } from '../courses/course.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { State } from '../shared/state.ts';
import { ReportsApi } from './reports.api.ts';

type Who = 'all' | 'unopened' | 'stuck' | 'waiting' | 'packages' | 'late';
const PAGE = 100;

/** A course as it goes on: who is where, who is stuck, who opened nothing, who waits, and what happened last; and what to do about it. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AssignmentActs, FormsModule, GroupLetters, MomentPipe, NumberField, Remind, RouterLink, State, Undo],
  templateUrl: './under-way.tab.html',
  styleUrl: './under-way.tab.css',
})
export class UnderWayTab {
  private readonly api = inject(ReportsApi);
  protected readonly store = inject(CourseStore);
  protected readonly session = inject(SessionStore);
  protected readonly who = signal<Who>('all');
  protected readonly days = signal(7);
  protected readonly offset = signal(0);
  protected readonly chosen = signal<ReadonlySet<string>>(new Set());
  protected readonly told = signal<ActResult | null>(null);
  private readonly asked = computed(() => ({ id: this.store.id(), who: this.who(), days: this.days(), offset: this.offset() }));
  protected readonly view = load(
    toObservable(this.asked),
    ({ id, who, days, offset }) => this.api.underWay(id!, { who, days: String(days), offset: String(offset) }),
    ['assignments', 'courses'],
  );
  protected readonly kinds = computed(() => {
    const counts = this.view.data()?.counts;
    if (!counts) return [];
    const days = this.days() === 1 ? 'a day' : `${this.days()} days`;
    return [
      { who: 'all' as const, words: `${counts.all} under way` },
      { who: 'unopened' as const, words: `${counts.unopened} opened nothing` },
      { who: 'stuck' as const, words: `${counts.stuck} stuck: nothing done for ${days}` },
      { who: 'late' as const, words: `${counts.late} late` },
      { who: 'waiting' as const, words: `${counts.waiting} wait for marking` },
      ...(counts.packages > 0 ? [{ who: 'packages' as const, words: `${counts.packages} in an exercise that does not end` }] : []),
    ];
  });
  protected readonly rows = computed(() => this.view.data()?.rows ?? []);
  protected readonly picked = computed(() => this.rows().filter(({ assignmentId }) => this.chosen().has(assignmentId)));
  protected readonly pickedIds = computed(() => this.picked().map(({ assignmentId }) => assignmentId));
  protected readonly latestDue = computed(() => this.picked().map(({ dueAt }) => dueAt).sort().at(-1) ?? ''); // prettier-ignore
  protected readonly isReminding = signal(false);
  protected readonly isWriting = signal(false);
  /** trainers write to groups of their own courses, which the server asks about */
  protected readonly canWrite = computed(() => this.session.canChange() || this.session.account()?.role === 'trainer');
  /** everybody who is looked at, also beyond the page */
  protected readonly all = computed(() => ({ underWay: { courseId: this.store.id()!, who: this.who(), days: this.days() } }));
  protected readonly page = PAGE;

  protected look(who: Who): void {
    this.who.set(who);
    this.offset.set(0);
    this.chosen.set(new Set());
  }

  protected toggle({ assignmentId }: UnderWayRow): void {
    this.chosen.update((chosen) => {
      const next = new Set(chosen);
      if (!next.delete(assignmentId)) next.add(assignmentId);
      return next;
    });
  }

  protected chooseAll(all: boolean): void {
    this.chosen.set(new Set(all ? this.rows().map(({ assignmentId }) => assignmentId) : []));
  }

  protected acted(result: ActResult): void {
    this.told.set(result);
    this.chosen.set(new Set());
    this.view.reload();
  }
}
