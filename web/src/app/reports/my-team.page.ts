import { HttpClient } from '@angular/common/http';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import type { ActResult, TeamView } from '@nudrik/contract';
import { of } from 'rxjs';
import { AssignmentActs } from '../assignments/assignment-acts.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { Outcome } from '../shared/outcome.ts';
import { State } from '../shared/state.ts';

/** A manager's own people, down the whole line: who is late first, then who is at it. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe, Outcome, State, AssignmentActs],
  templateUrl: './my-team.page.html',
})
export class MyTeamPage {
  private readonly http = inject(HttpClient);
  protected readonly team = load(of(true), () => this.http.get<TeamView>('/api/team'), ['assignments', 'notices', 'people', 'clock']);
  protected readonly acting = signal<string | null>(null);
  protected readonly told = signal<ActResult | null>(null);
  protected readonly late = computed(() => (this.team.data()?.rows ?? []).filter((row) => row.state === 'overdue'));
  protected readonly open = computed(() => (this.team.data()?.rows ?? []).filter((row) => row.state !== 'overdue'));
}
