import { afterAll, beforeAll, beforeEach, describe, expect, it, test, vi } from 'vitest';
import request from 'supertest';
import { createApp } from '../app.ts';
import { rows } from '../db/db.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, TestMailer, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { DemoClock, findDemoClock, openClock, realClock, setDemoClock } from './clock.ts';
import { carryClock, nextNoticeAt } from './move.ts';

const at = (iso: string): number => Date.parse(iso);
const row = (base: string, isTicking: boolean, moveTo: string | null = null) => ({
  base_at: new Date(base),
  set_at: new Date(),
  is_ticking: isTicking,
  move_to: moveTo === null ? null : new Date(moveTo),
});

describe('the demo’s clock', () => {
  it('stands still, or runs on from where it was set', () => {
    vi.useFakeTimers({ now: at('2026-11-25T12:00:00Z') });
    const still = new DemoClock(row('2027-03-01T08:00:00Z', false));
    const ticking = new DemoClock(row('2027-03-01T08:00:00Z', true));
    vi.advanceTimersByTime(90_000);
    expect(new Date(still.now()).toISOString()).toBe('2027-03-01T08:00:00.000Z');
    expect(new Date(ticking.now()).toISOString()).toBe('2027-03-01T08:01:30.000Z');
    vi.useRealTimers();
  });
  it('stands still while it is being moved', () => {
    const moving = new DemoClock(row('2027-03-01T08:00:00Z', true, '2027-03-02T08:00:00Z'));
    expect([moving.isMoving, moving.now()]).toEqual([true, at('2027-03-01T08:00:00Z')]);
  });
});

describe('moving it', () => {
  let house: TestHouse;
  let clock: DemoClock;
  beforeAll(async () => {
    house = await openTestHouse();
    await house.db.query("insert into demo_clock (base_at, set_at, is_ticking) values ('2027-03-01T09:30:00Z', now(), false)");
    const crew = await makeCrew(house);
    const course = await makeCourse(house, crew['tora']!);
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    clock = (await openClock(house.db)) as DemoClock;
    Object.assign(house.deps, { clock });
    await drain(house.deps, house.mailer);
  });
  afterAll(() => house.close());
  beforeEach(() => {
    house.mailer = new TestMailer();
  });

  it('a real installation has real time', async () => {
    expect(realClock.now()).toBeGreaterThan(at('2026-01-01T00:00:00Z'));
    const empty = await openTestHouse();
    expect(await openClock(empty.db)).toBe(realClock);
    await empty.close();
  });

  it('carries it from notice to notice, so that each is decided at its own moment', async () => {
    await setDemoClock(house.db, clock.now(), at('2027-03-23T09:00:00Z'));
    await carryClock(house.deps, clock, () => drain(house.deps, house.mailer));
    expect(new Date(clock.now()).toISOString()).toBe('2027-03-23T09:00:00.000Z');
    expect((await findDemoClock(house.db))!.move_to).toBeNull();
    const sent = await rows<{ step_id: string; moment: Date; sent_at: Date }>(
      house.db,
      "select step_id, moment, sent_at from notices where state = 'sent' order by sent_at",
    );
    expect(sent.map((notice) => notice.step_id)).toEqual(['invitation', 'onboarding', 'two-days-to-go', 'late']);
    for (const notice of sent.slice(1)) expect(notice.sent_at).toEqual(notice.moment);
    expect(house.mailer.letters.map((letter) => letter.date.toISOString())).toEqual([
      '2027-03-03T08:00:00.000Z',
      '2027-03-17T16:00:00.000Z',
      '2027-03-22T08:00:00.000Z',
    ]);
  });

  it('knows the next notice, tries of a waiting one apart', async () => {
    const next = await nextNoticeAt(house.db, clock.now(), false);
    expect(new Date(next!).toISOString()).toBe('2027-03-24T08:00:00.000Z');
    await house.db.query("update notices set attempts = 1 where step_id = 'to-manager'");
    expect(new Date((await nextNoticeAt(house.db, clock.now(), false))!).toISOString()).toBe('2027-03-25T08:00:00.000Z');
    expect(await nextNoticeAt(house.db, clock.now(), true)).toBe(next);
    await house.db.query("update notices set attempts = 0 where step_id = 'to-manager'");
  });

  test.each([
    ['back', { day: '2027-03-01' }, /Time only goes forward/],
    ['to a day that does not exist', { day: '2027-02-30' }, /Invalid|expected|date/i],
  ])('does not go %s', async (_, move, words) => {
    await house.db.query(
      "insert into accounts (email, name, role) values ('sigrid@orlasund.example', 'Sigrid Aune', 'administrator') on conflict do nothing",
    );
    const app = createApp(house.deps, null);
    const agent = request.agent(app);
    const [{ id }] = (await rows<{ id: string }>(house.db, 'select id from accounts')) as [{ id: string }];
    const { body } = await agent.post('/api/session/demo').set('x-csrf-token', 'none').send({ accountId: id });
    const refused = await agent.post('/api/clock/move').set('x-csrf-token', body.csrf).send(move).expect(400);
    expect(refused.body.message).toMatch(words);
  });
});
