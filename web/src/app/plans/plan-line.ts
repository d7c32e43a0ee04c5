import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output, signal } from '@angular/core';
import type { PlanStepView } from '@nudrik/contract';
import { anchorEntry, isKnownAhead, tellAmount, tellAnchor, type AnchorEvent, type Unit } from '@nudrik/core';
import { markOf } from '../shared/kind-mark.ts';

export const DAYS: Record<Unit, number> = { minutes: 1 / 1440, hours: 1 / 24, days: 1, 'working days': 1.4, weeks: 7, months: 30 };

interface Flag {
  id: string;
  /** each stays the element that it is: what has the focus, or is dragged, is not to become another */
  key: string;
  x: number;
  y: number;
  base: number;
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
/** anchors that stand on the line itself; each other one has a line of its own below */
const ON_LINE: ReadonlySet<AnchorEvent> = new Set<AnchorEvent>(['assigned', 'due', 'finished']);
const ROW = 56;
const OWN = { x: 250, perDay: 22, low: 90, high: 628 };

/** The plan drawn as the line of time between assigned, due and finished; steps are flags on it, which are dragged or moved by arrows. */
@Component({
  selector: 'nk-plan-line',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <svg [attr.viewBox]="'0 0 ' + width + ' ' + height()" role="group" aria-label="The plan as a line of time">
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
      @for (own of others(); track own.word) {
        <!-- where flags hang before it, the word stands beneath the line -->
        <text [attr.x]="own.isAhead ? own.x + 4 : own.x - 14" [attr.y]="own.isAhead ? own.base + 17 : own.base - 4" class="own">{{ own.word }}</text>
        <line [attr.x1]="own.isAhead ? 90 : own.x" x2="640" [attr.y1]="own.base" [attr.y2]="own.base" class="line" />
        <line [attr.x1]="own.x" [attr.x2]="own.x" [attr.y1]="own.base - 34" [attr.y2]="own.base + 6" class="anchor" />
      }
      @for (flag of flags(); track flag.key) {
        <g
          class="flag"
          [class.chosen]="flag.isChosen"
          [class.off]="flag.isOff"
          [class.repeat]="flag.isRepeat"
          [class.moves]="canMove()"
          [attr.tabindex]="flag.isRepeat ? null : 0"
          [attr.role]="flag.isRepeat ? null : 'button'"
          [attr.aria-label]="flag.isRepeat ? null : flag.label"
          (click)="chose.emit(flag.id)"
          (focus)="flag.isRepeat || chose.emit(flag.id)"
          (keydown)="keyed($event, flag)"
          (pointerdown)="grab($event, flag)"
          (pointermove)="drag($event)"
          (pointerup)="held.set(null)"
          (pointercancel)="held.set(null)"
        >
          <title>{{ flag.label }}</title>
          <line [attr.x1]="flag.x" [attr.x2]="flag.x" [attr.y1]="flag.y + 9" [attr.y2]="flag.base" class="pole" />
          <rect [attr.x]="flag.x - 9" [attr.y]="flag.y - 9" width="18" height="18" rx="2" [class]="flag.tone" />
          <text [attr.x]="flag.x" [attr.y]="flag.y + 4" [class]="'letter ' + flag.tone">{{ flag.letter }}</text>
        </g>
      }
      @if (caption(); as words) {
        <text [attr.x]="words.x" [attr.y]="words.y" class="caption" [class.beside]="words.isBeside">{{ words.text }}</text>
      }
    </svg>
  `,
  styles: `
    svg { display: block; width: 100%; max-width: 880px; margin: 6px 0 0; }
    .line { stroke: var(--ink); stroke-width: 1; }
    .dotted { stroke-dasharray: 2 4; }
    .weekend { fill: #efe6d6; stroke: none; }
    .anchor { stroke: var(--plum); stroke-width: 2; }
    text { font: 12px var(--text); text-anchor: middle; fill: var(--ink); }
    .word { font-weight: 700; fill: var(--plum); font-size: 13px; }
    .own { font-weight: 700; fill: var(--plum); text-anchor: end; }
    .note { fill: var(--quiet); }
    .caption { font-weight: 700; fill: var(--plum); font-size: 13px; } .caption.beside { text-anchor: start; }
    .flag { cursor: pointer; }
    .flag.moves { cursor: ew-resize; touch-action: none; }
    .flag:focus-visible { outline: none; } .flag:focus-visible rect { stroke-width: 3; stroke: var(--plum); }
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
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  readonly steps = input.required<readonly PlanStepView[]>();
  readonly chosen = input<string | null>(null);
  readonly canMove = input(false);
  readonly chose = output<string>();
  /** a flag was moved: its offset in its own unit, before the anchor where it is negative */
  readonly moved = output<{ id: string; amount: number }>();
  /** the same by keys: by how much; one press may follow on another before it is drawn */
  readonly nudged = output<{ id: string; by: number }>();
  /** the flag that is being dragged, where it was taken hold of, and what it hung at then */
  protected readonly held = signal<{ id: string; x: number; amount: number } | null>(null);
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
  /** anchors that happen when they happen, each with a line of its own */
  protected readonly others = computed(() => {
    const words = new Map<string, AnchorEvent>();
    for (const { anchor } of this.steps()) if (!ON_LINE.has(anchor.event)) words.set(ownWord(anchor), anchor.event);
    return [...words].map(([word, event], i) => ({ word, x: OWN.x, base: 176 + (i + 1) * ROW - 14, isAhead: isKnownAhead(event) }));
  });
  protected readonly height = computed(() => 182 + this.others().length * ROW);

  protected readonly flags = computed((): Flag[] => {
    const flags: Flag[] = [];
    for (const step of this.steps()) {
      const { letter, tone } = markOf(step.kind);
      const times = Math.min(3, step.repeat?.times ?? 1);
      for (let k = 0; k < times; k++) {
        const days =
          step.offset.amount * DAYS[step.offset.unit] + (step.repeat ? k * step.repeat.every.amount * DAYS[step.repeat.every.unit] : 0);
        const { origin, low, high, base } = this.placeOf(step);
        const x = Math.min(high, Math.max(low, origin + days * perDay(step, days) + (days === 0 ? 15 : 0)));
        // flags that would cover one another hang lower
        const levels = base === BASE ? [52, 76, 92] : [base - 22];
        const y = levels.find((level) => !flags.some((flag) => flag.y === level && Math.abs(flag.x - x) < 21)) ?? levels.at(-1)!;
        flags.push({
          id: step.id,
          key: `${step.id} ${k}`,
          x,
          y,
          base,
          letter,
          tone,
          isChosen: step.id === this.chosen(),
          isOff: !step.on,
          isRepeat: k > 0,
          label: `${step.name}, ${tellOffset(step)}`,
        });
      }
    }
    return flags;
  });

  protected readonly caption = computed(() => {
    const step = this.steps().find(({ id }) => id === this.chosen());
    const flag = this.flags().find(({ id, isRepeat }) => id === this.chosen() && !isRepeat);
    if (!step || !flag) return null;
    const text = tellOffset(step);
    if (flag.base !== BASE) return { text, x: flag.x + 16, y: flag.y + 4, isBeside: true };
    return { text, x: Math.min(WIDTH - 80, Math.max(80, flag.x)), y: 20, isBeside: false };
  });

  private placeOf({ anchor }: PlanStepView): { origin: number; low: number; high: number; base: number } {
    switch (anchor.event) {
      case 'due':
        return { origin: DUE, low: LEFT + 30, high: 620, base: BASE };
      case 'assigned':
        return { origin: LEFT, low: LEFT + 14, high: DUE - 14, base: BASE };
      case 'finished':
        return { origin: FINISHED, low: FINISHED + 16, high: WIDTH - 12, base: BASE };
      default:
        return { origin: OWN.x, low: OWN.low, high: OWN.high, base: this.others().find(({ word }) => word === ownWord(anchor))!.base };
    }
  }

  protected grab(event: PointerEvent, flag: Flag): void {
    const step = this.steps().find(({ id }) => id === flag.id);
    if (!step || !this.canMove() || flag.isRepeat || event.button !== 0) return;
    (event.currentTarget as Element).setPointerCapture?.(event.pointerId);
    this.chose.emit(flag.id);
    this.held.set({ id: flag.id, x: event.clientX, amount: step.offset.amount });
  }

  protected drag(event: PointerEvent): void {
    const held = this.held();
    const step = held && this.steps().find(({ id }) => id === held.id);
    if (!held || !step) return;
    const scale = WIDTH / (this.host.nativeElement.querySelector('svg')!.getBoundingClientRect().width || WIDTH);
    const pixels = (event.clientX - held.x) * scale;
    const before = held.amount * DAYS[step.offset.unit];
    const to = before * perDay(step, before) + pixels;
    this.move(step, Math.round(to / perDay(step, to) / DAYS[step.offset.unit]));
  }

  protected keyed(event: KeyboardEvent, { id }: Flag): void {
    const step = this.steps().find((one) => one.id === id);
    const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!step || by === 0 || !this.canMove()) return;
    event.preventDefault();
    this.nudged.emit({ id, by: by * (event.shiftKey ? 10 : 1) });
  }

  private move(step: PlanStepView, amount: number): void {
    if (amount !== step.offset.amount) this.moved.emit({ id: step.id, amount });
  }
}

const ownWord = (anchor: PlanStepView['anchor']): string => (anchor.event === 'date' || anchor.outcome ? tellAnchor(anchor as never) : anchorEntry(anchor.event).words); // prettier-ignore

/** Pixels of a day on the line of a step, on its side of the anchor. */
const perDay = ({ anchor }: PlanStepView, days: number): number =>
  anchor.event === 'due' && days > 0 ? PER_DAY_AFTER : ON_LINE.has(anchor.event) ? PER_DAY : OWN.perDay;

function tellOffset({ anchor, offset: { amount, unit } }: PlanStepView): string {
  const what = ownWord(anchor);
  return amount === 0 ? `when ${what}` : `${tellAmount(amount, unit)} ${amount < 0 ? 'before' : 'after'} ${what}`;
}
