import { afterAll, beforeAll, beforeEach, describe, expect, it, test } from 'vitest';
import { ANCHORS, conditionsFor, leavesOf, STANDARD_PLAN, type Anchor, type AnchorEvent, type AssignmentEvent, type Condition, type PlanStep } from '@nudrik/core'; // prettier-ignore
import { record } from '../assignments/record.ts';
import { rows, transaction } from '../db/db.ts';
import { lockPlan, putPlan } from '../plans/plans.repo.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, TestMailer, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { whyStep } from './ledger.query.ts';

/** From the event to the ledger, for every anchor; and every condition, as it holds and as it does not. */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let other: string;
let units: { section: string; ids: string[] };
const START = Date.parse('2027-03-01T09:30:00Z');
const HOUR = 3_600_000;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  other = await makeCourse(house, crew['tora']!, undefined, 'Muster');
  const found = await rows<{ id: string; section: string }>(house.db, 'select u.id, u.section_id as section from units u join sections s on s.id = u.section_id where s.course_id = $1 order by u.id', [course]); // prettier-ignore
  units = { section: found[0]!.section, ids: found.map(({ id }) => id) };
});
afterAll(() => house.close());
beforeEach(async () => {
  await house.db.query('truncate notices, messages, replan, assignment_events, certificates, assignments, leaves restart identity cascade');
  house.mailer = new TestMailer();
  house.clock.at = START;
});

const stepWith = (rest: Partial<PlanStep>): PlanStep => ({
  id: 'it', name: 'It', kind: 'follow-up', on: true, anchor: { event: 'assigned' }, offset: { amount: 0, unit: 'minutes' }, at: null, window: 'exact', repeat: null,
  to: ['employee'], gather: 'none', endsOn: null, onlyIf: null, stopWhen: null, message: { ...STANDARD_PLAN[0]!.message, body: 'Hello.' }, ...rest,
}); // prettier-ignore
async function plan(...steps: PlanStep[]): Promise<void> {
  await transaction(house.db, async (client) => {
    const { version } = (await lockPlan(client, course))!;
    await putPlan(client, course, version + 1, START - HOUR, 'Tora Aske', steps);
  });
}
const begin = async (): Promise<string> => (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z'))[0]!;
const happen = (assignment: string, ...events: AssignmentEvent[]): Promise<unknown> =>
  transaction(house.db, (client) => record(client, events.map((event) => ({ assignment, event })), { byWhom: 'x' })); // prettier-ignore
async function play(to: number): Promise<void> {
  house.clock.at = to;
  await drain(house.deps, house.mailer);
}
const ledger = async (assignment: string) => rows<{ state: string; because: string | null; sentence: string | null; revision: number; anchor_at: Date }>(house.db, "select state, because, sentence, revision, anchor_at from notices where step_id = 'it' and assignment_id = $1::bigint order by revision", [assignment]); // prettier-ignore

const AT = START + 2 * HOUR;
/** What happens, by anchor; nothing where time alone brings it. */
const BRINGS: Record<AnchorEvent, { anchor?: () => Partial<Anchor>; events: () => AssignmentEvent[]; at?: number; isKnown?: true }> = {
  assigned: { events: () => [], at: START, isKnown: true },
  due: { events: () => [], at: Date.parse('2027-03-19T16:00:00Z'), isKnown: true },
  idle: { events: () => [], at: START, isKnown: true },
  date: { anchor: () => ({ date: '2027-03-08' }), events: () => [], at: Date.parse('2027-03-07T23:00:00Z'), isKnown: true },
  'unit-opened': { anchor: () => ({ unit: units.ids[1]! }), events: () => [{ type: 'unit-opened', unit: units.ids[1]!, at: AT }] },
  'unit-finished': { anchor: () => ({ unit: units.ids[0]! }), events: () => [{ type: 'unit-finished', unit: units.ids[0]!, at: AT }] },
  'section-finished': { anchor: () => ({ section: units.section }), events: () => units.ids.map((unit) => ({ type: 'unit-finished', unit, at: AT })) }, // prettier-ignore
  'quiz-submitted': { events: () => [{ type: 'quiz-submitted', at: AT, attempt: 1, score: 40, passed: false }] },
  'quiz-passed': { events: () => [{ type: 'quiz-submitted', at: AT, attempt: 1, score: 90, passed: true }] },
  'quiz-failed': { events: () => [{ type: 'quiz-submitted', at: AT, attempt: 1, score: 40, passed: false }] },
  'quiz-waiting': { events: () => [{ type: 'quiz-submitted', at: AT, attempt: 1 }] },
  'survey-answered': { events: () => [{ type: 'survey-answered', unit: units.ids[0]!, at: AT }] },
  'signed-off': { anchor: () => ({ outcome: 'absent' }), events: () => [{ type: 'signed-off', at: AT, attended: false }] },
  'session-starts': { events: () => [{ type: 'session-set', at: AT, startsAt: AT + 24 * HOUR }], at: AT + 24 * HOUR },
  'seat-given': { events: () => [{ type: 'session-set', at: AT, startsAt: AT + 24 * HOUR }] },
  'session-moved': { events: () => [{ type: 'session-set', at: AT - HOUR, startsAt: AT + 24 * HOUR }, { type: 'session-set', at: AT, startsAt: AT + 48 * HOUR }] }, // prettier-ignore
  'seat-lost': {
    events: () => [
      { type: 'session-set', at: AT - HOUR, startsAt: AT + 24 * HOUR },
      { type: 'session-set', at: AT },
    ],
  },
  'seat-waiting': { events: () => [{ type: 'session-set', at: AT, isWaiting: true }] },
  'taken-up': { events: () => [{ type: 'taken-up', at: AT, until: '2027-03-20', isTold: true }] },
  extended: { events: () => [{ type: 'extended', at: AT, dueAt: Date.parse('2027-04-19T16:00:00Z') }] },
  waived: { events: () => [{ type: 'waived', at: AT }] },
  withdrawn: { events: () => [{ type: 'withdrawn', at: AT, because: 'by-hand' }] },
  finished: { events: () => [{ type: 'finished', at: AT }] },
  'certificate-issued': { events: () => [{ type: 'finished', at: AT }, { type: 'certificate-issued', at: AT, serial: 'X', expiresAt: AT + 48 * HOUR }] }, // prettier-ignore
  expires: { events: () => [{ type: 'finished', at: AT }, { type: 'certificate-issued', at: AT, serial: 'X', expiresAt: AT + 48 * HOUR }], at: AT + 48 * HOUR }, // prettier-ignore
  reminded: { events: () => [{ type: 'reminded', at: AT, letter: '1' }] },
};

describe('every anchor', () => {
  test.each(ANCHORS)('%s: its event is planned in the transaction that records it, and goes', async (event) => {
    const { anchor, events, at = AT, isKnown } = BRINGS[event];
    await plan(stepWith({ anchor: { event, ...anchor?.() }, offset: { amount: 30, unit: 'minutes' } }));
    const id = await begin();
    await play(START + HOUR);
    if (!isKnown) {
      expect(await ledger(id)).toEqual([]);
      expect((await whyStep(house.deps, id, 'it')).sentence).toMatch(/^Waits/);
      house.clock.at = AT;
      await happen(id, ...events());
      // what is held runs out with its certificate
      if (event === 'expires')
        await house.db.query("insert into certificates (assignment_id, person_id, course_id, serial, person_name, course_title, issued_on, expires_on) select id, person_id, course_id, 'X', 'x', 'x', '2027-03-01', '2027-03-03' from assignments where id = $1::bigint", [id]); // prettier-ignore
      await play(AT);
    }
    expect((await ledger(id)).map(({ revision, anchor_at }) => [revision, anchor_at.getTime()])).toEqual([[0, at]]);
    await play(at + 30 * 60_000);
    expect((await ledger(id)).map(({ state }) => state)).toEqual(['sent']);
  });
});

type Around = (id: string) => Promise<unknown>;
const quiz = (score: number, passed: boolean): Around => (id) => happen(id, { type: 'quiz-submitted', unit: units.ids[1]!, at: AT, attempt: 1, score, passed }); // prettier-ignore
const nothing: Around = async () => undefined;
/** Of each condition: where it holds, and where it does not. */
const HOLDS: [string, () => Condition, Around, Around][] = [
  ['state', () => ({ state: ['in progress'] }), (id) => happen(id, { type: 'started', at: AT }), nothing],
  ['progressAtLeast', () => ({ progressAtLeast: 50 }), (id) => happen(id, { type: 'unit-finished', unit: units.ids[0]!, at: AT }), nothing],
  ['unitFinished', () => ({ unitFinished: units.ids[0]! }), (id) => happen(id, { type: 'unit-finished', unit: units.ids[0]!, at: AT }), nothing], // prettier-ignore
  ['unitOpened', () => ({ unitOpened: units.ids[1]! }), nothing, () => house.db.query(`update units set release = '{"kind":"on","date":"2027-03-05","at":"08:00"}' where id = $1`, [units.ids[1]])], // prettier-ignore
  ['quizPassed', () => ({ quizPassed: units.ids[1]! }), quiz(90, true), quiz(40, false)],
  ['quizScore', () => ({ quizScore: { unit: units.ids[1]!, atLeast: 60 } }), quiz(60, false), quiz(59, false)],
  ['quizAttempts', () => ({ quizAttempts: { unit: units.ids[1]!, atLeast: 1 } }), quiz(60, false), nothing],
  ['signedOff', () => ({ signedOff: ['met'] }), (id) => happen(id, { type: 'signed-off', at: AT, met: true }), (id) => happen(id, { type: 'signed-off', at: AT, met: false })], // prettier-ignore
  ['idleDays', () => ({ idleDays: 1 }), nothing, async (id) => { house.clock.at = AT + 20 * HOUR; await happen(id, { type: 'started', at: AT + 20 * HOUR }); }], // prettier-ignore
  ['manager', () => ({ manager: ['there'] }), nothing, () => house.db.query("insert into leaves (person_id, from_on, to_on) values ($1, '2027-03-01', '2027-03-09')", [crew['odd']])], // prettier-ignore
  ['round', () => ({ round: 2 }), (id) => house.db.query('update assignments set round = 2 where id = $1', [id]), nothing],
  ['replied', () => ({ replied: true }), (id) => happen(id, { type: 'replied', at: AT }), nothing],
  ['fromDate', () => ({ fromDate: '2027-03-02' }), nothing, async () => plan(stepWith({ offset: { amount: 24, unit: 'hours' }, onlyIf: { fromDate: '2027-03-03' } }))], // prettier-ignore
  ['beforeDate', () => ({ beforeDate: '2027-03-03' }), nothing, async () => plan(stepWith({ offset: { amount: 24, unit: 'hours' }, onlyIf: { beforeDate: '2027-03-02' } }))], // prettier-ignore
  ['stepSent', () => ({ stepSent: 'before' }), nothing, () => house.db.query("update notices set state = 'skipped' where step_id = 'before'")], // prettier-ignore
  ['stepBounced', () => ({ stepBounced: 'before' }), () => house.db.query("update notices set state = 'bounced' where step_id = 'before'"), nothing], // prettier-ignore
  ['holds', () => ({ holds: [other] }), () => hold(true), nothing],
  ['lacks', () => ({ lacks: [other] }), nothing, () => hold(true)],
];
async function hold(has: boolean): Promise<void> {
  const [id] = await assignAt(house, other, [crew['runa']!], '2027-03-19T16:00:00Z');
  if (has) await happen(id!, { type: 'finished', at: AT }, { type: 'certificate-issued', at: AT, serial: 'Y' });
}

describe('every condition', () => {
  const before = stepWith({ id: 'before', name: 'Before' });
  test.each(HOLDS)('%s: holds and it goes; does not hold, and it says why', async (_, condition, where, whereNot) => {
    for (const [around, state] of [
      [where, 'sent'],
      [whereNot, 'skipped'],
    ] as const) {
      await house.db.query("truncate notices, messages, replan, assignment_events, certificates, assignments, leaves restart identity cascade; update units set release = null"); // prettier-ignore
      house.clock.at = START;
      await plan(before, stepWith({ offset: { amount: 24, unit: 'hours' }, onlyIf: condition() }));
      const id = await begin();
      await play(AT);
      await around(id);
      await play(START + 24 * HOUR);
      const [found] = await ledger(id);
      expect([found!.state, found!.because], `${state}: ${found!.sentence}`).toEqual([state, state === 'sent' ? null : 'condition']);
      if (state === 'skipped') {
        expect(found!.sentence).toContain('it goes only if');
        // units and steps are told by what they are called
        expect(found!.sentence).not.toMatch(/gone|unit \d|“before”/);
      }
    }
  });

  it('is in the catalogue', () => {
    expect(conditionsFor('assignment', 'held', 'notices').sort()).toEqual(HOLDS.map(([name]) => name).sort());
    expect(leavesOf({ all: [] })).toEqual([]);
  });
});
