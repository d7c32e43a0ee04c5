import { afterAll, beforeAll, beforeEach, describe, expect, it, test } from 'vitest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { ReportQuery } from '@nudrik/contract';
import { oneRow, rows } from '../db/db.ts';
import { ladderOf } from '../notices/ladder.ts';
import { courseReport } from '../reports/course-report.ts';
import { todayNeeds } from '../reports/needs.ts';
import { teamOf } from '../reports/team.repo.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, TestMailer, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { undoAct } from './acts.ts';
import { extend } from './change.ts';
import { takeUp } from './take-up.ts';
import { answerWaiver, askWaiver, listWaivers } from './waivers.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let id: string;
let n = 0;

const base = STANDARD_PLAN.find(({ id: of }) => of === 'to-manager')!;
const rung = (name: string, to: string, amount: number): PlanStep => ({ ...base, id: name, name, to: [to], gather: 'none', at: '09:00', window: null, repeat: null, onlyIf: null, stopWhen: null, anchor: { event: 'due' }, offset: { amount, unit: 'working days' }, message: { subject: `${name}: {full name}`, body: 'Late.', button: null } }); // prettier-ignore
const LADDER = [
  rung('first', 'manager', 2),
  rung('second', 'manager 2', 4),
  rung('third', 'trainer', 6),
  { ...rung('taken', 'manager 2', 0), kind: 'follow-up' as const, anchor: { event: 'taken-up' as const }, offset: { amount: 0, unit: 'minutes' as const }, at: null },
]; // prettier-ignore

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  await house.db.query('update settings set settle_minutes = 0, daily_limit = null');
});
afterAll(() => house.close());
beforeEach(async () => {
  house.clock.at = Date.parse('2027-03-01T09:30:00Z');
  await house.db.query('delete from leaves');
  await house.db.query('update settings set manager_extension_days = null');
  course = await makeCourse(house, crew['tora']!, LADDER as never, `Ladder ${++n}`);
  [id] = (await assignAt(house, course, [crew['runa']!], '2027-03-05T16:00:00Z')) as [string];
  house.clock.at += 60_000;
  await drain(house.deps, house.mailer);
});

const at = async (moment: string): Promise<string[]> => {
  house.mailer = new TestMailer();
  house.clock.at = Date.parse(moment);
  await drain(house.deps, house.mailer);
  return house.mailer.letters.filter(({ subject }) => subject.includes('Runa')).map(({ toName, subject }) => `${subject.split(':')[0]} → ${toName.split(' ')[0]}`); // prettier-ignore
};
const stands = async (): Promise<string[]> =>
  (await ladderOf(house.deps, id)).rungs.map(({ step, state, who }) => `${step} ${state} ${who?.split(' ')[0] ?? 'nobody'}`);

describe('a ladder', () => {
  it('is climbed rung by rung: taken up it waits, and a finish ends it', async () => {
    expect(await at('2027-03-09T10:00:00Z')).toEqual(['first → Odd']);
    expect(await stands()).toEqual(['first sent Odd', 'second planned Kari', 'third planned Tora']);
    const told = await takeUp(house.deps, { assignmentIds: [id], until: '2027-03-12', told: 'At sea', tellAbove: true }, 'Odd Aske');
    expect(told.words).toMatch(/^Taken up Ladder \d+ of Runa Aske: done by Fri 12 Mar\.$/);
    expect(await at('2027-03-11T10:00:00Z')).toEqual(['taken → Kari']);
    expect(await stands()).toEqual(['first sent Odd', 'second held Kari', 'third planned Tora']);
    expect((await ladderOf(house.deps, id)).takenUp).toMatchObject({ by: 'Odd Aske', until: '2027-03-12' });
    expect((await teamOf(house.db, crew['odd']!, house.clock.at, '2027-03-11')).rows.find(({ assignmentId }) => assignmentId === id)!.takenUp).toEqual({ by: 'Odd Aske', until: '2027-03-12' }); // prettier-ignore
    expect(await at('2027-03-14T10:00:00Z')).toEqual([]);
    // the promised day has passed: nobody is said to see to it any more
    expect((await ladderOf(house.deps, id)).takenUp).toBe(null);
    // the morning after that day
    expect(await at('2027-03-15T10:00:00Z')).toContain('second → Kari');
    await extend(house.deps, { assignmentIds: [id], dueOn: '2027-04-01', dueTime: '17:00', reason: 'New date' }, 'Sigrid Aune');
    expect(await at('2027-03-20T10:00:00Z')).toEqual([]);
    expect(await stands()).toEqual(['first planned Odd', 'second planned Kari', 'third planned Tora']);
  });

  it('climbs over who is away, and nobody stands in twice', async () => {
    for (const who of ['odd', 'kari'])
      await house.db.query("insert into leaves (person_id, from_on, to_on) values ($1::bigint, '2027-03-01', '2027-04-30')", [crew[who]]);
    expect(await at('2027-03-09T10:00:00Z')).toEqual(['first → Tora']);
    expect((await ladderOf(house.deps, id)).rungs[1]).toMatchObject({ who: null, why: expect.stringContaining('Tora Aske, who owns the course, was told already') as string }); // prettier-ignore
    expect(await at('2027-03-11T10:00:00Z')).toEqual([]);
    expect(await rows(house.db, "select because from notices where assignment_id = $1::bigint and step_id = 'second'", [id])).toEqual([{ because: 'no-recipient' }]); // prettier-ignore
  });

  it('taken up by a slip is climbed again once that was taken back', async () => {
    await at('2027-03-09T10:00:00Z');
    const { actId } = await takeUp(house.deps, { assignmentIds: [id], until: '2027-03-30', tellAbove: false, told: null }, 'Odd Aske');
    await undoAct(house.deps, actId!, 'Odd Aske');
    expect(await at('2027-03-11T10:00:00Z')).toEqual(['second → Kari']);
  });

  test.each([
    ['2027-02-28', 'has passed; expected today or later'],
    ['2027-06-01', 'is more than 60 days away'],
  ])('is not taken up until %s', (until, words) =>
    expect(takeUp(house.deps, { assignmentIds: [id], until, tellAbove: false, told: null }, 'Odd')).rejects.toThrow(words),
  );

  it('that nobody answers is said on Today, until somebody takes it up', async () => {
    await at('2027-03-09T10:00:00Z');
    house.clock.at = Date.parse('2027-03-16T10:00:00Z');
    const unanswered = async () => (await todayNeeds(house.deps)).filter(({ kind, words }) => kind === 'unanswered' && words.includes(`Ladder ${n}`)); // prettier-ignore
    expect((await unanswered())[0]!.words).toContain('Runa Aske is late on');
    await takeUp(house.deps, { assignmentIds: [id], until: '2027-03-18', tellAbove: false, told: null }, 'Odd Aske');
    expect(await unanswered()).toEqual([]);
    // the promised day has passed, as many days ago as the house says
    house.clock.at = Date.parse('2027-03-23T10:00:00Z');
    expect(await unanswered()).toEqual([]);
    house.clock.at = Date.parse('2027-03-24T10:00:00Z');
    const [need] = await unanswered();
    expect(need!.words).toContain('told 5 days ago or longer, and no answer stands');
    expect(need!.act.link).toBe(`/matrix/${course}?state=unanswered`);
    expect((await courseReport(house.db, course, ReportQuery.parse({ state: 'unanswered' }), house.clock.at)).rows.map(({ person }) => person.name)).toEqual(['Runa Aske']); // prettier-ignore
    await askWaiver(house.deps, { assignmentIds: [id], reason: 'On loan' }, 'Odd Aske', crew['odd']!);
    expect(await unanswered()).toEqual([]);
    await house.db.query('delete from waiver_requests');
    await house.db.query('update settings set unanswered_days = 30');
    expect(await unanswered()).toEqual([]);
    await house.db.query('update settings set unanswered_days = 5');
  });
});

describe('a waiver that is asked for', () => {
  it('waits on Today, is asked for once, and is answered on the record', async () => {
    const asked = { assignmentIds: [id], reason: 'On loan to the yard' };
    expect((await askWaiver(house.deps, asked, 'Odd Aske', crew['odd']!)).words).toContain('Asked to waive Ladder');
    expect((await askWaiver(house.deps, asked, 'Odd Aske', crew['odd']!)).words).toContain('asked for already');
    expect((await todayNeeds(house.deps)).filter(({ kind }) => kind === 'waiver').map(({ words }) => words)).toEqual([`Odd Aske asks to waive Ladder ${n} of Runa Aske: “On loan to the yard”`]); // prettier-ignore
    const [row] = await listWaivers(house.db);
    await answerWaiver(house.deps, row!.id, { isWaived: false, words: 'Not this one', until: null }, 'Sigrid Aune');
    const mine = (await teamOf(house.db, crew['odd']!, house.clock.at, '2027-03-01')).rows.find(({ assignmentId }) => assignmentId === id)!;
    expect(mine.asked).toMatchObject({ answer: { isWaived: false, words: 'Not this one' } });
    await expect(answerWaiver(house.deps, row!.id, { isWaived: true, words: null, until: null }, 'Sigrid Aune')).rejects.toThrow('answered it already'); // prettier-ignore
    // asked again, and waived
    await askWaiver(house.deps, asked, 'Odd Aske', crew['odd']!);
    await answerWaiver(house.deps, (await listWaivers(house.db))[0]!.id, { isWaived: true, words: null, until: null }, 'Sigrid Aune');
    expect(await oneRow(house.db, 'select closed_by from assignments where id = $1::bigint', [id])).toEqual({ closed_by: 'waived' });
    expect((await oneRow<{ reason: string }>(house.db, "select data ->> 'reason' as reason from assignment_events where assignment_id = $1::bigint and type = 'waived'", [id])).reason).toBe('Odd Aske asked: On loan to the yard'); // prettier-ignore
  });
});

describe('how far a manager may move a due date', () => {
  const move = (dueOn: string, most: number | null) =>
    extend(house.deps, { assignmentIds: [id], dueOn, dueTime: '17:00', reason: 'x' }, 'Odd Aske', undefined, most);
  it('is what the house says', async () => {
    await expect(move('2027-03-20', 14)).rejects.toThrow('Managers move a due date by 14 days at the most: to Fri 19 Mar. Nothing was changed.'); // prettier-ignore
    await expect(move('2027-03-10', 0)).rejects.toThrow('Managers do not move due dates here');
    expect((await move('2027-03-19', 14)).words).toContain('Extended');
  });
});
