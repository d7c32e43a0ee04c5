import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type Copies, type PlanStep } from '@nudrik/core';
import { rows } from '../db/db.ts';
import { findNoticeSheet } from '../notices/ledger.query.ts';
import { publishPlan } from '../plans/publish.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { sendCopies } from './copies.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
});
afterAll(() => house.close());

const OK = { outcome: 'accepted', response: '250 ok' } as const;
const withCopies = (copies: Copies): PlanStep[] => STANDARD_PLAN.map((step) => (step.id === 'invitation' ? { ...step, copies } : step));
const publish = (copies: Copies) => publishPlan(house.deps, course, { version: 1, steps: withCopies(copies) } as never, 'Sigrid Aune');
const invite = async (...who: string[]) => {
  await assignAt(house, course, who.map((name) => crew[name]!), '2027-03-19T16:00:00Z'); // prettier-ignore
  return send();
};
const send = async () => {
  house.mailer.letters = [];
  await drain(house.deps, house.mailer);
  return house.mailer.letters.map(({ toAddress, subject, text, html }) => ({ to: toAddress.split('@')[0], subject, text, html }));
};
const at = (iso: string) => (house.clock.at = Date.parse(iso));
const copiesIn = (letters: Awaited<ReturnType<typeof send>>) => letters.filter(({ subject }) => /^(Copy|What went out)/.test(subject));

describe('copies', () => {
  it('come as one summary in the morning after, with what came of each message, and once', async () => {
    await publish({ to: ['trainer'], isEach: false });
    house.mailer.answer = (letter) => (letter.toAddress.startsWith('per@') ? { outcome: 'refused', response: '550 no such mailbox' } : OK);
    expect(copiesIn(await invite('runa', 'per', 'kari'))).toEqual([]);
    at('2027-03-02T06:30:00Z');
    // before the send window of whoever is told
    expect(copiesIn(await send())).toEqual([]);
    at('2027-03-02T07:05:00Z');
    const [summary, ...more] = copiesIn(await send());
    expect(more).toEqual([]);
    expect(summary).toMatchObject({ to: 'tora', subject: 'What went out: 3 messages, Mon 1 Mar' });
    expect(summary!.text).toMatch(/3 messages went on Mon 1 Mar; 1 came back\./);
    expect(summary!.text).toMatch(/10:45 {2}Runa Aske: Fire Teams Aboard: yours to finish by .* \(Fire Teams Aboard, sent\)/);
    expect(summary!.text).toMatch(/Per Aske: .*came back\)/);
    expect(summary!.html).not.toContain('/go/');
    for (const day of ['02T12', '03T09', '09T09']) {
      at(`2027-03-${day}:00:00Z`);
      expect(copiesIn(await send())).toEqual([]);
    }
    const [notice] = await rows<{ id: string }>(house.db, "select id from notices where step_id = 'invitation' order by id");
    expect((await findNoticeSheet(house.deps, notice!.id)).timeline.find(({ what }) => what === 'copy')!.words).toMatch(/^to Tora Aske, in the summary of the day Tue 2 Mar 08:05$/);
  });

  it('of each message come as it went, without its reader’s links', async () => {
    await publish({ to: ['manager', 'office@orlasund.example'], isEach: true });
    const letters = await invite('runa');
    const original = letters.find(({ to }) => to === 'runa')!;
    expect(original.text).toContain('/go/');
    const copies = copiesIn(letters);
    expect(copies.map(({ to, subject }) => [to, subject])).toEqual([['odd', `Copy: ${original.subject}`], ['office', `Copy: ${original.subject}`]]);
    for (const { text, html } of copies) {
      expect(text).toContain('A copy of what Runa Aske <runa@orlasund.example> was sent: “Invitation”, Fire Teams Aboard.');
      expect(text + html).not.toMatch(/\/go\/[\w-]{20}/);
      expect(text).toContain('(personal link)');
    }
    expect(copiesIn(await send())).toEqual([]);
  });

  it('wait until the message went, and tell of none that did not', async () => {
    await publish({ to: ['trainer'], isEach: true });
    house.mailer.answer = (letter) => (letter.subject.startsWith('Copy') ? OK : { outcome: 'later', response: '451 not now', scope: 'letter' });
    expect(copiesIn(await invite('runa'))).toEqual([]);
    house.mailer.answer = () => OK;
    at('2027-03-01T10:45:00Z');
    expect(copiesIn(await send())).toHaveLength(1);
  });

  it('stand under the day on which the message went, however often it was tried before', async () => {
    await publish({ to: ['trainer'], isEach: false });
    house.mailer.answer = () => ({ outcome: 'later', response: '451 not now', scope: 'letter' });
    await invite('runa');
    house.mailer.answer = () => OK;
    at('2027-03-02T11:00:00Z');
    expect(copiesIn(await send())).toEqual([]);
    at('2027-03-03T07:05:00Z');
    expect(copiesIn(await send()).map(({ subject }) => subject)).toEqual(['What went out: 1 message, Tue 2 Mar']);
  });

  it('go to nobody about what they read themselves, nor where mail comes back', async () => {
    await publish({ to: ['trainer', 'manager', `person ${crew['kari']}`], isEach: true });
    await house.db.query("update people set address_state = 'bounced' where name = 'Odd Aske'");
    expect(copiesIn(await invite('kari', 'runa')).map(({ to }) => to).sort()).toEqual(['kari', 'tora', 'tora']);
  });

  it('are told once by several workers, and tried again where the server does not take them', async () => {
    await publish({ to: ['trainer'], isEach: false });
    await invite('runa', 'per');
    at('2027-03-02T08:05:00Z');
    await Promise.all([sendCopies(house.deps), sendCopies(house.deps), sendCopies(house.deps)]);
    expect(await rows(house.db, 'select from outbox')).toHaveLength(1);
    house.mailer.answer = () => ({ outcome: 'later', response: '451 not now', scope: 'letter' });
    expect(copiesIn(await send())).toEqual([]);
    house.mailer.answer = () => OK;
    at('2027-03-02T09:05:00Z');
    expect(copiesIn(await send())).toHaveLength(1);
  });

  it('are refused where nobody knows whom they are to', async () => {
    await expect(publish({ to: ['the captain'], isEach: false })).rejects.toThrow(/goes to “the captain”/);
  });
}); // prettier-ignore
