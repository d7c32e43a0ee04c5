import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, signal } from '@angular/core';
import { elementName, snap, shiftBox, WHOLE, type Box, type DesignElement, type Grip, type Guide } from '@nudrik/core';
import type { DesignState } from './design-state.ts';

/** An element as it was drawn last: where it stood then. */
export interface Piece {
  src: string;
  box: Box;
}

const CORNERS: readonly { name: string; grip: Grip; place: string }[] = [
  { name: 'upper left', grip: { left: true, right: false, top: true, bottom: false }, place: 'left: -5px; top: -5px; cursor: nwse-resize' },
  {
    name: 'upper right',
    grip: { left: false, right: true, top: true, bottom: false },
    place: 'right: -5px; top: -5px; cursor: nesw-resize',
  },
  {
    name: 'lower left',
    grip: { left: true, right: false, top: false, bottom: true },
    place: 'left: -5px; bottom: -5px; cursor: nesw-resize',
  },
  {
    name: 'lower right',
    grip: { left: false, right: true, top: false, bottom: true },
    place: 'right: -5px; bottom: -5px; cursor: nwse-resize',
  },
];
/** moved by less is a press */
const STILL_PX = 3;

/** The sheet with what stands on it: chosen by a press, placed by dragging with lines to align to, or by arrow keys. */
@Component({
  selector: 'nk-design-canvas',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @let state = design();
    @let sheet = state.sheet();
    <div class="sheet-of" [style.aspect-ratio]="sheet.w + ' / ' + sheet.h" [style.background]="state.design().colour" role="group" aria-label="The sheet, its elements from the back to the front" (pointerdown)="leave($event)">
      @if (background(); as src) {<img class="whole" [src]="src" alt="" />}
      @for (element of state.design().elements; track element.id) {
        @if (element.isOn) {
          @if (pieces().get(element.id); as piece) {<img class="whole" [src]="piece.src" alt="" [style.transform]="movedBy(element, piece)" />}
        }
      }
      @for (element of state.design().elements; track element.id) {
        @if (element.isOn) {
          <div
            tabindex="0" role="group" class="box" [class.chosen]="state.chosen() === element.id" [class.line]="element.kind === 'rule'" [class.around]="element.kind === 'frame' && !element.fill"
            [style.left.%]="(element.box.x / sheet.w) * 100" [style.top.%]="(element.box.y / sheet.h) * 100" [style.width.%]="(element.box.w / sheet.w) * 100" [style.height.%]="(element.box.h / sheet.h) * 100"
            [attr.aria-label]="nameOf(element)" [attr.aria-current]="state.chosen() === element.id ? 'true' : null"
            (focus)="state.chosen.set(element.id)" (pointerdown)="hold($event, element, whole)" (pointermove)="drag($event)" (pointerup)="drop()" (pointercancel)="drop()" (keydown)="key($event)"
          ></div>
        }
      }
      @if (state.element(); as element) {
        @if (element.isOn && canChange()) {
          <div class="grips" [style.left.%]="(element.box.x / sheet.w) * 100" [style.top.%]="(element.box.y / sheet.h) * 100" [style.width.%]="(element.box.w / sheet.w) * 100" [style.height.%]="(element.box.h / sheet.h) * 100">
            @for (corner of corners; track corner.name) {
              <span class="grip" [attr.style]="corner.place" (pointerdown)="hold($event, element, corner.grip)" (pointermove)="drag($event)" (pointerup)="drop()" (pointercancel)="drop()"></span>
            }
          </div>
        }
      }
      @for (guide of guides(); track guide.axis + guide.at) {
        <span class="guide" [class.down]="guide.axis === 'x'" [style.left.%]="guide.axis === 'x' ? (guide.at / sheet.w) * 100 : 0" [style.top.%]="guide.axis === 'y' ? (guide.at / sheet.h) * 100 : 0"></span>
      }
      @if (told(); as words) {<span class="told" role="status">{{ words }}</span>}
    </div>
  `,
  styles: `
    :host { display: block; }
    .sheet-of { position: relative; width: 100%; box-shadow: 0 1px 8px rgb(30 36 48 / 16%); border: 1px solid var(--rule); overflow: hidden; touch-action: none; }
    .whole { position: absolute; inset: 0; width: 100%; height: 100%; pointer-events: none; user-select: none; }
    .box { position: absolute; border: 1px dashed transparent; cursor: move; min-height: 3px; user-select: none; }
    /* a thin line, and a frame, are caught where they are seen */
    .box.line::after { content: ''; position: absolute; inset: -5px 0; }
    .box.around { pointer-events: none; clip-path: none; }
    .box.around::after { content: ''; position: absolute; inset: -4px; border: 8px solid transparent; pointer-events: auto; }
    .box:hover { border-color: var(--rule-strong); }
    .box.chosen { border: 1px solid var(--plum); outline: none; }
    .grips { position: absolute; pointer-events: none; }
    .grip { position: absolute; width: 9px; height: 9px; background: var(--sheet); border: 1px solid var(--plum); pointer-events: auto; }
    .guide { position: absolute; height: 1px; width: 100%; background: var(--fern); pointer-events: none; }
    .guide.down { width: 1px; height: 100%; }
    .told { position: absolute; right: 6px; bottom: 6px; background: var(--sheet); border: 1px solid var(--rule); padding: 1px 7px; font-size: 12px; pointer-events: none; }
  `,
})
export class DesignCanvas {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  readonly design = input.required<DesignState>();
  readonly pieces = input.required<ReadonlyMap<string, Piece>>();
  readonly background = input<string | null>(null);
  readonly canChange = input(true);
  protected readonly whole = WHOLE;
  protected readonly corners = CORNERS;
  protected readonly guides = signal<readonly Guide[]>([]);
  private readonly held = signal<{ id: string; from: Box; grip: Grip; x: number; y: number; isMoved: boolean } | null>(null);
  /** where it stands, while it is dragged */
  protected readonly told = computed(() => {
    const element = this.design().element();
    if (!this.held()?.isMoved || !element) return null;
    const { x, y, w, h } = element.box;
    return `${x.toFixed(1)} from the left, ${y.toFixed(1)} from the top; ${w.toFixed(1)} × ${h.toFixed(1)} mm`;
  });

  protected readonly nameOf = elementName;

  /** What was drawn goes along until it is drawn anew. */
  protected movedBy({ box }: DesignElement, piece: Piece): string {
    const { w, h } = this.design().sheet();
    return `translate(${((box.x - piece.box.x) / w) * 100}%, ${((box.y - piece.box.y) / h) * 100}%)`;
  }

  protected hold(event: PointerEvent, element: DesignElement, grip: Grip): void {
    event.stopPropagation();
    this.design().chosen.set(element.id);
    if (!this.canChange() || event.button !== 0) return;
    (event.target as HTMLElement).setPointerCapture(event.pointerId);
    this.design().history.rest();
    this.held.set({ id: element.id, from: element.box, grip, x: event.clientX, y: event.clientY, isMoved: false });
  }

  protected drag(event: PointerEvent): void {
    const held = this.held();
    if (!held) return;
    const isMoved = held.isMoved || Math.hypot(event.clientX - held.x, event.clientY - held.y) > STILL_PX;
    if (!isMoved) return;
    if (!held.isMoved) this.held.set({ ...held, isMoved });
    const state = this.design();
    const sheet = state.sheet();
    const scale = sheet.w / this.host.nativeElement.clientWidth;
    const moved = shiftBox(held.from, held.grip, (event.clientX - held.x) * scale, (event.clientY - held.y) * scale);
    const others = state.design().elements.filter(({ id, isOn }) => isOn && id !== held.id).map(({ box }) => box); // prettier-ignore
    // with Alt it stands where the hand is
    const found = event.altKey ? { box: moved, guides: [] } : snap(moved, held.grip, others, sheet);
    this.guides.set(found.guides);
    state.place(held.id, found.box);
  }

  protected drop(): void {
    this.held.set(null);
    this.guides.set([]);
    this.design().history.rest();
  }

  /** A press beside everything chooses nothing. */
  protected leave(event: PointerEvent): void {
    if (event.target === event.currentTarget) this.design().chosen.set(null);
  }

  protected key(event: KeyboardEvent): void {
    const state = this.design();
    if (event.key === 'Escape') {
      event.stopPropagation();
      state.chosen.set(null);
      return;
    }
    if (!this.canChange()) return;
    const by = event.altKey ? 0.1 : event.shiftKey ? 5 : 1;
    const moves: Record<string, [number, number]> = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] };
    const move = moves[event.key];
    if (move) state.nudge(...move);
    else if (event.key === 'Delete' || event.key === 'Backspace') state.remove();
    else if (event.key === '+' || event.key === '-') state.layer(state.chosen()!, event.key === '+' ? 1 : -1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
}
