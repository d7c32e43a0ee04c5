import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { PlanStepView } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { markOf } from '../shared/kind-mark.ts';

const DAYS: Record<string, number> = { minutes: 1 / 1440, hours: 1 / 24, days: 1, 'working days': 1.4, weeks: 7, months: 30 };

interface Flag {
  id: string;
  x: number;
  y: number;
  letter: string;
  tone: string;
  isChosen: boolean;
  isOff: boolean;
  isRepeat: boolean;
  label: string;
}

const LEFT = 46;
const DUE = 486;
const FINISHED = 706;
const WIDTH = 770;
const BASE = 108;
/** the span between assigned and due, drawn as two weeks; what lies after due in a smaller measure, so that repeats find room */
const SPAN_DAYS = 14;
const PER_DAY = (DUE - LEFT) / SPAN_DAYS;
const PER_DAY_AFTER = 13.2;

/** The plan drawn as the line of time between assigned, due and finished; steps are flags on it. */
@Component({
  selector: 'nk-plan-line',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <svg [attr.viewBox]="'0 0 ' + width + ' 176'" role="group" aria-label="The plan as a line of time">
      <rect x="75" [attr.y]="base" width="63" height="5" class="weekend" />
      <rect x="295" [attr.y]="base" width="63" height="5" class="weekend" />
      <line [attr.x1]="left - 10" [attr.x2]="628" [attr.y1]="base" [attr.y2]="base" class="line" />
      <line x1="632" x2="680" [attr.y1]="base" [attr.y2]="base" class="line dotted" />
      <line x1="684" [attr.x2]="width - 4" [attr.y1]="base" [attr.y2]="base" class="line" />
      @for (x of ticks; track x) {
        <line [attr.x1]="x" [attr.x2]="x" [attr.y1]="base" [attr.y2]="base + 5" class="line" />
      }
      @for (mark of anchors; track mark.word) {
        <line [attr.x1]="mark.x" [attr.x2]="mark.x" y1="30" y2="130" class="anchor" />
        <text [attr.x]="mark.x" y="147" class="word">{{ mark.word }}</text>
        <text [attr.x]="mark.x" y="163" class="note">{{ mark.note }}</text>
      }
      @for (flag of flags(); track $index) {
        <g class="flag" [class.chosen]="flag.isChosen" [class.off]="flag.isOff" [class.repeat]="flag.isRepeat" (click)="chose.emit(flag.id)">
          <title>{{ flag.label }}</title>
          <line [attr.x1]="flag.x" [attr.x2]="flag.x" [attr.y1]="flag.y + 9" [attr.y2]="base" class="pole" />
          <rect [attr.x]="flag.x - 9" [attr.y]="flag.y - 9" width="18" height="18" rx="2" [class]="flag.tone" />
          <text [attr.x]="flag.x" [attr.y]="flag.y + 4" [class]="'letter ' + flag.tone">{{ flag.letter }}</text>
        </g>
      }
      @if (caption(); as words) {
        <text [attr.x]="words.x" y="20" class="caption">{{ words.text }}</text>
      }
    </svg>
  `,
  styles: `
    svg { display: block; width: 100%; max-width: 880px; margin: 6px 0 0; }
    .line { stroke: var(--ink); stroke-width: 1; }
    .dotted { stroke-dasharray: 2 4; }
    .weekend { fill: #efe6d6; }
    .anchor { stroke: var(--plum); stroke-width: 2; }
    text { font: 12px var(--text); text-anchor: middle; fill: var(--ink); }
    .word { font-weight: 700; fill: var(--plum); font-size: 13px; }
    .note { fill: var(--quiet); }
    .caption { font-weight: 700; fill: var(--plum); font-size: 13px; }
    .flag { cursor: pointer; }
    .pole { stroke: var(--quiet); stroke-width: 1; }
    rect { stroke: var(--quiet); } rect.soon { stroke: var(--ochre); } rect.late { stroke: var(--brick); } rect.done { stroke: var(--fern); }
    .flag rect { fill: var(--sheet); stroke-width: 1; }
    .letter { font-weight: 700; font-size: 11px; }
    text.soon { fill: var(--ochre); } text.late { fill: var(--brick); } text.done { fill: var(--fern); }
    .chosen rect { stroke-width: 2.4; }
    .chosen .pole { stroke: var(--plum); stroke-width: 2; }
    .off { opacity: 0.35; }
    .repeat { opacity: 0.6; }
  `,
})
export class PlanLine {
  readonly steps = input.required<readonly PlanStepView[]>();
  readonly chosen = input<string | null>(null);
  readonly chose = output<string>();
  protected readonly width = WIDTH;
  protected readonly base = BASE;
  protected readonly left = LEFT;
  protected readonly ticks = [
    ...Array.from({ length: SPAN_DAYS + 1 }, (_, i) => LEFT + i * PER_DAY),
    ...Array.from({ length: 10 }, (_, i) => DUE + (i + 1) * PER_DAY_AFTER),
  ];
  protected readonly anchors = [
    { x: LEFT, word: 'assigned', note: 'day 0' },
    { x: DUE, word: 'due', note: 'each one’s own date' },
    { x: FINISHED, word: 'finished', note: 'whenever it is' },
  ];

  protected readonly flags = computed((): Flag[] => {
    const flags: Flag[] = [];
    for (const step of this.steps()) {
      const { letter, tone } = markOf(step.kind);
      const times = Math.min(3, step.repeat?.times ?? 1);
      for (let k = 0; k < times; k++) {
        const days =
          step.offset.amount * DAYS[step.offset.unit]! + (step.repeat ? k * step.repeat.every.amount * DAYS[step.repeat.every.unit]! : 0);
        const [origin, low, high] =
          step.anchor.event === 'due'
            ? [DUE, LEFT + 30, 620]
            : step.anchor.event === 'assigned'
              ? [LEFT, LEFT + 14, DUE - 14]
              : [FINISHED, FINISHED + 16, WIDTH - 12];
        const perDay = step.anchor.event === 'due' && days > 0 ? PER_DAY_AFTER : PER_DAY;
        const x = Math.min(high, Math.max(low, origin + days * perDay + (days === 0 ? 15 : 0)));
        // flags that would cover one another hang lower
        const y = [52, 76, 92].find((level) => !flags.some((flag) => flag.y === level && Math.abs(flag.x - x) < 21)) ?? 92;
        flags.push({
          id: step.id,
          x,
          y,
          letter,
          tone,
          isChosen: step.id === this.chosen(),
          isOff: !step.on,
          isRepeat: k > 0,
          label: step.name,
        });
      }
    }
    // the chosen one on top
    return flags.sort((a, b) => Number(a.isChosen) - Number(b.isChosen));
  });

  protected readonly caption = computed(() => {
    const step = this.steps().find(({ id }) => id === this.chosen());
    const flag = this.flags().find(({ id, isRepeat }) => id === this.chosen() && !isRepeat);
    if (!step || !flag) return null;
    const { amount, unit } = step.offset;
    const text =
      amount === 0 ? `when ${step.anchor.event}` : `${tellAmount(amount, unit)} ${amount < 0 ? 'before' : 'after'} ${step.anchor.event}`;
    return { text, x: Math.min(WIDTH - 80, Math.max(80, flag.x)) };
  });
}
