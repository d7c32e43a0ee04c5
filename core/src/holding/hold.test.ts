import { describe, expect, it } from 'vitest';
import { holdCovers, holdOver, tellHeldBy, type Hold, type Holdable, type HoldScope } from './hold.ts';

const structure = { parentOf: (id: string) => ({ deck: 'ships', ships: 'all' })[id] ?? null, managerOf: () => null };
const what: Holdable = { course: 'fire', isByHand: false, person: 'runa', department: 'deck', addressee: 'kari' };
const hold = (scope: HoldScope, of: string | null, more: Partial<Hold> = {}): Hold => ({
  id: `${scope} ${of}`,
  scope,
  of,
  name: of ?? '',
  from: 0,
  until: null,
  by: 'Sigrid Aune',
  reason: 'dry dock',
  ...more,
});

describe('a hold', () => {
  it.each<[HoldScope, string | null, Partial<Holdable>, boolean]>([
    ['everything', null, {}, true],
    ['course', 'fire', {}, true],
    ['course', 'cash', {}, false],
    ['course', 'fire', { isByHand: true }, true],
    ['plan', 'fire', {}, true],
    ['plan', 'fire', { isByHand: true }, false],
    ['department', 'deck', {}, true],
    ['department', 'ships', {}, true],
    ['department', 'all', {}, true],
    ['department', 'ships', { department: 'office' }, false],
    ['department', 'ships', { department: null }, false],
    ['person', 'runa', {}, true],
    ['person', 'kari', {}, true],
    ['person', 'per', {}, false],
  ])('of %s %s is about %o: %s', (scope, of, more, isAbout) =>
    expect(holdCovers(hold(scope, of), { ...what, ...more }, structure)).toBe(isAbout),
  );

  it('stands from its making to the morning of its day', () => {
    const until = hold('course', 'fire', { from: 1_000, until: '1970-01-11' });
    const at = (now: number, day: number) => holdOver([until], what, structure, now, day);
    expect([at(999, 0), at(1_000, 0)?.id, at(5_000, 9)?.id, at(9_000, 10)]).toEqual([null, 'course fire', 'course fire', null]);
  });

  it('of several the one that stands longest counts, in whatever order they come', () => {
    const list = [
      hold('course', 'fire', { until: '1970-01-20' }),
      hold('person', 'runa'),
      hold('everything', null, { until: '1970-02-01' }),
      hold('person', 'per'),
    ];
    expect(holdOver(list, what, structure, 1, 1)?.id).toBe('person runa');
    expect(holdOver([...list].reverse(), what, structure, 1, 1)?.id).toBe('person runa');
    expect(holdOver([list[2]!, list[0]!], what, structure, 1, 1)?.id).toBe('everything null');
  });

  it('is told in a clause', () =>
    expect([tellHeldBy({ scope: 'plan', name: 'Fire' }), tellHeldBy({ scope: 'person', name: 'Runa' })]).toEqual([
      'the plan of “Fire” is held',
      'messages about and to Runa are held',
    ]));
});
