import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN } from '@nudrik/core';
import { rows } from '../db/db.ts';
import { close as closeAssignment, extend } from '../assignments/change.ts';
import { changePerson } from '../people/change.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, TestMailer, type TestHouse } from '../testing.ts';
import { findByTeamLink } from '../reports/team-links.repo.ts';
import { teamOf } from '../reports/team.repo.ts';
import { drain } from '../worker.ts';
import { takeLease } from '../work/lease.ts';
import { claimOnto, dispatch } from './dispatch.ts';
import { planWaiting } from './plan.ts';
import { listNotices } from './ledger.list.ts';
import { findNoticeSheet, ribbon, whyStep } from './ledger.query.ts';
import { Wire } from './wire.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
});
afterAll(() => house.close());
beforeEach(async () => {
  await house.db.query(
    "truncate notices, messages, replan, assignment_events, certificates, assignments, leaves restart identity cascade; update people set address_state = 'ok', left_on = null",
  );
  await house.db.query("update people set email = 'runa@orlasund.example' where name = 'Runa Aske'");
  house.mailer = new TestMailer();
  house.clock.at = Date.parse('2027-03-01T09:30:00Z');
});

/** Simulated time goes from notice to notice up to `until`, as the demo clock does. */
async function play(until: string): Promise<void> {
  const end = Date.parse(until);
  for (;;) {
    await drain(house.deps, house.mailer);
    const [next] = await rows<{ at: Date }>(house.db, 'select min(try_at) as at from notices where try_at > $1::timestamptz', [
      new Date(house.clock.at),
    ]);
    if (!next?.at || next.at.getTime() > end) break;
    house.clock.at = next.at.getTime();
  }
  house.clock.at = end;
}

/** A worker that dies with Runa's invitation on its wire: it has claimed what there is, and claims nothing more. */
async function loseWorker(): Promise<void> {
  const lost = new TestMailer();
  lost.send = () => new Promise(() => undefined);
  await claimOnto(house.deps, lost, new Wire(house.deps, lost), await takeLease(house.db));
  expect((await ledger())[0]).toBe('runa invitation 03-01T09:30 sending');
}

const ledger = async (): Promise<string[]> =>
  (
    await rows<{ step_id: string; occurrence: number; state: string; because: string | null; at: Date; name: string }>(
      house.db,
      'select n.step_id, n.occurrence, n.state, n.because, n.at, p.name from notices n join people p on p.id = n.person_id order by n.at, n.id',
    )
  ).map((n) =>
    [
      n.name.split(' ')[0]!.toLowerCase(),
      n.step_id + (n.occurrence ? `#${n.occurrence}` : ''),
      n.at.toISOString().slice(5, 16),
      n.state,
      n.because,
    ]
      .filter(Boolean)
      .join(' '),
  );
const mails = (): string[] => house.mailer.letters.map((letter) => `${letter.toAddress.split('@')[0]}: ${letter.subject}`);

describe('the life of an assignment', () => {
  it('sends what the standard plan says, at its moments, and the ledger tells it', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-04-20T00:00:00Z');
    expect(await ledger()).toEqual([
      'runa invitation 03-01T09:30 sent', 'runa onboarding 03-03T08:00 sent', 'runa two-days-to-go 03-17T16:00 sent', 'runa late 03-22T08:00 sent', 'runa to-manager 03-24T08:00 sent',
      'runa late#1 03-25T08:00 sent', 'runa late#2 04-01T07:00 sent', 'runa late#3 04-06T07:00 sent',
    ]); // prettier-ignore
    expect(mails()[2]).toBe('runa: Fire Teams Aboard is due in 2 days');
    expect(mails().some((line) => line.startsWith('odd: Late with required training'))).toBe(true);
    for (const letter of house.mailer.letters)
      for (const text of [letter.subject, letter.text, letter.html]) expect(text).not.toMatch(/undefined|null|\{[a-z ]+\}/);
  });

  it('stops when the person finishes, certifies, and cancels the rest with the reason', async () => {
    const [id] = await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-03-10T10:00:00Z');
    const [{ units }] = (await rows<{ units: string[] }>(
      house.db,
      'select c.required_units as units from assignments a join courses c on c.id = a.course_id where a.id = $1::bigint',
      [id],
    )) as [{ units: string[] }];
    const link = await linkInto(house, id!);
    expect(await markUnitDone(house.deps, link, units[0]!)).toEqual({ finished: false });
    expect(await markUnitDone(house.deps, link, units[1]!)).toEqual({ finished: true });
    expect(await markUnitDone(house.deps, link, units[1]!)).toEqual({ finished: true });
    await play('2027-04-20T00:00:00Z');
    const lines = await ledger();
    expect(lines.filter((line) => line.includes('cancelled finished'))).toHaveLength(6);
    expect(lines).toContain('runa certificate 03-10T10:00 sent');
    expect(mails().at(-1)).toBe('runa: Your certificate for Fire Teams Aboard');
    expect(await rows(house.db, "select 1 from certificates where pdf is not null and expires_on = '2028-03-10'")).toHaveLength(1);
  });

  it('plans anew for a later due date, and the reminder may go again', async () => {
    const [id] = await assignAt(house, course, [crew['runa']!], '2027-03-05T16:00:00Z');
    await play('2027-03-04T12:00:00Z');
    await extend(house.deps, { assignmentIds: [id!], dueOn: '2027-03-12', dueTime: '17:00', reason: 'night boat' }, 'Odd Aske');
    await play('2027-03-11T00:00:00Z');
    expect((await ledger()).filter((line) => line.includes('two-days-to-go'))).toEqual([
      'runa two-days-to-go 03-03T16:00 sent',
      'runa two-days-to-go 03-10T16:00 sent',
    ]);
    expect((await ledger()).filter((line) => line.includes('cancelled extended'))).toHaveLength(5);
  });

  it('a waiver cancels what is unsent', async () => {
    const [id] = await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-03-02T00:00:00Z');
    await closeAssignment(house.deps, 'waived', { assignmentIds: [id!], reason: 'holds another certificate', until: null }, 'Sigrid Aune');
    await play('2027-04-20T00:00:00Z');
    expect(mails()).toHaveLength(1);
    expect((await ledger()).filter((line) => line.endsWith('cancelled waived'))).toHaveLength(7);
  });
});

describe('somebody who leaves', () => {
  it('hears no more, and the ledger says why', async () => {
    const [id] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
    await play('2027-03-04T00:00:00Z');
    await house.db.query("update people set left_on = '2027-03-04' where name = 'Runa Aske'");
    await house.db.query('insert into replan (assignment_id) values ($1::bigint)', [id]);
    await play('2027-04-20T00:00:00Z');
    expect(mails()).toHaveLength(2);
    expect((await ledger()).filter((line) => line.endsWith('cancelled left'))).toHaveLength(6);
    const [cancelled] = await rows<{ sentence: string }>(
      house.db,
      "select sentence from notices where step_id = 'late' and occurrence = 0",
    );
    expect(cancelled!.sentence).toBe('Cancelled: Runa Aske left on Thu 4 Mar, before its moment (Mon 22 Mar 09:00).');
  });

  it('who comes back is told again of what is still to come', async () => {
    const [id] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
    await house.db.query("update people set left_on = '2027-03-01' where name = 'Runa Aske'");
    await play('2027-03-10T00:00:00Z');
    await house.db.query("update people set left_on = null where name = 'Runa Aske'");
    await house.db.query('insert into replan (assignment_id) values ($1::bigint)', [id]);
    await play('2027-03-18T00:00:00Z');
    expect(mails().at(-1)).toBe('runa: Fire Teams Aboard is due in 2 days');
  });
});

describe('once, and not lost', () => {
  it('planning twice adds nothing', async () => {
    const ids = await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
    await planWaiting(house.deps);
    const before = await ledger();
    await house.db.query('insert into replan (assignment_id) select unnest($1::bigint[])', [ids]);
    await planWaiting(house.deps);
    expect(await ledger()).toEqual(before);
  });

  it('many workers at once send each notice once', async () => {
    const people = Array.from({ length: 40 }, (_, i) => i);
    await house.db.query(
      "insert into people (name, email, department_id, site_id) select 'Hand ' || n, 'hand' || n || '@orlasund.example', (select min(id) from departments), (select min(id) from sites) from generate_series(1, 40) n on conflict do nothing",
    );
    const ids = (await rows<{ id: string }>(house.db, "select id from people where name like 'Hand %'")).map((row) => row.id);
    await assignAt(house, course, ids, '2027-03-19T16:00:00Z');
    await Promise.all([planWaiting(house.deps, 15), planWaiting(house.deps, 15), planWaiting(house.deps, 15)]);
    await Promise.all([1, 2, 3, 4].map(() => dispatch(house.deps, house.mailer, 7)));
    while ((await dispatch(house.deps, house.mailer, 7)) > 0);
    expect(house.mailer.letters).toHaveLength(people.length);
    expect(new Set(house.mailer.letters.map((letter) => letter.messageId)).size).toBe(people.length);
  });

  it('waits while the server is down, with growing pauses, and goes once when it is up', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    house.mailer.answer = () => ({ outcome: 'later', scope: 'letter', response: '451 try again' });
    await drain(house.deps, house.mailer);
    const pauses: number[] = [];
    for (let i = 0; i < 3; i++) {
      const [{ at }] = (await rows<{ at: Date }>(house.db, "select try_at as at from notices where step_id = 'invitation'")) as [
        { at: Date },
      ];
      pauses.push(Math.round((at.getTime() - house.clock.at) / 60_000));
      house.clock.at = at.getTime();
      await drain(house.deps, house.mailer);
    }
    expect(pauses).toEqual([1, 2, 4]);
    house.mailer.answer = () => ({ outcome: 'accepted', response: '250 ok' });
    house.clock.at += 3_600_000;
    await drain(house.deps, house.mailer);
    expect(mails()).toEqual(['runa: Fire Teams Aboard: yours to finish by Fri 19 Mar 17:00']);
  });

  it('a hand-over that was cut off is taken up with the same Message-ID', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await planWaiting(house.deps);
    await loseWorker();
    await house.db.query('delete from workers');
    expect(await dispatch(house.deps, house.mailer)).toBe(1);
    const [message] = await rows<{ message_id: string }>(house.db, 'select message_id from messages');
    expect(house.mailer.letters.map((letter) => letter.headerId)).toEqual([message!.message_id]);
    expect((await ledger())[0]).toBe('runa invitation 03-01T09:30 sent');
    // both attempts are on the record, and of the first nobody knows what came of it
    expect(await rows(house.db, 'select attempt, outcome from deliveries order by attempt')).toEqual([{ attempt: 1, outcome: null }, { attempt: 2, outcome: 'accepted' }]); // prettier-ignore
  });

  it('a hand-over that was cut off is decided again: who was let off meanwhile is not written to', async () => {
    const [id] = await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await planWaiting(house.deps);
    await loseWorker();
    await closeAssignment(house.deps, 'waived', { assignmentIds: [id!], reason: 'dry dock', until: null }, 'Sigrid Aune');
    await house.db.query('delete from workers');
    await dispatch(house.deps, house.mailer);
    expect((await ledger())[0]).toBe('runa invitation 03-01T09:30 skipped waived');
    expect(house.mailer.letters).toEqual([]);
  });

  it('a message is never changed: one that would read otherwise by now is another one, and the first stays as it was', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    house.mailer.answer = () => ({ outcome: 'later', scope: 'address', response: '452 full' });
    await drain(house.deps, house.mailer);
    await house.db.query("update courses set title = 'Fire Teams' where id = $1::bigint", [course]);
    house.mailer.answer = () => ({ outcome: 'accepted', response: '250 ok' });
    house.clock.at += 3_600_000;
    await drain(house.deps, house.mailer);
    await house.db.query("update courses set title = 'Fire Teams Aboard' where id = $1::bigint", [course]);
    const found = await rows<{ subject: string; outcome: string; message_id: string }>(house.db, 'select m.subject, m.message_id, d.outcome from messages m join deliveries d on d.message_id = m.id order by m.id'); // prettier-ignore
    expect(found.map(({ subject, outcome }) => [subject.split(':')[0], outcome])).toEqual([['Fire Teams Aboard', 'later'], ['Fire Teams', 'accepted']]); // prettier-ignore
    expect(new Set(found.map((row) => row.message_id)).size).toBe(2);
  });

  it('after an outage only the latest to the same addressee goes', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-05T16:00:00Z');
    await drain(house.deps, house.mailer);
    house.clock.at = Date.parse('2027-03-12T12:00:00Z');
    await drain(house.deps, house.mailer);
    expect(await ledger()).toEqual([
      'runa invitation 03-01T09:30 sent', 'runa onboarding 03-03T08:00 skipped superseded', 'runa two-days-to-go 03-03T16:00 skipped superseded', 'runa late 03-08T08:00 skipped superseded',
      'runa to-manager 03-10T08:00 sent', 'runa late#1 03-11T08:00 sent', 'runa late#2 03-16T08:00 planned', 'runa late#3 03-19T08:00 planned',
    ]); // prettier-ignore
  });

  it('a refused address is bounced with the server’s words; later notices wait for it and go on when it is mended', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    house.mailer.answer = () => ({ outcome: 'refused', response: '550 no such mailbox' });
    await play('2027-03-04T00:00:00Z');
    expect((await ledger()).slice(0, 2)).toEqual(['runa invitation 03-01T09:30 bounced bounced', 'runa onboarding 03-03T08:00 held']);
    house.mailer.answer = () => ({ outcome: 'accepted', response: '250 ok' });
    await changePerson(house.deps, crew['runa']!, { email: 'runa.new@orlasund.example' }, 'Sigrid Aune');
    await drain(house.deps, house.mailer);
    expect(mails()).toEqual([
      'runa.new: Fire Teams Aboard: yours to finish by Fri 19 Mar 17:00',
      'runa.new: Getting started with Fire Teams Aboard',
    ]);
  });
});

describe('who hears', () => {
  it('gathers a manager’s people into one message a day, each with a line of their own', async () => {
    await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-05T16:00:00Z');
    await play('2027-03-10T23:00:00Z');
    const toOdd = house.mailer.letters.filter((letter) => letter.toAddress.startsWith('odd'));
    expect(toOdd).toHaveLength(1);
    expect(toOdd[0]!.text).toMatch(/Per Aske +Fire Teams Aboard +Fri 5 Mar 17:00 +5 +Mon 8 Mar 09:00/);
    expect(toOdd[0]!.text).toContain('Runa Aske');
    expect((await ledger()).filter((line) => line.includes('to-manager'))).toHaveLength(2);
  });

  it('leads a manager without an account in by a key of their own, which reads and ends when they leave', async () => {
    await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-05T16:00:00Z');
    await play('2027-03-10T23:00:00Z');
    const [, key] = /\/team\/([\w-]{48})/.exec(house.mailer.letters.find((letter) => letter.toAddress.startsWith('odd'))!.html)!;
    const today = '2027-03-11';
    expect(await findByTeamLink(house.db, house.deps.settings.key, key!, today)).toBe(crew['odd']);
    expect((await teamOf(house.db, crew['odd']!, house.clock.at, today)).rows.map((row) => row.person.name)).toEqual([
      'Per Aske',
      'Runa Aske',
    ]);
    expect(await findByTeamLink(house.db, house.deps.settings.key, `${key}x`, today)).toBeNull();
    await house.db.query("update people set left_on = '2027-03-11' where id = $1::bigint", [crew['odd']]);
    expect(await findByTeamLink(house.db, house.deps.settings.key, key!, today)).toBeNull();
  });
  it('gives a personal link to its own person alone, whoever else the step goes to', async () => {
    const invitation = STANDARD_PLAN.find(({ id }) => id === 'invitation')!;
    const certificate = STANDARD_PLAN.find(({ kind }) => kind === 'certificate')!;
    const plan = [invitation, certificate].map((step) => ({ ...step, to: ['employee', 'manager'] as const, window: 'exact' as const }));
    const shared = await makeCourse(house, crew['tora']!, plan as never, 'Lines and Gangway');
    const [id] = await assignAt(house, shared, [crew['runa']!], '2027-03-19T16:00:00Z');
    await drain(house.deps, house.mailer);
    const units = (await findLearning(house.deps, await linkInto(house, id!))).sections.flatMap((section) => section.units);
    for (const unit of units) await markUnitDone(house.deps, await linkInto(house, id!), unit.id);
    house.clock.at += 60_000;
    await drain(house.deps, house.mailer);
    const hrefs = (who: string): string[] =>
      house.mailer.letters
        .filter(({ toAddress }) => toAddress.startsWith(who))
        .map(({ html }) => /href="http:\/\/nudrik\.example\/(\w+)\/[^"]*?(\/certificate)?"/.exec(html)!.slice(1).join(''));
    expect(hrefs('runa')).toEqual(['go', 'go/certificate']);
    // never into the course as the employee; of the certificate what everybody may check
    expect(hrefs('odd')).toEqual(['team', 'verify']);
    const { token } = (await rows<{ token: string }>(house.db, 'select token from assignments where id = $1::bigint', [id]))[0]!;
    for (const { html, text } of house.mailer.letters.filter(({ toAddress }) => toAddress.startsWith('odd')))
      expect(html + text).not.toContain(token);
  });
  it('leads a manager with an account to the page that they sign in to', async () => {
    await house.db.query(
      "insert into accounts (email, name, role, person_id) values ('odd@orlasund.example', 'Odd Aske', 'manager', $1::bigint)",
      [crew['odd']],
    );
    await assignAt(house, course, [crew['runa']!], '2027-03-05T16:00:00Z');
    await play('2027-03-10T23:00:00Z');
    const letter = house.mailer.letters.find(({ toAddress }) => toAddress.startsWith('odd'))!;
    expect(letter.html).toContain('/my-team"');
    expect(letter.html).not.toContain('/team/');
  });

  it('goes to the cover of a manager on leave', async () => {
    await house.db.query(
      "insert into leaves (person_id, from_on, to_on, cover_id) values ($1::bigint, '2027-03-08', '2027-03-20', $2::bigint)",
      [crew['odd'], crew['tora']],
    );
    await assignAt(house, course, [crew['runa']!], '2027-03-05T16:00:00Z');
    await play('2027-03-10T23:00:00Z');
    expect(mails().at(-1)).toMatch(/^tora: Late/);
  });

  it('holds for leave and decides again afterwards', async () => {
    await house.db.query("insert into leaves (person_id, from_on, to_on) values ($1::bigint, '2027-03-02', '2027-03-09')", [crew['runa']]);
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-03-05T00:00:00Z');
    expect((await ledger())[1]).toBe('runa onboarding 03-10T08:00 held');
    await play('2027-03-11T00:00:00Z');
    expect((await ledger())[1]).toBe('runa onboarding 03-10T08:00 sent');
  });

  it('holds a notice whose merge field has no value, and says which', async () => {
    const plan = STANDARD_PLAN.map((step) =>
      step.id === 'onboarding' ? { ...step, message: { ...step.message, body: 'Hello {given name}, your code is {course code}.' } } : step,
    );
    const other = await makeCourse(house, crew['tora']!, plan, 'Hot Work Permit');
    await assignAt(house, other, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-03-02T00:00:00Z');
    const [ahead] = await rows<{ id: string }>(house.db, "select id from notices where step_id = 'onboarding' and state = 'planned'");
    expect((await findNoticeSheet(house.deps, ahead!.id)).sentence).toBe(
      'As things stand, held: no value for {course code} for Runa Aske, until that is filled in.',
    );
    await play('2027-03-04T00:00:00Z');
    const [held] = await rows<{ id: string; sentence: string }>(house.db, "select id, sentence from notices where state = 'held'");
    expect(held!.sentence).toBe('Held: no value for {course code} for Runa Aske, until that is filled in.');
    expect(mails()).toHaveLength(1);
    expect((await findNoticeSheet(house.deps, held!.id)).trace.at(-1)).toMatchObject({
      result: false,
      because: 'no value for {course code} for Runa Aske',
    });
  });

  it('keeps to the daily limit, late notices first', async () => {
    const plan = STANDARD_PLAN.filter((step) => step.id === 'onboarding' || step.id === 'invitation');
    const courses = [];
    for (const title of ['A', 'B', 'C', 'D']) courses.push(await makeCourse(house, null, plan, `Course ${title}`));
    for (const id of courses) await assignAt(house, id, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-03-03T20:00:00Z');
    const lines = (await ledger()).filter((line) => line.includes('onboarding'));
    expect(lines.filter((line) => line.includes('03-03T08:00 sent'))).toHaveLength(3);
    expect(lines.filter((line) => line.includes('03-04T07:00 held'))).toHaveLength(1);
  });
});

describe('asking the ledger', () => {
  it('counts the ribbon’s days without looking at a notice', async () => {
    await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
    await play('2027-03-02T00:00:00Z');
    const { days } = await ribbon(house.db, '2027-03-01', '2027-03-01', '2027-03-29');
    expect(days.find((day) => day.day === '2027-03-01')).toMatchObject({ sent: 2, planned: 0, isWorkingDay: true });
    expect(days.find((day) => day.day === '2027-03-17')).toMatchObject({ sent: 0, planned: 2 });
    expect(days.find((day) => day.day === '2027-03-26')).toMatchObject({ holiday: 'Easter' });
    expect(await rows(house.db, 'select * from figures_astray()')).toEqual([]);
  });

  it('explains what is sent, planned, and what has no notice', async () => {
    const [id] = await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play('2027-03-02T00:00:00Z');
    const page = await listNotices(house.db, { size: 50, person: crew['runa'] }, house.clock.at, '2027-03-01');
    const [past, ahead] = await Promise.all(
      (['past', 'ahead'] as const).map((when) => listNotices(house.db, { size: 50, when }, house.clock.at, '2027-03-01')),
    );
    expect([past!.rows.map((row) => row.stepName), ahead!.rows[0]!.stepName]).toEqual([['Invitation'], 'Getting started']);
    expect(page.summary).toEqual({ sent: 1, planned: 7 });
    const planned = page.rows.find((row) => row.stepName === 'Two days to go')!;
    expect((await findNoticeSheet(house.deps, planned.id)).sentence).toContain(
      'Goes to Runa Aske on Wed 17 Mar 17:00: due Fri 19 Mar 17:00, less 48 hours',
    );
    expect((await whyStep(house.deps, id!, 'certificate')).sentence).toBe('Waits for: finished.');
    await expect(whyStep(house.deps, id!, 'no-such-step')).rejects.toMatchObject({ code: 'not-found' });
  });
});

describe('at the same moment', () => {
  it('finishing, extending and planning one assignment neither block each other nor lose anything', async () => {
    const ids = await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
    const assigned = await rows<{ id: string; units: string[] }>(
      house.db,
      'select a.id, c.required_units as units from assignments a join courses c on c.id = a.course_id where a.id = any($1::bigint[]) order by a.id',
      [ids],
    );
    const first = await linkInto(house, assigned[0]!.id);
    for (let round = 0; round < 6; round++) {
      await house.db.query('insert into replan (assignment_id) select unnest($1::bigint[])', [ids]);
      const due = `2027-04-${String(2 + round).padStart(2, '0')}`;
      const outcomes = await Promise.allSettled([
        planWaiting(house.deps),
        planWaiting(house.deps),
        extend(house.deps, { assignmentIds: [ids[1]!], dueOn: due, dueTime: '17:00', reason: 'again' }, 'Odd Aske'),
        round === 5 ? markUnitDone(house.deps, first, assigned[0]!.units[0]!) : Promise.resolve(),
        dispatch(house.deps, house.mailer),
      ]);
      expect(outcomes.filter(({ status }) => status === 'rejected')).toEqual([]);
    }
    await markUnitDone(house.deps, first, assigned[0]!.units[1]!);
    await drain(house.deps, house.mailer);
    expect(await rows(house.db, 'select 1 from replan')).toEqual([]);
    expect((await ledger()).filter((line) => line.startsWith('runa') && line.includes('planned'))).toEqual([]);
    const open = (await ledger()).filter((line) => line.startsWith('per') && line.endsWith('planned'));
    expect(open.map((line) => line.split(' ')[1])).toEqual([
      'onboarding',
      'two-days-to-go',
      'late',
      'to-manager',
      'late#1',
      'late#2',
      'late#3',
    ]);
    expect(mails().filter((line) => line.startsWith('per: Fire Teams Aboard: yours'))).toHaveLength(1);
  });
});
