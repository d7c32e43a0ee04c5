import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { anAssignment, aPerson, aRoster, aStep, LONDON, OSLO } from '../testing.ts';
import { slotsOf } from '../notices/slot.ts';
import { Calendar } from '../time/calendar.ts';
import type { AssignmentEvent } from '../assignments/event.ts';
import {
  oneMoreEvery,
  openingsOf,
  releaseFaults,
  releaseMoment,
  tellOpening,
  tellRelease,
  type Release,
  type Released,
} from './release.ts';

const oslo = new Calendar(OSLO);
const utc = Date.parse;
const ASSIGNED = utc('2027-03-01T09:30:00Z'); // Mon, 10:30 in Oslo
const unit = (id: string, release: Release | null = null, kind = 'page'): Released => ({ id, title: `Unit ${id}`, kind, release });
const opening = (release: Release, events: AssignmentEvent[] = [], now = ASSIGNED) =>
  openingsOf([unit('1', release), unit('9', null, 'quiz')], anAssignment({ assignedAt: ASSIGNED, events }), oslo, now).get('1')!;
const titleOf = (id: string) => (id === '9' ? 'The hoses' : null);

describe('a unit opens', () => {
  test.each<[string, Release, string]>([
    ['three days after the assignment, at its hour', { kind: 'after', amount: 3, unit: 'days', at: null }, '2027-03-04T09:30:00Z'],
    ['two working days after, 08:00', { kind: 'after', amount: 2, unit: 'working days', at: '08:00' }, '2027-03-03T07:00:00Z'],
    ['working days pass the weekend', { kind: 'after', amount: 5, unit: 'working days', at: '08:00' }, '2027-03-08T07:00:00Z'],
    [
      'weeks over the change of clocks keep the wall clock',
      { kind: 'after', amount: 4, unit: 'weeks', at: '08:00' },
      '2027-03-29T06:00:00Z',
    ],
    [
      'on the day itself at an hour that has passed: the next day',
      { kind: 'after', amount: 0, unit: 'days', at: '08:00' },
      '2027-03-02T07:00:00Z',
    ],
    [
      'on the first Monday after, where this one’s hour has passed',
      { kind: 'weekday', weekday: 1, nth: 1, at: '08:00' },
      '2027-03-08T07:00:00Z',
    ],
    ['on this Monday, where its hour is to come', { kind: 'weekday', weekday: 1, nth: 1, at: '12:00' }, '2027-03-01T11:00:00Z'],
    ['on the third Friday', { kind: 'weekday', weekday: 5, nth: 3, at: '08:00' }, '2027-03-19T07:00:00Z'],
    ['on a date', { kind: 'on', date: '2027-03-28', at: '02:30' }, '2027-03-28T01:30:00Z'],
  ])('%s', (_, release, at) => {
    expect(new Date(releaseMoment(release, ASSIGNED, oslo)!).toISOString()).toBe(new Date(at).toISOString());
    expect(opening(release)).toEqual({ kind: 'opens', at: utc(at) });
    expect(opening(release, [], utc(at) - 1)).toEqual({ kind: 'opens', at: utc(at) });
    expect(opening(release, [], utc(at))).toEqual({ kind: 'open', since: utc(at) });
  });
  it('at the local hour of each zone', () => {
    const release = { kind: 'on', date: '2027-03-10', at: '08:00' } as const;
    expect(releaseMoment(release, ASSIGNED, new Calendar(LONDON))! - releaseMoment(release, ASSIGNED, oslo)!).toBe(3_600_000);
  });
  it('from the assignment on, where its date has passed by then', () => {
    expect(opening({ kind: 'on', date: '2027-02-01', at: '08:00' })).toEqual({ kind: 'open', since: null });
  });
  it('when another unit is finished, and a quiz passed: not when it is failed', () => {
    const at = utc('2027-03-02T10:00:00Z');
    const finished: AssignmentEvent = { type: 'unit-finished', unit: '9', at };
    expect(opening({ kind: 'finished', unit: '9' })).toEqual({ kind: 'waits', unit: '9', until: 'finished' });
    expect(opening({ kind: 'finished', unit: '9' }, [finished], at)).toEqual({ kind: 'open', since: at });
    const quiz = (passed: boolean): AssignmentEvent => ({ type: 'quiz-submitted', unit: '9', at, passed, score: 50, attempt: 1 });
    expect(opening({ kind: 'passed', unit: '9' }, [quiz(false)], at)).toEqual({ kind: 'waits', unit: '9', until: 'passed' });
    expect(opening({ kind: 'passed', unit: '9' }, [quiz(true)], at)).toEqual({ kind: 'open', since: at });
  });
  it('and stays open, whatever its release says later; what was finished too', () => {
    const at = utc('2027-03-02T10:00:00Z');
    const late: Release = { kind: 'on', date: '2028-01-01', at: '08:00' };
    expect(opening(late, [{ type: 'unit-opened', unit: '1', at }], at)).toEqual({ kind: 'open', since: at });
    expect(opening(late, [{ type: 'unit-finished', unit: '1', at }], at)).toEqual({ kind: 'open', since: at });
  });
  it('counts from the new beginning of an assignment that began anew', () => {
    const events: AssignmentEvent[] = [
      { type: 'withdrawn', at: utc('2027-03-02T10:00:00Z') },
      { type: 'reopened', at: utc('2027-05-03T08:00:00Z'), dueAt: utc('2027-06-01T16:00:00Z') },
    ];
    expect(opening({ kind: 'after', amount: 2, unit: 'days', at: null }, events, utc('2027-05-03T08:00:00Z'))).toEqual({
      kind: 'opens',
      at: utc('2027-05-05T08:00:00Z'),
    });
  });
  it('as the rest of time goes by, only ever from closed to open', () => {
    const release: fc.Arbitrary<Release> = fc.oneof(
      fc.record({ kind: fc.constant('after' as const), amount: fc.nat(400), unit: fc.constantFrom('days' as const, 'working days' as const, 'weeks' as const), at: fc.constantFrom(null, '00:00', '08:00', '23:59') }),
      fc.record({ kind: fc.constant('weekday' as const), weekday: fc.integer({ min: 1, max: 7 }), nth: fc.integer({ min: 1, max: 60 }), at: fc.constantFrom('00:00', '02:30') }),
    ); // prettier-ignore
    fc.assert(
      fc.property(release, fc.nat(400 * 86_400_000), fc.nat(400 * 86_400_000), (made, first, more) => {
        const [a, b] = [opening(made, [], ASSIGNED + first), opening(made, [], ASSIGNED + first + more)];
        if (a.kind === 'open') expect(b).toEqual(a);
        if (a.kind === 'opens') expect(b).toEqual(b.kind === 'open' ? { kind: 'open', since: a.at } : a);
        const moment = releaseMoment(made, ASSIGNED, oslo)!;
        expect(moment).toBeGreaterThanOrEqual(ASSIGNED);
      }),
    );
  });
});

describe('what can never open is told by name', () => {
  test.each<[string, Released[], string[]]>([
    ['nothing is wrong', [unit('1', { kind: 'finished', unit: '2' }), unit('2')], []],
    ['itself', [unit('1', { kind: 'finished', unit: '1' })], ['“Unit 1” can never open: it waits for itself.']],
    ['one that is gone', [unit('1', { kind: 'finished', unit: '7' })], ['“Unit 1” can never open: the unit that it waits for is no longer part of the course.']],
    ['passing what is no quiz', [unit('1', { kind: 'passed', unit: '2' }), unit('2')], ['“Unit 1” can never open: it waits for “Unit 2” to be passed, and that is no quiz.']],
    ['a ring, once', [unit('0', { kind: 'finished', unit: '1' }), unit('1', { kind: 'finished', unit: '2' }), unit('2', { kind: 'passed', unit: '3' }), unit('3', { kind: 'finished', unit: '1' }, 'quiz')], ['“Unit 1” waits for “Unit 2”, “Unit 2” waits for “Unit 3”, “Unit 3” waits for “Unit 1”: none of them can ever open.']],
    ['longer than ten years', [unit('1', { kind: 'after', amount: 600, unit: 'weeks', at: null })], ['“Unit 1”: expected at most ten years (522 weeks); got 600 weeks.']],
  ])('%s', (_, units, words) => expect(releaseFaults(units).map((fault) => fault.words)).toEqual(words)); // prettier-ignore
  it('in every graph of waiting: without a fault each unit opens once all that can be finished is finished', () => {
    const graph = fc.array(fc.option(fc.nat(7), { nil: null }), { minLength: 1, maxLength: 8 });
    fc.assert(
      fc.property(graph, (waits) => {
        const units = waits.map((on, i) => unit(String(i), on === null ? null : { kind: 'finished', unit: String(on) }));
        const events: AssignmentEvent[] = [];
        for (let round = 0; round < units.length; round++)
          for (const [id, { kind }] of openingsOf(units, anAssignment({ assignedAt: ASSIGNED, events }), oslo, ASSIGNED + 1_000))
            if (kind === 'open' && !events.some((event) => 'unit' in event && event.unit === id)) events.push({ type: 'unit-finished', unit: id, at: ASSIGNED + 1 });
        expect(events.length === units.length).toBe(releaseFaults(units).length === 0);
      }),
    ); // prettier-ignore
  });
});

describe('in words', () => {
  test.each<[Release | null, string]>([
    [null, 'at once'],
    [{ kind: 'after', amount: 3, unit: 'working days', at: '08:00' }, '3 working days after the assignment, 08:00'],
    [{ kind: 'after', amount: 0, unit: 'days', at: '08:00' }, 'on the day of the assignment, 08:00'],
    [{ kind: 'weekday', weekday: 1, nth: 2, at: '08:00' }, 'on the 2nd Mon after the assignment, 08:00'],
    [{ kind: 'on', date: '2027-05-03', at: '08:00' }, 'on 3 May 2027, 08:00'],
    [{ kind: 'finished', unit: '9' }, 'when “The hoses” is finished'],
    [{ kind: 'passed', unit: '7' }, 'when “a unit that is gone” is passed'],
  ])('%j', (release, words) => expect(tellRelease(release, titleOf)).toBe(words));
  it('one more every Monday', () =>
    expect(oneMoreEvery(1, '08:00', 3).map((release) => new Date(releaseMoment(release, ASSIGNED, oslo)!).toISOString())).toEqual([
      '2027-03-08T07:00:00.000Z',
      '2027-03-15T07:00:00.000Z',
      '2027-03-22T07:00:00.000Z',
    ]));
  it('what somebody reads of what is not open', () => {
    expect(tellOpening({ kind: 'opens', at: utc('2027-03-08T07:00:00Z') }, oslo.zone, ASSIGNED, titleOf)).toBe('opens Mon 8 Mar 08:00');
    expect(tellOpening({ kind: 'waits', unit: '9', until: 'passed' }, oslo.zone, ASSIGNED, titleOf)).toBe(
      'opens when “The hoses” is passed',
    );
    expect(tellOpening({ kind: 'open', since: null }, oslo.zone, ASSIGNED, titleOf)).toBeNull();
  });
});

describe('“now open” is planned before it happens', () => {
  const roster = aRoster([aPerson('runa')]);
  const openings = [
    { unit: '2', at: utc('2027-03-08T07:00:00Z') },
    { unit: '1', at: utc('2027-03-15T07:00:00Z') },
  ];
  const slots = (events: AssignmentEvent[], ahead: typeof openings, now: string, unitOf?: string) =>
    slotsOf(aStep({ anchor: unitOf ? { event: 'unit-opened', unit: unitOf } : { event: 'unit-opened' }, offset: { amount: 0, unit: 'days' }, kind: 'onboarding' }), anAssignment({ assignedAt: ASSIGNED, events, openings: ahead }), roster, 0, utc(now)).map(({ revision, moment }) => [revision, new Date(moment).toISOString()]); // prettier-ignore
  const all = [[0, '2027-03-08T07:00:00.000Z'], [1, '2027-03-15T07:00:00.000Z']]; // prettier-ignore
  it('and each keeps its number when it has', () => {
    expect(slots([], openings, '2027-03-01T10:00:00Z')).toEqual(all);
    const event: AssignmentEvent = { type: 'unit-opened', unit: '2', at: openings[0]!.at };
    expect(slots([event], openings, '2027-03-09T10:00:00Z')).toEqual(all);
    expect(slots([event], [openings[1]!], '2027-03-09T10:00:00Z')).toEqual(all);
    expect(slots([], openings, '2027-03-01T10:00:00Z', '1')).toEqual([[0, '2027-03-15T07:00:00.000Z']]);
  });
});
