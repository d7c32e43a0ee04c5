import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { AssignmentEvent } from '../assignments/event.ts';
import { rehearse, type RehearsalLine } from '../rehearsal/rehearse.ts';
import type { Person } from '../people/person.ts';
import { aPerson, aRoster, aStep, anAssignment, utc } from '../testing.ts';
import type { Step } from './step.ts';

/** The ladder: the manager after 3 working days, theirs after 6, the owner after 9, a named person after 12. */
const rung = (id: string, to: string, amount: number): Step => aStep({ id, name: id, kind: 'manager', to: [to], anchor: { event: 'due' }, offset: { amount, unit: 'working days' }, at: '09:00' }); // prettier-ignore
const LADDER = [rung('first', 'manager', 3), rung('second', 'manager 2', 6), rung('third', 'trainer', 9), rung('last', 'person anna', 12)];

const line = (people: Partial<Record<string, Partial<Person>>> = {}): Person[] => [
  aPerson('runa', { name: 'Runa', manager: 'odd', ...people['runa'] }),
  aPerson('odd', { name: 'Odd', manager: 'kari', ...people['odd'] }),
  aPerson('kari', { name: 'Kari', manager: 'ivar', ...people['kari'] }),
  aPerson('ivar', { name: 'Ivar', ...people['ivar'] }),
  aPerson('tora', { name: 'Tora', ...people['tora'] }),
  aPerson('anna', { name: 'Anna', ...people['anna'] }),
];

const climb = (people: Person[], events: AssignmentEvent[] = []): RehearsalLine[] => {
  const roster = aRoster(people);
  return rehearse({
    from: utc('2027-03-01T00:00'),
    until: utc('2027-06-01T00:00'),
    roster,
    plans: [{ course: anAssignment({}).course, publishedAt: utc('2027-03-01T00:00'), steps: LADDER }],
    assignments: [anAssignment({ events })],
  });
};
const told = (lines: readonly RehearsalLine[]): string[] =>
  lines.map(({ step, outcome, person, because }) => `${step}: ${outcome === 'send' ? person : because}`);

const away = { leave: [{ from: '2027-03-01', to: '2027-05-30', cover: null }] };

describe('the ladder', () => {
  it('climbs one rung after the other, each to whoever it is meant for', () =>
    expect(told(climb(line()))).toEqual(['first: odd', 'second: kari', 'third: tora', 'last: anna']));

  it('climbs over who is on leave, gone or the late person; who stood in is not asked to stand in again', () => {
    expect(told(climb(line({ odd: away })))).toEqual(['first: kari', 'second: kari', 'third: tora', 'last: anna']);
    // the manager's manager is away too: whoever stood in for the first rung does not stand in for the second
    expect(told(climb(line({ odd: away, kari: away })))).toEqual(['first: ivar', 'second: tora', 'third: tora', 'last: anna']);
    expect(told(climb(line({ odd: { leftOn: '2027-03-02' }, kari: away, ivar: away })))).toEqual(['first: tora', 'second: no-recipient', 'third: tora', 'last: anna']); // prettier-ignore
    expect(told(climb(line({ odd: { leave: [{ from: '2027-03-01', to: '2027-05-30', cover: 'kari' }] }, kari: { leave: [], manager: 'ivar' } })))).toEqual(['first: kari', 'second: kari', 'third: tora', 'last: anna']); // prettier-ignore
  });

  it('waits while somebody has taken it up, until the morning after; ends with a finish, and begins anew with another date', () => {
    const at = utc('2027-03-25T09:00');
    const taken: AssignmentEvent = { type: 'taken-up', at, until: '2027-04-07', by: 'Odd' };
    const lines = climb(line(), [taken]);
    expect(told(lines)).toEqual(['first: odd', 'second: kari', 'third: tora', 'last: anna']);
    expect(lines[0]!.at).toBeLessThan(at);
    // Thu 8 Apr in the morning, decided again
    expect(new Date(lines[1]!.at!).toISOString().slice(0, 10)).toBe('2027-04-08');
    expect(lines[1]!.held).toBe('taken-up');
    expect(told(climb(line(), [taken, { type: 'finished', at: utc('2027-04-02T09:00') }]))).toEqual(['first: odd', 'third: finished', 'second: finished', 'last: finished']); // prettier-ignore
    const extended = climb(line(), [taken, { type: 'extended', at: utc('2027-03-26T09:00'), dueAt: utc('2027-04-01T16:00') }]);
    expect(extended.filter(({ revision }) => revision === 1).map(({ step, person, held }) => `${step}: ${person} ${held}`)).toEqual(['first: odd null', 'second: kari null', 'third: tora null', 'last: anna null']); // prettier-ignore
  });

  it('tells each rung at most once, nobody outside it, and gives each rung somebody or a reason', () => {
    const leave = fc.option(fc.record({ from: fc.constantFrom('2027-03-01', '2027-03-24', '2027-03-30'), to: fc.constantFrom('2027-03-26', '2027-04-20'), cover: fc.option(fc.constantFrom('runa', 'odd', 'kari', 'ivar', 'tora'), { nil: null }) }), { nil: null }); // prettier-ignore
    const someone = fc.record({
      leave,
      leftOn: fc.option(fc.constantFrom('2027-03-10', '2027-03-28'), { nil: null }),
      manager: fc.option(fc.constantFrom('odd', 'kari', 'ivar', 'runa'), { nil: null }),
    });
    fc.assert(
      fc.property(
        fc.record({ odd: someone, kari: someone, ivar: someone }),
        fc.option(fc.integer({ min: 22, max: 30 }), { nil: null }),
        (given, taken) => {
          const people = line(Object.fromEntries(Object.entries(given).map(([id, one]) => [id, { ...one, leave: one.leave ? [one.leave] : [] }])) as never); // prettier-ignore
          const events: AssignmentEvent[] =
            taken === null ? [] : [{ type: 'taken-up', at: utc(`2027-03-${taken}T09:00`), until: '2027-04-05' }];
          const lines = climb(people, events);
          for (const { id } of LADDER) {
            const of = lines.filter(({ step }) => step === id);
            expect(of).toHaveLength(1);
            const [only] = of;
            if (only!.outcome === 'send') {
              expect(['odd', 'kari', 'ivar', 'tora', 'anna', 'runa']).toContain(only!.person);
              expect(only!.person).not.toBe('runa');
            } else expect(only!.because).toBe('no-recipient');
          }
          const stoodIn = lines.filter(
            ({ outcome, sentence }) => outcome === 'send' && /is on leave|has left|nobody is left|there is no/.test(sentence),
          );
          for (const one of stoodIn) expect(lines.filter(({ step, person, at }) => step !== one.step && person === one.person && at! < one.at!)).toEqual([]); // prettier-ignore
        },
      ),
      { numRuns: Number(process.env['NUDRIK_PROPERTY_RUNS'] ?? 300) },
    );
  });
});
