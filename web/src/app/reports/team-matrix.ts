import { ChangeDetectionStrategy, Component, computed, input, signal } from '@angular/core';
import type { TeamView } from '@nudrik/contract';
import { CELLS, CELL_MARKS, CELL_WORDS, dayOf, tellCell, tellDate } from '@nudrik/core';

const FEW = 10;

/** A manager's people by courses: one mark each, with its day beside it for whoever points at it or cannot see it. */
@Component({
  selector: 'nk-team-matrix',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (view().people.length) {
      <section aria-label="At a glance">
        <h2>At a glance</h2>
        <div class="scroll" tabindex="0" role="group" aria-label="People by courses">
          <table class="list">
            <thead><tr><th>Person</th>@for (course of view().courses; track course.id) {<th class="course">{{ course.title }}</th>}</tr></thead>
            <tbody>
              @for (row of shown(); track row.id) {
                <tr>
                  <td class="nowrap">{{ row.name }}</td>
                  @for (cell of row.cells; track $index) {
                    <td class="cell" [class]="cell?.state ?? ''" [attr.title]="cell?.words ?? null">@if (cell) {<span aria-hidden="true">{{ cell.mark }}</span><span class="sr">{{ cell.words }}</span>}</td>
                  }
                </tr>
              }
            </tbody>
          </table>
        </div>
        <p class="quiet small">@for (state of states; track state) {<span class="key"><b [class]="state">{{ marks[state] }}</b> {{ short[state] }}</span>}</p>
        @if (view().people.length > few && !isWhole()) {<button class="link" (click)="isWhole.set(true)">Show the {{ view().people.length }} most urgent</button>}
      </section>
    }
  `,
  styles: `
    section { margin-bottom: 22px; }
    .scroll { overflow-x: auto; }
    .course { font-weight: 400; max-width: 110px; white-space: normal; vertical-align: bottom; text-align: center; }
    .cell { text-align: center; font-weight: 600; }
    .key { margin-right: 14px; }
    .late, .lapsed { color: var(--brick); }
    .due, .expiring { color: var(--ochre); }
    .held { color: var(--fern); }
    .waived { color: var(--quiet); }
    .sr { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
  `,
})
export class TeamMatrix {
  readonly view = input.required<TeamView['matrix']>();
  protected readonly isWhole = signal(false);
  protected readonly states = CELLS;
  protected readonly marks = CELL_MARKS;
  protected readonly short = CELL_WORDS;
  protected readonly few = FEW;
  protected readonly shown = computed(() => {
    const { courses, people } = this.view();
    return (this.isWhole() ? people : people.slice(0, FEW)).map(({ id, name, cells }) => {
      const of = new Map(cells.map((cell) => [cell.course, cell]));
      return {
        id,
        name,
        cells: courses.map((course) => {
          const cell = of.get(course.id);
          return cell ? { state: cell.state, mark: CELL_MARKS[cell.state], words: tellCell(cell.state, cell.on && tellDate(dayOf(cell.on))) } : null;
        }),
      };
    }); // prettier-ignore
  });
}
