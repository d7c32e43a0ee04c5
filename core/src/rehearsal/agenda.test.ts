import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Agenda } from './agenda.ts';

const thing = fc.record({ at: fc.nat(6), rank: fc.nat(6) });
type Thing = { at: number; rank: number };
const compare = (a: Thing, b: Thing): number => a.at - b.at || a.rank - b.rank;

describe('an agenda', () => {
  it('gives the earliest first whatever is added in between, and loses nothing', () =>
    void fc.assert(
      fc.property(fc.array(fc.option(thing)), (moves) => {
        const agenda = new Agenda<Thing>((a, b) => a.rank - b.rank);
        const expected: Thing[] = [];
        // null takes one out, a thing is put in
        for (const move of [...moves, ...moves.map(() => null)]) {
          if (move) {
            agenda.push(move);
            expected.push(move);
          } else {
            const taken = agenda.pop();
            expected.sort(compare);
            expect(taken).toEqual(expected.shift());
          }
        }
        expect(agenda.pop()).toBeUndefined();
      }),
    ));
});
