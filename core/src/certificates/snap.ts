import type { Box } from './design.ts';

/** A line along which something stands: `x` from top to bottom, `y` from left to right, in millimetres. */
export interface Guide {
  axis: 'x' | 'y';
  at: number;
}

/** Which edges of a box move: all of them, or some while it is made larger. */
export interface Grip {
  left: boolean;
  right: boolean;
  top: boolean;
  bottom: boolean;
}
export const WHOLE: Grip = { left: true, right: true, top: true, bottom: true };

/** how near something has to come, in millimetres */
const NEAR = 1.4;
const LEAST = 1;

interface Edges {
  axis: 'x' | 'y';
  /** the edges that move, and the middle where both do */
  moving: readonly number[];
  still: readonly number[];
}

function edgesOf(box: Box, grip: Grip, others: readonly Box[], sheet: { w: number; h: number }): Edges[] {
  const lines = (from: number, size: number): number[] => [from, from + size / 2, from + size];
  const moving = (from: number, size: number, first: boolean, last: boolean): number[] => [
    ...(first ? [from] : []),
    ...(first && last ? [from + size / 2] : []),
    ...(last ? [from + size] : []),
  ];
  return [
    {
      axis: 'x',
      moving: moving(box.x, box.w, grip.left, grip.right),
      still: [...others.flatMap(({ x, w }) => lines(x, w)), ...lines(0, sheet.w)],
    },
    {
      axis: 'y',
      moving: moving(box.y, box.h, grip.top, grip.bottom),
      still: [...others.flatMap(({ y, h }) => lines(y, h)), ...lines(0, sheet.h)],
    },
  ];
}

/**
 * A box that is moved, or made larger by some of its edges, set against what it comes near to: edges and middles of the others
 * and of the sheet.
 * @returns where it stands then, and the lines along which it does
 */
export function snap(box: Box, grip: Grip, others: readonly Box[], sheet: { w: number; h: number }): { box: Box; guides: Guide[] } {
  const shift = { x: 0, y: 0 };
  for (const { axis, moving, still } of edgesOf(box, grip, others, sheet)) {
    let least = NEAR;
    for (const edge of moving)
      for (const line of still)
        if (Math.abs(line - edge) < least) {
          least = Math.abs(line - edge);
          shift[axis] = line - edge;
        }
  }
  const moved = shiftBox(box, grip, shift.x, shift.y);
  const guides = edgesOf(moved, grip, others, sheet).flatMap(({ axis, moving, still }) =>
    [...new Set(still.filter((line) => moving.some((edge) => Math.abs(edge - line) < 0.01)))].map((at): Guide => ({ axis, at })),
  );
  return { box: moved, guides };
}

const hundredth = (n: number): number => Math.round(n * 100) / 100;

/** Moves the edges of a box that a grip holds; no side becomes shorter than a millimetre, nor shorter than it was where it was less. */
export function shiftBox({ x, y, w, h }: Box, { left, right, top, bottom }: Grip, dx: number, dy: number): Box {
  const side = (from: number, size: number, first: boolean, last: boolean, by: number): [number, number] => {
    if (first && last) return [from + by, size];
    const least = Math.min(size, LEAST);
    if (first) {
      const moved = Math.min(by, size - least);
      return [from + moved, size - moved];
    }
    return last ? [from, Math.max(least, size + by)] : [from, size];
  };
  const [nx, nw] = side(x, w, left, right, dx);
  const [ny, nh] = side(y, h, top, bottom, dy);
  return { x: hundredth(nx), y: hundredth(ny), w: hundredth(nw), h: hundredth(nh) };
}
