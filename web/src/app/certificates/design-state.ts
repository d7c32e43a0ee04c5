import { computed, signal } from '@angular/core';
import {
  ontoSheet,
  PARTS,
  sheetOf,
  shiftBox,
  STARTING_DESIGNS,
  tidyBox,
  WHOLE,
  type Box,
  type CertificatePart,
  type Design,
  type DesignElement,
  type Paper,
} from '@nudrik/core';
import { History } from '../shared/history.ts';

/** What can be put onto a design. */
export const NEW_ELEMENTS = {
  text: 'a text',
  logo: 'the logo',
  signature: 'a signature, as a picture',
  picture: 'a picture',
  rule: 'a line',
  frame: 'a frame',
  code: 'a code to check it',
} as const;
export type NewElement = keyof typeof NEW_ELEMENTS;

/** The parts that are switched as a whole, in the order in which they are told. */
export const SWITCHED = Object.keys(PARTS) as CertificatePart[];

const SAMPLES: readonly DesignElement[] = STARTING_DESIGNS[0].design.elements;

/** A design as it is worked on: what is on it, what is chosen, and what was done to it. */
export class DesignState {
  readonly history: History<Design>;
  readonly design;
  readonly chosen = signal<string | null>(null);
  readonly element = computed(() => this.design().elements.find(({ id }) => id === this.chosen()) ?? null);
  readonly sheet = computed(() => sheetOf(this.design()));

  constructor(first: Design) {
    this.history = new History(first);
    this.design = this.history.value;
  }

  /** Begins anew: another version was loaded. */
  reset(design: Design): void {
    this.history.reset(design);
    this.chosen.set(null);
  }

  set(what: string, change: Partial<Design>): void {
    this.history.change(what, (design) => ({ ...design, ...change }));
  }

  turn(paper: Paper, isLying: boolean): void {
    this.history.rest();
    this.history.change('sheet', (design) => ontoSheet(design, paper, isLying));
  }

  change(id: string, change: Partial<DesignElement>, what = Object.keys(change).join()): void {
    this.history.change(`${id} ${what}`, (design) => ({
      ...design,
      elements: design.elements.map((element) => (element.id === id ? ({ ...element, ...change } as DesignElement) : element)),
    }));
  }

  place(id: string, box: Box): void {
    this.change(id, { box: tidyBox(box) }, 'box');
  }

  /** Moves what is chosen by so many millimetres. */
  nudge(dx: number, dy: number): void {
    const element = this.element();
    if (element) this.place(element.id, shiftBox(element.box, WHOLE, dx, dy));
  }

  /** Switches all that says a part; one that no element says comes onto the sheet. */
  switchPart(part: CertificatePart, isOn: boolean): void {
    this.history.rest();
    const has = this.design().elements.some((element) => element.part === part);
    if (has) {
      this.history.change(`part ${part}`, (design) => ({
        ...design,
        elements: design.elements.map((element) => (element.part === part ? { ...element, isOn } : element)),
      }));
    } else if (isOn) {
      const sample = SAMPLES.find((element) => element.part === part);
      if (sample) this.put({ ...sample, id: this.freeId(part), isOn: true });
    }
  }

  isOn(part: CertificatePart): boolean {
    return this.design().elements.some((element) => element.part === part && element.isOn);
  }

  add(kind: NewElement): void {
    this.history.rest();
    const { w, h } = this.sheet();
    const at = (width: number, height: number): Box => tidyBox({ x: (w - width) / 2, y: (h - height) / 2, w: width, h: height });
    const standing = { id: this.freeId(kind), part: null, isOn: true } as const;
    const colour = '#1e2430';
    switch (kind) {
      case 'text':
        return this.put({ ...standing, kind: 'text', box: at(100, 10), text: 'Some words', label: null, face: 'plain', size: 13, align: 'left', upright: 'top', colour }); // prettier-ignore
      case 'logo':
      case 'signature':
      case 'picture':
        return this.put({ ...standing, kind: 'picture', what: kind, box: at(50, 18), fileId: null, words: { logo: 'Logo', signature: 'Signature', picture: '' }[kind] }); // prettier-ignore
      case 'rule':
        return this.put({ ...standing, kind: 'rule', box: at(120, 0), colour: '#ddd6ca', weight: 0.75 });
      case 'frame':
        return this.put({ ...standing, kind: 'frame', box: at(w - 24, h - 24), colour, weight: 0.75, fill: null, isDouble: false });
      case 'code':
        return this.put({ ...standing, kind: 'code', part: 'check', box: at(24, 24), colour });
    }
  }

  duplicate(): void {
    const element = this.element();
    if (!element) return;
    this.history.rest();
    const { x, y, w, h } = element.box;
    this.put({ ...element, id: this.freeId(element.kind), box: tidyBox({ x: x + 5, y: y + 5, w, h }) });
  }

  remove(): void {
    const id = this.chosen();
    if (id === null) return;
    this.history.rest();
    this.history.change(`remove ${id}`, (design) => ({ ...design, elements: design.elements.filter((element) => element.id !== id) }));
    this.chosen.set(null);
  }

  /** Brings an element further to the front (1) or to the back (-1). */
  layer(id: string, by: 1 | -1): void {
    this.history.rest();
    this.history.change(`layer ${id}`, (design) => {
      const elements = [...design.elements];
      const from = elements.findIndex((element) => element.id === id);
      const to = from + by;
      if (from < 0 || to < 0 || to >= elements.length) return design;
      [elements[from], elements[to]] = [elements[to]!, elements[from]!];
      return { ...design, elements };
    });
  }

  private put(element: DesignElement): void {
    this.history.change(`add ${element.id}`, (design) => ({ ...design, elements: [...design.elements, element] }));
    this.history.rest();
    this.chosen.set(element.id);
  }

  private freeId(base: string): string {
    const taken = new Set(this.design().elements.map(({ id }) => id));
    if (!taken.has(base)) return base;
    for (let n = 2; ; n++) if (!taken.has(`${base}-${n}`)) return `${base}-${n}`;
  }
}
