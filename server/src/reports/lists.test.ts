import excel from 'exceljs';
import papa from 'papaparse';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { CompletionsRequest, FinishedQuery, NotifiedQuery, ReportFile, type ReportFileKind } from '@nudrik/contract';
import { close } from '../assignments/change.ts';
import { recordCompletions } from '../assignments/completions.ts';
import { transaction } from '../db/db.ts';
import { finishAssignments } from '../learning/finish.ts';
import { wordsOfPdf } from '../testing-pdf.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { AT_ONCE } from '../work/jobs.ts';
import { foldFigures } from '../work/figures.ts';
import { drain } from '../worker.ts';
import { fileOf, tooMany } from './files.ts';
import { coverageView, finishedView, notifiedView } from './lists.ts';
import { bytesOfFile } from './table.ts';

/** Four are asked; one finished, one is waived before anything went, one cannot be reached, one is late. */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let ids: string[];
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  crew = await makeCrew(house);
  await house.db.query('update settings set daily_limit = null');
  course = await makeCourse(house, crew['tora']!);
  ids = await assignAt(house, course, ['runa', 'per', 'odd', 'kari'].map((name) => crew[name]!), '2027-03-04T16:00:00Z'); // prettier-ignore
  await close(
    house.deps,
    'waived',
    { assignmentIds: [ids[1]!], reason: 'ashore', until: '2027-06-01', told: null } as never,
    'Sigrid Aune',
  );
  await house.db.query("update people set address_state = 'bounced', address_words = '550 gone' where name = 'Odd Aske'");
  for (const at of ['2027-03-01T10:00:00Z', '2027-03-02T09:00:00Z']) {
    house.clock.at = Date.parse(at);
    await drain(house.deps, house.mailer);
  }
  house.clock.at = Date.parse('2027-03-03T11:00:00Z');
  await transaction(house.db, (client) =>
    finishAssignments(house.deps, client, course, [{ id: ids[0]!, zone: 'Europe/Oslo' }], 'Runa Aske'),
  );
  house.clock.at = Date.parse('2027-03-08T09:00:00Z');
  await drain(house.deps, house.mailer);
});
afterAll(() => house.close());

const notified = async (query: object = {}) => {
  const asked = NotifiedQuery.parse(query);
  return { ...(await notifiedView(house.deps, course, asked)), ...(await coverageView(house.deps, course, asked)) };
};
const done = (query: object = {}) => finishedView(house.deps, course, FinishedQuery.parse(query));

describe('who was notified', () => {
  it('tells of everybody what went or why nothing did; told and explained add up to who was asked, at each step and by department', async () => {
    const view = await notified();
    expect(view.people.required).toBe(4);
    for (const of of [view.people, ...view.steps]) expect(of.told + of.untold.reduce((sum, { count }) => sum + count, 0)).toBe(of.required);
    for (const { told, required, departments } of view.steps) {
      expect(departments.reduce((sum, each) => sum + each.told, 0)).toBe(told);
      expect(departments.reduce((sum, each) => sum + each.required, 0)).toBe(required);
    }
    expect(view.rows.map(({ person, told, why }) => [person.name, told, why === null])).toEqual([
      ['Kari Aske', 'told', true],
      ['Odd Aske', 'held', false],
      ['Per Aske', 'none', false],
      ['Runa Aske', 'told', true],
    ]);
    const of = (name: string) => view.rows.find(({ person }) => person.name === name)!;
    expect(of('Runa Aske').notices[0]).toMatchObject({ step: 'Invitation', where: 'runa@orlasund.example', outcome: 'sent' });
    expect(of('Odd Aske').why!.words).toContain('came back');
    expect(of('Per Aske').why!.words).toBe('Waived before anything fell due.');
    expect(of('Kari Aske').sent).toBe(of('Kari Aske').notices.length);
  });

  test.each([
    ['told', ['Kari Aske', 'Runa Aske']],
    ['untold', ['Odd Aske', 'Per Aske']],
    ['held', ['Odd Aske']],
    ['none:waived', ['Per Aske']],
    ['skipped:finished', []],
    ["'; drop table people", []],
  ])('of whom %s', async (who, names) => {
    const view = await notified({ who });
    expect(view.rows.map(({ person }) => person.name)).toEqual(names);
    expect(view.total).toBe(names.length);
  });

  it('of one step, with why it never made a notice for somebody', async () => {
    const { steps } = await notified();
    for (const { id, required, untold } of steps) {
      const view = await notified({ step: id, size: 200 });
      expect(view.total).toBe(required);
      expect(view.rows).toHaveLength(required);
      for (const { told, because, count } of untold)
        expect(
          (await notified({ step: id, who: ['held', 'skipped', 'none'].includes(told) ? `${told}:${because ?? ''}` : told })).rows,
        ).toHaveLength(count);
      for (const row of view.rows) expect(row.told === 'told' ? row.notices.length : row.why!.words.length).toBeGreaterThan(0);
    }
    expect((await notified({ step: 'never heard of' })).total).toBe(4);
  });

  it('as of a day that has passed: an address that was refused at once was refused, and not still to come', async () => {
    const [kept] = (await house.db.query<{ id: string; state: string; sent_at: Date }>("select id, state, sent_at from notices where assignment_id = $1::bigint and step_name = 'Invitation'", [ids[3]])).rows; // prettier-ignore
    const put = (state: string, because: string | null, sentAt: Date | null) =>
      house.db.query('update notices set state = $2::text, because = $3::text, sent_at = $4::timestamptz where id = $1::bigint', [kept!.id, state, because, sentAt]); // prettier-ignore
    await put('bounced', 'bounced', null);
    for (const known of ['then', 'now']) {
      const view = await notified({ on: '2027-03-01', known, who: 'bounced' });
      expect([view.total, view.rows.map(({ person, told }) => [person.name, told])]).toEqual([1, [['Kari Aske', 'bounced']]]);
    }
    await put(kept!.state, null, kept!.sent_at);
  });

  it('as of a day that has passed: what went later had not gone yet', async () => {
    const view = await notified({ on: '2027-02-28' });
    expect([view.people.required, view.rows]).toEqual([0, []]);
    const first = await notified({ on: '2027-03-01' });
    expect(first.rows.map(({ person, told, notices }) => [person.name, told, notices.length])).toEqual([['Kari Aske', 'told', 1], ['Odd Aske', 'ahead', 0], ['Per Aske', 'none', 0], ['Runa Aske', 'told', 1]]); // prettier-ignore
    for (const of of [first.people, ...first.steps]) expect(of.told + of.untold.reduce((sum, { count }) => sum + count, 0)).toBe(4);
    await expect(notified({ on: '2027-03-09' })).rejects.toThrow('has not come yet');
  });
});

describe('what became of each step is kept, and says what the notices say', () => {
  const days = ['2027-02-28', '2027-03-01', '2027-03-02', '2027-03-04', '2027-03-07'];
  const told = async (query: object) => coverageView(house.deps, course, NotifiedQuery.parse(query));
  /** Each question by what is kept, and by the notices alone. */
  const both = async (queries: readonly object[]) => {
    const answers = async (): Promise<unknown[]> => {
      const list: unknown[] = [];
      for (const query of queries) list.push(await told(query));
      return list;
    };
    const kept = await answers();
    await house.db.query('begin; delete from told; commit');
    const counted = await answers();
    await house.db.query('select recount_told()');
    return { kept, counted };
  };

  it('of days that have passed, by either reading, of all and of some', async () => {
    await foldFigures(house.db);
    const queries = days.flatMap((on) => ['then', 'now'].flatMap((known) => [{}, { department: 'Office' }, { find: 'Runa' }].map((some) => ({ on, known, ...some })))); // prettier-ignore
    const { kept, counted } = await both(queries);
    expect(kept).toEqual(counted);
    expect(new Set(kept.map((each) => JSON.stringify(each))).size).toBeGreaterThan(2);
  });

  it('of now, before it is folded and after it; found by what they all are called it is the same', async () => {
    await house.db.query(
      "update notices set state = 'skipped', because = 'finished' where id in (select min(id) from notices where state = 'sent')",
    );
    await house.db.query("update people set department_id = (select id from departments where name = 'Office') where name = 'Per Aske'");
    const waiting = await told({});
    await foldFigures(house.db);
    for (const query of [{}, { find: 'Aske' }]) expect(await told(query)).toEqual(waiting);
    expect(waiting.steps[0]!.departments.map(({ name, required }) => [name, required])).toEqual([['Deck', 3], ['Office', 1]]); // prettier-ignore
    expect((await told({ department: 'Office' })).people).toMatchObject({ required: 1, told: 0 });
    expect((await told({ site: 'Nowhere' })).people).toMatchObject({ required: 0 });
    await house.db.query("update people set department_id = (select id from departments where name = 'Deck') where name = 'Per Aske'");
  });
});

describe('who finished', () => {
  it('tells when and how, and of everybody else why not; nobody is missing', async () => {
    const { counts, rows } = await done();
    expect(counts).toEqual({ required: 4, finished: 1, finishedLate: 0, late: 2, open: 0, closed: 1 });
    expect(counts.finished + counts.late + counts.open + counts.closed).toBe(counts.required);
    expect(rows.map(({ person, state, how, lateDays }) => [person.name, state, how, lateDays])).toEqual([
      ['Kari Aske', 'overdue', 'late, not begun', 4],
      ['Odd Aske', 'overdue', 'late, not begun', 4],
      ['Per Aske', 'waived', 'waived by Sigrid Aune until 1 Jun 2027: ashore', null],
      ['Runa Aske', 'finished', 'in the course', null],
    ]);
    expect(rows[3]!.certificate).toMatch(/^[0-9A-Z]{4}-/);
    for (const who of ['finished', 'late', 'open', 'closed'] as const) expect((await done({ who })).rows).toHaveLength(counts[who]);
  });

  it('one that was recorded says by whom, from what; known then it was late, known now it was done', async () => {
    const text = 'person;course;finished on\nkari@orlasund.example;Fire Teams Aboard;2027-03-02\n';
    await recordCompletions(house.deps, CompletionsRequest.parse({ text, reason: 'old register' }), 'Sigrid Aune');
    house.clock.at += 2 * 86_400_000;
    const of = async (query: object) => (await done(query)).rows.find(({ person }) => person.name === 'Kari Aske')!;
    expect(await of({})).toMatchObject({ state: 'finished', finishedOn: '2027-03-02', how: 'recorded by Sigrid Aune: old register' });
    expect(await of({ on: '2027-03-07' })).toMatchObject({ state: 'overdue', lateDays: 3 });
    expect(await of({ on: '2027-03-07', known: 'now' })).toMatchObject({ state: 'finished', how: 'recorded by Sigrid Aune: old register' });
    const { asOf } = await done({ on: '2027-03-07' });
    expect(asOf!.differs).toMatchObject({ count: 1, first: [{ person: { name: 'Kari Aske' }, then: 'late', now: 'holds it' }] });
  });
});

describe('as files', () => {
  const made = async (kind: ReportFileKind, of: object): Promise<{ name: string; content: Buffer }> => {
    const ready = await fileOf(house.deps, ReportFile.parse({ kind, of }));
    return { name: ready.name, content: await bytesOfFile((out) => ready.write(out, AT_ONCE)) };
  };
  const csv = async (of: object): Promise<string[][]> =>
    papa.parse<string[]>((await made('csv', of)).content.toString('utf8').replace('\ufeff', '').trim()).data;
  const xlsx = async (of: object): Promise<excel.Workbook> => {
    const book = new excel.Workbook();
    await book.xlsx.load((await made('xlsx', of)).content as never);
    return book;
  };

  it('who was notified: a line for each notice, one for whoever got none; the same in each kind of file', async () => {
    const of = { report: 'notified', course };
    const view = await notified({ size: 200 });
    const lines = view.rows.flatMap((row) => row.notices.length > 0 ? row.notices.map((notice) => [row.person.name, notice.step, notice.where, notice.outcome]) : [[row.person.name, '', '', '']]); // prettier-ignore
    const [head, ...body] = await csv(of);
    const pick = (cells: string[]): string[] => ['Person', 'Notice', 'To', 'Outcome'].map((name) => cells[head!.indexOf(name)]!);
    expect(body.map(pick)).toEqual(lines);
    const book = await xlsx(of);
    const sheet = book.worksheets[0]!;
    expect(sheet.rowCount).toBe(lines.length + 1);
    expect(sheet.views[0]).toMatchObject({ state: 'frozen', ySplit: 1 });
    expect(sheet.autoFilter).toBeTruthy();
    expect(sheet.getRow(2).getCell(head!.indexOf('Assigned') + 1).value).toBeInstanceOf(Date);
    const about = new Map(book.getWorksheet('About')!.getSheetValues().filter(Boolean).map((row) => [String((row as string[])[1]), String((row as string[])[2])])); // prettier-ignore
    expect([about.get('Rows'), about.get('House')]).toEqual(['4', 'Orlasund Ferries']);
    const words = (await wordsOfPdf((await made('pdf', of)).content)).join(' ');
    for (const [name, step] of lines) for (const word of [name!, step!]) expect(words).toContain(word);
  });

  it('who finished, and the matrix, say what their pages say', async () => {
    const view = await done({ size: 200 });
    const [head, ...body] = await csv({ report: 'finished', course });
    const at = (name: string): number => head!.indexOf(name);
    expect(body.map((cells) => [cells[at('Person')], cells[at('State')], cells[at('How, or why not')], cells[at('Days late')]])).toEqual(view.rows.map((row) => [row.person.name, row.state, row.how, row.lateDays === null ? '' : String(row.lateDays)])); // prettier-ignore
    const [names, ...people] = await csv({ report: 'matrix' });
    expect(people.find(([name]) => name === 'Per Aske')![names!.indexOf('Fire Teams Aboard')]).toBe('– waived until 1 Jun 2027');
    // by groups, and of those alone who fit
    const [, ...groups] = await csv({ report: 'matrix', by: 'department' });
    expect(groups.map(([name, count]) => [name, count])).toEqual([['Deck', '4'], ['Office', '1']]); // prettier-ignore
    expect((await csv({ report: 'matrix', find: 'per aske' })).map(([name]) => name)).toEqual(['Person', 'Per Aske']);
    const words = (await wordsOfPdf((await made('pdf', { report: 'matrix', on: '2027-03-07' })).content)).join(' ');
    expect(words).toContain('the end of 7 Mar 2027, as it was known then');
    expect((await made('csv', { report: 'matrix', on: '2027-03-07' })).name).toBe('Matrix, 2027-03-07.csv');
  });

  test.each([
    ['pdf', 20_000, null],
    ['pdf', 20_001, 'expected at the most 20,000 for a PDF'],
    ['xlsx', 1_048_575, null],
    ['xlsx', 1_048_576, 'take it as CSV'],
    ['csv', 9_000_000, null],
  ] as const)('%s of %i rows', (kind, total, words) => expect(tooMany(kind, total)).toEqual(words && expect.stringContaining(words)));

  it('of a course that is not there says so', () =>
    expect(made('csv', { report: 'course', course: '999' })).rejects.toThrow('no such course'));
});
