import { ChangeDetectionStrategy, Component, computed, inject, input, viewChild } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import type { FigureName, FigureView } from '@nudrik/contract';
import { dayOf, FIGURE_WORDS, tellDate } from '@nudrik/core';
import { debounceTime } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { FigureChart } from './figure-chart.ts';
import { ReportFiles } from './report-files.ts';
import { ReportsApi } from './reports.api.ts';

const UNITS: Partial<Record<FigureView['columns'][number]['unit'], string>> = { percent: ' %', days: ' days', hours: ' h' };

/** One figure: its picture, its table, how it is counted; each number leads to whom it counts. */
@Component({
  selector: 'nk-figure',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FigureChart, ReportFiles, RouterLink],
  template: `
    <section class="figure" [attr.aria-label]="words().title">
      <div class="head">
        <h2>{{ words().title }}</h2>
        <span class="grow"></span>
        @if (figure.data()?.rows?.length) {
          <button class="button" (click)="keep()">PNG</button>
          <nk-report-files [of]="file()" [title]="words().title" />
        }
      </div>
      @if (figure.data(); as view) {
        <p class="quiet small">{{ name() === 'ageing' ? 'At the end of ' + days(view.to) : days(view.from) + ' to ' + days(view.to) }}</p>
        @if (view.rows.length === 0) {
          <p class="quiet">Nothing of this in these days.</p>
        } @else {
          @if (view.chart) {<nk-figure-chart [figure]="view" [label]="words().title" [style.height.px]="height()" />}
          <details [open]="isTableOpen()">
            <summary>The numbers</summary>
            <div class="scroll">
              <table class="list small">
                <thead><tr><th>{{ view.rowsAre }}</th>@for (column of view.columns; track $index) {<th class="num">{{ column.head }}</th>}</tr></thead>
                <tbody>
                  @for (row of view.rows; track $index) {
                    <tr>
                      <td>@if (row.link; as link) {<a class="plain" [routerLink]="link.path" [queryParams]="link.query">{{ row.label }}</a>} @else {{{ row.label }}}</td>
                      @for (cell of row.cells; track $index) {
                        <td class="num nowrap">@if (cell.value === null) {<span class="quiet">–</span>} @else if (cell.link) {<a [routerLink]="cell.link.path" [queryParams]="cell.link.query">{{ cell.value }}{{ units()[$index] }}</a>} @else {{{ cell.value }}{{ units()[$index] }}}</td>
                      }
                    </tr>
                  }
                </tbody>
              </table>
            </div>
          </details>
        }
        <details><summary>How it is counted</summary><p class="how">{{ words().how }}</p></details>
      } @else if (figure.error()) {
        <p class="refusal" role="alert">{{ figure.error() }} <button class="link" (click)="figure.reload()">Try again</button></p>
      } @else {
        <p class="loading">Counting …</p>
      }
    </section>
  `,
  styles: `
    .figure { border: 1px solid var(--rule); background: var(--sheet); padding: 12px 16px; margin-bottom: 16px; max-width: 1100px; }
    .head { display: flex; gap: 8px; align-items: baseline; flex-wrap: wrap; }
    .grow { flex: 1; }
    h2 { margin: 0; }
    nk-figure-chart { margin: 8px 0; }
    summary { cursor: pointer; min-height: 24px; }
    .scroll { overflow: auto; max-height: 360px; }
    .how { max-width: 760px; }
  `,
})
export class Figure {
  private readonly api = inject(ReportsApi);
  readonly name = input.required<FigureName>();
  readonly params = input.required<Record<string, string>>();
  readonly isTableOpen = input(false);
  private readonly chart = viewChild(FigureChart);
  protected readonly words = computed(() => FIGURE_WORDS[this.name()]);
  private readonly asked = computed(() => ({ name: this.name(), params: this.params() }));
  protected readonly figure = load(toObservable(this.asked).pipe(debounceTime(30)), ({ name, params }) => this.api.figure(name, params), ['assignments', 'clock']);
  protected readonly file = computed(() => ({ report: 'figure', name: this.name(), ...this.params() }));
  protected readonly units = computed(() => this.figure.data()?.columns.map(({ unit }) => UNITS[unit] ?? '') ?? []);
  protected readonly height = computed(() => {
    const view = this.figure.data();
    return !view || view.chart?.kind === 'lines' ? 170 : Math.min(520, 60 + 26 * Math.min(25, view.rows.length));
  });
  protected readonly days = (day: string): string => tellDate(dayOf(day));

  protected keep(): void {
    const link = document.createElement('a');
    link.href = this.chart()?.picture() ?? '';
    link.download = `${this.words().title}.png`;
    link.click();
  }
} // prettier-ignore
