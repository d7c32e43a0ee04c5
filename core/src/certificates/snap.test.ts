import { describe, expect, it } from 'vitest';
import { shiftBox, snap, WHOLE } from './snap.ts';

const sheet = { w: 297, h: 210 };
const other = { x: 40, y: 50, w: 100, h: 20 };

describe('what is moved', () => {
  it('is set against edges and middles of others that it comes near to, and says along which lines', () => {
    const { box, guides } = snap({ x: 40.9, y: 80, w: 30, h: 10 }, WHOLE, [other], sheet);
    expect(box).toEqual({ x: 40, y: 80, w: 30, h: 10 });
    expect(guides).toEqual([{ axis: 'x', at: 40 }]);
    expect(snap({ x: 76, y: 91, w: 30, h: 10 }, WHOLE, [other], sheet).box.x).toBe(75); // middles at 90
    expect(snap({ x: 133, y: 100.7, w: 30, h: 10 }, WHOLE, [], sheet)).toEqual({
      box: { x: 133.5, y: 100, w: 30, h: 10 },
      guides: [{ axis: 'x', at: 148.5 }, { axis: 'y', at: 105 }],
    }); // prettier-ignore
  });
  it('stays where nothing is near', () => {
    const box = { x: 200, y: 150, w: 30, h: 10 };
    expect(snap(box, WHOLE, [other], sheet)).toEqual({ box, guides: [] });
  });
});

describe('what is made larger', () => {
  it('keeps its other edges, and is set against what the moved one comes near to', () => {
    const grip = { left: false, right: true, top: false, bottom: true };
    const { box, guides } = snap({ x: 60, y: 40, w: 79.2, h: 29.5 }, grip, [other], sheet);
    expect(box).toEqual({ x: 60, y: 40, w: 80, h: 30 });
    expect(guides).toEqual([{ axis: 'x', at: 140 }, { axis: 'y', at: 70 }]); // prettier-ignore
  });
  it('never turns inside out', () => {
    expect(shiftBox({ x: 10, y: 10, w: 20, h: 20 }, { ...WHOLE, right: false, bottom: false }, 50, 50)).toEqual({
      x: 29,
      y: 29,
      w: 1,
      h: 1,
    });
    expect(shiftBox({ x: 10, y: 10, w: 20, h: 0 }, { ...WHOLE, left: false, top: false }, -50, 0)).toEqual({ x: 10, y: 10, w: 1, h: 0 });
  });
});
