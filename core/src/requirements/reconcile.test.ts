import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import { LONDON, OSLO, utc } from '../testing.ts';
import { addDays, Calendar, dateOf } from '../time/calendar.ts';
import { DAY_MS, HOUR } from '../time/zone.ts';
import type { Structure } from '../conditions/catalogue.ts';
import { changesAhead } from './ahead.ts';
import { compileAudience, type Audience } from './audience.ts';
import { reconcilePerson, type Change, type LiveRequirement } from './reconcile.ts';
import {
  dueFor,
  tellDueRule,
  tellRequirement,
  type DueRule,
  type Requirement,
  type RequirementPerson,
  type WhenOut,
} from './requirement.ts';
import { morningOf, noRecord, standingOf, type CourseRecord } from './standing.ts';

const NOW = utc('2027-03-01T09:30');
const oslo = new Calendar(OSLO);
const london = new Calendar(LONDON);
const aRequirement = (rest: Partial<Requirement> = {}): Requirement => ({
  id: 'r1', name: 'Fire teams', course: 'fire', audience: { department: ['deck'], below: true }, due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' },
  dueTime: '17:00', graceDays: 7, creditMonths: null, renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask', switchedOnAt: utc('2027-02-01T09:00'), ...rest,
}); // prettier-ignore
const aMember = (rest: Partial<RequirementPerson> = {}): RequirementPerson => ({
  id: 'runa', name: 'Runa Aske', number: null, department: 'deck', site: 'orla', groups: [], job: null, manager: null, joinedOn: null, leftOn: null,
  held: [], jobSince: null, memberOf: [], ...rest,
}); // prettier-ignore
const flat: Structure = { parentOf: () => null, managerOf: () => null };
const ready = (requirement: Requirement, now = NOW): LiveRequirement => ({
  requirement,
  matcher: compileAudience(requirement.audience, flat, dateOf(oslo.zone.dayAt(now))),
});
const standing = (requirement: Requirement, person = aMember(), record: Partial<CourseRecord> = {}, now = NOW) =>
  standingOf(requirement, ready(requirement, now).matcher, {
    person,
    calendar: oslo,
    now,
    morning: '08:00',
  }, { ...noRecord('fire'), ...record }); // prettier-ignore
const finish = (on: string, expiresOn: string | null = null, isRevoked = false) => ({ finishes: [{ on, expiresOn, isRevoked }] });

describe('a due rule', () => {
  const joined = aMember({ joinedOn: '2027-02-26', jobSince: '2027-02-28' });
  test.each<[string, DueRule, string, string]>([
    ['a date', { kind: 'date', on: '2027-03-19' }, '2027-03-19T16:00', '19 Mar 2027'],
    [
      'days after assignment',
      { kind: 'after', amount: 14, unit: 'days', event: 'assigned' },
      '2027-03-15T16:00',
      '14 days after assignment',
    ],
    ['working days after joining on a Friday', { kind: 'after', amount: 3, unit: 'working days', event: 'joined' }, '2027-03-03T16:00', '3 working days after joining'], // prettier-ignore
    ['over a clock change, still 17:00 on the wall', { kind: 'after', amount: 30, unit: 'days', event: 'assigned' }, '2027-03-31T15:00', '30 days after assignment'], // prettier-ignore
    ['working days pass over Easter', { kind: 'after', amount: 18, unit: 'working days', event: 'assigned' }, '2027-03-30T15:00', '18 working days after assignment'], // prettier-ignore
    [
      'days after a change of job',
      { kind: 'after', amount: 1, unit: 'days', event: 'job' },
      '2027-03-01T16:00',
      '1 day after a change of job',
    ],
    ['the end of the month', { kind: 'month-end', months: 0, event: 'assigned' }, '2027-03-31T15:00', 'the end of the month of assignment'],
    ['the end of the month after joining', { kind: 'month-end', months: 1, event: 'joined' }, '2027-03-31T15:00', 'the end of the month after joining'], // prettier-ignore
    ['the end of the month of joining has passed: days of grace', { kind: 'month-end', months: 0, event: 'joined' }, '2027-03-08T16:00', 'the end of the month of joining'], // prettier-ignore
  ])('%s', (_, due, at, words) => {
    expect(dueFor(aRequirement({ due }), joined, oslo, NOW).at).toBe(utc(at));
    expect(tellDueRule(due)).toBe(words);
  });
  it('is local to the person', () =>
    expect(dueFor(aRequirement({ due: { kind: 'date', on: '2027-03-19' } }), joined, london, NOW).at).toBe(utc('2027-03-19T17:00')));
  it('without a date of joining counts from the assignment', () =>
    expect(dueFor(aRequirement({ due: { kind: 'after', amount: 2, unit: 'days', event: 'joined' } }), aMember(), oslo, NOW).at).toBe(utc('2027-03-03T16:00'))); // prettier-ignore
  it('is never before the assignment', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.record({ kind: fc.constant('date' as const), on: fc.integer({ min: -400, max: 400 }).map((days) => addDays('2027-03-01', days)) }),
          fc.record({ kind: fc.constant('after' as const), amount: fc.integer({ min: 0, max: 90 }), unit: fc.constantFrom('days' as const, 'working days' as const), event: fc.constantFrom('assigned' as const, 'joined' as const, 'job' as const) }),
          fc.record({ kind: fc.constant('month-end' as const), months: fc.integer({ min: 0, max: 3 }), event: fc.constantFrom('assigned' as const, 'joined' as const) }),
        ),
        fc.integer({ min: 0, max: 700 }),
        fc.integer({ min: 0, max: 30 }),
        (due, ago, graceDays) => {
          const person = aMember({ joinedOn: addDays('2027-03-01', -ago) });
          expect(dueFor(aRequirement({ due, graceDays }), person, oslo, NOW).at).toBeGreaterThan(NOW);
        },
      ),
    ); // prettier-ignore
  });
  it('all rules are told in sentences', () => {
    const names = { department: () => 'Deck', site: String, group: String, person: String, course: String, unit: String, step: String };
    expect(tellRequirement(aRequirement({ creditMonths: 6, renewal: { months: 12, leadDays: 30 }, from: '2027-02-01' }), 'Fire Teams Aboard', names)).toEqual([
      'Deck must hold Fire Teams Aboard.',
      'Due 14 days after assignment, 17:00; where that has passed, 7 days after assignment.',
      'Whoever finished it within the last 6 months is covered.',
      'Finishing counts for 12 months; the next round is assigned 30 days before it runs out, and due then.',
      'Takes in whoever joins or moves in later, from 1 Feb 2027.',
      'When somebody leaves the audience, it asks what becomes of an open assignment.',
    ]); // prettier-ignore
  });
});

describe('how a requirement stands to somebody', () => {
  test.each<[string, ReturnType<typeof standing>, object]>([
    ['asks', standing(aRequirement()), { kind: 'due', dueAt: utc('2027-03-15T16:00'), isRenewal: false }],
    ['outside', standing(aRequirement(), aMember({ department: 'engine' })), { kind: 'out', because: 'audience' }],
    ['left', standing(aRequirement(), aMember({ leftOn: '2027-03-01' })), { kind: 'out', because: 'left' }],
    [
      'leaves later, and is looked at then',
      standing(aRequirement(), aMember({ leftOn: '2027-03-05' })),
      { kind: 'due', wakeOn: '2027-03-05' },
    ],
    [
      'joins next week',
      standing(aRequirement(), aMember({ joinedOn: '2027-03-08' })),
      { kind: 'waits', because: 'joins', wakeOn: '2027-03-08' },
    ],
    ['joins today, before the morning', standing(aRequirement(), aMember({ joinedOn: '2027-03-01' }), {}, utc('2027-03-01T05:00')), { kind: 'waits', wakeOn: '2027-03-01' }], // prettier-ignore
    [
      'joins today, in the morning',
      standing(aRequirement(), aMember({ joinedOn: '2027-03-01' }), {}, utc('2027-03-01T07:00')),
      { kind: 'due' },
    ],
    ['before its first day', standing(aRequirement({ from: '2027-03-03' })), { kind: 'waits', because: 'begins', wakeOn: '2027-03-03' }],
    ['after its last day', standing(aRequirement({ until: '2027-02-28' })), { kind: 'out', because: 'ended' }],
    ['on its last day', standing(aRequirement({ until: '2027-03-01' })), { kind: 'due' }],
    ['finished once is enough', standing(aRequirement(), aMember(), finish('2020-01-01')), { kind: 'covered', until: null, wakeOn: null }],
    ['finished too long ago', standing(aRequirement({ creditMonths: 6 }), aMember(), finish('2026-07-31')), { kind: 'due' }],
    ['finished within six months of switching on', standing(aRequirement({ creditMonths: 6 }), aMember(), finish('2026-08-01')), { kind: 'covered' }], // prettier-ignore
    ['nothing earlier counts', standing(aRequirement({ creditMonths: 0 }), aMember(), finish('2027-01-31')), { kind: 'due' }],
    ['a revoked certificate does not count', standing(aRequirement(), aMember(), finish('2027-01-31', null, true)), { kind: 'due' }],
    ['covered until it runs out, looked at in time', standing(aRequirement({ renewal: { months: 12, leadDays: 30 } }), aMember(), finish('2026-06-01')), { kind: 'covered', until: '2027-06-01', wakeOn: '2027-05-02' }], // prettier-ignore
    ['a certificate that ends earlier ends it', standing(aRequirement({ renewal: { months: 24, leadDays: 30 } }), aMember(), finish('2026-06-01', '2027-04-10')), { kind: 'covered', until: '2027-04-10', wakeOn: '2027-03-11' }], // prettier-ignore
    ['renewal, due when it runs out', standing(aRequirement({ renewal: { months: 12, leadDays: 30 } }), aMember(), finish('2026-03-20')), { kind: 'due', isRenewal: true, dueAt: utc('2027-03-20T16:00') }], // prettier-ignore
    ['renewal of what has run out', standing(aRequirement({ renewal: { months: 12, leadDays: 30 } }), aMember(), finish('2025-03-20')), { kind: 'due', isRenewal: true, dueAt: utc('2027-03-08T16:00') }], // prettier-ignore
    ['only who was in then', standing(aRequirement({ takesJoiners: false })), { kind: 'out', because: 'not-a-member' }],
    ['who was in then', standing(aRequirement({ takesJoiners: false }), aMember({ memberOf: ['r1'] })), { kind: 'due' }],
  ])('%s', (_, found, expected) => expect(found).toMatchObject(expected));
  const closed = (rest: object): Partial<CourseRecord> => ({ closed: { id: 'a1', how: 'waived', because: null, closedAt: NOW - DAY_MS, waivedUntil: null, assignedAt: NOW - 9 * DAY_MS, dueAt: NOW + DAY_MS, isByHand: false, ...rest } }); // prettier-ignore
  test.each<[string, object, object]>([
    ['waived for good', {}, { kind: 'waived', wakeOn: null }],
    ['waived until the end of a day', { waivedUntil: '2027-03-01' }, { kind: 'waived', wakeOn: '2027-03-02' }],
    ['a waiver that has ended', { waivedUntil: '2027-02-28' }, { kind: 'due' }],
    ['withdrawn by hand: that stands', { how: 'withdrawn', because: 'by-hand' }, { kind: 'withdrawn' }],
    ['withdrawn on leaving: it is asked again', { how: 'withdrawn', because: 'left' }, { kind: 'due' }],
  ])('%s', (_, rest, expected) => expect(standing(aRequirement(), aMember(), closed(rest))).toMatchObject(expected));
});

/* A whole house in memory: what reconciling asks for is done, and people and time go on. */
interface Stored {
  id: string;
  person: string;
  course: string;
  assignedAt: number;
  dueAt: number;
  state: 'open' | 'finished' | 'waived' | 'withdrawn';
  isByHand: boolean;
  because: 'by-hand' | 'left' | 'out' | null;
  closedAt: number;
  finishedOn: string | null;
  waivedUntil: string | null;
  reasons: { requirement: string; isOut: boolean; isKept: boolean }[];
}
class House {
  people = new Map<string, RequirementPerson>();
  live = new Map<string, Requirement>();
  stored: Stored[] = [];
  wakes = new Map<string, string>();
  now = NOW;
  private next = 1;
  get today(): string {
    return dateOf(oslo.zone.dayAt(this.now));
  }
  structure: Structure = { parentOf: () => null, managerOf: (id) => this.people.get(id)?.manager ?? null };
  records(person: string): Map<string, CourseRecord> {
    const records = new Map<string, CourseRecord>();
    for (const course of new Set(this.stored.filter((a) => a.person === person).map((a) => a.course))) {
      const own = this.stored.filter((a) => a.person === person && a.course === course);
      const last = own.at(-1)!;
      records.set(course, {
        course,
        finishes: own.flatMap((a) => (a.finishedOn ? [{ on: a.finishedOn, expiresOn: null, isRevoked: false }] : [])),
        open: last.state === 'open' ? { id: last.id, dueAt: last.dueAt, isByHand: last.isByHand, reasons: last.reasons } : null,
        closed: last.state === 'waived' || last.state === 'withdrawn' ? { ...last, how: last.state } : null,
      });
    }
    return records;
  }
  reconcile(ids: Iterable<string>, whenOut = new Map<string, WhenOut>()): Change[] {
    const live = [...this.live.values()].map((requirement) => ({ requirement, matcher: compileAudience(requirement.audience, this.structure, this.today) })); // prettier-ignore
    return [...ids].sort().flatMap((id) => {
      const { changes, wakeOn } = reconcilePerson(live, { person: this.people.get(id)!, calendar: oslo, now: this.now, morning: '08:00', records: this.records(id) }, whenOut); // prettier-ignore
      if (wakeOn) this.wakes.set(id, wakeOn);
      else this.wakes.delete(id);
      for (const change of changes) this.apply(change);
      return changes;
    });
  }
  private apply(change: Change): void {
    if (change.kind === 'assign') {
      const reasons = change.reasons.map(({ requirement }) => ({ requirement, isOut: false, isKept: false }));
      this.stored.push({ id: `a${this.next++}`, person: change.person, course: change.course, assignedAt: change.assignedAt, dueAt: change.dueAt, state: 'open', isByHand: false, because: null, closedAt: 0, finishedOn: null, waivedUntil: null, reasons }); // prettier-ignore
      return;
    }
    const a = this.stored.find(({ id }) => id === change.assignment)!;
    const reason = 'requirement' in change ? a.reasons.find(({ requirement }) => requirement === change.requirement)! : null;
    if (change.kind === 'attach' || change.kind === 'take-up') {
      const fresh = change.reasons.map(({ requirement }) => ({ requirement, isOut: false, isKept: false }));
      if (change.kind === 'take-up') Object.assign(a, { state: 'open', because: null, dueAt: change.dueAt, reasons: fresh });
      else Object.assign(a, { reasons: [...a.reasons, ...fresh], dueAt: change.dueAt ?? a.dueAt });
    } else if (change.kind === 'withdraw') Object.assign(a, { state: 'withdrawn', because: change.because, closedAt: this.now });
    else if (change.kind === 'detach') a.reasons = a.reasons.filter((kept) => kept !== reason);
    else if (change.kind === 'ask') reason!.isOut = true;
    else if (change.kind === 'keep') Object.assign(reason!, { isOut: false, isKept: true });
    else Object.assign(reason!, { isOut: false, isKept: false });
  }
  below(id: string): string[] {
    return [...this.people.values()].filter(({ id: own }) => {
      let next: string | null = own;
      for (let i = 0; next && i < 10; i++) {
        if (next === id) return true;
        next = this.people.get(next)?.manager ?? null;
      }
      return false;
    }).map(({ id: own }) => own); // prettier-ignore
  }
  /** what must be looked at again because of an act */
  act(act: Act): string[] {
    const person = 'person' in act ? this.people.get(act.person)! : null;
    const open = person && this.stored.findLast((a) => a.person === person.id && a.state === 'open');
    switch (act.kind) {
      case 'move':
        person!.department = act.to;
        return [person!.id];
      case 'manager':
        if (this.below(person!.id).includes(act.to)) return [];
        person!.manager = act.to;
        return this.below(person!.id);
      case 'leave':
        person!.leftOn = addDays(this.today, act.days);
        return [person!.id];
      case 'return':
        person!.leftOn = null;
        return [person!.id];
      case 'finish':
        if (open) {
          Object.assign(open, { state: 'finished', finishedOn: this.today });
          person!.held = [...person!.held, { course: open.course, until: addDays(this.today, 200) }];
        }
        return [person!.id];
      case 'waive':
        if (open) Object.assign(open, { state: 'waived', closedAt: this.now, waivedUntil: addDays(this.today, act.days) });
        return [person!.id];
      case 'withdraw':
        if (open) Object.assign(open, { state: 'withdrawn', closedAt: this.now, because: 'by-hand' });
        return [person!.id];
      case 'off':
        this.live.delete(act.requirement);
        return [...this.people.keys()];
      case 'on':
        this.live.set(act.requirement, { ...REQUIREMENTS[act.requirement]!, id: act.requirement, switchedOnAt: this.now });
        return [...this.people.keys()];
      case 'wait': {
        this.now += act.days * DAY_MS;
        return [...this.wakes].flatMap(([id, on]) => (on <= this.today ? [id] : []));
      }
    }
  }
}
type Act =
  | { kind: 'move' | 'manager'; person: string; to: string }
  | { kind: 'leave' | 'waive'; person: string; days: number }
  | { kind: 'return' | 'finish' | 'withdraw'; person: string }
  | { kind: 'off' | 'on'; requirement: string }
  | { kind: 'wait'; days: number };

const deck: Audience = { department: ['deck'], below: true };
const REQUIREMENTS: Record<string, Requirement> = {
  deck: aRequirement(),
  strict: aRequirement({ audience: { any: [deck, { line: ['kari'] }] }, due: { kind: 'after', amount: 3, unit: 'working days', event: 'assigned' }, whenOut: 'withdraw' }),
  yearly: aRequirement({ audience: { not: { department: ['yard'], below: true } }, renewal: { months: 2, leadDays: 10 }, whenOut: 'keep' }),
  fresh: aRequirement({ course: 'lines', audience: { all: [{ joinedWithin: 30 }, { lacks: ['fire'] }] } }),
}; // prettier-ignore
const PEOPLE = ['kari', 'odd', 'runa', 'per'];
const who = fc.constantFrom(...PEOPLE);
const days = fc.integer({ min: 0, max: 40 });
const anAct: fc.Arbitrary<Act> = fc.oneof(
  fc.record({ kind: fc.constant('move' as const), person: who, to: fc.constantFrom('deck', 'engine', 'yard') }),
  fc.record({ kind: fc.constant('manager' as const), person: who, to: who }),
  fc.record({ kind: fc.constantFrom('leave' as const, 'waive' as const), person: who, days }),
  fc.record({ kind: fc.constantFrom('return' as const, 'finish' as const, 'withdraw' as const), person: who }),
  fc.record({
    kind: fc.constantFrom('off' as const, 'on' as const, 'on' as const),
    requirement: fc.constantFrom(...Object.keys(REQUIREMENTS)),
  }),
  fc.record({ kind: fc.constant('wait' as const), days: fc.integer({ min: 0, max: 90 }) }),
  fc.record({ kind: fc.constant('finish' as const), person: who }),
);
const aHouse = (): House => {
  const house = new House();
  PEOPLE.forEach((id, index) => house.people.set(id, aMember({ id, name: id, department: index % 2 ? 'deck' : 'engine', manager: id === 'runa' ? 'odd' : null, joinedOn: addDays('2027-03-01', index * 9 - 20), held: [] }))); // prettier-ignore
  return house;
};

describe('reconciling', () => {
  it('those who changed and those whose day has come gives the same as reconciling everyone', () => {
    fc.assert(
      fc.property(fc.subarray(Object.keys(REQUIREMENTS)), fc.array(anAct, { maxLength: 25 }), (on, acts) => {
        const [some, all] = [aHouse(), aHouse()];
        for (const house of [some, all]) for (const requirement of on) house.reconcile(house.act({ kind: 'on', requirement }));
        for (const act of acts) {
          some.reconcile(some.act(act));
          all.act(act);
          all.reconcile(all.people.keys());
          expect(some.stored).toEqual(all.stored);
        }
      }),
      { numRuns: 400 },
    );
  });
  it('twice changes nothing; a person has a course open once; who has left has nothing open', () => {
    fc.assert(
      fc.property(fc.array(anAct, { maxLength: 20 }), (acts) => {
        const house = aHouse();
        for (const act of acts) {
          house.reconcile(house.act(act));
          expect(house.reconcile(house.people.keys())).toEqual([]);
          for (const person of house.people.values()) {
            const open = house.stored.filter((a) => a.person === person.id && a.state === 'open').map((a) => a.course);
            expect(new Set(open).size).toBe(open.length);
            if (person.leftOn && person.leftOn <= house.today) expect(open).toEqual([]);
          }
        }
      }),
    );
  });
  it('what they will ask for in days to come is what they then ask for', () => {
    const told = (house: House, change: Change, at: number): object => {
      const stored = 'assignment' in change ? house.stored.find(({ id }) => id === change.assignment) : undefined;
      const [person, course] = change.kind === 'assign' ? [change.person, change.course] : [stored?.person, stored?.course];
      return { on: dateOf(oslo.zone.dayAt(at)), kind: change.kind, person, course, dueAt: 'dueAt' in change ? change.dueAt : null };
    };
    let seen = 0;
    fc.assert(
      fc.property(fc.array(anAct, { minLength: 4, maxLength: 20 }), (acts) => {
        const house = aHouse();
        for (const requirement of Object.keys(REQUIREMENTS)) house.reconcile(house.act({ kind: 'on', requirement }));
        for (const act of acts) house.reconcile(house.act(act));
        house.reconcile(house.people.keys()); // whoever an act did not concern may still have a day that has passed
        const people = [...house.people.values()].map((person) => ({ ...person }));
        const ahead = changesAhead({
          people,
          wakes: new Map([...house.wakes].map(([id, on]) => [id, morningOf(on, oslo, '08:00')])),
          records: new Map(people.map(({ id }) => [id, house.records(id)])),
          liveOn: (date) =>
            [...house.live.values()].map((requirement) => ({
              requirement,
              matcher: compileAudience(requirement.audience, house.structure, date),
            })),
          calendarOf: () => oslo,
          morning: '08:00',
          now: house.now,
          until: house.now + 90 * DAY_MS,
        });
        const assignedTo = new Map(
          ahead.flatMap(({ assignment, change }) => (change.kind === 'assign' ? [[assignment, change] as const] : [])),
        );
        const foreseen = ahead.map(({ at, change, assignment }) => {
          const made = assignedTo.get(assignment);
          return { ...told(house, change, at), ...(made && { person: made.person, course: made.course }) };
        });
        const lived: object[] = [];
        for (let i = 0; i < 90; i++) {
          const woken = house.act({ kind: 'wait', days: 1 });
          for (const change of house.reconcile(woken)) lived.push(told(house, change, house.now));
        }
        const sorted = (list: object[]): string[] => list.map((one) => JSON.stringify(one)).sort();
        // the last morning is before the hour at which the model looks
        const last = dateOf(oslo.zone.dayAt(house.now));
        const until = (list: object[]): object[] => list.filter((one) => (one as { on: string }).on < last);
        seen += foreseen.length;
        expect(sorted(until(foreseen))).toEqual(sorted(until(lived)));
      }),
      { numRuns: 200 },
    );
    expect(seen).toBeGreaterThan(200);
  });
  it('overlapping requirements give one assignment, the earliest due date and both reasons', () => {
    const house = aHouse();
    house.live.set('deck', { ...REQUIREMENTS['deck']!, id: 'deck' });
    house.reconcile(['odd']);
    house.live.set('strict', { ...REQUIREMENTS['strict']!, id: 'strict' });
    expect(house.reconcile(['odd'])).toMatchObject([{ kind: 'attach', dueAt: utc('2027-03-04T16:00') }]);
    expect(house.stored).toMatchObject([{ dueAt: utc('2027-03-04T16:00'), reasons: [{ requirement: 'deck' }, { requirement: 'strict' }] }]);
    const once = aHouse();
    once.live = house.live;
    once.reconcile(['odd']);
    expect(once.stored).toMatchObject([{ dueAt: utc('2027-03-04T16:00'), reasons: [{}, {}] }]);
  });
  test.each<[string, WhenOut, string[], string]>([
    ['asked about', 'ask', ['ask'], 'open'],
    ['kept', 'keep', ['keep'], 'open'],
    ['withdrawn', 'withdraw', ['withdraw'], 'withdrawn'],
  ])('who falls out of the audience is %s', (_, word, kinds, state) => {
    const house = aHouse();
    house.live.set('deck', { ...REQUIREMENTS['deck']!, id: 'deck', whenOut: word });
    house.reconcile(['odd']);
    expect(house.reconcile(house.act({ kind: 'move', person: 'odd', to: 'yard' })).map(({ kind }) => kind)).toEqual(kinds);
    expect(house.stored[0]!.state).toBe(state);
    house.reconcile(house.act({ kind: 'move', person: 'odd', to: 'deck' }));
    expect(house.stored).toMatchObject([{ state: 'open', reasons: [{ isOut: false, isKept: false }] }]);
  });
  it('one of two reasons that falls away asks nobody', () => {
    const house = aHouse();
    house.live.set('deck', { ...REQUIREMENTS['deck']!, id: 'deck' });
    house.live.set('yearly', { ...REQUIREMENTS['yearly']!, id: 'yearly' });
    house.reconcile(['odd']);
    expect(house.reconcile(house.act({ kind: 'move', person: 'odd', to: 'engine' }))).toMatchObject([
      { kind: 'detach', requirement: 'deck' },
    ]);
  });
  it('switching off withdraws or keeps, as somebody says', () => {
    for (const [word, state] of [['withdraw', 'withdrawn'], ['keep', 'open']] as const) {
      const house = aHouse();
      house.live.set('deck', { ...REQUIREMENTS['deck']!, id: 'deck' });
      house.reconcile(['odd']);
      house.live.clear();
      house.reconcile(['odd'], new Map([['deck', word]]));
      expect(house.stored[0]!.state).toBe(state);
      expect(house.reconcile(['odd'])).toEqual([]);
    } // prettier-ignore
  });
  it('what was assigned by hand is withdrawn on leaving and comes back with its time', () => {
    const house = aHouse();
    house.stored.push({ id: 'h1', person: 'odd', course: 'cash', assignedAt: NOW - 2 * DAY_MS, dueAt: NOW + DAY_MS, state: 'open', isByHand: true, because: null, closedAt: 0, finishedOn: null, waivedUntil: null, reasons: [] }); // prettier-ignore
    house.reconcile(house.act({ kind: 'leave', person: 'odd', days: 0 }));
    expect(house.stored[0]!.state).toBe('withdrawn');
    house.now += 30 * DAY_MS + HOUR;
    house.reconcile(house.act({ kind: 'return', person: 'odd' }));
    // three days as before, at the same time of day, which is an hour less apart: the clocks went forward
    expect(house.stored[0]).toMatchObject({ state: 'open', dueAt: NOW + 33 * DAY_MS - HOUR });
  });
});
