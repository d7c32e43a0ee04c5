import excel from 'exceljs';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { SentReportDraft } from '@nudrik/contract';
import { insertHold, endHold } from '../holding/holding.repo.ts';
import { transaction } from '../db/db.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { sealWaiting } from '../seals/seals.ts';
import { forgetReportFiles } from './sent.repo.ts';
import { addSentReport, changeSentReport, letterFile, lettersView, letterView, removeSentReport, sendDueReports, sendNow, sentReportsView } from './sent.ts'; // prettier-ignore

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let accounts: Record<'sigrid' | 'elias' | 'odd' | 'runa', string>;
const houses: TestHouse[] = [];

beforeEach(async () => {
  house = await openTestHouse('2027-03-01T06:00:00Z');
  houses.push(house);
  crew = await makeCrew(house);
  await house.db.query('update settings set daily_limit = null');
  course = await makeCourse(house, crew['tora']!);
  await assignAt(house, course, ['runa', 'per', 'odd', 'kari'].map((name) => crew[name]!), '2027-03-04T16:00:00Z'); // prettier-ignore
  const add = async (name: string, role: string, person: string | null): Promise<string> =>
    (await house.db.query<{ id: string }>('insert into accounts (email, name, role, person_id) values (lower($1) || \'@house.example\', $1, $2, $3) returning id', [name, role, person])).rows[0]!.id; // prettier-ignore
  accounts = { sigrid: await add('Sigrid', 'administrator', null), elias: await add('Elias', 'auditor', null), odd: await add('Odd', 'manager', crew['odd']!), runa: await add('Runa', 'employee', crew['runa']!) }; // prettier-ignore
});
afterAll(() => Promise.all(houses.map((one) => one.close())));

const draft = (more: object = {}) =>
  SentReportDraft.parse({ name: 'Who holds what', of: { report: 'matrix' }, kind: 'xlsx', rhythm: { every: 'week', on: 1, at: '08:00' }, to: [accounts.sigrid, accounts.odd], ...more }); // prettier-ignore
const at = async (iso: string): Promise<void> => {
  house.clock.at = Date.parse(iso);
  await drain(house.deps, house.mailer);
};
const reports = () => house.mailer.letters.filter(({ subject }) => /^(Who holds what|Heads)/.test(subject));
const peopleIn = async (content: Buffer): Promise<string[]> => {
  const book = new excel.Workbook();
  await book.xlsx.load(content as never);
  return book.worksheets[0]!.getSheetValues().slice(2).map((row) => String((row as unknown[])[1])).sort(); // prettier-ignore
};

describe('a report that is sent by itself', () => {
  it('goes at its moment, attached, to each what their role shows; and stands on the record', async () => {
    await addSentReport(house.deps, draft(), 'Sigrid');
    await at('2027-03-01T06:59:00Z');
    expect(reports()).toEqual([]);
    await at('2027-03-01T07:00:00Z');
    expect(reports().map(({ toName, subject, files }) => [toName, subject, files?.map(({ name }) => name)])).toEqual([
      ['Odd', 'Who holds what, 1 Mar 2027', ['Matrix, 2027-03-01.xlsx']],
      ['Sigrid', 'Who holds what, 1 Mar 2027', ['Matrix, 2027-03-01.xlsx']],
    ]);
    const [odd, sigrid] = reports();
    expect(await peopleIn(sigrid!.files![0]!.content as Buffer)).toEqual(['Kari Aske', 'Odd Aske', 'Per Aske', 'Runa Aske', 'Tora Aske']);
    // twice at one moment it does not go
    expect(await sendDueReports(house.deps)).toBe(0);
    // a manager gets those below them, and nobody else
    expect(await peopleIn(odd!.files![0]!.content as Buffer)).toEqual(['Per Aske', 'Runa Aske']);
    expect(sigrid!.text).toContain('5 rows fit.');
    expect(sigrid!.text).toContain('each Monday at 08:00, as Sigrid set it. Who gets it, and when:');
    expect(odd!.text).not.toContain('/ledger/reports');
    expect((await lettersView(house.deps, {})).rows.map(({ to, state, what }) => [to, state, what])).toEqual([
      ['Sigrid', 'sent', 'Matrix, 2027-03-01'],
      ['Odd', 'sent', 'Matrix, 2027-03-01'],
    ]);
    // once, and then at its next moment
    await at('2027-03-01T07:01:00Z');
    expect(reports()).toHaveLength(2);
    const [view] = (await sentReportsView(house.deps)).reports;
    expect(view).toMatchObject({ nextAt: '2027-03-08T07:00:00.000Z', words: 'Matrix, each Monday at 08:00', last: { state: 'sent' } });
  });

  it('of what was missed goes once; while everything is held it waits', async () => {
    await addSentReport(house.deps, draft({ rhythm: { every: 'day', on: null, at: '08:00' }, to: [accounts.sigrid] }), 'Sigrid');
    const hold = await transaction(house.db, (client) => insertHold(client, { scope: 'everything', of: null, name: 'everything', until: null, reason: 'a test', from: house.clock.at, by: 'Sigrid' } as never)); // prettier-ignore
    await at('2027-03-03T09:00:00Z');
    expect(reports()).toEqual([]);
    await transaction(house.db, (client) => endHold(client, hold, house.clock.at, 'Sigrid', 'send'));
    await at('2027-03-03T09:10:00Z');
    expect(reports()).toHaveLength(1);
    await at('2027-03-04T07:00:00Z');
    expect(reports()).toHaveLength(2);
  });

  it('never reaches whom their role does not show it any more; and says why', async () => {
    await addSentReport(house.deps, draft({ of: { report: 'course', course }, kind: 'csv', to: [accounts.elias, accounts.sigrid] }), 'Sigrid'); // prettier-ignore
    await house.db.query("update accounts set role = 'employee' where id = $1", [accounts.elias]);
    await house.db.query('update accounts set ended_at = now() where id = $1', [accounts.sigrid]);
    await at('2027-03-01T07:00:00Z');
    expect(reports()).toEqual([]);
    expect((await lettersView(house.deps, {})).rows.map(({ to, state, words }) => [to, state, words])).toEqual([
      ['Sigrid', 'skipped', 'Sigrid has no account any more.'],
      ['Elias', 'skipped', 'Elias may not see it: their role is employee.'],
    ]);
    const [view] = (await sentReportsView(house.deps)).reports;
    expect(view!.to.map(({ fault }) => fault)).toEqual([
      'Elias may not see it: their role is employee.',
      'Sigrid has no account any more.',
    ]);
  });

  it('that cannot be made says why, and is tried again at its next moment', async () => {
    const { id } = await addSentReport(house.deps, draft({ to: [accounts.sigrid] }), 'Sigrid');
    await house.db.query("update sent_reports set of = '{\"report\": \"course\", \"course\": \"999999\", \"page\": 0, \"size\": 50, \"state\": \"all\"}' where id = $1", [id]); // prettier-ignore
    await at('2027-03-01T07:00:00Z');
    const [letter] = (await lettersView(house.deps, {})).rows;
    expect(letter).toMatchObject({ state: 'skipped', words: expect.stringMatching(/^It could not be made: There is no such course/) });
    expect((await sentReportsView(house.deps)).reports[0]).toMatchObject({
      nextAt: '2027-03-08T07:00:00.000Z',
      last: { state: 'skipped' },
    });
  });

  it('that is too large goes by link, to nobody but whom it went to, and for a month', async () => {
    await addSentReport(house.deps, draft({ to: [accounts.elias] }), 'Sigrid');
    house.clock.at = Date.parse('2027-03-01T07:00:00Z');
    expect(await sendDueReports(house.deps, 100)).toBe(1);
    await drain(house.deps, house.mailer);
    expect(reports()[0]!.files ?? []).toEqual([]);
    const { rows } = await house.db.query<{ id: string }>('select id from report_letters');
    expect(reports()[0]!.text).toContain(`/report/${rows[0]!.id}`);
    expect(await letterView(house.db, rows[0]!.id, { id: accounts.elias, role: 'auditor' })).toMatchObject({
      report: 'Who holds what',
      href: expect.stringContaining('/file'),
    });
    const [letter] = (await lettersView(house.deps, {})).rows;
    expect(letter!.href).toBe(`/api/reports/letters/${letter!.id}/file`);
    const of = (id: string, role: string) => letterFile(house.db, letter!.id, { id, role });
    expect(await of(accounts.elias, 'auditor')).toMatchObject({ name: 'Matrix, 2027-03-01.xlsx' });
    expect(await of(accounts.sigrid, 'administrator')).toMatchObject({ name: 'Matrix, 2027-03-01.xlsx' });
    await expect(of(accounts.odd, 'manager')).rejects.toThrow('There is no such file, or not for you.');
    await forgetReportFiles(house.db, Date.parse('2027-03-30T07:00:00Z'));
    expect(await of(accounts.elias, 'auditor')).toBeDefined();
    await forgetReportFiles(house.db, Date.parse('2027-04-02T07:00:00Z'));
    await expect(of(accounts.elias, 'auditor')).rejects.toThrow('kept for 30 days');
  });

  it('is sent now to whoever tries it, and its moment stays; changed by two, the second is told', async () => {
    const { id } = await addSentReport(house.deps, draft({ to: [accounts.elias] }), 'Sigrid');
    await sendNow(house.deps, id, { id: accounts.sigrid, name: 'Sigrid', email: 'sigrid@house.example', role: 'administrator', personId: null }); // prettier-ignore
    await drain(house.deps, house.mailer);
    expect(reports().map(({ toName }) => toName)).toEqual(['Sigrid']);
    const [view] = (await sentReportsView(house.deps)).reports;
    expect(view!.nextAt).toBe('2027-03-01T07:00:00.000Z');
    await changeSentReport(house.deps, id, draft({ isOn: false, version: view!.version }), 'Sigrid');
    await expect(changeSentReport(house.deps, id, draft({ version: view!.version }), 'Tora')).rejects.toThrow(
      'Sigrid changed “Who holds what”',
    );
    await at('2027-03-01T07:00:00Z');
    expect(reports()).toHaveLength(1);
    expect((await sentReportsView(house.deps)).reports[0]).toMatchObject({ isOn: false, nextAt: null });
    await removeSentReport(house.deps, id);
    // what went stays on the record
    expect((await lettersView(house.deps, {})).rows).toHaveLength(1);
    await expect(removeSentReport(house.deps, id)).rejects.toThrow('There is no such report');
  });

  it('refuses a namesake, who may not read it, and a report of a day that has passed', async () => {
    await addSentReport(house.deps, draft(), 'Sigrid');
    await expect(addSentReport(house.deps, draft({ name: 'WHO holds what' }), 'Tora')).rejects.toThrow('Another report is called');
    await expect(addSentReport(house.deps, draft({ name: 'b', to: [accounts.runa] }), 'Tora')).rejects.toThrow('gets no reports');
    await expect(addSentReport(house.deps, draft({ name: 'c', of: { report: 'course', course }, to: [accounts.odd] }), 'Tora')).rejects.toThrow('managers get the matrix of their people'); // prettier-ignore
    await expect(addSentReport(house.deps, draft({ name: 'd', of: { report: 'course', course: '999999' } }), 'Tora')).rejects.toThrow('There is no such course'); // prettier-ignore
    const refused = (more: object) => SentReportDraft.safeParse({ name: 'e', of: { report: 'matrix' }, rhythm: { every: 'day', on: null, at: '08:00' }, to: ['1'], ...more }).success; // prettier-ignore
    expect(refused({})).toBe(true);
    expect(refused({ of: { report: 'matrix', on: '2027-01-01' } })).toBe(false);
    expect(refused({ of: { report: 'figure', name: 'weeks', from: '2027-01-01' } })).toBe(false);
    expect(refused({ rhythm: { every: 'week', on: 9, at: '08:00' } })).toBe(false);
    expect(refused({ to: [] })).toBe(false);
  });

  it('tells the heads of the seals, which stand against the record later', async () => {
    while ((await sealWaiting(house.deps)) > 0);
    await addSentReport(house.deps, draft({ name: 'Heads', of: { report: 'seals' }, rhythm: { every: 'day', on: null, at: '08:00' }, to: [accounts.elias] }), 'Sigrid'); // prettier-ignore
    await at('2027-03-01T07:00:00Z');
    const { rows } = await house.db.query<{ head: string }>("select encode(head, 'hex') as head from seal_steps order by id desc limit 1");
    expect(reports()[0]!.text).toMatch(/1 Mar 2027, \d+ entries\n[0-9a-f]{64}/);
    expect(reports()[0]!.text).toContain(rows[0]!.head);
  });
});
