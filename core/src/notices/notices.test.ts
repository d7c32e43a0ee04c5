import { describe, expect, it, test } from 'vitest';
import type { Step } from '../plans/step.ts';
import { aPerson, aRoster, anAssignment, aStep, utc } from '../testing.ts';
import { tellAmount, tellDate, tellDay, tellList, tellMoment } from '../time/words.ts';
import { dayOf } from '../time/calendar.ts';
import { Zone } from '../time/zone.ts';
import { decide, sentenceOf, type Decision } from './decide.ts';
import { difference, type LedgerEntry } from './difference.ts';
import { whyDropped } from './dropped.ts';
import { slotsOf, type Slot } from './slot.ts';

const OSLO = Zone.of('Europe/Oslo');
const people = [
  aPerson('runa', { name: 'Ingrid Moe', manager: 'odd' }),
  aPerson('odd', { name: 'Odd Brandal' }),
  aPerson('tora', { name: 'Tora Hauge' }),
];

function decided(
  change: Partial<Step>,
  options: { at?: string; people?: typeof people; count?: number; supersededBy?: string; finishedAt?: string } = {},
): { decision: Decision; sentence: string } {
  const roster = aRoster(options.people ?? people);
  const assignment = anAssignment({ events: options.finishedAt ? [{ type: 'finished', at: utc(options.finishedAt) }] : [] });
  const step = aStep(change);
  const slot = slotsOf(step, assignment, roster, utc('2027-03-01T00:00'), Infinity)[0]!;
  const now = options.at ? utc(options.at) : slot.at;
  const decision = decide({
    slot,
    step,
    assignment,
    roster,
    now,
    countOf: () => options.count ?? 0,
    supersededBy: options.supersededBy ?? null,
  });
  return { decision, sentence: sentenceOf(decision, slot, step, OSLO, now, null) };
}

describe('each decision in one sentence', () => {
  test.each<[string, ReturnType<typeof decided>, string]>([
    ['goes', decided({}), 'Goes to Ingrid Moe on Wed 17 Mar 17:00: due Fri 19 Mar 17:00, less 2 days.'],
    [
      'to a cover',
      decided(
        { to: ['manager'] },
        { people: people.map((p) => (p.id === 'odd' ? { ...p, leave: [{ from: '2027-03-15', to: '2027-03-20', cover: 'tora' }] } : p)) },
      ),
      'Goes to Tora Hauge (Odd Brandal is on leave, Tora Hauge covers) on Wed 17 Mar 17:00: due Fri 19 Mar 17:00, less 2 days.',
    ],
    [
      'finished',
      decided({}, { finishedAt: '2027-03-02T13:10' }),
      "Skipped: Ingrid Moe finished on Tue 2 Mar 14:10, before this reminder's moment (Wed 17 Mar 17:00).",
    ],
    ['switched off', decided({ on: false }), 'Skipped: the step is switched off.'],
    [
      'condition',
      decided({ onlyIf: { department: ['Engine'] } }),
      'Skipped: it goes only if in Engine; Ingrid Moe is not started, Deck, Orla Quay.',
    ],
    [
      'stopped',
      decided({ stopWhen: { state: ['not started'] } }),
      'Skipped: it stops when not started, and that holds: Ingrid Moe is not started.',
    ],
    [
      'overtaken',
      decided({}, { supersededBy: '“Late” of Mon 22 Mar' }),
      'Skipped: a later message of the same assignment takes its place: “Late” of Mon 22 Mar.',
    ],
    ['nobody', decided({ to: ['manager'] }, { people: [people[0]!] }), 'Skipped: there is no manager; the course has no owner.'],
    [
      'leave',
      decided({}, { people: people.map((p) => ({ ...p, leave: [{ from: '2027-03-17', to: '2027-03-18', cover: null }] })) }),
      'Held: on leave to Thu 18 Mar, until Fri 19 Mar 17:00.',
    ],
    ['a full day', decided({}, { count: 3 }), 'Held: 3 messages to Ingrid Moe that day, limit 3, until Thu 18 Mar 08:00.'],
    [
      'an address that does not work',
      decided({}, { people: people.map((p) => ({ ...p, isReachable: false })) }),
      'Held: mail to runa@orlasund.example came back, until that is mended.',
    ],
    [
      'before the assignment',
      decided({ offset: { amount: -21, unit: 'days' } }),
      'Skipped: its moment, Fri 26 Feb 17:00, was before the assignment (Mon 1 Mar 10:30).',
    ],
  ])('%s', (_, { sentence }, expected) => expect(sentence).toBe(expected));

  it('lists every check up to the one that decided', () => {
    const { decision } = decided({ onlyIf: { department: ['Deck'] }, stopWhen: { state: ['finished'] }, endsOn: '2027-04-01' });
    expect(decision.trace.map(({ check }) => check)).toEqual([
      'moment',
      'step is on',
      'assignment is open',
      'not stopped',
      'condition',
      'before its end',
      'recipient found',
      'not on leave',
      'daily limit',
    ]);
    expect(decision.trace.every(({ result, because }) => result && because.length > 0)).toBe(true);
  });
});

describe('the difference with the ledger', () => {
  const slot = (occurrence: number, rest: Partial<Slot> = {}): Slot => ({
    assignment: 'a1',
    step: 's1',
    revision: 0,
    occurrence,
    to: 'employee',
    anchorAt: 0,
    moment: 100 + occurrence,
    at: 100 + occurrence,
    knownAt: 0,
    missed: null,
    replacedAt: null,
    gaps: [],
    isTakenBack: false,
    ...rest,
  });
  const entry = (occurrence: number, rest: Partial<LedgerEntry> = {}): LedgerEntry => ({
    id: `n${occurrence}`,
    assignment: 'a1',
    step: 's1',
    revision: 0,
    occurrence,
    to: 'employee',
    at: 100 + occurrence,
    isOpen: true,
    ...rest,
  });
  const compare = (slots: Slot[], entries: LedgerEntry[]) => {
    const { added, moved, dropped, kept } = difference(slots, entries, (known) => known.at ?? NaN);
    return [
      added.map(({ occurrence }) => occurrence),
      moved.map(({ entry: { id } }) => id),
      dropped.map(({ id }) => id),
      kept.map(({ id }) => id),
    ];
  };
  test.each<[string, Slot[], LedgerEntry[], unknown]>([
    ['what is new is added', [slot(0), slot(1)], [], [[0, 1], [], [], []]],
    ['what stands is kept', [slot(0)], [entry(0)], [[], [], [], ['n0']]],
    ['what has another moment is moved', [slot(0, { moment: 500 })], [entry(0)], [[], ['n0'], [], []]],
    ['what is no longer planned is dropped', [], [entry(0)], [[], [], ['n0'], []]],
    [
      'what was decided is never touched',
      [slot(0, { moment: 500 })],
      [entry(0, { isOpen: false }), entry(1, { isOpen: false })],
      [[], [], [], ['n0', 'n1']],
    ],
    [
      'what another revision replaced is dropped, and not added',
      [slot(0, { replacedAt: 50 }), slot(1, { replacedAt: 50 })],
      [entry(0)],
      [[], [], ['n0'], []],
    ],
  ])('%s', (_, slots, entries, expected) => expect(compare(slots, entries)).toEqual(expected));
});

describe('words', () => {
  it('tell days and moments as a timetable does', () => {
    expect(tellDay(dayOf('2027-03-03'))).toBe('Wed 3 Mar');
    expect(tellDate(dayOf('2027-12-31'))).toBe('31 Dec 2027');
    expect(tellMoment(utc('2027-03-28T01:00'), OSLO)).toBe('Sun 28 Mar 03:00');
  });
  test.each([
    [1, 'days', '1 day'],
    [-2, 'working days', '2 working days'],
    [0, 'hours', '0 hours'],
  ])('%i %s', (amount, unit, words) => expect(tellAmount(amount, unit)).toBe(words));
  test.each<[string[], string]>([
    [[], ''],
    [['a'], 'a'],
    [['a', 'b'], 'a and b'],
    [['a', 'b', 'c'], 'a, b and c'],
  ])('%j', (words, expected) => expect(tellList(words)).toBe(expected));
});

describe('what hangs on a sign-off', () => {
  const steps = (outcome: 'met' | 'not-met') => aStep({ anchor: { event: 'signed-off', outcome }, offset: { amount: 1, unit: 'hours' }, at: null, kind: 'follow-up' }); // prettier-ignore
  const signed = (met: boolean, at: string) => ({ type: 'signed-off', at: utc(at), attended: true, met }) as const;
  const cases: [string, ReturnType<typeof steps>, ReturnType<typeof signed>, string, string][] = [
    ['goes, where it finished the course', steps('met'), signed(true, '2027-03-02T09:00'), '2027-03-02T09:00', 'send'],
    ['goes to nobody who finished by something else', steps('met'), signed(true, '2027-03-02T09:00'), '2027-03-02T09:20', 'skip'],
    ['goes to nobody who finished since', steps('not-met'), signed(false, '2027-03-02T09:00'), '2027-03-02T09:30', 'skip'],
  ];
  test.each(cases)('%s', (_, step, event, finishedAt, outcome) => {
    const roster = aRoster(people);
    const assignment = anAssignment({ events: [event, { type: 'finished', at: utc(finishedAt) }] });
    const [slot] = slotsOf(step, assignment, roster, utc('2027-03-01T00:00'), Infinity);
    const told = decide({ slot: slot!, step, assignment, roster, now: slot!.at, countOf: () => 0 });
    expect(told.kind).toBe(outcome);
    const entry = { step: step.id, revision: 0, at: slot!.at };
    const dropped = whyDropped({ entry, assignment, step, roster, now: utc('2027-03-02T09:40') });
    expect(dropped.because).toBe(outcome === 'send' ? 'plan-changed' : 'finished');
  });
  it('goes to nobody who has left since', () => {
    const left = people.map((person) => (person.id === 'runa' ? { ...person, leftOn: '2027-03-02' } : person));
    const assignment = anAssignment({ events: [signed(true, '2027-03-03T09:00'), { type: 'finished', at: utc('2027-03-03T09:00') }] });
    const [slot] = slotsOf(steps('met'), assignment, aRoster(left), utc('2027-03-01T00:00'), Infinity);
    const told = decide({ slot: slot!, step: steps('met'), assignment, roster: aRoster(left), now: slot!.at, countOf: () => 0 });
    expect(told).toMatchObject({ kind: 'skip', because: 'left' });
  });
});
