import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import type { ActRow } from '@nudrik/contract';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { RequirementsTabs } from '../requirements/requirements-tabs.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AssignmentsApi } from './assignments.api.ts';

/** The record of what was done by hand: who, when, why; and what can still be taken back. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe, RequirementsTabs],
  template: `
    <div class="work">
      <nk-requirements-tabs />
      <div class="page-head">
        <div>
          <h1>Done by hand</h1>
          <p class="quiet">Assigned, extended, waived, withdrawn or recorded by a person: who, when, why. What it would send waits a while, so that it can be taken back; once something was sent, or changed on top of it, it stands.</p>
        </div>
      </div>
      @if (problem() ?? acts.error(); as words) {
        <p class="refusal" role="alert">{{ words }}</p>
      }
      @if (acts.data(); as list) {
        <table class="list">
          <thead><tr><th>When, {{ session.zoneWords() }}</th><th>Who</th><th>What</th><th>Why</th><th></th></tr></thead>
          <tbody>
            @for (act of list; track act.id) {
              <tr [class.quiet]="act.undoneAt">
                <td class="nowrap" style="width: 130px">{{ act.at | moment }}</td>
                <td style="width: 160px">{{ act.byWhom }}</td>
                <td>{{ act.words }}</td>
                <td>{{ act.reason }}</td>
                <td class="num nowrap">
                  @if (act.undoneAt) {
                    taken back {{ act.undoneAt | moment }} by {{ act.undoneBy }}
                  } @else if (act.undoUntil && session.canChange()) {
                    @if (act.settlesAt) {<span class="quiet">nothing goes out before {{ act.settlesAt | moment: 'time' }}</span>&ngsp;}
                    <button class="link" (click)="undo(act)" [attr.aria-label]="'Undo: ' + act.words">Undo</button>&ngsp;<span class="quiet">until {{ act.undoUntil | moment: 'time' }}</span>
                  }
                </td>
              </tr>
            } @empty {
              <tr><td class="quiet">Nothing was done by hand yet. Standing rules do the rest.</td></tr>
            }
          </tbody>
        </table>
      } @else if (!acts.error()) {
        <p class="loading">Reading the record …</p>
      }
    </div>
  `,
})
export class ActsPage {
  private readonly api = inject(AssignmentsApi);
  protected readonly session = inject(SessionStore);
  protected readonly acts = load(of(true), () => this.api.acts(), ['assignments', 'notices', 'clock']);
  protected readonly problem = signal<string | null>(null);

  protected undo(act: ActRow): void {
    this.problem.set(null);
    this.api.undo(act.id).subscribe({
      next: () => this.acts.reload(),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
