import { afterAll, beforeAll, beforeEach, describe, expect, it, test } from 'vitest';
import { BEGINNINGS, STANDARD_PLAN, type PlanStep, type SignOffSheet } from '@nudrik/core';
import type { SignOffEntryDraft } from '@nudrik/contract';
import { oneRow, rows, transaction } from '../db/db.ts';
import { insertCourse, keepVersion, saveSections } from '../courses/courses.repo.ts';
import { verify } from '../certificates/certificates.repo.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { putPlan } from '../plans/plans.repo.ts';
import { timelineOf } from '../people/timeline.ts';
import { assignAt, linkInto, makeCrew, openTestHouse, TestMailer, type TestHouse } from '../testing.ts';
import { wordsOfPdf } from '../testing-pdf.ts';
import { drain } from '../worker.ts';
import { withoutLinks } from '../messages/redacted.ts';
import { correctSignOff, endSignOffLink, foreseeSignOffs, makeSignOffLink, maySee, mySignOffs, recordSignOffs, signerBy, signOffList, signOffView, type Signer } from './sign-offs.ts'; // prettier-ignore

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let unit: string;
let n = 0;
const signer = (who: string): Signer => ({ personId: crew[who]!, name: `${who} Aske`, link: null });

const certificate = STANDARD_PLAN.find(({ id }) => id === 'certificate')!;
const step = (outcome: 'met' | 'not-met' | 'absent', subject: string, to: PlanStep['to'] = ['employee']): PlanStep => ({ ...certificate, id: outcome, name: subject, to, anchor: { event: 'signed-off', outcome }, message: { subject, body: 'Hello', button: null } }); // prettier-ignore
const SHEET: SignOffSheet = {
  guide: 'Show it.',
  criteria: [{ id: 'a', words: 'Throws the line', isNeeded: true }, { id: 'b', words: 'Coils it', isNeeded: false }],
  signers: { managers: true, trainers: true, people: [], sites: [] },
  asksPlace: true,
  withQuizzes: true,
  withSurveys: true,
}; // prettier-ignore

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  await house.db.query('update settings set settle_minutes = 0');
});
afterAll(() => house.close());
beforeEach(async () => {
  house.clock.at = Date.parse('2027-03-01T09:30:00Z');
  house.mailer = new TestMailer();
  ({ course, unit } = await transaction(house.db, async (client) => {
    const id = await insertCourse(client, {
      title: `Line Handling ${++n}`,
      ownerId: crew['tora']!,
      validity: { count: 1, unit: 'years' },
      sections: [],
    });
    const base = { id: null, required: true, body: null, url: null, fileId: null };
    await saveSections(client, id, [{ id: null, title: 'One', units: [{ ...base, kind: 'sign-off', title: 'The line', signOff: SHEET }] }]);
    await keepVersion(client, id, house.clock.at - 86_400_000, 'Tora Aske');
    await putPlan(client, id, 1, house.clock.at - 86_400_000, 'Tora Aske', [step('met', 'You met it'), step('not-met', 'Again, please', ['employee', 'manager']), step('absent', 'You were not there')]); // prettier-ignore
    const { id: unitId } = await oneRow<{ id: string }>(client, 'select u.id from units u join sections s on s.id = u.section_id where s.course_id = $1::bigint', [id]); // prettier-ignore
    return { course: id, unit: unitId };
  }));
});

/** People who have the course. @returns their assignments by name */
async function assigned(...who: string[]): Promise<Record<string, string>> {
  const ids = await assignAt(house, course, who.map((one) => crew[one]!), '2027-03-19T16:00:00Z'); // prettier-ignore
  await drain(house.deps, house.mailer);
  return Object.fromEntries(who.map((one, i) => [one, ids[i]!]));
}
const entry = (assignmentId: string, rest: Partial<SignOffEntryDraft> = {}): SignOffEntryDraft => ({ assignmentId, attended: true, met: ['a', 'b'], remarks: null, place: null, on: '2027-03-01', ...rest }); // prettier-ignore
const record = (who: string, entries: SignOffEntryDraft[], key = `list-${++n}-0001`) =>
  recordSignOffs(house.deps, course, unit, signer(who), { key, entries, session: null });
const mails = (): string[] => house.mailer.letters.map(({ toName, subject }) => `${toName}: ${subject}`).sort();

describe('a list of three outcomes', () => {
  it('is foreseen exactly, goes to whom it should, finishes who met it, and shows what came of its messages', async () => {
    const a = await assigned('runa', 'odd', 'per');
    const entries = [entry(a['runa']!), entry(a['odd']!, { met: ['b'], remarks: 'Slow' }), entry(a['per']!, { attended: false, met: [] })];
    const foreseen = await foreseeSignOffs(house.deps, course, unit, signer('tora'), entries);
    expect(foreseen.map(({ name, outcome, finishes, messages }) => [name, outcome, finishes, messages.filter(({ goes }) => goes).map(({ step: name, to }) => `${name} → ${to}`)])).toEqual([
      ['Runa Aske', 'met', true, ['You met it → Runa Aske']],
      ['Odd Aske', 'not-met', false, expect.arrayContaining(['Again, please → Odd Aske'])],
      ['Per Aske', 'absent', false, ['You were not there → Per Aske']],
    ]); // prettier-ignore
    expect(await rows(house.db, 'select id from sign_offs where unit_id = $1::bigint', [unit])).toEqual([]);
    expect(await record('tora', entries)).toEqual({ recorded: 3, finished: ['Runa Aske'] });
    await drain(house.deps, house.mailer);
    const expected = foreseen.flatMap(({ messages }) =>
      messages.filter(({ goes }) => goes).map((message) => `${message.to}: ${message.step}`),
    );
    expect(mails()).toEqual(expected.sort());
    const list = await signOffList(house.deps, course, unit, true);
    expect(list.rows.map(({ person, outcome, messages }) => [person.name, outcome, [...new Set(messages.map((one) => `${one.step} ${one.state}`))]])).toEqual([
      ['Per Aske', 'absent', ['You were not there sent']],
      ['Odd Aske', 'not-met', ['Again, please sent']],
      ['Runa Aske', 'met', ['You met it sent']],
    ]); // prettier-ignore
    expect(list.waiting.map(({ person }) => person.name).sort()).toEqual(['Odd Aske', 'Per Aske']);
    expect(list.rows[1]).toMatchObject({ remarks: 'Slow', met: ['b'], because: 'trainer of the course', byWhom: 'tora Aske' });
    // the later one counts
    house.clock.at += 86_400_000;
    await record('tora', [entry(a['odd']!, { on: '2027-03-02' })]);
    expect((await signOffView(house.deps, course, unit, signer('tora'))).people.find(({ person }) => person.name === 'Odd Aske')!.last).toMatchObject({ outcome: 'met' }); // prettier-ignore
  });

  it('that comes again, since its answer was lost, is recorded once', async () => {
    const a = await assigned('runa', 'odd');
    const entries = [entry(a['runa']!, { met: [] }), entry(a['odd']!)];
    const first = await Promise.all([record('tora', entries, 'same-key-1'), record('tora', entries, 'same-key-1')]);
    expect(first.map(({ recorded }) => recorded)).toEqual([2, 2]);
    expect(await rows(house.db, 'select outcome from sign_offs where unit_id = $1::bigint order by id', [unit])).toHaveLength(2);
    await drain(house.deps, house.mailer);
    expect(mails().filter((line) => line.startsWith('Runa'))).toEqual(['Runa Aske: Again, please']);
  });
});

describe('who may sign off', () => {
  test.each([
    [{ met: ['z'] }, 'There is no criterion “z” any more'],
    [{ attended: false, met: ['a'] }, 'Who did not attend met nothing'],
    [{ on: '2027-03-02' }, 'that day has not come yet'],
  ])('an entry with %o is refused, and nothing of its list is recorded', async (rest, words) => {
    const a = await assigned('runa', 'odd');
    await expect(record('tora', [entry(a['odd']!), entry(a['runa']!, rest)])).rejects.toThrow(words);
    expect(await rows(house.db, 'select id from sign_offs where unit_id = $1::bigint', [unit])).toEqual([]);
  });

  it('is nobody beside those whom the rule names, and nobody for themself', async () => {
    const a = await assigned('tora', 'runa');
    await expect(record('per', [entry(a['runa']!)])).rejects.toThrow('per Aske may not sign off for Runa Aske');
    await expect(record('tora', [entry(a['tora']!)])).rejects.toThrow('may not sign off for Tora Aske');
    expect((await signOffView(house.deps, course, unit, signer('tora'))).people.map(({ person }) => person.name)).toEqual(['Runa Aske']);
    await expect(signOffView(house.deps, course, unit, signer('per'))).rejects.toThrow('nobody whom you may sign off there');
    expect(await mySignOffs(house.deps, crew['tora']!)).toEqual(expect.arrayContaining([{ course: { id: course, title: `Line Handling ${course && (await oneRow<{ title: string }>(house.db, 'select title from courses where id = $1::bigint', [course])).title.split(' ').at(-1)}` }, unit: { id: unit, title: 'The line' }, session: null, waiting: 1 }])); // prettier-ignore
    await expect(markUnitDone(house.deps, await linkInto(house, a['runa']!), unit)).rejects.toThrow(
      'done by a supervisor who signs it off',
    );
    const [shown] = (await findLearning(house.deps, await linkInto(house, a['runa']!))).sections[0]!.units;
    expect(shown).toMatchObject({ kind: 'sign-off', signOff: { guide: 'Show it.', criteria: [{ words: 'Throws the line', isNeeded: true }, { words: 'Coils it', isNeeded: false }] } }); // prettier-ignore
  });

  it('is found by name; whoever finds nobody learns no more than before', async () => {
    await assigned('runa', 'odd');
    const find = (who: string, text: string) => signOffView(house.deps, course, unit, signer(who), { session: null, find: text });
    expect((await find('tora', 'UNA')).people.map(({ person }) => person.name)).toEqual(['Runa Aske']);
    expect((await find('tora', '%')).people).toEqual([]);
    await expect(find('per', 'Nobody')).rejects.toThrow('nobody whom you may sign off there');
  });

  it('is led in by a message: one link a reader, longer with each message, shown to nobody else; whoever has an account signs in', async () => {
    const make = BEGINNINGS.find(({ id }) => id === 'to-sign-off')!.make('ready');
    const ready: PlanStep = { ...make, on: true, anchor: { event: 'assigned' }, at: null, gather: 'none', to: ['employee', 'manager'] };
    await transaction(house.db, (client) => putPlan(client, course, 2, house.clock.at - 3_600_000, 'Tora Aske', [ready]));
    await assigned('runa');
    const hrefs = (name: string): string[] => house.mailer.letters.filter(({ toName }) => toName === name).map(({ html }) => /href="[^"]*example[^"]*?(\/(?:go|sign-off|sign-offs)\/[^"]*)"/.exec(html)![1]!); // prettier-ignore
    // the employee has no list to sign: the place leads where the message leads
    expect(hrefs('Runa Aske')).toEqual([expect.stringMatching(/^\/go\//)]);
    const [first] = hrefs('Odd Aske');
    const token = first!.split('/sign-off/')[1]!;
    const by = await signerBy(house.deps, token);
    expect((await signOffView(house.deps, course, unit, by)).people.map(({ person }) => person.name)).toEqual(['Runa Aske']);
    expect(withoutLinks(house.mailer.letters.find(({ toName }) => toName === 'Odd Aske')!.html)).not.toContain('/sign-off/');
    const links = async () => (await signOffList(house.deps, course, unit, true)).links;
    expect(await links()).toMatchObject([{ url: null, madeBy: 'a message of the plan', until: '2027-03-15T09:30:00.000Z' }]);
    house.clock.at += 3 * 86_400_000;
    await assigned('per');
    expect(hrefs('Odd Aske')).toEqual([first, first]);
    expect(await links()).toMatchObject([{ until: '2027-03-18T09:30:00.000Z' }]);
    await house.db.query("insert into accounts (email, name, role, person_id) values ('kari@x.example', 'Kari Aske', 'manager', $1::bigint)", [crew['kari']]); // prettier-ignore
    await assigned('odd');
    await house.db.query('delete from accounts');
    expect(hrefs('Kari Aske')).toEqual([`/sign-offs/${course}/${unit}`]);
    expect(await links()).toHaveLength(1);
  });

  it('comes by a link, which ends with its use, with its time, and by hand', async () => {
    const a = await assigned('runa', 'odd');
    await expect(makeSignOffLink(house.deps, course, unit, { personId: crew['per']!, days: 7, endsAfterUse: true, session: null }, 'Sigrid Aune')).rejects.toThrow('may sign off for nobody'); // prettier-ignore
    const once = await makeSignOffLink(
      house.deps,
      course,
      unit,
      { personId: crew['tora']!, days: 7, endsAfterUse: true, session: null },
      'Sigrid Aune',
    );
    const token = (url: string): string => url.split('/sign-off/')[1]!;
    const by = await signerBy(house.deps, token(once.url));
    await recordSignOffs(house.deps, course, unit, by, { key: 'by-link-01', session: null, entries: [entry(a['runa']!)] });
    await expect(signerBy(house.deps, token(once.url))).rejects.toThrow('does not open anything any more');
    const timed = await makeSignOffLink(
      house.deps,
      course,
      unit,
      { personId: crew['tora']!, days: 7, endsAfterUse: false, session: null },
      'Sigrid Aune',
    );
    house.clock.at += 8 * 86_400_000;
    await expect(signerBy(house.deps, token(timed.url))).rejects.toThrow('does not open anything any more');
    house.clock.at -= 8 * 86_400_000;
    await endSignOffLink(house.deps, timed.id, unit);
    await expect(signerBy(house.deps, token(timed.url))).rejects.toThrow('does not open anything any more');
    await expect(signerBy(house.deps, `${token(timed.url).slice(0, -1)}x`)).rejects.toThrow();
    const record_ = await timelineOf(house.db, crew['runa']!, house.clock.at);
    expect(record_.map(({ words }) => words).join('\n')).toContain('signed off');
  });
});

describe('an entry that is corrected', () => {
  it('stays, and what came of it falls: the unit, the finish, and the certificate', async () => {
    const a = await assigned('runa');
    await record('tora', [entry(a['runa']!)]);
    const { serial } = await oneRow<{ serial: string }>(house.db, 'select serial from certificates where assignment_id = $1::bigint', [
      a['runa'],
    ]);
    const [row] = (await signOffList(house.deps, course, unit, true)).rows;
    house.clock.at += 3_600_000;
    const correction = { entry: entry(a['runa']!, { met: ['b'] }), reason: 'The wrong line' };
    const { words } = await correctSignOff(house.deps, course, unit, row!.id, correction, 'Sigrid Aune');
    expect(words).toBe('Runa Aske: “not met” in place of “met”. The course is open again. The certificate is revoked.');
    expect(await oneRow(house.db, 'select closed_by, units_done from assignments where id = $1::bigint', [a['runa']])).toEqual({ closed_by: null, units_done: [] }); // prettier-ignore
    expect(await verify(house.db, serial, '2027-03-01')).toMatchObject({ answer: 'revoked' });
    const list = (await signOffList(house.deps, course, unit, true)).rows;
    expect(list.map(({ outcome, corrected }) => [outcome, corrected?.reason ?? null])).toEqual([['not-met', null], ['met', 'The wrong line']]); // prettier-ignore
    await expect(correctSignOff(house.deps, course, unit, row!.id, correction, 'Sigrid Aune')).rejects.toThrow('corrected already');
    await drain(house.deps, house.mailer);
    expect(mails()).toContain('Runa Aske: Again, please');
    // and met after all: finished anew, with a certificate of its own
    const again = await correctSignOff(
      house.deps,
      course,
      unit,
      list[0]!.id,
      { entry: entry(a['runa']!), reason: 'Looked again' },
      'Sigrid Aune',
    );
    expect(again.words).toBe('Runa Aske: “met” in place of “not met”.');
    const issued = await rows<{ serial: string }>(house.db, 'select serial from standing_certificates where assignment_id = $1::bigint and revoked_at is null', [a['runa']]); // prettier-ignore
    expect(issued).toHaveLength(1);
    expect(issued[0]!.serial).not.toBe(serial);
  });

  it('whose course was asked for anew is not corrected into an open one', async () => {
    const a = await assigned('odd');
    await record('tora', [entry(a['odd']!)]);
    await assignAt(house, course, [crew['odd']!], '2027-06-19T16:00:00Z');
    const [row] = (await signOffList(house.deps, course, unit, true)).rows;
    await expect(correctSignOff(house.deps, course, unit, row!.id, { entry: entry(a['odd']!, { met: [] }), reason: 'x' }, 'Sigrid Aune')).rejects.toThrow('was assigned the course anew'); // prettier-ignore
    expect((await signOffList(house.deps, course, unit, true)).rows.map(({ corrected }) => corrected)).toEqual([null]);
  });
});

describe('the record document', () => {
  it('holds all that was entered and what the employee answered, stands on their record, and comes with a message', async () => {
    const a = await assigned('runa', 'odd');
    const survey = { isAnonymous: false, questions: [{ id: 's1', kind: 'scale', text: 'How clear was it?', choices: [], low: '', high: '', isRequired: false }] }; // prettier-ignore
    const { id: asked } = await oneRow<{ id: string }>(
      house.db,
      "insert into units (section_id, position, kind, title, required, content) select section_id, 1, 'survey', 'Afterwards', false, $2::jsonb from units where id = $1::bigint returning id",
      [unit, JSON.stringify({ survey })],
    );
    await house.db.query('insert into survey_answers (course_id, unit_id, assignment_id, answers) values ($1::bigint, $2::bigint, $3::bigint, $4::jsonb)', [course, asked, a['runa'], '{"s1": 4}']); // prettier-ignore
    await house.db.query(
      "update plans set steps = (select jsonb_agg(jsonb_set(step, '{message,withRecord}', 'true')) from jsonb_array_elements(steps) as step) where course_id = $1::bigint",
      [course],
    );
    await record('tora', [entry(a['runa']!, { remarks: 'Well thrown', place: 'Berth 3' }), entry(a['odd']!, { attended: false, met: [] })]);
    await drain(house.deps, house.mailer);
    const letter = house.mailer.letters.find(({ toName }) => toName === 'Runa Aske')!;
    expect(letter.files!.map(({ name }) => name)).toEqual(['sign-off-Runa-Aske.pdf']);
    const text = (await wordsOfPdf(letter.files![0]!.content)).join(' ');
    for (const words of ['Runa Aske', 'The line', 'met: Throws the line', '“Well thrown”', 'Berth 3', 'tora Aske, trainer of the course', '1 Mar 2027', 'How clear was it?', '4 of 5']) expect(text).toContain(words); // prettier-ignore
    const told = (await timelineOf(house.db, crew['runa']!, house.clock.at)).filter((one) => one.course?.id === course);
    expect(told.filter(({ document }) => document).map(({ document }) => document)).toEqual([`/api/sign-off-records/${a['runa']}/${unit}`]);
    const shown = (await findLearning(house.deps, await linkInto(house, a['runa']!))).sections[0]!.units[0]!;
    expect(shown.signOff!.outcome).toBe('met on 1 Mar 2027');
    // who may not sign off for somebody does not read it
    expect(await maySee(house.deps, a['runa']!, course, unit, crew['per']!)).toBe(false);
    expect(await maySee(house.deps, a['runa']!, course, unit, crew['odd']!)).toBe(true);
  });
});
