import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN } from '@nudrik/core';
import { rows } from '../db/db.ts';
import { changePerson } from '../people/change.ts';
import { extend } from '../assignments/change.ts';
import type { Handover, Letter } from '../messages/channel.ts';
import { todayNeeds } from '../reports/needs.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, reportMail, TestMailer, type TestHouse } from '../testing.ts';
import { takeLease } from '../work/lease.ts';
import { Pace } from '../messages/pace.ts';
import { drain } from '../worker.ts';
import { takeMail } from '../messages/arrive.ts';
import { claimOnto, dispatch } from './dispatch.ts';
import { planWaiting } from './plan.ts';
import { Wire } from './wire.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;

beforeEach(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(
    house,
    crew['tora']!,
    STANDARD_PLAN.filter(({ kind }) => kind === 'invitation' || kind === 'manager'),
  );
});
afterEach(() => house.close());

const NOT_NOW: Handover = { outcome: 'later', scope: 'channel', response: '535 5.7.8 authentication failed' };
const OK: Handover = { outcome: 'accepted', response: '250 ok' };
/** A report on an attempt comes in. */
const reported = (envelopeId: string, action: string, status: string, words: string, at = ''): Promise<unknown> =>
  takeMail(house.deps, {
    raw: reportMail([
      `Original-Envelope-Id: ${envelopeId}`,
      '',
      `Action: ${action}`,
      `Status: ${status}`,
      `Diagnostic-Code: smtp; ${words}`,
      ...(at ? [`Last-Attempt-Date: ${at}`] : []),
    ]),
    from: '',
    to: ['training@orlasund.example'],
  });
const states = async (): Promise<string[]> =>
  (
    await rows<{ line: string }>(house.db, "select state || ' ' || attempts as line from notices where kind = 'invitation' order by id")
  ).map(({ line }) => line);
const addressed = (): string[] => house.mailer.letters.map(({ toAddress }) => toAddress.split('@')[0]!);
/** People with the invitation planned and due. */
async function hands(count: number): Promise<void> {
  const people = await rows<{ id: string }>(
    house.db,
    `insert into people (name, email, department_id, site_id)
     select 'Hand ' || n, 'hand' || n || '@orlasund.example', (select min(id) from departments), (select min(id) from sites)
     from generate_series(1, $1::integer) n returning id`,
    [count],
  );
  await assignAt(house, course, people.map(({ id }) => id), '2027-03-19T16:00:00Z'); // prettier-ignore
  await planWaiting(house.deps);
}
/** A mailer whose letters stay on the wire until they are answered. */
class SlowMailer extends TestMailer {
  readonly onTheWire: { letter: Letter; answer: (handover: Handover) => void }[] = [];
  override send(letter: Letter): Promise<Handover> {
    return new Promise((answer) => this.onTheWire.push({ letter, answer }));
  }
}
/** The worker is gone: what it had is taken up by whoever comes next. */
const die = () => house.db.query("update workers set until = now() - interval '1 second'");

describe('a channel that takes nothing', () => {
  it('stands still with growing pauses, marks nobody, and all goes when it is back, however long it was', async () => {
    await hands(30);
    house.mailer.answer = () => NOT_NOW;
    let tried = 0;
    const send = house.mailer.send.bind(house.mailer);
    house.mailer.send = (letter) => ((tried += 1), send(letter));
    for (let hour = 0; hour < 5 * 24; hour++) {
      await drain(house.deps, house.mailer);
      house.clock.at += 3_600_000;
    }
    expect(tried).toBeLessThan(5 + 5 * 24 * 2);
    expect(new Set((await states()).map((line) => line.split(' ')[0]))).toEqual(new Set(['planned']));
    expect(await rows(house.db, "select id from people where address_state <> 'ok'")).toEqual([]);
    const [need] = (await todayNeeds(house.deps)).filter(({ kind }) => kind === 'mail-server');
    expect(need!.words).toContain(
      'Since Mon 1 Mar 10:30 the mail server takes nothing: “535 5.7.8 authentication failed”. 30 notices wait',
    );
    house.mailer.answer = () => OK;
    house.clock.at = Date.parse('2027-03-08T09:00:00Z');
    await drain(house.deps, house.mailer);
    expect(addressed()).toHaveLength(30);
    expect((await todayNeeds(house.deps)).filter(({ kind }) => kind === 'mail-server')).toEqual([]);
  });

  it('one address that is refused for other reasons is marked after three days, and stops nobody', async () => {
    await hands(4);
    house.mailer.answer = ({ toAddress }) =>
      toAddress.startsWith('hand1@') ? { outcome: 'later', scope: 'address', response: '550 5.7.1 not here' } : OK;
    for (let hour = 0; hour < 4 * 24; hour += 2) {
      await drain(house.deps, house.mailer);
      house.clock.at += 2 * 3_600_000;
    }
    expect(addressed().sort()).toEqual(['hand2', 'hand3', 'hand4']);
    expect(await rows(house.db, "select email, address_words from people where address_state <> 'ok'")).toEqual([
      { email: 'hand1@orlasund.example', address_words: '550 5.7.1 not here' },
    ]);
    expect(await states()).toContain('bounced 34'.replace('34', String((await rows<{ a: number }>(house.db, "select attempts as a from notices where state = 'bounced'"))[0]!.a))); // prettier-ignore
  });
});

describe('a hand-over', () => {
  it('that no answer ends holds nobody else up, and is tried again under the same Message-ID', async () => {
    await hands(12);
    const slow = new TestMailer();
    const send = slow.send.bind(slow);
    slow.send = (letter) => (letter.toAddress.startsWith('hand3@') ? new Promise(() => undefined) : send(letter));
    const lease = await takeLease(house.db);
    const wire = new Wire(house.deps, slow, 300);
    await claimOnto(house.deps, slow, wire, lease);
    await wire.idle();
    expect(slow.letters).toHaveLength(11);
    house.clock.at += 61_000;
    await drain(house.deps, house.mailer);
    const [message] = await rows<{ message_id: string }>(house.db, "select message_id from messages where to_address like 'hand3@%'");
    expect(house.mailer.letters.map(({ headerId }) => headerId)).toEqual([message!.message_id]);
  });

  it('whose worker stood still hands nothing over any more, and what it had on the wire is all that goes twice', async () => {
    await hands(60);
    const slow = new SlowMailer();
    const lease = await takeLease(house.db);
    const wire = new Wire(house.deps, slow);
    await claimOnto(house.deps, slow, wire, lease, 50);
    expect(slow.onTheWire).toHaveLength(10);
    lease.lose(); // as it finds out by itself when it goes on
    await die();
    await drain(house.deps, house.mailer);
    expect(new Set(addressed()).size).toBe(60);
    for (const { answer } of slow.onTheWire) answer(OK);
    await wire.idle();
    expect(slow.onTheWire).toHaveLength(10);
    expect(new Set(await states())).toEqual(new Set(['sent 2']));
    const headers = new Map(house.mailer.letters.map((letter) => [letter.toAddress, letter.headerId]));
    for (const { letter } of slow.onTheWire) expect(headers.get(letter.toAddress)).toBe(letter.headerId);
  });

  it('that was cut off is decided again: what became of it meanwhile is told, and what was extended says so', async () => {
    const [, id] = await assignAt(house, course, [crew['runa']!, crew['per']!, crew['odd']!], '2027-03-19T16:00:00Z');
    await planWaiting(house.deps);
    const slow = new SlowMailer();
    await claimOnto(house.deps, slow, new Wire(house.deps, slow), await takeLease(house.db));
    expect((await states()).every((line) => line.startsWith('sending'))).toBe(true);
    await extend(house.deps, { assignmentIds: [id!], dueOn: '2027-04-30', dueTime: '17:00', reason: 'dry dock' }, 'Sigrid Aune');
    await changePerson(house.deps, crew['odd']!, { email: 'odd.new@orlasund.example' }, 'Sigrid Aune');
    await die();
    await drain(house.deps, house.mailer);
    const texts = Object.fromEntries(house.mailer.letters.map((letter) => [letter.toAddress.split('@')[0]!, letter.subject]));
    expect(texts).toMatchObject({
      runa: 'Fire Teams Aboard: yours to finish by Fri 19 Mar 17:00',
      per: 'Fire Teams Aboard: yours to finish by Fri 30 Apr 17:00',
      'odd.new': 'Fire Teams Aboard: yours to finish by Fri 19 Mar 17:00',
    });
    const messages = await rows<{ to_address: string; count: number }>(house.db, 'select to_address, count(*)::integer as count from messages group by 1 order by to_address collate "C"');
    expect(messages.map(({ to_address, count }) => `${to_address.split('@')[0]} ${count}`)).toEqual(['odd.new 1', 'odd 1', 'per 2', 'runa 1']);
  }); // prettier-ignore

  it('that a delivery report came for is not repeated', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await planWaiting(house.deps);
    const slow = new SlowMailer();
    await claimOnto(house.deps, slow, new Wire(house.deps, slow), await takeLease(house.db));
    expect(slow.onTheWire).toHaveLength(1);
    const { envelopeId, deliveryId, messageId } = slow.onTheWire[0]!.letter;
    for (const forged of [messageId, deliveryId, `${deliveryId}.${'0'.repeat(32)}`, envelopeId.replace(deliveryId, '999')])
      await reported(forged, 'delivered', '2.0.0', '250 ok', 'Tue, 01 Jan 2199 00:00:00 GMT');
    expect(await states()).toEqual(['sending 1']);
    await reported(envelopeId, 'delivered', '2.0.0', '250 ok', 'Tue, 01 Jan 2199 00:00:00 GMT');
    await die();
    await drain(house.deps, house.mailer);
    expect([house.mailer.letters, await states()]).toEqual([[], ['delivered 1']]);
  });

  it('whose report comes while its answer is being stored is delivered, whichever is first', async () => {
    await hands(60);
    const reports: Promise<unknown>[] = [];
    let n = 0;
    house.mailer.send = (letter) => {
      // before the answer, with it, or a moment after
      const wait = [0, 1, 2, 4, 8][n++ % 5]!;
      reports.push(
        new Promise((resolve) => setTimeout(resolve, wait)).then(() => reported(letter.envelopeId, 'delivered', '2.0.0', '250 ok')),
      );
      return Promise.resolve(OK);
    };
    await drain(house.deps, house.mailer);
    expect(await Promise.all(reports)).toHaveLength(60);
    expect(new Set(await states())).toEqual(new Set(['delivered 1']));
  });

  it('that is reported as failed before its answer came is bounced, and stays so', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await planWaiting(house.deps);
    const slow = new SlowMailer();
    const going = dispatch(house.deps, slow);
    await expect.poll(() => slow.onTheWire.length).toBe(1);
    const [{ letter, answer }] = slow.onTheWire as [(typeof slow.onTheWire)[number]];
    await reported(letter.envelopeId, 'failed', '5.7.1', 'not wanted');
    answer(OK);
    await going;
    expect(await states()).toEqual(['bounced 1']);
  });

  it('that a report says failed later is bounced; its address is marked only where there is none such', async () => {
    await hands(2);
    await drain(house.deps, house.mailer);
    const [first, second] = house.mailer.letters;
    await reported(first!.envelopeId, 'failed', '5.1.1', 'mailbox is gone');
    await reported(second!.envelopeId, 'failed', '5.7.1', 'mailbox is gone');
    await reported(second!.envelopeId, 'delayed', '4.4.1', 'mailbox is gone');
    expect(await states()).toEqual(['bounced 1', 'bounced 1']);
    expect(await rows(house.db, "select email from people where address_state <> 'ok'")).toEqual([{ email: first!.toAddress }]);
  });

  it('ends when it is told to stop: nothing more goes, what waits is given back as if it had not been decided', async () => {
    await hands(40);
    const slow = new SlowMailer();
    const wire = new Wire(house.deps, slow);
    await claimOnto(house.deps, slow, wire, await takeLease(house.db), 40);
    const stopping = wire.stop(5_000);
    await expect.poll(async () => (await states()).filter((line) => line === 'planned 0').length).toBe(30);
    for (const { answer } of slow.onTheWire) answer(OK);
    await stopping;
    expect((await states()).filter((line) => line === 'sent 1')).toHaveLength(10);
    expect(await rows(house.db, 'select id from deliveries')).toHaveLength(10);
    await drain(house.deps, house.mailer);
    expect(house.mailer.letters).toHaveLength(30);
  });
});

describe('a gathered letter', () => {
  it('that waits for its retry while a manager or a text changes goes, and stops nobody', async () => {
    await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-05T16:00:00Z');
    house.mailer.answer = ({ toAddress }) =>
      toAddress.startsWith('odd') ? { outcome: 'later', scope: 'letter', response: '451 later' } : OK;
    const play = async (until: string): Promise<void> => {
      for (; house.clock.at < Date.parse(until); house.clock.at += 1_800_000) await drain(house.deps, house.mailer);
    };
    await play('2027-03-10T12:00:00Z');
    expect(addressed()).not.toContain('odd');
    await changePerson(house.deps, crew['per']!, { managerId: crew['tora']! }, 'Sigrid Aune');
    await house.db.query("update courses set title = 'Fire Teams' where id = $1::bigint", [course]);
    house.mailer.answer = () => OK;
    await play('2027-03-10T16:00:00Z');
    const gathered = house.mailer.letters.filter(({ subject }) => !subject.includes('yours to finish'));
    expect(gathered.map(({ toAddress }) => toAddress.split('@')[0]).sort()).toEqual(['odd', 'tora']);
    expect(new Set(house.mailer.letters.map(({ headerId }) => headerId)).size).toBe(house.mailer.letters.length);
  });
});

describe('a channel that may take so many in a minute', () => {
  it('is given no more, its domains in turn; what has to wait longer is decided again when its turn comes', async () => {
    await house.db.query("update people set email = replace(email, '@orlasund.example', '@slow.example') where id = any($1::bigint[])", [
      [crew['runa'], crew['per']],
    ]);
    await assignAt(house, course, [crew['runa']!, crew['per']!, crew['odd']!], '2027-03-19T16:00:00Z');
    await planWaiting(house.deps);
    const mailer = Object.assign(new TestMailer(), { pace: new Pace({ perMinute: null, perDomain: 6 }) });
    const wire = new Wire(house.deps, mailer);
    const lease = (await takeLease(house.db))!;
    await claimOnto(house.deps, mailer, wire, lease);
    await expect.poll(() => mailer.letters.length).toBe(2);
    expect(mailer.letters.map(({ toAddress }) => toAddress.split('@')[1]).sort()).toEqual(['orlasund.example', 'slow.example']);
    // the process is told to stop: what waits was never sent, and goes with the next
    await wire.stop(1_000);
    expect((await states()).sort()).toEqual(['planned 0', 'sent 1', 'sent 1']);
    await drain(house.deps, house.mailer);
    expect(house.mailer.letters).toHaveLength(1);
  });
});
