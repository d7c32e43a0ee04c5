import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import type { Person, Settings } from '../people/person.ts';
import type { Assignment } from '../assignments/state.ts';
import type { Step } from '../plans/step.ts';
import { aRoster, anAssignment, aPerson, aStep, utc } from '../testing.ts';
import { dateOf } from '../time/calendar.ts';
import { isoOf } from '../time/words.ts';
import { Zone } from '../time/zone.ts';
import { difference } from '../notices/difference.ts';
import { keyOf, slotsOf } from '../notices/slot.ts';
import { rehearse, type RehearsalLine } from './rehearse.ts';

interface Play {
  steps: Partial<Step>[];
  assignments?: Partial<Assignment>[];
  people?: Person[];
  settings?: Partial<Settings>;
  owner?: string | null;
  from?: string;
  until?: string;
}

const CREW = [
  aPerson('runa', { manager: 'odd' }),
  aPerson('odd', { manager: 'kari' }),
  aPerson('kari', { calendar: 'tarn' }),
  aPerson('tora'),
];

function play({
  steps,
  assignments = [{}],
  people = CREW,
  settings = {},
  owner = 'tora',
  from = '2027-03-01T00:00',
  until = '2027-06-01T00:00',
}: Play): RehearsalLine[] {
  return rehearse({
    from: utc(from),
    until: utc(until),
    roster: aRoster(people, settings, owner),
    plans: [
      {
        course: 'c1',
        publishedAt: utc('2027-03-01T00:00'),
        steps: steps.map((step, i) => aStep({ id: `s${i + 1}`, ...step })),
      },
    ],
    assignments: assignments.map((assignment) => anAssignment(assignment)),
    withTrace: true,
  });
}

/** `moment outcome [because] [held] person` of each line. */
const brief = (lines: RehearsalLine[]): string[] =>
  lines.map((line) =>
    [line.at === null ? '-' : isoOf(line.at).slice(5, 16), line.outcome, line.because, line.held && `held ${line.held}`, line.person]
      .filter(Boolean)
      .join(' '),
  );

const LATE: Partial<Step> = {
  kind: 'late',
  offset: { amount: 1, unit: 'working days' },
  at: '09:00',
  window: 'later',
  repeat: { every: { amount: 3, unit: 'working days' }, times: 3 },
};
const TO_MANAGER: Partial<Step> = {
  kind: 'manager',
  offset: { amount: 3, unit: 'working days' },
  at: '09:00',
  window: 'later',
  to: ['manager'],
};
const event = (type: 'finished' | 'waived' | 'withdrawn' | 'started', at: string) => ({ type, at: utc(at) });

describe('decided again at the moment of sending', () => {
  test.each<[string, Play, string[]]>([
    ['goes while it is open', { steps: [{}] }, ['03-17T16:00 send runa']],
    [
      'finished before the moment',
      { steps: [{}], assignments: [{ events: [event('finished', '2027-03-10T10:00')] }] },
      ['03-17T16:00 skip finished runa'],
    ],
    [
      'finished after the moment',
      { steps: [{}], assignments: [{ events: [event('finished', '2027-03-18T10:00')] }] },
      ['03-17T16:00 send runa'],
    ],
    ['waived', { steps: [{}], assignments: [{ events: [event('waived', '2027-03-10T10:00')] }] }, ['03-17T16:00 skip waived runa']],
    ['left', { steps: [{}], people: [aPerson('runa', { leftOn: '2027-03-17' }), aPerson('tora')] }, ['03-17T16:00 skip left runa']],
    ['switched off', { steps: [{ on: false }] }, ['03-17T16:00 skip switched-off runa']],
    ['condition', { steps: [{ onlyIf: { department: ['Engine'] } }] }, ['03-17T16:00 skip condition runa']],
    [
      'stop condition comes before the condition',
      { steps: [{ stopWhen: { state: ['not started'] }, onlyIf: { department: ['Engine'] } }] },
      ['03-17T16:00 skip stopped runa'],
    ],
    ['after its end', { steps: [{ endsOn: '2027-03-16' }] }, ['03-17T16:00 skip after-end runa']],
    ['the end is inclusive', { steps: [{ endsOn: '2027-03-17' }] }, ['03-17T16:00 send runa']],
    [
      'a certificate goes though the assignment is closed',
      {
        steps: [{ kind: 'certificate', anchor: { event: 'finished' }, offset: { amount: 0, unit: 'days' } }],
        assignments: [{ events: [event('finished', '2027-03-10T10:00')] }],
      },
      ['03-10T10:00 send runa'],
    ],
    ['a step whose anchor did not happen waits', { steps: [{ anchor: { event: 'finished' } }] }, ['- wait']],
    [
      'a repeat before due that reaches the due date is superseded',
      { steps: [{ repeat: { every: { amount: 1, unit: 'days' }, times: 3 } }] },
      ['03-17T16:00 send runa', '03-18T16:00 send runa', '03-19T16:00 skip superseded runa'],
    ],
    [
      'an occurrence that finishing ended is told',
      { steps: [LATE], assignments: [{ events: [event('finished', '2027-03-23T10:00')] }] },
      ['03-22T08:00 send runa', '03-30T07:00 skip finished runa', '04-02T07:00 skip finished runa'],
    ],
    [
      'an extension drops what was undecided and plans anew',
      {
        steps: [LATE],
        assignments: [{ events: [{ type: 'extended', at: utc('2027-03-23T08:00'), dueAt: utc('2027-04-30T15:00') }] }],
      },
      ['03-22T08:00 send runa', '05-03T07:00 send runa', '05-06T07:00 send runa', '05-11T07:00 send runa'],
    ],
  ])('%s', (_, input, expected) => expect(brief(play(input))).toEqual(expected));
});

describe('leave', () => {
  const away = (from: string, to: string) => [aPerson('runa', { leave: [{ from, to, cover: null }] }), aPerson('tora')];
  test.each<[string, Play, string[]]>([
    [
      'holds to the first working day after it, at the same local time',
      { steps: [LATE], people: away('2027-03-20', '2027-03-23') },
      ['03-24T08:00 send held leave runa', '03-30T07:00 send runa', '04-02T07:00 send runa'],
    ],
    [
      'what is meant before due is superseded when the person is back too late',
      { steps: [{}], people: away('2027-03-17', '2027-03-19') },
      ['03-22T16:00 skip superseded held leave runa'],
    ],
    [
      'is decided again after the hold',
      {
        steps: [LATE],
        people: away('2027-03-20', '2027-03-23'),
        assignments: [{ events: [event('finished', '2027-03-23T10:00')] }],
      },
      ['03-24T08:00 skip finished held leave runa', '03-30T07:00 skip finished runa', '04-02T07:00 skip finished runa'],
    ],
  ])('%s', (_, input, expected) => expect(brief(play(input))).toEqual(expected));
});

describe('recipients', () => {
  const withLeave = (rest: Partial<Person>[]) => CREW.map((person) => ({ ...person, ...rest.find(({ id }) => id === person.id) }));
  const away = (cover: string | null) => [{ from: '2027-03-20', to: '2027-04-10', cover }];
  test.each<[string, Play, string[]]>([
    ['the manager', { steps: [TO_MANAGER] }, ['03-24T08:00 send odd']],
    ["the manager's manager, in her own zone", { steps: [{ ...TO_MANAGER, to: ['manager 2'] }] }, ['03-24T09:00 send kari']],
    ['a chain too short ends at the owner', { steps: [{ ...TO_MANAGER, to: ['manager 3'] }] }, ['03-24T08:00 send tora']],
    [
      'the cover of a manager on leave',
      { steps: [TO_MANAGER], people: withLeave([{ id: 'odd', leave: away('tora') }]) },
      ['03-24T08:00 send tora'],
    ],
    [
      'climbs without cover, at the nominal moment',
      { steps: [TO_MANAGER], people: withLeave([{ id: 'odd', leave: away(null) }]) },
      ['03-24T08:00 send kari'],
    ],
    [
      'climbs where the cover is away too',
      {
        steps: [TO_MANAGER],
        people: withLeave([
          { id: 'odd', leave: away('tora') },
          { id: 'tora', leave: away(null) },
        ]),
      },
      ['03-24T08:00 send kari'],
    ],
    [
      'nobody covers for themselves',
      { steps: [TO_MANAGER], people: withLeave([{ id: 'odd', leave: away('runa') }]) },
      ['03-24T08:00 send kari'],
    ],
    ['nobody there', { steps: [TO_MANAGER], people: [aPerson('runa')], owner: null }, ['03-24T08:00 skip no-recipient']],
    [
      'an owner is not told about herself',
      { steps: [TO_MANAGER], people: [aPerson('runa')], owner: 'runa' },
      ['03-24T08:00 skip no-recipient'],
    ],
    [
      'a loop is not followed',
      {
        steps: [{ ...TO_MANAGER, to: ['manager 4'] }],
        people: [
          aPerson('runa', { manager: 'odd' }),
          aPerson('odd', { manager: 'kari' }),
          aPerson('kari', { manager: 'odd' }),
          aPerson('tora'),
        ],
      },
      ['03-24T08:00 send tora'],
    ],
  ])('%s', (_, input, expected) => expect(brief(play(input))).toEqual(expected));
});

describe('the daily limit', () => {
  const at = (hour: string, kind: Step['kind']): Partial<Step> => ({
    kind,
    anchor: { event: 'date', date: '2027-03-10' },
    offset: { amount: 0, unit: 'days' },
    at: hour,
  });
  it('gives the places of a day by precedence and holds the rest to the next window', () =>
    expect(
      brief(
        play({
          steps: [at('09:00', 'follow-up'), at('09:00', 'onboarding'), at('09:00', 'late'), at('09:00', 'reminder')],
          settings: { dailyLimit: 2 },
        }),
      ),
    ).toEqual([
      '03-10T08:00 send runa',
      '03-10T08:00 send runa',
      '03-11T07:00 send held daily-limit runa',
      '03-11T07:00 send held daily-limit runa',
    ]));
  it('keeps a place for a late notice later in the day', () =>
    expect(play({ steps: [at('09:00', 'follow-up'), at('15:00', 'late')], settings: { dailyLimit: 1 } }).map((line) => line.step)).toEqual([
      's2',
      's1',
    ]));
  it('does not count invitations and certificates', () =>
    expect(
      brief(
        play({
          steps: [at('09:00', 'invitation'), at('09:00', 'certificate'), at('09:00', 'reminder')],
          settings: { dailyLimit: 1 },
        }),
      ).every((line) => line.includes('03-10T08:00 send')),
    ).toBe(true));
  it('counts a gathered message once', () => {
    const people = [...CREW, aPerson('siri', { manager: 'odd' }), aPerson('per', { manager: 'odd' })];
    const assignments = ['runa', 'siri', 'per'].map((person) => ({ id: `a-${person}`, person }));
    const count = (gather: Step['gather']) =>
      play({ steps: [{ ...TO_MANAGER, gather }], people, assignments, settings: { dailyLimit: 1 } }).filter((line) => line.held === null)
        .length;
    expect([count('per day'), count('none')]).toEqual([3, 1]);
  });
});

it('explains itself in one sentence and a trace', () => {
  const [line] = play({
    steps: [{ kind: 'reminder' }],
    assignments: [{ events: [event('finished', '2027-03-10T13:10')] }],
  });
  expect(line!.sentence).toBe("Skipped: Person runa finished on Wed 10 Mar 14:10, before this reminder's moment (Wed 17 Mar 17:00).");
  expect(line!.trace.map(({ check, result }) => [check, result])).toEqual([
    ['moment', true],
    ['step is on', true],
    ['assignment is open', false],
  ]);
});

describe('properties', () => {
  const units = fc.constantFrom('hours', 'days', 'working days', 'weeks') as fc.Arbitrary<Step['offset']['unit']>;
  const steps = fc.record({
    kind: fc.constantFrom('reminder', 'late', 'manager', 'onboarding') as fc.Arbitrary<Step['kind']>,
    anchor: fc.constantFrom({ event: 'due' }, { event: 'assigned' }, { event: 'finished' }) as fc.Arbitrary<Step['anchor']>,
    offset: fc.record({ amount: fc.integer({ min: -5, max: 5 }), unit: units }),
    window: fc.constantFrom('exact', 'later', 'earlier', null),
    repeat: fc.option(
      fc.record({
        every: fc.record({ amount: fc.integer({ min: 1, max: 4 }), unit: units }),
        times: fc.integer({ min: 1, max: 4 }),
      }),
    ),
    to: fc.subarray(['employee', 'manager', 'manager 2'], { minLength: 1 }),
    endsOn: fc.option(fc.constantFrom('2027-03-15', '2027-03-24')),
  });
  const moment = fc
    .integer({ min: utc('2027-03-01T00:00') / 60_000, max: utc('2027-04-10T00:00') / 60_000 })
    .map((minute) => minute * 60_000);
  const events = fc
    .array(
      fc.oneof(
        fc.record({ type: fc.constantFrom('started', 'finished', 'waived') as fc.Arbitrary<'started'>, at: moment }),
        fc.record({ type: fc.constant('extended' as const), at: moment, dueAt: moment }),
      ),
      { maxLength: 3 },
    )
    .map((list) => list.sort((a, b) => a.at - b.at));
  const plays = fc
    .record({
      steps: fc.array(steps, { minLength: 1, maxLength: 4 }),
      assignments: fc.array(fc.record({ person: fc.constantFrom('runa', 'odd', 'kari'), dueAt: moment, events }), {
        minLength: 1,
        maxLength: 4,
      }),
    })
    .map((input): Play => ({
      ...input,
      assignments: input.assignments.map((assignment, i) => ({ id: `a${i}`, ...assignment })),
    }));

  it('the order of the input is irrelevant', () =>
    fc.assert(
      fc.property(plays, (input) => {
        expect(brief(play({ ...input, assignments: [...input.assignments!].reverse(), people: [...CREW].reverse() }))).toEqual(
          brief(play(input)),
        );
      }),
      { numRuns: 150 },
    ));

  it('no key is decided twice, nothing goes after its end, nor while the assignment is closed, nor outside the run', () =>
    fc.assert(
      fc.property(plays, (input) => {
        const lines = play(input);
        const keys = lines.filter((line) => line.slot).map((line) => keyOf(line));
        expect(new Set(keys).size).toBe(keys.length);
        for (const line of lines) {
          if (line.outcome !== 'send') continue;
          const assignment = input.assignments!.find(({ id }) => id === line.assignment)!;
          const step = input.steps[Number(line.step.slice(1)) - 1]!;
          expect(line.at!).toBeLessThan(utc('2027-06-01T00:00'));
          if (step.endsOn)
            expect(dateOf(Zone.of(assignment.person === 'kari' ? 'Europe/London' : 'Europe/Oslo').dayAt(line.at!)) <= step.endsOn).toBe(
              true,
            );
          if (step.anchor!.event !== 'finished')
            expect(assignment.events!.some((e) => (e.type as string) !== 'started' && e.type !== 'extended' && e.at <= line.at!)).toBe(
              false,
            );
        }
      }),
      { numRuns: 150 },
    ));

  it('planning twice adds nothing', () =>
    fc.assert(
      fc.property(plays, (input) => {
        const roster = aRoster(CREW);
        const plan = () =>
          input.assignments!.flatMap((assignment) =>
            input.steps.flatMap((step, i) =>
              slotsOf(aStep({ id: `s${i}`, ...step }), anAssignment(assignment), roster, 0, utc('2027-04-10T00:00')),
            ),
          );
        const entries = difference(plan(), [], () => 0).added.map((slot, i) => ({
          ...slot,
          id: String(i),
          isOpen: true,
        }));
        const again = difference(plan(), entries, (entry) => (entry as unknown as { moment: number }).moment);
        expect([again.added.length, again.moved.length, again.dropped.length, again.kept.length]).toEqual([0, 0, 0, entries.length]);
      }),
      { numRuns: 100 },
    ));
});
