import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { load } from '../shared/loaded.ts';
import { DayPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { Outcome } from '../shared/outcome.ts';
import { AssignmentsApi } from './assignments.api.ts';

/** Where the ladder of a late assignment stands: who was told, who is next and when, and why not somebody else. */
@Component({
  selector: 'nk-ladder',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DayPipe, MomentPipe, Outcome, RouterLink],
  template: `
    @if (ladder.data(); as view) {
      @if (view.takenUp; as taken) {<p class="soon">Taken up by {{ taken.by ?? 'somebody of the line' }} {{ taken.at | moment: 'day' }}: done by {{ taken.until | day }}. Until then nobody further up is told.</p>}
      <ol>
        @for (rung of view.rungs; track rung.noticeId) {
          <li [class.ahead]="rung.state === 'planned' || rung.state === 'held'">
            @if (hasLedger()) {<a class="plain" [routerLink]="['/ledger', rung.noticeId]">{{ rung.name }}</a>} @else {{{ rung.name }}}
            to {{ rung.who ?? 'nobody' }} <span class="quiet">({{ rung.to }})</span>, {{ rung.at | moment }} <nk-outcome [state]="rung.state" />
            @if (rung.why) {<div class="quiet small">{{ rung.why }}</div>}
          </li>
        } @empty {<li class="quiet">The plan has no rung: nobody of the line is told by itself.</li>}
      </ol>
    } @else if (ladder.error()) {
      <p class="refusal" role="alert">{{ ladder.error() }}</p>
    } @else {
      <p class="loading">Looking up who was told …</p>
    }
  `,
  styles: `
    ol { margin: 4px 0 8px; padding: 0; list-style: none; border-left: 3px solid var(--plum); }
    li { padding: 3px 0 3px 12px; }
    .ahead { border-left: 3px solid var(--paper); margin-left: -3px; padding-left: 12px; }
  `,
})
export class Ladder {
  private readonly api = inject(AssignmentsApi);
  readonly assignment = input.required<string>();
  /** whether whoever looks may open the ledger */
  readonly hasLedger = input(true);
  protected readonly ladder = load(toObservable(this.assignment), (id) => this.api.ladder(id), ['assignments', 'notices']);
}
