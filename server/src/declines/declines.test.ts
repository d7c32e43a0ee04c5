import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import request from 'supertest';
import { createApp } from '../app.ts';
import { rows } from '../db/db.ts';
import { writeMail } from '../messages/mail-channel.ts';
import { findNoticeSheet } from '../notices/ledger.query.ts';
import { timelineOf } from '../people/timeline.ts';
import { publishPlan } from '../plans/publish.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { endDecline } from './declines.ts';
import { listDeclined } from './declines.repo.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
const tips = STANDARD_PLAN.map((step): PlanStep =>
  step.id === 'invitation'
    ? { ...step, id: 'tips', name: 'A tip', kind: 'onboarding', mayDecline: true, to: ['employee', 'manager'], repeat: { every: { amount: 1, unit: 'days' }, times: 4 } }
    : step,
).filter(({ id }) => id === 'tips' || id === 'invitation'); // prettier-ignore
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!, tips);
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
  await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
});
afterAll(() => house.close());

const send = async (iso: string) => {
  house.clock.at = Date.parse(iso);
  house.mailer.letters = [];
  await drain(house.deps, house.mailer);
  return house.mailer.letters;
};
const linkIn = (text: string) => /\/decline\/([\w-]+)/.exec(text)?.[1] ?? null;
const app = () => request(createApp(house.deps, null));

describe('a message that may be declined', () => {
  it('says so to the employee whom it is about, in its head as mail programs ask it, and to nobody else', async () => {
    const letters = await send('2027-03-01T09:50:00Z');
    const [runa] = letters.filter(({ toAddress }) => toAddress.startsWith('runa'));
    const link = linkIn(runa!.text)!;
    expect(linkIn(runa!.html)).toBe(link);
    const head = (await writeMail(runa!))
      .toString()
      .split('\r\n\r\n')[0]!
      .replace(/\r\n\s+/g, ' ');
    expect(head).toContain(`List-Unsubscribe: <http://nudrik.example/api/declines/${link}>`);
    expect(head).toContain('List-Unsubscribe-Post: List-Unsubscribe=One-Click');
    for (const other of letters.filter(({ toAddress }) => toAddress.startsWith('odd'))) {
      expect(linkIn(other.text)).toBeNull();
      expect((await writeMail(other)).toString()).not.toContain('List-Unsubscribe');
    }
    // what is kept, and what others look at, holds no link that declines
    const kept = await rows<{ body: string; html: string }>(house.db, 'select body, html from messages');
    expect(kept.some(({ body, html }) => body.includes(link) || html.includes(link))).toBe(false);
    const [notice] = await rows<{ id: string }>(
      house.db,
      "select id from notices where to_role = 'employee' and state = 'sent' order by id limit 1",
    );
    expect((await findNoticeSheet(house.deps, notice!.id)).mail!.html).not.toMatch(/\/decline\//);
    expect((await findNoticeSheet(house.deps, notice!.id, crew['runa']!)).mail!.html).toContain(`/decline/${link}`);
  });

  it('is declined by one press, once, told as a reason, on the record, and had again', async () => {
    const letters = await send('2027-03-01T09:50:00Z');
    const link = linkIn(letters.find(({ toAddress }) => toAddress.startsWith('runa'))!.text)!;
    // looking at it, as programs do that follow every link, declines nothing
    expect((await app().get(`/api/declines/${link}`).expect(200)).body).toEqual({ organisation: 'Orlasund Ferries', person: 'Runa Aske', step: 'A tip', course: 'Fire Teams Aboard', isDeclined: false, refusal: null }); // prettier-ignore
    for (const _ of [1, 2])
      expect((await app().post(`/api/declines/${link}`).type('form').send('List-Unsubscribe=One-Click').expect(200)).body.isDeclined).toBe(
        true,
      );
    const next = await send('2027-03-02T09:50:00Z');
    expect(next.map(({ toAddress }) => toAddress.split('@')[0]).sort()).toEqual(['odd', 'odd', 'per']);
    const [skipped] = await rows<{ sentence: string; because: string }>(
      house.db,
      "select sentence, because from notices where state = 'skipped'",
    );
    expect(skipped).toEqual({ because: 'declined', sentence: 'Skipped: Runa Aske declined messages of this step.' });
    expect((await timelineOf(house.db, crew['runa']!, house.clock.now())).filter(({ words }) => words.includes('declined')).map(({ words }) => words)).toEqual(['Changed declined messages from none to “A tip” of Fire Teams Aboard']); // prettier-ignore
    expect((await app().delete(`/api/declines/${link}`).expect(200)).body.isDeclined).toBe(false);
    expect((await send('2027-03-03T09:50:00Z')).some(({ toAddress }) => toAddress.startsWith('runa'))).toBe(true);
  });

  it('is had again from the page of its own, by nobody else', async () => {
    const letters = await send('2027-03-01T09:50:00Z');
    await app()
      .post(`/api/declines/${linkIn(letters.find(({ toAddress }) => toAddress.startsWith('runa'))!.text)!}`)
      .expect(200);
    const [one] = await listDeclined(house.db, crew['runa']!);
    expect(one).toMatchObject({ step: 'A tip', course: 'Fire Teams Aboard' });
    await expect(endDecline(house.deps, crew['per']!, one!.id, 'Per Aske')).rejects.toThrow('not declined any more');
    await endDecline(house.deps, crew['runa']!, one!.id, 'Runa Aske');
    await expect(endDecline(house.deps, crew['runa']!, one!.id, 'Runa Aske')).rejects.toThrow('not declined any more');
    expect(await listDeclined(house.db, crew['runa']!)).toEqual([]);
  });

  it('cannot be declined any more where its step says so, nor by a link that was made up', async () => {
    const letters = await send('2027-03-01T09:50:00Z');
    const link = linkIn(letters.find(({ toAddress }) => toAddress.startsWith('runa'))!.text)!;
    const steps = tips.map((step) => ({ ...step, mayDecline: false }));
    await publishPlan(house.deps, course, { version: 1, steps } as never, 'Sigrid Aune');
    expect((await app().get(`/api/declines/${link}`).expect(200)).body.refusal).toContain('cannot be declined');
    await app().post(`/api/declines/${link}`).expect(409);
    for (const made of ['1', link.replace(/.$/, (sign) => (sign === 'A' ? 'B' : 'A')), `9${link}`])
      await app().post(`/api/declines/${made}`).expect(404);
    expect(await listDeclined(house.db, crew['runa']!)).toEqual([]);
  });

  it('is never what required training asks', async () => {
    const steps = STANDARD_PLAN.map((step) => ({ ...step, mayDecline: true }));
    await expect(publishPlan(house.deps, course, { version: 1, steps } as never, 'Sigrid Aune')).rejects.toThrow(
      /may be declined; got invitation/,
    );
  });
});
