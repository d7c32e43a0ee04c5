import { simpleParser } from 'mailparser';
import excel from 'exceljs';
import Papa from 'papaparse';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { KeptViewDraft, LedgerExport, NoticesQuery } from '@nudrik/contract';
import { close } from '../assignments/change.ts';
import { remind } from '../assignments/remind.ts';
import { rows } from '../db/db.ts';
import { getHouse } from '../house/house.ts';
import { noteOpenedAt } from '../learning/opened.ts';
import { bytesOfFile } from '../reports/table.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { writeLedger } from './ledger.export.ts';
import { ledgerChoices } from './ledger.choices.ts';
import { groupNotices, listNotices } from './ledger.list.ts';
import { findNoticeSheet } from './ledger.query.ts';
import { dropView, keepView, listViews } from './views.ts';

let house: TestHouse;
let crew: Record<string, string>;
let ids: string[];
const TODAY = '2027-03-24';
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  const course = await makeCourse(house, crew['tora']!);
  ids = await assignAt(house, course, [crew['runa']!, crew['per']!, crew['odd']!], '2027-03-19T16:00:00Z');
  await drain(house.deps, house.mailer);
  house.clock.at = Date.parse('2027-03-05T09:00:00Z');
  await drain(house.deps, house.mailer);
  await close(house.deps, 'waived', { assignmentIds: [ids[2]!], reason: 'on shore', until: null }, 'Sigrid Aune');
  await remind(house.deps, { assignmentIds: [ids[0]!], name: 'A word', message: { subject: 'From a desk: {course}', body: 'From the desk of Tora.', button: null }, alsoTold: true, key: '00000000-0000-4000-8000-000000000009' } as never, 'Sigrid Aune'); // prettier-ignore
  await noteOpenedAt(house.deps, ids[0]!);
  await noteOpenedAt(house.deps, ids[0]!); // once a day
  house.clock.at = Date.parse('2027-03-05T10:00:00Z');
  await drain(house.deps, house.mailer);
  house.clock.at = Date.parse('2027-03-24T12:00:00Z');
  await drain(house.deps, house.mailer);
}, 60_000);
afterAll(() => house.close());

const query = (rest: object = {}): NoticesQuery => NoticesQuery.parse({ size: 50, ...rest });
const list = async (rest: object) =>
  (await listNotices(house.db, query(rest), house.clock.at, TODAY)).rows
    .map(({ person, stepName }) => `${person.name}: ${stepName}`)
    .sort();
const file = async (form: LedgerExport['form'], rest: object = {}): Promise<Buffer> =>
  bytesOfFile((out) => writeLedger(house.deps, LedgerExport.parse({ form, ...rest }), out));

describe('the ledger is narrowed', () => {
  it('by reason, kind, department and who sent it, and counted as it is shown', async () => {
    expect(await list({ because: 'waived' })).toEqual(['Odd Aske: Certificate', 'Odd Aske: Late', 'Odd Aske: Late', 'Odd Aske: Late', 'Odd Aske: Late', 'Odd Aske: To the manager', 'Odd Aske: Two days to go'].filter((line) => !line.includes('Certificate'))); // prettier-ignore
    expect(await list({ kind: 'manager', outcome: 'sent' })).toEqual(['Per Aske: To the manager', 'Runa Aske: To the manager']);
    expect(await list({ by: 'hand' })).toEqual(['Runa Aske: A word, by Sigrid Aune']);
    const [office] = await rows<{ id: string }>(house.db, "select id from departments where name = 'Office'");
    expect(await list({ department: office!.id })).toEqual([]);
    const page = await listNotices(house.db, query({ by: 'hand' }), house.clock.at, TODAY);
    expect(page).toMatchObject({ total: 1, summary: { sent: 1 } });
  });

  it('by step, and by whom its messages came from; what there is to choose from is told', async () => {
    await house.db.query("update messages set from_name = 'Tora Aske' where subject like 'Getting started%' and to_name = 'Per Aske'");
    const { steps, senders } = await ledgerChoices(house.db, null);
    expect(senders).toEqual([(await getHouse(house.db)).senderName, 'Tora Aske'].sort());
    expect(steps[0]).toBe('Late');
    expect(new Set(steps)).toEqual(new Set(['Invitation', 'Getting started', 'Two days to go', 'Late', 'To the manager', 'A word, by Sigrid Aune'])); // prettier-ignore
    expect((await ledgerChoices(house.db, '999999')).steps).toEqual([]);
    expect(await list({ sender: 'Tora Aske' })).toEqual(['Per Aske: Getting started']);
    expect((await listNotices(house.db, query({ sender: 'Tora Aske' }), house.clock.at, TODAY)).summary).toEqual({ sent: 1 });
    expect(await list({ sender: 'Nobody' })).toEqual([]);
    expect((await file('csv', { sender: 'Tora Aske' })).toString().trim().split('\n')).toHaveLength(2);
  });

  it('and put together by outcome, reason and step', async () => {
    const { groups, newest } = await groupNotices(house.db, query(), house.clock.at, TODAY);
    expect(newest).toBeNull();
    expect(groups).toContainEqual({ state: 'cancelled', because: 'waived', stepName: 'Late', count: 4 });
    const all = await listNotices(house.db, query(), house.clock.at, TODAY);
    expect(groups.reduce((sum, { count }) => sum + count, 0)).toBe(all.total);
    expect((await groupNotices(house.db, query({ outcome: 'sent', kind: 'invitation' }), house.clock.at, TODAY)).groups).toEqual([
      { state: 'sent', because: null, stepName: 'Invitation', count: 3 },
    ]);
  });
});

describe('the ledger as a file', () => {
  it('says in CSV and XLSX what the page says, read by other libraries', async () => {
    const page = await listNotices(house.db, query({ size: 200 }), house.clock.at, TODAY);
    const csv = Papa.parse<string[]>((await file('csv')).toString().replace(/^\ufeff/, ''), { skipEmptyLines: true }).data;
    expect(csv[0]).toEqual(['Moment', 'Where it is read', 'Kind', 'Step', 'Course', 'About', 'To', 'Outcome', 'Reason', 'In a sentence']);
    expect(csv.slice(1).map((line) => [line[3]!.replace(/ \(\d\)$/, ''), line[5], line[7]])).toEqual(page.rows.map((row) => [row.stepName, row.person.name, row.state])); // prettier-ignore
    const book = new excel.Workbook();
    await book.xlsx.load((await file('xlsx', { because: 'waived' })) as never);
    expect(book.worksheets[0]!.rowCount).toBe(1 + (await list({ because: 'waived' })).length);
  });

  it('is an mbox of the messages that went, each once, without personal links, with lines that begin with From kept apart', async () => {
    const text = (await file('mbox', { outcome: 'sent' })).toString('latin1');
    const mails = text.split(/^(?=From \S+ \w{3} \w{3} [ \d]\d \d\d:\d\d:\d\d \d{4}$)/m).filter(Boolean);
    const sent = await rows<{ subject: string }>(house.db, "select distinct m.id, m.subject from messages m join notices n on n.message_id = m.id where n.state = 'sent'"); // prettier-ignore
    expect(mails).toHaveLength(sent.length);
    const read = await Promise.all(mails.map((mail) => simpleParser(mail.slice(mail.indexOf('\n') + 1).replace(/^>(>*From )/gm, '$1'))));
    expect(read.map(({ subject }) => subject).sort()).toEqual(sent.map(({ subject }) => subject).sort());
    expect(read.find(({ subject }) => subject?.startsWith('From a desk'))!.text).toContain('From the desk of Tora.');
    expect(text).not.toMatch(/\/(go|team)\/[\w-]{10}/);
    const tokens = await rows<{ token: string }>(house.db, 'select token from assignments');
    for (const { token } of tokens) expect(text).not.toContain(token);
  });
});

describe('what followed a message', () => {
  it('names that somebody opened the course', async () => {
    const [notice] = await rows<{ id: string }>(
      house.db,
      "select id from notices where assignment_id = $1::bigint and kind = 'invitation'",
      [ids[0]],
    );
    const { followed } = await findNoticeSheet(house.deps, notice!.id);
    expect(followed.map(({ words }) => words)).toContain('Fri 5 Mar 10:00: Runa Aske opened the course');
  });
});

describe('a filter with a name', () => {
  it('is kept for those of a role or for oneself, once under one name, and forgotten by whoever made it', async () => {
    const { rows } = await house.db.query<{ id: string }>(
      "insert into accounts (email, name, role) values ('s@a.example', 'Sigrid Aune', 'administrator'), ('t@a.example', 'Tora', 'trainer'), ('e@a.example', 'Elias', 'auditor') returning id",
    );
    const [sigrid, tora, elias] = (['administrator', 'trainer', 'auditor'] as const).map((role, i) => ({ id: rows[i]!.id, name: ['Sigrid Aune', 'Tora', 'Elias'][i]!, role })); // prettier-ignore
    const draft = KeptViewDraft.parse({ page: 'ledger', name: 'Waived late ones', params: { because: 'waived' }, roles: ['administrator', 'trainer'] }); // prettier-ignore
    const { id } = await keepView(house.deps, draft, sigrid!);
    await expect(keepView(house.deps, { ...draft, name: 'waived LATE ones' }, tora!)).rejects.toThrow('Another view is called');
    expect(await listViews(house.db, 'ledger', sigrid!)).toEqual([
      {
        id,
        name: 'Waived late ones',
        params: { because: 'waived' },
        madeBy: 'Sigrid Aune',
        roles: ['administrator', 'trainer'],
        isMine: true,
      },
    ]);
    expect((await listViews(house.db, 'ledger', tora!)).map(({ isMine }) => isMine)).toEqual([false]);
    expect(await listViews(house.db, 'ledger', elias!)).toEqual([]);
    await expect(keepView(house.deps, { ...draft, name: 'Mine' }, elias!)).rejects.toThrow('for themself alone');
    const own = await keepView(house.deps, { ...draft, name: 'Mine', roles: [] }, elias!);
    expect(await listViews(house.db, 'ledger', elias!)).toHaveLength(1);
    // what somebody calls their own is in nobody's way
    const hers = await keepView(house.deps, { ...draft, name: 'mine', roles: [] }, sigrid!);
    await expect(keepView(house.deps, { ...draft, name: 'MINE', roles: [] }, sigrid!)).rejects.toThrow('Another view is called');
    await dropView(house.db, hers.id, sigrid!);
    expect(await listViews(house.db, 'ledger', tora!)).toHaveLength(1);
    await expect(dropView(house.db, id, tora!)).rejects.toThrow('Sigrid Aune made this view');
    await dropView(house.db, own.id, elias!);
    await dropView(house.db, id, sigrid!);
    // gone already: nothing is left to take away
    await dropView(house.db, id, sigrid!);
    expect(await listViews(house.db, 'ledger', sigrid!)).toEqual([]);
  });
});
