import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { AsOfTold } from '@nudrik/contract';
import { dayOf, tellAmount, tellDay, type Known } from '@nudrik/core';
import { SelectField } from '../shared/pick/select.ts';

/** What stands in the address of a page of figures. */
export interface AsOfChoice {
  on: string | null;
  known: Known | null;
}

/** Which day that has passed a page tells of, by which reading, and what the other reading tells differently. */
@Component({
  selector: 'nk-as-of',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, SelectField],
  template: `
    @if (told(); as at) {
      <section class="as-of" aria-label="As of a day that has passed">
        <p>
          <b>At the end of {{ words(at.on) }}</b> <nk-select label="By what is known when" [options]="readings" [ngModel]="at.known" (ngModelChange)="changed.emit({ on: at.on, known: $event === 'then' ? null : $event })" />&ngsp;<button class="link" (click)="changed.emit({ on: null, known: null })">Back to now</button>
        </p>
        @if (at.differs.count === 0) {
          <p class="quiet small">Nothing went on the record later that would change it: both tell the same.</p>
        } @else {
          <details>
            <summary>{{ amount(at.differs.count) }}</summary>
            <table class="list small">
              <thead><tr><th>Who</th><th>Course</th><th>Known then</th><th>Known now</th></tr></thead>
              <tbody>
                @for (row of at.differs.first; track $index) {
                  <tr>
                    <td>@if (leadsToPeople()) {<a class="plain" [routerLink]="['/people', row.person.id]">{{ row.person.name }}</a>} @else {{{ row.person.name }}}</td>
                    <td>{{ row.course?.title ?? '' }}</td>
                    <td>{{ row.then }}</td>
                    <td>{{ row.now }}</td>
                  </tr>
                }
              </tbody>
            </table>
            @if (at.differs.count > at.differs.first.length) {<p class="quiet small">The first {{ at.differs.first.length }} by name.</p>}
          </details>
        }
      </section>
    }
  `,
  styles: `
    .as-of { border-left: 3px solid var(--plum); padding: 6px 12px; margin: 0 0 12px; background: var(--sheet); }
    p { display: flex; align-items: center; gap: 8px; flex-wrap: wrap; }
    summary { cursor: pointer; min-height: 24px; }
    table { margin: 6px 0; max-width: 900px; }
  `,
})
export class AsOf {
  readonly told = input.required<AsOfTold | null>();
  /** not for those whose role has no page of people */
  readonly leadsToPeople = input(true);
  readonly changed = output<AsOfChoice>();
  protected readonly readings = [
    { value: 'then', label: 'as it was known then' },
    { value: 'now', label: 'as is known now' },
  ];
  protected readonly words = (on: string): string => `${tellDay(dayOf(on))} ${on.slice(0, 4)}`;
  protected readonly amount = (count: number): string =>
    `${tellAmount(count, 'entries')} went on the record later, and ${count === 1 ? 'changes' : 'change'} what is told: who`;
}
