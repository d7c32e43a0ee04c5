import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { NotifiedQuery } from '@nudrik/contract';
import {
  dateOf,
  rehearse,
  STANDARD_PLAN,
  Zone,
  type AssignmentEvent,
  type Condition,
  type HoldScope,
  type PlanStep,
  type Step,
} from '@nudrik/core';
import { undoAct } from '../assignments/acts.ts';
import { close, extend } from '../assignments/change.ts';
import { record } from '../assignments/record.ts';
import { makeHold } from '../holding/holding.ts';
import { putPlan } from '../plans/plans.repo.ts';
import { rows, transaction } from '../db/db.ts';
import { takeUp } from '../assignments/take-up.ts';
import { getHouse } from '../house/house.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, TestMailer, type TestHouse } from '../testing.ts';
import { coverageView } from '../reports/lists.ts';
import { foldFigures } from '../work/figures.ts';
import { drain } from '../worker.ts';
import { missingIn } from '../messages/compose.ts';
import { loadFacts } from './facts.ts';

/**
 * Random houses (leave, holds, daily limit, gathering, one message a day, a digest, what is taken up, the chat, an address that bounces, a field without a value, an outage, extensions,
 * acts taken back) lived through by the worker on a clock that goes from notice to notice. What it sends is what the
 * rehearsal says, line by line: both ask the same functions of core.
 */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
const START = Date.parse('2027-03-01T09:30:00Z');
const END = Date.parse('2027-04-20T00:00:00Z');
const DAY = 86_400_000;
beforeAll(async () => {
  house = await openTestHouse(new Date(START).toISOString());
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
});
afterAll(() => house.close());

const message = STANDARD_PLAN[0]!.message;
const steps = fc.array(
  fc.record({
    kind: fc.constantFrom('invitation', 'onboarding', 'reminder', 'late', 'manager', 'follow-up'),
    event: fc.constantFrom('assigned', 'due', 'due', 'finished', 'unit-finished', 'idle'),
    amount: fc.integer({ min: -6, max: 6 }),
    unit: fc.constantFrom('hours', 'days', 'working days'),
    time: fc.constantFrom(null, '09:00', '09:00', '16:30'),
    window: fc.constantFrom(null, 'exact', 'later', 'earlier'),
    times: fc.integer({ min: 1, max: 3 }),
    to: fc.constantFrom(
      ['employee'],
      ['employee'],
      ['manager'],
      ['employee', 'manager'],
      ['manager 2'],
      ['trainer'],
      ['manager', 'manager 2'],
    ),
    gathered: fc.boolean(),
    onlyOpen: fc.boolean(),
    only: fc.constantFrom<Condition | null>(
      null,
      null,
      { stepSent: 's0' },
      { not: { stepSent: 's1' } },
      { idleDays: 3 },
      { not: { idleDays: 2 } },
      { progressAtLeast: 50 },
      { manager: ['there'] },
      { manager: ['away', 'none'] },
      { fromDate: '2027-03-12' },
      { beforeDate: '2027-03-15' },
      { lacks: ['999999'] },
      { holds: ['999999'] },
    ),
    lacksValue: fc.integer({ min: 0, max: 9 }),
  }),
  { minLength: 2, maxLength: 6 },
);
type StepDraft = Parameters<Parameters<typeof steps.map>[0]>[0][number];
const stepFrom = (draft: StepDraft, i: number): PlanStep => {
  const isElapsed = draft.unit === 'hours';
  const at = isElapsed ? null : draft.time;
  return {
    id: `s${i}`,
    name: `Step ${i}`,
    kind: draft.kind as Step['kind'],
    on: true,
    anchor: { event: draft.event as Step['anchor']['event'] },
    offset: { amount: draft.event === 'due' ? draft.amount : Math.abs(draft.amount), unit: draft.unit as Step['offset']['unit'] },
    at,
    window: draft.window as Step['window'],
    repeat: draft.times > 1 ? { every: { amount: 2, unit: 'days' }, times: draft.times } : null,
    to: draft.to,
    gather: draft.gathered && at !== null ? 'per day' : 'none',
    endsOn: null,
    onlyIf: draft.only ?? (draft.onlyOpen ? { not: { state: ['finished'] } } : null),
    stopWhen: null,
    // gathered ones share a text, so that they may become one message
    message: {
      ...message,
      subject: draft.gathered ? 'Gathered' : `Step ${i}`,
      body: draft.lacksValue === 0 ? 'Code {course code}' : 'Hello.',
    },
  };
};
const happenings = fc.array(
  fc.record({
    who: fc.constantFrom('runa', 'per', 'odd'),
    what: fc.constantFrom('extend', 'extend', 'waive', 'withdraw', 'unit', 'finish', 'take', 'take'),
    after: fc.integer({ min: 60, max: 45 * 24 * 60 }),
    days: fc.integer({ min: 1, max: 12 }),
    isUndone: fc.boolean(),
  }),
  { maxLength: 5 },
);
const leaves = fc.array(
  fc.record({
    who: fc.constantFrom('runa', 'per', 'odd', 'kari'),
    from: fc.integer({ min: 0, max: 30 }),
    days: fc.integer({ min: 0, max: 8 }),
    cover: fc.constantFrom(null, 'tora', 'per'),
  }),
  { maxLength: 3 },
);
const houses = fc.record({
  steps,
  happenings,
  leaves,
  limit: fc.constantFrom(null, 1, 2, 3),
  daily: fc.constantFrom(null, null, '07:00', '12:15'),
  digest: fc.constantFrom(null, null, { at: '07:00', on: null }, { at: '12:15', on: 3 }),
  isChatting: fc.boolean(),
  bounces: fc.constantFrom(null, null, 'per', 'odd'),
  hold: fc.option(
    fc.record({
      scope: fc.constantFrom('everything', 'course', 'plan', 'department', 'runa', 'odd', 'kari'),
      after: fc.integer({ min: 60, max: 25 * 24 * 60 }),
      days: fc.option(fc.integer({ min: 1, max: 14 }), { freq: 4 }),
    }),
  ),
  outage: fc.option(fc.record({ after: fc.integer({ min: 60, max: 30 * 24 * 60 }), minutes: fc.integer({ min: 5, max: 4 * 24 * 60 }) })),
});

const dateAfter = (days: number): string => new Date(START + days * DAY).toISOString().slice(0, 10);

async function setUp(made: {
  steps: StepDraft[];
  leaves: { who: string; from: number; days: number; cover: string | null }[];
  limit: number | null;
  bounces: string | null;
  daily: string | null;
  digest: { at: string; on: number | null } | null;
  isChatting: boolean;
}): Promise<string[]> {
  await house.db.query(
    'truncate notices, messages, replan, reconcile, acts, assignment_events, certificates, assignments, leaves, holds, plan_versions restart identity cascade',
  );
  await house.db.query("update people set address_state = case when id = $1::bigint then 'bounced' else 'ok' end", [
    made.bounces ? crew[made.bounces] : null,
  ]);
  await house.db.query('update settings set daily_limit = $1::integer, has_chat = $2::boolean', [made.limit, made.isChatting]);
  // one who hears of a day at once, a manager who hears so of their people, and one who is told in the chat where mail comes back
  await house.db.query(
    `update people
     set daily_at = case when id = $1::bigint then $2::text end, chat_name = case when id = $3::bigint then name end,
       digest_at = case when id = $4::bigint then $5::text end, digest_on = case when id = $4::bigint then $6::integer end`,
    [crew['runa'], made.daily, crew['per'], crew['odd'], made.digest?.at ?? null, made.digest?.on ?? null],
  );
  for (const leave of made.leaves)
    if (leave.cover !== leave.who)
      await house.db.query('insert into leaves (person_id, from_on, to_on, cover_id) values ($1::bigint, $2::date, $3::date, $4::bigint)', [
        crew[leave.who],
        dateAfter(leave.from),
        dateAfter(leave.from + leave.days),
        leave.cover && crew[leave.cover],
      ]);
  await transaction(house.db, (client) => putPlan(client, course, 1, START - DAY, 'Tora Aske', made.steps.map(stepFrom)));
  house.mailer = new TestMailer();
  house.clock.at = START;
  return assignAt(house, course, [crew['runa']!, crew['per']!, crew['odd']!], '2027-03-19T16:00:00Z');
}

/** Simulated time goes from notice to notice; during an outage nothing is sent. */
async function play(until: number, outage: { from: number; to: number } | null): Promise<void> {
  for (;;) {
    const isOut = outage !== null && outage.from <= house.clock.at && house.clock.at < outage.to;
    if (!isOut) await drain(house.deps, house.mailer);
    const [next] = await rows<{ at: Date | null }>(house.db, 'select min(try_at) as at from notices where try_at > $1::timestamptz', [
      new Date(house.clock.at),
    ]);
    const at = Math.min(next?.at?.getTime() ?? Infinity, outage && outage.to > house.clock.at ? outage.to : Infinity);
    if (at > until) break;
    house.clock.at = at;
  }
  house.clock.at = until;
}

async function happen(id: string, name: string, what: string, days: number, isUndone: boolean): Promise<void> {
  const now = house.clock.at;
  const [row] = await rows<{ due_at: Date; closed_by: string | null }>(
    house.db,
    'select due_at, closed_by from assignments where id = $1::bigint',
    [id],
  );
  if (row!.closed_by) return;
  const by = { byWhom: name };
  const put = (event: AssignmentEvent) => transaction(house.db, (client) => record(client, [{ assignment: id, event }], by));
  if (what === 'unit') return put({ type: 'unit-finished', at: now, unit: String(days) });
  if (what === 'finish') return put({ type: 'finished', at: now });
  const dueOn = new Date(Math.max(now, row!.due_at.getTime()) + days * DAY).toISOString().slice(0, 10);
  const { actId } =
    what === 'take'
      ? await takeUp(
          house.deps,
          { assignmentIds: [id], until: dateAfter(Math.ceil((now - START) / DAY) + days), told: null, tellAbove: false },
          name,
        )
      : what === 'extend'
        ? await extend(house.deps, { assignmentIds: [id], dueOn, dueTime: '17:00', reason: 'dry dock' }, name)
        : await close(
            house.deps,
            what === 'waive' ? 'waived' : 'withdrawn',
            { assignmentIds: [id], reason: 'dry dock', until: null },
            name,
          );
  if (!isUndone) return;
  await playOn(4 * 60_000);
  // something may have gone in these minutes on another ground: then it stays as it is
  await undoAct(house.deps, actId!, name).catch(() => undefined);
}
async function holdSome(scope: string, days: number | null): Promise<void> {
  const [deck] = await rows<{ id: string }>(house.db, 'select department_id as id from people where id = $1::bigint', [crew['runa']]);
  const of = { everything: null, course, plan: course, department: deck!.id }[scope];
  const zone = Zone.of((await getHouse(house.db)).zone);
  await makeHold(
    house.deps,
    {
      scope: of === undefined ? 'person' : (scope as HoldScope),
      of: of === undefined ? crew[scope]! : of,
      // days after the house's today, which late in the evening is not today's date in UTC
      until: days === null ? null : dateOf(zone.dayAt(house.clock.at) + days),
      reason: 'dry dock',
    },
    'Sigrid Aune',
  );
}
/** Who was told at each step: now, and at the ends of some days by either reading. */
async function tellCoverage(): Promise<unknown[]> {
  const answers: unknown[] = [];
  // whoever is found is not counted before; all are called that
  const queries = [{ find: 'aske' }, ...[0, 2, 5, 11].flatMap((days) => ['then', 'now'].map((known) => ({ on: dateAfter(days), known })))];
  for (const query of queries) answers.push(await coverageView(house.deps, course, NotifiedQuery.parse(query)));
  return answers;
}
/** What is kept of it says what the notices say, one by one, whether it was folded yet or not. */
async function expectToldAsKept(): Promise<void> {
  const now = () => coverageView(house.deps, course, NotifiedQuery.parse({}));
  const waiting = await now();
  await foldFigures(house.db);
  const kept = [await now(), ...(await tellCoverage())];
  await house.db.query('truncate told');
  const counted = await tellCoverage();
  await house.db.query('select recount_told()');
  expect(kept).toEqual([waiting, ...counted]);
  expect(waiting).toEqual(counted[0]);
}

let playOn: (ms: number) => Promise<void> = () => Promise.resolve();

const line = (l: {
  assignment: string;
  step: string;
  revision: number;
  occurrence: number;
  to: string;
  person: string | null;
  at: number;
}): string =>
  `${new Date(l.at).toISOString().slice(0, 16)} ${l.assignment} ${l.step} r${l.revision} #${l.occurrence} ${l.to} -> ${l.person}`;

/** What is still to come that day is asked whether it would go, and by then another of the same batch went, on which it hangs. */
const WENT_MEANWHILE: Parameters<Parameters<typeof houses.map>[0]>[0] = {
  steps: (
    [
      { kind: 'invitation', amount: 0, to: ['employee'], only: null, lacksValue: 0 },
      { kind: 'follow-up', amount: 0, to: ['manager', 'manager 2'], only: null, lacksValue: 1 },
      { kind: 'reminder', amount: 1, to: ['manager', 'manager 2'], only: { not: { stepSent: 's1' } }, lacksValue: 1 },
    ] satisfies Partial<StepDraft>[]
  ).map((step) => ({ event: 'assigned', unit: 'hours', time: null, window: null, times: 1, gathered: false, onlyOpen: false, ...step })),
  happenings: [],
  leaves: [],
  limit: 3,
  daily: null,
  digest: null,
  isChatting: false,
  bounces: null,
  hold: null,
  outage: null,
};

it('the worker sends what the rehearsal says', async () => {
  await fc.assert(
    fc.asyncProperty(houses, async (made) => {
      const ids = await setUp(made);
      const idOf: Record<string, string> = { runa: ids[0]!, per: ids[1]!, odd: ids[2]! };
      const outage = made.outage && {
        from: START + made.outage.after * 60_000,
        to: START + (made.outage.after + made.outage.minutes) * 60_000,
      };
      const isOut = (at: number): boolean => outage !== null && outage.from <= at && at < outage.to;
      playOn = (ms) => play(house.clock.at + ms, outage);
      const list = [...made.happenings, ...(made.hold ? [made.hold] : [])].sort((a, b) => a.after - b.after);
      for (const happening of list) {
        const { after } = happening;
        // between the minutes that notices fall on: of two things in one instant neither is the first
        const at = START + after * 60_000 + 13_000;
        if (at <= house.clock.at || isOut(at) || isOut(at + 4 * 60_000)) continue;
        await play(at, outage);
        if ('scope' in happening) {
          await holdSome(happening.scope, happening.days);
          continue;
        }
        const { who, what, days, isUndone } = happening;
        await happen(idOf[who]!, who, what, days, isUndone);
      }
      await play(END - 1, outage);

      const facts = await loadFacts(house.db, await getHouse(house.db), ids);
      const plan = facts.plans.get(course)!;
      const extras = { baseUrl: '', certificates: new Map(), told: new Map() };
      const lines = rehearse({
        from: START,
        until: END,
        roster: facts.roster,
        plans: [{ course, publishedAt: plan.publishedAt, steps: plan.steps }],
        assignments: [...facts.assignments.values()],
        ...(outage ? { outage } : {}),
        missingOf: missingIn(facts, extras),
      });
      const expected = lines.filter(({ outcome }) => outcome === 'send').map((l) => line({ ...l, at: l.at! }));
      const ledger = await rows<{
        assignment_id: string;
        step_id: string;
        revision: number;
        occurrence: number;
        to_role: string;
        recipient_id: string;
        decided_at: Date;
      }>(
        house.db,
        "select assignment_id, step_id, revision, occurrence, to_role, recipient_id, decided_at from notices where state = 'sent'",
      );
      const sent = ledger.map((n) =>
        line({
          assignment: n.assignment_id,
          step: n.step_id,
          revision: n.revision,
          occurrence: n.occurrence,
          to: n.to_role,
          person: n.recipient_id,
          at: n.decided_at.getTime(),
        }),
      );
      expect(sent.sort()).toEqual(expected.sort());
      await expectToldAsKept();
    }),
    { numRuns: Number(process.env['NUDRIK_PROPERTY_RUNS'] ?? 15), examples: [[WENT_MEANWHILE]] },
  );
}, 600_000);
