import { ChangeDetectionStrategy, Component, DestroyRef, effect, inject, input, output, viewChild, type ElementRef } from '@angular/core';
import { dayOf, KINDS, tellDay, type ForwardDay } from '@nudrik/core';
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

const COLOURS: Readonly<Record<string, string>> = {
  invitation: '#1E2430',
  onboarding: '#5B6472',
  reminder: '#8A5A00',
  late: '#A93A24',
  manager: '#D48A79',
  certificate: '#2F6B3A',
  'follow-up': '#B9B0A1',
};

/** Messages day by day, by kind, and beside them another supposition as a line. The same stands in the table below. */
@Component({
  selector: 'nk-forward-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<canvas #canvas role="img" aria-label="Messages by day and kind; the table below says the same"></canvas>`,
  styles: `:host { position: relative; display: block; height: 210px; } canvas { width: 100%; height: 100%; }`,
})
export class ForwardChart {
  readonly days = input.required<readonly ForwardDay[]>();
  readonly beside = input<readonly ForwardDay[] | null>(null);
  readonly besideWords = input('');
  readonly chose = output<string>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private chart: Chart | null = null;

  constructor() {
    effect(() => this.draw());
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  private draw(): void {
    const days = this.days();
    const beside = this.beside();
    const kinds = KINDS.filter((kind) => days.some((day) => day.kinds[kind]));
    const other = new Map(beside?.map(({ day, mails }) => [day, mails]));
    const data = {
      labels: days.map(({ day }) => tellDay(dayOf(day))),
      datasets: [
        ...(beside
          ? [{ type: 'line' as const, label: this.besideWords(), data: days.map(({ day }) => other.get(day) ?? 0), borderColor: '#6C2A5E', backgroundColor: '#6C2A5E', borderWidth: 1.6, borderDash: [4, 3], pointRadius: 2, stepped: 'middle' as const }]
          : []),
        ...kinds.map((kind) => ({
          type: 'bar' as const,
          label: kind,
          data: days.map((day) => day.kinds[kind] ?? 0),
          backgroundColor: COLOURS[kind]!,
          stack: 'mails',
          categoryPercentage: 0.86,
          barPercentage: 0.9,
        })),
      ],
    }; // prettier-ignore
    if (this.chart) {
      this.chart.data = data;
      this.chart.update('none');
      return;
    }
    this.chart = new Chart(this.canvas().nativeElement, {
      type: 'bar',
      data,
      options: {
        animation: false,
        maintainAspectRatio: false,
        interaction: { mode: 'index', intersect: false },
        onClick: (_, [hit]) => {
          const day = hit && this.days()[hit.index];
          if (day) this.chose.emit(day.day);
        },
        plugins: {
          legend: { position: 'top', align: 'start', labels: { boxWidth: 10, boxHeight: 10, color: '#1e2430' } },
          tooltip: { backgroundColor: '#1E2430', cornerRadius: 2 },
        },
        scales: {
          x: { stacked: true, grid: { display: false }, border: { color: '#b9b0a1' }, ticks: { maxTicksLimit: 10, maxRotation: 0 } },
          y: {
            stacked: true,
            beginAtZero: true,
            border: { display: false },
            grid: { color: '#ddd6ca' },
            ticks: { maxTicksLimit: 4, precision: 0 },
          },
        },
      },
    });
  }
}
