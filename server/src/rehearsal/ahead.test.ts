import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { dayOfLine, forward, PLAINLY, STANDARD_PLAN, Zone, type PlanStep, type RehearsalFacts, type RehearsalLine } from '@nudrik/core';
import { RemindRequest } from '@nudrik/contract';
import { close } from '../assignments/change.ts';
import { remind } from '../assignments/remind.ts';
import { rows } from '../db/db.ts';
import { markUnitDone } from '../learning/learn.ts';
import { ribbon } from '../notices/ledger.query.ts';
import { changePerson } from '../people/change.ts';
import { publishPlan } from '../plans/publish.ts';
import { todayView } from '../reports/today.ts';
import { addRequirement, switchOn } from '../requirements/change.ts';
import { nextWakeAt } from '../requirements/queue.ts';
import { linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { keepAhead } from './ahead.ts';
import { rehearsalFacts } from './facts.ts';

let house: TestHouse;
beforeAll(async () => {
  house = await openTestHouse();
});
afterAll(() => house.close());

const play = async (at: number): Promise<void> => {
  house.clock.at = at;
  await drain(house.deps, house.mailer);
};

const NEXT = 'select min(try_at) as at from notices where try_at > $1::timestamptz';
/** Time goes from one moment at which there is something to do to the next. */
async function live(until: number): Promise<void> {
  for (;;) {
    const [next] = await rows<{ at: Date | null }>(house.db, NEXT, [new Date(house.clock.at)]);
    const wake = await nextWakeAt(house.db);
    const at = Math.min(next?.at?.getTime() ?? Infinity, wake !== null && wake > house.clock.at ? wake : Infinity);
    if (at >= until) return;
    await play(at);
  }
}

const LIST_OPEN =
  'select a.id, k.required_units as units from assignments a join courses k on k.id = a.course_id where a.person_id = $1::bigint';
const LIST_DECIDED = `
select p.name, n.step_id as step, n.occurrence, n.to_role as "to", n.state, n.because, coalesce(n.sent_at, n.at) as at
from notices n
join people p on p.id = n.person_id
where n.state in ('sent', 'delivered', 'skipped', 'cancelled')
  and n.decided_at > $1::timestamptz
`;

it('a rehearsal knows what requirements will do in these days: what it says is what then happens', async () => {
  const crew = await makeCrew(house);
  const course = await makeCourse(house, crew['tora']!);
  await house.db.query('update settings set daily_limit = null');
  const steps = (STANDARD_PLAN as PlanStep[]).filter(({ kind }) => kind !== 'certificate');
  await publishPlan(house.deps, course, { version: 1, steps } as never, 'Tora');
  const [deck] = await rows<{ id: string }>(house.db, "select id from departments where name = 'Deck'");
  await changePerson(house.deps, crew['tora']!, { department: 'Deck', joinedOn: '2027-03-09' }, 'Sigrid Aune');
  const { id } = await addRequirement(
    house.deps,
    {
      name: 'Fire teams for deck', courseId: course, audience: { department: [deck!.id], below: true }, due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' },
      dueTime: '17:00', graceDays: 7, creditMonths: null, renewal: { months: 1, leadDays: 10 }, from: null, until: null, takesJoiners: true, whenOut: 'ask',
    },
    'Sigrid Aune',
  ); // prettier-ignore
  await switchOn(house.deps, id, 1, 'Sigrid Aune');
  await play(house.clock.at);
  // Runa finishes, and has to do so again in a month; Per leaves, Odd need not until a Saturday, Tora is still to come
  const [runa] = await rows<{ id: string; units: string[] }>(house.db, LIST_OPEN, [crew['runa']]);
  for (const unit of runa!.units) await markUnitDone(house.deps, await linkInto(house, runa!.id), unit);
  await changePerson(house.deps, crew['per']!, { leftOn: '2027-03-12' }, 'Sigrid Aune');
  const [odd] = await rows<{ id: string }>(house.db, LIST_OPEN, [crew['odd']]);
  await close(house.deps, 'waived', { assignmentIds: [odd!.id], reason: 'dry dock', until: '2027-03-20' }, 'Sigrid Aune');
  // one is reminded by hand, and that has not gone yet
  const [kari] = await rows<{ id: string }>(house.db, LIST_OPEN, [crew['kari']]);
  await play(house.clock.at + 3 * 86_400_000);
  const message = { subject: 'A word', body: 'Hello.', button: null };
  await remind(house.deps, RemindRequest.parse({ assignmentIds: [kari!.id], name: 'A word', message, alsoTold: true, key: randomUUID() }), 'Sigrid Aune'); // prettier-ignore
  await drain(house.deps, house.mailer);

  const facts = JSON.parse(JSON.stringify(await rehearsalFacts(house.deps, course))) as RehearsalFacts;
  const { lines, supposed, ahead } = forward(facts, { ...PLAINLY, days: 45 });
  expect(ahead).toBe(2); // Runa again, and Tora
  const nameOf = new Map(supposed.assignments.map((one) => [one.id, supposed.roster.getPerson(one.person).name]));
  const told = (name: string, step: string, occurrence: number, to: string, outcome: string, at: string): string =>
    `${at.slice(0, 16)} ${name}: ${step} ${occurrence} ${to} ${outcome}`;
  const foreseen = lines
    .filter(({ outcome }) => outcome === 'send' || outcome === 'skip')
    .map((line) => told(nameOf.get(line.assignment)!, line.step, line.occurrence, line.to, line.because ?? 'goes', new Date(line.at!).toISOString())); // prettier-ignore
  // the same by day, kept for the ribbon and Today, worked out anew where something it depends on has changed
  expect([await keepAhead(house.deps), await keepAhead(house.deps)]).toEqual([true, false]);
  const zone = Zone.of(facts.zone);
  const made = new Set(facts.ahead);
  const isAhead = ({ assignment, outcome }: RehearsalLine): boolean =>
    outcome === 'send' && (made.has(assignment) || assignment === odd!.id);
  const byDay = (from: string, to: string): number =>
    lines.filter((line) => isAhead(line) && from <= dayOfLine(line, zone) && dayOfLine(line, zone) <= to).length;
  const { days } = await ribbon(house.db, '2027-03-04', '2027-03-04', '2027-04-01');
  expect(days.map(({ day, ahead: more }) => [day, more])).toEqual(days.map(({ day }) => [day, byDay(day, day)]));
  expect(byDay('2027-03-05', '2027-04-01')).toBeGreaterThan(8);
  expect((await todayView(house.deps)).ahead).toEqual({ assigned: 1, notices: byDay('2027-03-05', '2027-03-11') });
  expect((await todayView(house.deps, { from: '2027-03-21', to: '2027-03-22' })).ahead).toEqual({
    assigned: 2,
    notices: byDay('2027-03-21', '2027-03-22'),
  });
  await house.db.query("update ahead_kept set took_ms = 0, state = 'another'");
  expect(await keepAhead(house.deps)).toBe(true);
  const begun = house.clock.at;
  await live(supposed.until);
  const lived =
    (await rows<{ name: string; step: string; occurrence: number; to: string; state: string; because: string | null; at: Date }>(house.db, LIST_DECIDED, [new Date(begun)])) // prettier-ignore
      .map((row) => told(row.name, row.step, row.occurrence, row.to, row.because ?? 'goes', row.at.toISOString()));
  expect(foreseen.sort()).toEqual(lived.sort());
  const has = (part: RegExp): boolean => foreseen.some((line) => part.test(line));
  expect([
    has(/^2027-03-22.*Runa Aske: invitation 0 employee goes/),
    has(/^2027-03-09.*Tora Aske: invitation 0 employee goes/),
    has(/Per Aske: two-days-to-go 0 employee withdrawn/),
    has(/Odd Aske: late 0/),
    has(/Kari Aske: hand/),
  ]).toEqual([true, true, true, true, true]);
});
