import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import type { ActResult } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { AssignmentActs } from '../assignments/assignment-acts.ts';
import { Undo } from '../assignments/undo.ts';
import { Ladder } from '../assignments/ladder.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { Outcome } from '../shared/outcome.ts';
import { State } from '../shared/state.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { AsOf, type AsOfChoice } from './as-of.ts';
import { TeamMatrix } from './team-matrix.ts';
import { ReportsApi } from './reports.api.ts';
import { MyLeave } from '../people/my-leave.ts';
import { MySessions } from '../sessions/my-sessions.ts';
import { MySignOffs } from '../sign-offs/my-sign-offs.ts';

/** A manager's own people, down the whole line: who is late first, then who is at it. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    AsOf,
    DateField,
    FormsModule,
    TeamMatrix,
    DayPipe,
    Ladder,
    MyLeave,
    MySessions,
    MomentPipe,
    Outcome,
    State,
    AssignmentActs,
    MySignOffs,
    Undo,
  ],
  templateUrl: './my-team.page.html',
})
export class MyTeamPage {
  private readonly api = inject(ReportsApi);
  private readonly router = inject(Router);
  /** the key of a personal link: without an account one's people are seen, and nothing is changed */
  readonly token = input<string>();
  /** a day that has passed, and by which reading; now where it is not given */
  readonly on = input<string>();
  readonly known = input<string>();
  protected readonly day = load(
    toObservable(computed(() => (this.on() ? { on: this.on()!, ...(this.known() ? { known: this.known()! } : {}) } : null))),
    (asked) => this.api.teamDay(asked),
    ['assignments', 'people', 'clock'],
  );
  private readonly whose = computed(() => ({ token: this.token() }));
  protected readonly team = load(toObservable(this.whose), ({ token }) => this.api.team(token), [
    'assignments',
    'notices',
    'people',
    'clock',
  ]);
  protected readonly acting = signal<string | null>(null);
  protected readonly none: ReadonlySet<string> = new Set();
  protected readonly chosen = signal(this.none);
  protected readonly chosenRows = computed(() =>
    (this.team.data()?.rows ?? []).filter(({ assignmentId }) => this.chosen().has(assignmentId)),
  );
  protected readonly chosenIds = computed(() => this.chosenRows().map(({ assignmentId }) => assignmentId));
  protected readonly lastDue = computed(() => this.chosenRows().reduce((last, { dueAt }) => (dueAt > last ? dueAt : last), ''));
  protected readonly told = signal<ActResult | null>(null);
  protected readonly late = computed(() => (this.team.data()?.rows ?? []).filter((row) => row.state === 'overdue'));
  /** People and their assignments are counted apart: one person may be late with three courses. */
  protected readonly lateWords = computed(() => {
    const { late, latePeople } = this.team.data()?.counts ?? { late: 0, latePeople: 0 };
    if (late === 0) return 'Nobody is late.';
    return `${tellAmount(latePeople, 'people')} late${late > latePeople ? `, with ${late} assignments` : ''}.`;
  });
  /** What is open beyond the rows that are shown. */
  protected readonly more = computed(() => (this.team.data()?.counts.open ?? 0) - (this.team.data()?.rows.length ?? 0));
  protected readonly open = computed(() => (this.team.data()?.rows ?? []).filter((row) => row.state !== 'overdue'));

  protected back({ on, known }: AsOfChoice): void {
    void this.router.navigate([], { queryParams: { on, known }, queryParamsHandling: 'merge' });
  }

  protected choose(id: string): void {
    const next = new Set(this.chosen());
    if (!next.delete(id)) next.add(id);
    this.chosen.set(next);
  }

  protected isAllChosen(rows: readonly { assignmentId: string }[]): boolean {
    return rows.length > 0 && rows.every(({ assignmentId }) => this.chosen().has(assignmentId));
  }

  protected chooseAll(rows: readonly { assignmentId: string }[]): void {
    const next = new Set(this.chosen());
    const isAll = this.isAllChosen(rows);
    for (const { assignmentId } of rows)
      if (isAll) next.delete(assignmentId);
      else next.add(assignmentId);
    this.chosen.set(next);
  }
}
