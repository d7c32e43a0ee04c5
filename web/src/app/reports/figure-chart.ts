import { ChangeDetectionStrategy, Component, DestroyRef, effect, inject, input, viewChild, type ElementRef } from '@angular/core';
import type { FigureView } from '@nudrik/contract';
import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
} from 'chart.js';

Chart.register(BarController, BarElement, LineController, LineElement, PointElement, LinearScale, CategoryScale, Tooltip, Legend);
Chart.defaults.font.family = "'Atkinson Hyperlegible Next Variable', sans-serif";
Chart.defaults.font.size = 12;
Chart.defaults.color = '#5b6472';

/** Ink, and how lines are told apart without colour. */
const LOOKS: readonly { color: string; dash: number[] }[] = [
  { color: '#2F6B3A', dash: [] },
  { color: '#1E2430', dash: [6, 3] },
  { color: '#8A8172', dash: [1, 3] },
  { color: '#A93A24', dash: [2, 2] },
  { color: '#6C2A5E', dash: [8, 2, 2, 2] },
];
/** Of few: what is trouble first. */
const FEW = ['#A93A24', '#1E2430', '#2F6B3A'];
const PLUM = '#6C2A5E';
/** From light to heavy: what is longer is darker. */
const BANDS = ['#d8cfe0', '#b59cc0', '#8f6a9c', '#6c2a5e', '#3c1234'];
/** Rows that are drawn: the table has them all. */
const MOST_DRAWN = 25;

/** A figure as lines over weeks, or as bars by what its rows are. What it says stands in the table beside it. */
@Component({
  selector: 'nk-figure-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<canvas #canvas role="img" [attr.aria-label]="label()"></canvas>`,
  styles: `:host { position: relative; display: block; } canvas { width: 100%; height: 100%; }`,
})
export class FigureChart {
  readonly figure = input.required<FigureView>();
  readonly label = input.required<string>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private chart: Chart | null = null;

  constructor() {
    effect(() => this.draw());
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  /** The picture as PNG, on the colour of the sheet. */
  picture(): string {
    const { nativeElement: drawn } = this.canvas();
    const copy = document.createElement('canvas');
    copy.width = drawn.width;
    copy.height = drawn.height;
    const context = copy.getContext('2d')!;
    context.fillStyle = '#ffffff';
    context.fillRect(0, 0, copy.width, copy.height);
    context.drawImage(drawn, 0, 0);
    return copy.toDataURL('image/png');
  }

  private draw(): void {
    const { chart, columns, rows } = this.figure();
    this.chart?.destroy();
    this.chart = null;
    if (chart === null || rows.length === 0) return;
    const isLines = chart.kind === 'lines';
    const drawn = isLines ? rows : rows.slice(0, MOST_DRAWN);
    const count = chart.columns.length;
    const colorOf = (i: number): string =>
      chart.kind === 'stacked'
        ? BANDS[i % BANDS.length]!
        : count === 1
          ? PLUM
          : count <= FEW.length
            ? FEW[i]!
            : LOOKS[i % LOOKS.length]!.color;
    this.chart = new Chart(this.canvas().nativeElement, {
      type: isLines ? 'line' : 'bar',
      data: {
        labels: drawn.map(({ label }) => label),
        datasets: chart.columns.map((column, i) => ({
          label: columns[column]!.head,
          data: drawn.map(({ cells }) => cells[column]!.value),
          borderColor: colorOf(i),
          backgroundColor: colorOf(i),
          borderWidth: isLines ? 1.6 : 0,
          ...(isLines ? { borderDash: LOOKS[i % LOOKS.length]!.dash, pointRadius: drawn.length < 3 ? 3 : 0, pointHitRadius: 8 } : { maxBarThickness: 18 }),
        })),
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        indexAxis: isLines ? 'x' : 'y',
        interaction: { mode: 'index', intersect: false, axis: isLines ? 'x' : 'y' },
        plugins: {
          legend: { display: chart.columns.length > 1, position: isLines ? 'right' : 'top', align: 'start', labels: { boxWidth: isLines ? 22 : 12, boxHeight: isLines ? 1 : 12, color: '#1e2430' } },
          tooltip: { backgroundColor: '#1E2430', cornerRadius: 2 },
        },
        scales: {
          x: { stacked: chart.kind === 'stacked', beginAtZero: true, grid: { display: !isLines, color: '#ddd6ca' }, border: { color: '#b9b0a1' }, ticks: { maxTicksLimit: 7, maxRotation: 0, ...(isLines ? {} : { precision: 0 }) } },
          y: { stacked: chart.kind === 'stacked', beginAtZero: true, border: { display: false }, grid: { display: isLines, color: '#ddd6ca' }, ticks: isLines ? { maxTicksLimit: 4, precision: 0 } : { autoSkip: false } },
        },
      },
    } as never); // prettier-ignore
  }
}
