import { describe, expect, it } from 'vitest';
import { DEFAULT_SETTINGS } from '../people/person.ts';
import { STANDARD_PLAN, type PlanStep } from '../plans/standard.ts';
import { anAssignment, aPerson, LONDON, OSLO, utc } from '../testing.ts';
import { compareForward, forward } from './forward.ts';
import { rehearse } from './rehearse.ts';
import { drawFinish, PLAINLY, suppose, type RehearsalFacts, type Supposition } from './suppose.ts';

const NOW = utc('2027-03-01T09:30');
const NAMES = { department: {}, site: {}, group: {}, person: {}, course: {}, unit: {}, step: {} };
const facts = (rest: Partial<RehearsalFacts> = {}): RehearsalFacts => ({
  now: NOW,
  zone: 'Europe/Oslo',
  organisation: 'Orlasund Ferries',
  house: { senderName: 'Safety training', replyTo: 'training@orlasund.example', repliesToTrainer: false },
  people: [
    aPerson('tora', { name: 'Tora Hauge' }),
    aPerson('kari', { name: 'Kari Berg' }),
    ...Array.from({ length: 10 }, (_, i) => aPerson(`p${i}`, { name: `Person ${i}`, manager: 'kari', calendar: i < 7 ? 'orla' : 'tarn' })),
  ],
  calendars: [OSLO, LONDON],
  courses: [{ id: 'c1', title: 'Fire Teams Aboard', owner: 'tora', units: ['u1'], code: null, summary: 'Hoses.', required: ['u1'], needed: null, titles: { u1: 'Hoses' } }],
  settings: DEFAULT_SETTINGS,
  parents: {},
  names: NAMES,
  holds: [],
  plans: [{ course: 'c1', title: 'Fire Teams Aboard', publishedAt: NOW, steps: STANDARD_PLAN, draft: null }],
  assignments: Array.from({ length: 10 }, (_, i) => anAssignment({ id: `a${i}`, person: `p${i}` })),
  ledger: [],
  pace: { c1: { shares: [0.2, 0.4, 0.6, 0.8, 0.9], never: 50 } },
  leftOut: 0, ahead: [], aheadLeftOut: 0, certified: {}, signOffs: {},
  ...rest,
}); // prettier-ignore
const look = (rest: Partial<Supposition> = {}, of: Partial<RehearsalFacts> = {}) => forward(facts(of), { ...PLAINLY, ...rest });
const perDay = ({ days }: ReturnType<typeof look>): Record<string, number> =>
  Object.fromEntries(days.filter(({ mails }) => mails > 0).map(({ day, mails }) => [day, mails]));

describe('a rehearsal of days to come', () => {
  it('is what the sender’s rules say, day by day; what is gathered counts once', () => {
    const found = look();
    const plain = rehearse({ ...suppose(facts(), PLAINLY), withHeld: true }).filter(({ outcome }) => outcome !== 'wait');
    expect(found.lines.map(({ sentence: _, ...line }) => line)).toEqual(plain.map(({ sentence: _, ...line }) => line));
    // invitations, getting started, two days to go, late twice where that is no holiday; the manager is written to once for all of them
    expect(perDay(found)).toEqual({
      '2027-03-01': 10,
      '2027-03-03': 10,
      '2027-03-17': 10,
      '2027-03-22': 10,
      '2027-03-24': 1,
      '2027-03-25': 3,
    });
    expect(found.days[0]).toMatchObject({ day: '2027-03-01', isWorking: true, kinds: { invitation: 10 } });
    expect(found.days.at(-1)!.day).toBe('2027-03-28');
    expect(found.readers[0]).toMatchObject({ name: 'Person 7', mails: 5, most: 1 });
    expect(found.readers.at(-1)).toMatchObject({ id: 'kari', mails: 1, most: 1, on: '2027-03-24' });
    // by each reader’s own clock: 09:00 in both zones, and three invitations at 09:30 in London
    expect(found.hours[9]).toBe(24 + 3);
    expect(found.busiest).toMatchObject({ mails: 10 });
    // ten employees and their manager read something
    expect([found.people, found.assignments, found.ahead]).toEqual([11, 10, 0]);
  });

  it('looks ahead no further than ninety days, and at least one', () => {
    expect(look({ days: 500 }).days).toHaveLength(90);
    expect(look({ days: -3 }).days).toHaveLength(1);
  });

  it('if everyone finishes on a day, reminders after it are skipped for that reason', () => {
    const found = look({ act: { kind: 'all', after: 7 } });
    expect(perDay(found)).toEqual({ '2027-03-01': 10, '2027-03-03': 10, '2027-03-08': 10 }); // the certificates
    expect(found.reasons).toEqual([{ because: 'finished', count: 10 + 10 + 3 + 10 }]);
  });

  it('whoever finishes is signed off and gets a certificate, where the course has these; what hangs on them goes', () => {
    const steps: PlanStep[] = [
      { ...STANDARD_PLAN[1]!, id: 'issued', kind: 'follow-up', anchor: { event: 'certificate-issued' }, offset: { amount: 1, unit: 'days' }, onlyIf: null, stopWhen: null },
      { ...STANDARD_PLAN[1]!, id: 'expiring', kind: 'follow-up', anchor: { event: 'expires' }, offset: { amount: -3, unit: 'days' }, onlyIf: null, stopWhen: null },
      { ...STANDARD_PLAN[1]!, id: 'signed', kind: 'follow-up', anchor: { event: 'signed-off', outcome: 'met' }, offset: { amount: 0, unit: 'minutes' }, at: null, onlyIf: null, stopWhen: null },
    ]; // prettier-ignore
    const of = { plans: [{ ...facts().plans[0]!, steps }] };
    const act = { kind: 'all', after: 7 } as const;
    const gone = (found: ReturnType<typeof look>) =>
      Object.fromEntries(steps.map(({ id }) => [id, [...new Set(found.lines.flatMap(({ step, outcome, at }) => (step === id && outcome === 'send' ? [new Date(at!).toISOString().slice(0, 10)] : [])))]])); // prettier-ignore
    expect(gone(look({ act }, of))).toEqual({ issued: [], expiring: [], signed: [] });
    const certified = { c1: { count: 14, unit: 'days' as const, toMonthEnd: false } };
    expect(gone(look({ act }, { ...of, certified, signOffs: { c1: ['u1'] } }))).toEqual({ issued: ['2027-03-09'], expiring: ['2027-03-19'], signed: ['2027-03-08'] });
    expect(gone(look({ act }, { ...of, certified: { c1: null } }))).toEqual({ issued: ['2027-03-09'], expiring: [], signed: [] });
  }); // prettier-ignore

  it('what requirements will assign in these days is part of it, and finished that many days after it is assigned', () => {
    const later = anAssignment({ id: 'ahead p0/c1/1', person: 'p0', assignedAt: utc('2027-03-15T07:00'), dueAt: utc('2027-04-14T15:00') });
    const of = { assignments: [later], ahead: [later.id] };
    expect(look({}, of)).toMatchObject({ ahead: 1, assignments: 1 });
    expect(perDay(look({}, of))).toEqual({ '2027-03-15': 1, '2027-03-17': 1 });
    expect(look({ days: 5 }, of)).toMatchObject({ ahead: 0, mails: 0 });
    expect(perDay(look({ act: { kind: 'all', after: 7 } }, of))).toEqual({ '2027-03-15': 1, '2027-03-17': 1, '2027-03-22': 1 });
  });

  it('as people did in the past: drawn by assignment, the same in any order, and never before now', () => {
    const list = Array.from({ length: 4_000 }, (_, i) => anAssignment({ id: `x${i}` }));
    const pace = { shares: [0.2, 0.4, 0.6, 0.8, 0.9], never: 50 };
    const { dueAt, assignedAt } = list[0]!;
    const early = list.map((one) => drawFinish(one, dueAt, pace, assignedAt));
    expect(early.filter((at) => at === null).length / 4_000).toBeCloseTo(0.5, 1);
    expect([...list].reverse().map((one) => drawFinish(one, dueAt, pace, assignedAt)).reverse()).toEqual(early); // prettier-ignore
    // of those still at it after seven tenths of the time, two ways to finish are left against five who never did
    const now = assignedAt + 0.7 * (dueAt - assignedAt);
    const late = list.map((one) => drawFinish(one, dueAt, pace, now));
    expect(late.filter((at) => at === null).length / 4_000).toBeCloseTo(5 / 7, 1);
    expect(late.every((at) => at === null || at > now)).toBe(true);
    expect(drawFinish(list[0]!, dueAt, undefined, now)).toBeNull();
    const found = look({ act: { kind: 'past' } });
    expect(found.mails).toBeLessThan(look().mails + 10);
    expect(found.lines).toEqual(forward(facts({ assignments: [...facts().assignments].reverse() }), { ...PLAINLY, act: { kind: 'past' } }).lines); // prettier-ignore
  });

  it('a holiday moves what falls on it at that site, and nowhere else', () => {
    const found = look({ holiday: { calendar: 'orla', date: '2027-03-22' } });
    expect(perDay(found)).toMatchObject({ '2027-03-22': 3, '2027-03-23': 7 });
  });

  it('while mail is down nothing goes; then only what is newest', () => {
    const found = look({ outage: { from: '2027-03-16', days: 8 } });
    expect(Object.keys(perDay(found))).toEqual(['2027-03-01', '2027-03-03', '2027-03-24', '2027-03-25']);
    expect(found.reasons.map(({ because }) => because)).toContain('superseded');
  });

  it('forty who join on Monday are welcomed that morning, with the manager that most have there', () => {
    const joiners = { count: 40, on: '2027-03-08', calendar: 'orla', course: 'c1', dueDays: 14 };
    const found = look({ joiners });
    expect(perDay(found)['2027-03-08']).toBe(40);
    expect(found.assignments).toBe(50);
    expect(new Set(found.lines.filter(({ to }) => to === 'manager').map(({ person }) => person))).toEqual(new Set(['kari']));
    expect(facts().people).toHaveLength(12);
  });

  it('what is held goes nowhere, unless it is looked at as if it were not', () => {
    const holds = [{ id: '1', scope: 'course' as const, of: 'c1', name: 'Fire', from: NOW - 1, until: null, by: 'Sigrid', reason: 'x' }];
    expect(look({}, { holds })).toMatchObject({ mails: 0, holds: [{ because: 'on-hold' }] });
    expect(look({ withoutHolds: true }, { holds }).mails).toBe(look().mails);
  });

  it('a draft beside what is published: what would move, go, or no longer', () => {
    const draft: PlanStep[] = STANDARD_PLAN.filter(({ id }) => id !== 'onboarding').map((step) =>
      step.id === 'two-days-to-go' ? { ...step, offset: { amount: -72, unit: 'hours' } } : step,
    );
    const plans = [{ ...facts().plans[0]!, draft }];
    const before = look({}, { plans });
    const found = compareForward(before.lines, look({ withDraft: true }, { plans }).lines);
    expect(found.filter(({ step }) => step === 'onboarding')).toHaveLength(10);
    expect(found.filter(({ step }) => step === 'onboarding').every(({ after }) => after === null)).toBe(true);
    const moved = found.filter(({ step }) => step === 'two-days-to-go');
    expect(moved).toHaveLength(10);
    expect(moved[0]!.after!.at! - moved[0]!.before!.at!).toBe(-24 * 3_600_000);
    expect(compareForward(before.lines, before.lines)).toEqual([]);
  });

  it('of one course, and of a house without anybody', () => {
    expect(look({ course: 'another' })).toMatchObject({ mails: 0, assignments: 0 });
    expect(look({}, { assignments: [], people: [], calendars: [] })).toMatchObject({ mails: 0, busiest: null, readers: [] });
  });
});
