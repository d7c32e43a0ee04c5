import { ChangeDetectionStrategy, Component, DestroyRef, effect, inject, input, viewChild, type ElementRef } from '@angular/core';
import type { OverTime } from '@nudrik/contract';
import { dayOf, tellDate } from '@nudrik/core';
import { CategoryScale, Chart, Filler, Legend, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';

Chart.register(LineController, LineElement, PointElement, LinearScale, CategoryScale, Filler, Tooltip, Legend);
Chart.defaults.font.family = "'Atkinson Hyperlegible Next Variable', sans-serif";
Chart.defaults.font.size = 12;
Chart.defaults.color = '#5b6472';

/** Finished, in progress, not started and late at the end of each week. */
@Component({
  selector: 'nk-over-time-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<canvas #canvas role="img" aria-label="Finished, in progress, not started and late over the last twelve months"></canvas>`,
  styles: `:host { position: relative; } canvas { width: 100%; height: 100%; }`,
})
export class OverTimeChart {
  readonly points = input.required<OverTime['points']>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private chart: Chart<'line'> | null = null;

  constructor() {
    effect(() => this.draw());
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  private draw(): void {
    const points = this.points();
    const line = (label: string, key: 'finished' | 'started' | 'waiting' | 'late', color: string, dash: number[]) => ({
      label,
      data: points.map((point) => point[key]),
      borderColor: color,
      backgroundColor: color,
      borderWidth: 1.6,
      borderDash: dash,
      pointRadius: 0,
      pointHitRadius: 8,
      tension: 0,
    });
    const data = {
      labels: points.map((point) => tellDate(dayOf(point.day))),
      datasets: [
        line('finished', 'finished', '#2F6B3A', []),
        line('in progress', 'started', '#1E2430', [6, 3]),
        line('not started', 'waiting', '#5B6472', [1, 3]),
        line('late', 'late', '#A93A24', [2, 2]),
      ],
    };
    if (this.chart) {
      this.chart.data = data;
      this.chart.update('none');
      return;
    }
    this.chart = new Chart(this.canvas().nativeElement, {
      type: 'line',
      data,
      options: {
        animation: false,
        maintainAspectRatio: false,
        interaction: { mode: 'index', intersect: false },
        plugins: {
          legend: { position: 'right', labels: { boxWidth: 22, boxHeight: 1, color: '#1e2430' } },
          tooltip: { backgroundColor: '#1E2430', cornerRadius: 2 },
        },
        scales: {
          x: { grid: { display: false }, border: { color: '#b9b0a1' }, ticks: { maxTicksLimit: 7, maxRotation: 0 } },
          y: { beginAtZero: true, border: { display: false }, grid: { color: '#ddd6ca' }, ticks: { maxTicksLimit: 4, precision: 0 } },
        },
      },
    });
  }
}
