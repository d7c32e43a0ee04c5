import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import type { HoldScope } from '@nudrik/core';
import { close } from '../assignments/change.ts';
import { rows } from '../db/db.ts';
import { actOnNotice } from '../notices/by-hand.ts';
import { findNoticeSheet } from '../notices/ledger.query.ts';
import { todayView } from '../reports/today.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { endPassed } from './holding.repo.ts';
import { holdsOver, holdsView, makeHold, previewHold, previewRelease, releaseHold } from './holding.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let assignments: string[];
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  assignments = await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
  await play('2027-03-01T09:45:00Z');
  house.mailer.letters = [];
});
afterAll(() => house.close());
async function play(at?: string): Promise<void> {
  if (at) house.clock.at = Date.parse(at);
  await drain(house.deps, house.mailer);
}
const hold = (scope: HoldScope, of: string | null, until: string | null = null, reason = 'dry dock') =>
  makeHold(house.deps, { scope, of, until, reason }, 'Sigrid Aune');
const release = (id: string, how: 'send' | 'let-pass') => releaseHold(house.deps, id, { how }, 'Sigrid Aune');
const told = (): string[] => house.mailer.letters.map(({ toName, subject }) => `${toName}: ${subject}`).sort();
const states = async (): Promise<Record<string, number>> =>
  Object.fromEntries(
    (
      await rows<{ state: string; count: number }>(
        house.db,
        "select concat_ws(' ', state, because, case when state = 'held' then held_because end) as state, count(*)::integer as count from notices where state <> 'planned' group by 1",
      )
    ).map((row) => [row.state, row.count]),
  );
const idOf = async (step: string, person: string): Promise<string> => (await rows<{ id: string }>(house.db, 'select id from notices where step_id = $1::text and person_id = $2::bigint order by id', [step, person]))[0]!.id; // prettier-ignore

describe('holding', () => {
  it.each<[HoldScope, () => string | null, string[]]>([
    ['everything', () => null, []],
    ['course', () => course, []],
    ['plan', () => course, []],
    ['person', () => crew['runa']!, ['Per Aske: Getting started with Fire Teams Aboard']],
  ])('%s: what comes to its moment waits, and its sheet says for whom and why', async (scope, of, goes) => {
    await hold(scope, of());
    await play('2027-03-03T12:00:00Z');
    expect(told()).toEqual(goes);
    const sheet = await findNoticeSheet(house.deps, await idOf('onboarding', crew['runa']!));
    expect(sheet.notice).toMatchObject({ state: 'held', because: 'on-hold' });
    expect(sheet.sentence).toMatch(/^Held: .* held by Sigrid Aune since Mon 1 Mar 10:45 \(dry dock\), until it is released\.$/);
    expect((await holdsView(house.deps)).standing).toMatchObject([{ waits: 2 - goes.length, by: 'Sigrid Aune', reason: 'dry dock' }]);
  });

  it.each<[HoldScope, () => string | null, string | null, (of: { person: string; day: string }) => boolean]>([
    ['everything', () => null, null, () => true],
    ['plan', () => course, '2027-03-17', ({ day }) => day < '2027-03-17'],
    ['person', () => crew['runa']!, null, ({ person }) => person === crew['runa']],
    ['department', () => 'deck', null, () => true],
  ])('%s: Today says of what is to come what is kept back', async (scope, of, until, isKept) => {
    const [deck] = await rows<{ id: string }>(house.db, 'select department_id as id from people where id = $1::bigint', [crew['runa']]);
    await hold(scope, scope === 'department' ? deck!.id : of(), until);
    const ahead = await rows<{ person: string; day: string }>(
      house.db,
      "select person_id as person, on_day as day from notices where state = 'planned' and at >= $1::timestamptz",
      [new Date(house.clock.at)],
    );
    const { next } = await todayView(house.deps, { from: '2027-03-01', to: '2027-12-31' });
    expect(ahead.length).toBeGreaterThan(3);
    expect(next.reduce((sum, { held }) => sum + held, 0)).toBe(ahead.filter(isKept).length);
    const soon = await todayView(house.deps);
    const [first] = soon.next;
    expect(first!.held).toBe(ahead.filter((one) => one.day === first!.day && isKept(one)).length);
  });

  it('a department holds those below it, and a page about any of them says so', async () => {
    const [above] = await rows<{ id: string }>(house.db, "insert into departments (name) values ('Ships') returning id");
    await house.db.query(
      'update departments set parent_id = $1::bigint where id = (select department_id from people where id = $2::bigint)',
      [above!.id, crew['runa']],
    );
    await hold('department', above!.id);
    await play('2027-03-03T12:00:00Z');
    expect(told()).toEqual([]);
    expect((await holdsOver(house.deps, 'person', crew['runa']!)).map(({ words }) => words)).toEqual([
      'messages about people of Ships are held',
    ]);
    expect(await holdsOver(house.deps, 'course', course)).toEqual([]);
  });

  it('until a day: it goes on that morning by itself, and of what came meanwhile only what is newest', async () => {
    await hold('course', course, '2027-03-18');
    await play('2027-03-17T16:30:00Z');
    expect(told()).toEqual([]);
    await play('2027-03-18T07:00:00Z');
    // the reminder of two days before is the newest; onboarding is overtaken by it
    expect(told()).toEqual(['Per Aske: Fire Teams Aboard is due in 1 day', 'Runa Aske: Fire Teams Aboard is due in 1 day']);
    expect((await states())['skipped superseded']).toBeGreaterThan(0);
    expect((await holdsView(house.deps)).standing).toEqual([]);
    expect((await holdsView(house.deps)).past).toMatchObject([{ ended: { how: 'passed' } }]);
    house.clock.at = Date.parse('2027-03-25T07:00:00Z');
    await endPassed(house.db, house.clock.at);
    expect(await rows(house.db, 'select ended_how from holds')).toEqual([{ ended_how: 'passed' }]);
  });

  it('released at night, it goes on in the morning', async () => {
    const { id } = await hold('everything', null);
    await play('2027-03-03T21:30:00Z');
    expect(await previewRelease(house.deps, id)).toMatchObject({
      goes: 2,
      later: 0,
      rows: [{ at: 'Thu 4 Mar 08:00' }, { at: 'Thu 4 Mar 08:00' }],
    });
    await release(id, 'send');
    await play();
    expect(told()).toEqual([]);
    await play('2027-03-04T07:00:00Z');
    expect(told()).toHaveLength(2);
  });

  it('before it is released it is shown what would go and what is past, and that is what happens', async () => {
    const { id } = await hold('course', course);
    await play('2027-03-03T12:00:00Z');
    await close(house.deps, 'waived', { assignmentIds: [assignments[1]!], reason: 'on shore', until: null }, 'Sigrid Aune');
    await play('2027-03-04T12:00:00Z');
    const before = await rows(house.db, 'select id, state, at, try_at from notices order by id');
    const preview = await previewRelease(house.deps, id);
    expect(preview).toMatchObject({ waits: 1, looked: 1, goes: 1, later: 0, passes: 0, hold: { waits: 1 } });
    expect(preview.rows).toMatchObject([{ person: 'Runa Aske', outcome: 'send', stepName: 'Getting started' }]);
    // looking changes nothing
    expect(await rows(house.db, 'select id, state, at, try_at from notices order by id')).toEqual(before);
    expect((await holdsView(house.deps)).standing).toHaveLength(1);
    expect(await release(id, 'send')).toEqual({ decided: 1, passed: 0 });
    await play();
    expect(told()).toEqual(['Runa Aske: Getting started with Fire Teams Aboard']);
    await expect(release(id, 'send')).rejects.toThrow('This hold ended on Thu 4 Mar 13:00, by Sigrid Aune. Nothing was changed.');
  });

  it('let pass, it does not go, and the ledger says who let it pass; what another hold covers waits on', async () => {
    const { id } = await hold('course', course);
    await hold('person', crew['per']!, null, 'a complaint');
    await play('2027-03-03T12:00:00Z');
    expect(await release(id, 'let-pass')).toEqual({ decided: 1, passed: 1 });
    await play();
    expect(told()).toEqual([]);
    expect(await states()).toMatchObject({ 'skipped let-pass': 1, 'held on-hold': 1 });
    const sheet = await findNoticeSheet(house.deps, await idOf('onboarding', crew['runa']!));
    expect(sheet.sentence).toBe('Skipped: Sigrid Aune let it pass when the hold of Mon 1 Mar 10:45 (dry dock) was released.');
    const waiting = await findNoticeSheet(house.deps, await idOf('onboarding', crew['per']!));
    expect(waiting.sentence).toContain('(a complaint)');
  });

  it('made again it is changed: one of a kind stands, and what waits waits for the new day', async () => {
    await hold('course', course);
    await play('2027-03-03T12:00:00Z');
    await hold('course', course, '2027-03-08', 'only this week');
    await play();
    const { standing, past } = await holdsView(house.deps);
    expect(standing).toMatchObject([{ until: 'Mon 8 Mar', reason: 'only this week', waits: 2 }]);
    expect(past).toMatchObject([{ ended: { how: 'changed', by: 'Sigrid Aune' } }]);
    await play('2027-03-08T07:00:00Z');
    expect(told()).toHaveLength(2);
  });

  it('sent by hand before its moment, it waits all the same: nothing leaves', async () => {
    await hold('everything', null);
    await actOnNotice(house.deps, await idOf('onboarding', crew['runa']!), { what: 'send' }, 'Sigrid Aune');
    await play();
    expect(told()).toEqual([]);
  });

  it('says beforehand how much it would keep back', async () => {
    expect(await previewHold(house.deps, { scope: 'course', of: course, until: '2027-03-04' })).toMatchObject({
      words: '“Fire Teams Aboard” is held',
      notices: 2,
      people: 2,
      steps: [{ name: 'Getting started', count: 2 }],
      onTheWay: 0,
      horizon: 'Thu 4 Mar',
      stands: null,
    });
    await expect(previewHold(house.deps, { scope: 'course', of: course, until: '2027-03-01' })).rejects.toThrow(
      'Held until: expected a day after today (Mon 1 Mar), got Mon 1 Mar. Nothing was changed.',
    );
    await expect(hold('course', '99999')).rejects.toThrow('There is no such course, or not any more. Nothing was changed.');
  });

  it('two who hold the same in one moment make one hold', async () => {
    await Promise.all([hold('course', course, null, 'one'), hold('course', course, null, 'two')]);
    expect((await holdsView(house.deps)).standing).toHaveLength(1);
  });
});
