import excel from 'exceljs';
import request from 'supertest';
import type { Express } from 'express';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { FinishedQuery, MatrixQuery, ReportQuery, type ReportPage, type TodayNeed } from '@nudrik/contract';
import { dayOf, Zone } from '@nudrik/core';
import { createApp } from '../app.ts';
import { extend } from '../assignments/change.ts';
import { getHouse } from '../house/house.ts';
import { markUnitDone } from '../learning/learn.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { courseReport, overTime } from './course-report.ts';
import { finishedView } from './lists.ts';
import { todayNeeds } from './needs.ts';
import { todayView } from './today.ts';
import { matrixView } from './matrix.ts';
import { teamDay } from './team.ts';
import { areInLineOf, teamOf } from './team.repo.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let app: Express;
let cookie: string;
const ids: Record<string, string> = {};

async function finish(person: string): Promise<void> {
  const { rows } = await house.db.query<{ units: string[] }>(
    'select c.required_units as units from assignments a join courses c on c.id = a.course_id where a.id = $1::bigint',
    [ids[person]],
  );
  for (const unit of rows[0]!.units) await markUnitDone(house.deps, await linkInto(house, ids[person]!), unit);
}

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await house.db.query("update people set personnel_number = 'OF-1042' where id = $1::bigint", [crew['per']]);
  for (const [person, due] of [
    ['runa', '2027-03-04T16:00:00Z'],
    ['per', '2027-03-04T16:00:00Z'],
    ['odd', '2027-03-26T16:00:00Z'],
    ['kari', '2027-03-11T16:00:00Z'],
  ] as const)
    [ids[person]] = (await assignAt(house, course, [crew[person]!], due)) as [string];
  await drain(house.deps, house.mailer);
  house.clock.at = Date.parse('2027-03-03T09:00:00Z');
  await finish('runa');
  house.clock.at = Date.parse('2027-03-05T08:30:00Z');
  await drain(house.deps, house.mailer);
  app = createApp(house.deps, null);
  const { rows } = await house.db.query<{ id: string }>(
    "insert into accounts (email, name, role) values ('sigrid@orlasund.example', 'Sigrid Aune', 'administrator') returning id",
  );
  const response = await request(app).post('/api/session/demo').set('x-csrf-token', 'none').send({ accountId: rows[0]!.id });
  cookie = response.headers['set-cookie']![0]!.split(';')[0]!;
});
afterAll(() => house.close());

const report = (query: object = {}): Promise<ReportPage> => courseReport(house.db, course, ReportQuery.parse(query), house.clock.at);
const names = (page: ReportPage): string[] => page.rows.map((row) => row.person.name.split(' ')[0]!);

describe('who was notified, who finished', () => {
  it('counts each state once', async () => {
    expect((await report()).counts).toEqual({ unanswered: null, finished: 1, inProgress: 0, notStarted: 2, late: 1, silent: 0, waived: 0 });
  });

  test.each<[string, object, string[]]>([
    ['by name', {}, ['Kari', 'Odd', 'Per', 'Runa']],
    ['by due date, the latest first', { sort: 'due', order: 'desc' }, ['Odd', 'Kari', 'Runa', 'Per']],
    ['by progress', { sort: 'progress', order: 'desc', size: 1 }, ['Runa']],
    ['the second page of two', { size: 2, page: 1 }, ['Per', 'Runa']],
    ['only who is late', { state: 'late' }, ['Per']],
    ['only who finished', { state: 'finished' }, ['Runa']],
    ['only what is open', { state: 'open' }, ['Kari', 'Odd', 'Per']],
    ['one site', { site: 'Tarn Ness' }, ['Kari']],
    ['by a number', { find: 'of-1042' }, ['Per']],
    ['nobody by a job alone', { find: 'deckhand' }, []],
    ['by the name of a manager', { find: 'odd' }, ['Odd', 'Per', 'Runa']],
    ['nothing for a department that has nobody', { department: 'Nowhere' }, []],
    ['nothing for a wild card that stands as itself', { find: '%' }, []],
  ])('lists %s', async (_, query, expected) => {
    const page = await report(query);
    if ((query as { sort?: string }).sort === 'due') expect(new Set(names(page))).toEqual(new Set(expected));
    else expect(names(page)).toEqual(expected);
  });

  it('tells for each what was last sent and what comes next', async () => {
    const rows = new Map((await report()).rows.map((row) => [row.person.name.split(' ')[0], row]));
    expect(rows.get('Runa')).toMatchObject({ state: 'finished', unitsDone: 2, last: { what: 'Certificate', outcome: 'sent' }, next: null });
    expect(rows.get('Runa')!.certificate).toMatch(/^[0-9A-Z]{4}-[0-9A-Z]{4}-[0-9A-Z]$/);
    expect(rows.get('Per')).toMatchObject({
      state: 'overdue',
      last: { what: 'Late' },
      next: { what: 'To the manager', at: '2027-03-09T08:00:00.000Z' },
    });
    expect(rows.get('Odd')).toMatchObject({ state: 'not started', manager: 'Kari Aske' });
  });

  it('tells of each day that has passed what had been sent last by its end', async () => {
    type Went = { id: string; sent_at: Date; step_name: string };
    const { rows: went } = await house.db.query<Went>('select assignment_id as id, sent_at, step_name from notices where course_id = $1::bigint and sent_at is not null order by sent_at, id', [course]); // prettier-ignore
    const days = ['2027-03-01', '2027-03-02', '2027-03-04'];
    const zone = Zone.of((await getHouse(house.db)).zone);
    for (const on of days)
      for (const known of ['then', 'now']) {
        const end = zone.toInstant(dayOf(on) + 1, 0);
        const told = (await report({ on, known })).rows.map(({ assignmentId, last }) => [assignmentId, last?.what ?? null]);
        expect(told).toEqual(told.map(([id]) => [id, went.filter((one) => one.id === id && one.sent_at.getTime() < end).at(-1)?.step_name ?? null])); // prettier-ignore
        expect(told.filter(([, what]) => what !== null).length).toBeGreaterThan(0);
      }
  });

  it('says the same in CSV and in XLSX as on the screen', async () => {
    const { text } = await request(app)
      .get(`/api/reports/file?kind=csv&report=course&course=${course}&sort=name`)
      .set('cookie', cookie)
      .expect(200);
    const lines = text
      .replace('\ufeff', '')
      .trim()
      .split('\r\n')
      .map((line) => line.split(','));
    const { body } = await request(app)
      .get(`/api/reports/file?kind=xlsx&report=course&course=${course}&sort=name`)
      .set('cookie', cookie)
      .buffer(true)
      .parse((res, done) => {
        const chunks: Buffer[] = [];
        res.on('data', (chunk: Buffer) => chunks.push(chunk));
        res.on('end', () => done(null, Buffer.concat(chunks)));
      });
    const book = new excel.Workbook();
    await book.xlsx.load(body as never);
    const cells = book.worksheets[0]!.getSheetValues()
      .slice(1)
      .map((row) => (row as unknown[]).slice(1).map((cell) => (cell instanceof Date ? cell.toISOString().slice(0, 16).replace('T', ' ') : String(cell)))); // prettier-ignore
    // a worksheet does not keep empty cells at the end of a row, and knows no zones: its other sheet says whose time it is
    const joined = (row: string[]): string => row.join('|').replace(/\|+$/, '').replace(/ [+-]\d\d:\d\d(?=\||$)/g, ''); // prettier-ignore
    expect(book.getWorksheet('About')!.getSheetValues().flat()).toContain('Oslo time');
    expect(cells.map(joined)).toEqual(lines.map(joined));
    const screen = (await report()).rows;
    expect(lines.slice(1).map((row) => [row[0], row[8], row[9]])).toEqual(
      screen.map((row) => [row.person.name, `${row.unitsDone} of ${row.unitsRequired}`, row.state]),
    );
  });

  it('never hands a spreadsheet a formula', async () => {
    await house.db.query("update people set name = '=HYPERLINK(1)' where name = 'Per Aske'");
    const { text } = await request(app).get(`/api/reports/file?kind=csv&report=course&course=${course}`).set('cookie', cookie);
    expect(text).toContain("'=HYPERLINK(1)");
    await house.db.query("update people set name = 'Per Aske' where name = '=HYPERLINK(1)'");
  });

  it('draws the weeks: who had finished, who had it open, who was late', async () => {
    const { points } = await overTime(house.db, course, house.clock.at);
    expect(points).toHaveLength(53);
    expect(points.at(-1)).toEqual({ day: '2027-03-05', finished: 1, started: 0, waiting: 2, late: 1 });
    expect(points.at(-2)).toMatchObject({ finished: 0, started: 0, waiting: 0, late: 0 });
  });

  it('refuses a course that is not there', async () => {
    const { body } = await request(app).get('/api/reports/courses/999').set('cookie', cookie).expect(404);
    expect(body.message).toContain('no such course');
  });
});

describe('today', () => {
  const need = (needs: readonly TodayNeed[], kind: string): string[] =>
    needs.filter((entry) => entry.kind === kind).map(({ words }) => words);

  it('says what went, what goes next, who is newly late and who finished', async () => {
    const view = await todayView(house.deps);
    expect(view.sentToday).toBe(1);
    const late = { course: 'Fire Teams Aboard', courseId: course, people: ['Per Aske'], count: 1, since: 'Thu 4 Mar 17:00' };
    expect(view.newlyLate).toEqual([late]);
    const listed = async (asked: object) => (await finishedView(house.deps, course, FinishedQuery.parse(asked))).total;
    expect(await listed({ who: 'late', days: '0-2' })).toBe(1);
    // Runa finished two days ago: not since yesterday; the day after she did, she had
    expect([view.finishedFrom, view.finished]).toEqual(['2027-03-04', []]);
    house.clock.at -= 86_400_000;
    const before = await todayView(house.deps);
    expect([before.finishedFrom, before.finished.map(({ people, count }) => [people, count])]).toEqual([
      '2027-03-03',
      [[['Runa Aske'], 1]],
    ]);
    expect(await listed({ who: 'finished', since: before.finishedFrom })).toBe(1);
    house.clock.at += 86_400_000;
    expect(view.next[0]).toMatchObject({ stepName: 'To the manager', count: 1, day: '2027-03-09' });
    expect(view.courses[0]).toMatchObject({ current: 1, asked: 4, dueSoon: 1, late: 1 });
  });

  it('says of chosen days what went out and goes out then', async () => {
    type Day = { day: string; count: number; sent: number };
    const { rows: days } = await house.db.query<Day>(
      "select on_day as day, count(*)::integer as count, count(sent_at)::integer as sent from notices where state not in ('skipped', 'cancelled') group by on_day",
    );
    expect(days.length).toBeGreaterThan(3);
    for (const { day, count, sent } of days) {
      const { next } = await todayView(house.deps, { from: day });
      expect(next.reduce((sum, row) => ({ day, count: sum.count + row.count, sent: sum.sent + row.sent }), { day, count: 0, sent: 0 })).toEqual({ day, count, sent }); // prettier-ignore
    }
  });

  it('names who has no manager, whose mail comes back, and what a text would lack', async () => {
    await house.db.query("update people set manager_id = null where name = 'Per Aske'");
    await house.db.query("update people set address_state = 'bounced', address_words = '550 no such mailbox' where name = 'Kari Aske'");
    await house.db.query("update people set job = null where name = 'Odd Aske'");
    await house.db.query(
      `update plans set steps = (select jsonb_agg(case when s ->> 'id' = 'two-days-to-go' then jsonb_set(s, '{message,body}', '"You are {job}."') else s end) from jsonb_array_elements(steps) s)`,
    );
    house.clock.at = Date.parse('2027-03-16T08:30:00Z');
    const view = await todayNeeds(house.deps);
    expect(need(view, 'no-manager')[0]).toBe("Per Aske is late on 1 course and has no manager; only the course's owner is told.");
    expect(need(view, 'bounced')[0]).toContain('Mail to Kari Aske came back: “550 no such mailbox”');
    expect(need(view, 'missing-value')).toEqual([
      'Odd Aske has no job; “Two days to go” of Fire Teams Aboard would have a gap on Wed 24 Mar and is held then.',
    ]);
    await house.db.query("update people set manager_id = $1::bigint, address_state = 'ok' where name in ('Per Aske')", [crew['odd']]);
    await house.db.query("update people set address_state = 'ok'");
    house.clock.at = Date.parse('2027-03-05T08:30:00Z');
  });
});

describe('my team', () => {
  it('reaches down the whole line, with days late in the person’s own days', async () => {
    const team = await teamOf(house.db, crew['kari']!, house.clock.at, '2027-03-08');
    expect(team.people).toBe(3);
    expect(team.rows.map((row) => [row.person.name, row.state, row.daysLate, row.reportsTo])).toEqual([
      ['Per Aske', 'overdue', 1, 'Odd Aske'],
      ['Odd Aske', 'not started', 0, null],
    ]);
    expect(team.rows[0]!.last).toMatchObject({ what: 'Late', outcome: 'sent' });
  });

  it('as of a day that has passed tells of the line alone, as the matrix does', async () => {
    const asOf = { on: '2027-03-02', known: 'then' } as const;
    const day = await teamDay(house.db, crew['kari']!, asOf, house.clock.at, '2027-03-08');
    const matrix = await matrixView(house.db, MatrixQuery.parse({ ...asOf, size: 200 }), house.clock.at);
    expect(day.asOf).toMatchObject({ on: '2027-03-02', known: 'then' });
    expect(day.matrix.people.length).toBeGreaterThan(0);
    for (const { id, cells } of day.matrix.people) expect(cells).toEqual(matrix.rows.find((row) => row.id === id)!.cells);
    const line = await teamOf(house.db, crew['kari']!, house.clock.at, '2027-03-08');
    expect(day.people).toBe(line.people);
    expect(day.matrix.people.map(({ id }) => id)).not.toContain(crew['kari']);
  });

  it('knows who is in whose line', async () => {
    expect(await areInLineOf(house.db, crew['kari']!, [ids['per']!])).toBe(true);
    expect(await areInLineOf(house.db, crew['odd']!, [ids['kari']!])).toBe(false);
  });

  test.each([
    ['before the one in force', '2027-03-20', 'is not after the one in force'],
    ['in the past', '2027-03-01', 'has passed'],
  ])('an extension %s is refused with both dates', async (_, dueOn, words) => {
    await expect(extend(house.deps, { assignmentIds: [ids['odd']!], dueOn, dueTime: '17:00', reason: 'x' }, 'Kari')).rejects.toThrow(words);
  });

  it('a closed assignment is not extended', async () => {
    await expect(
      extend(house.deps, { assignmentIds: [ids['runa']!], dueOn: '2027-05-01', dueTime: '17:00', reason: 'x' }, 'Kari'),
    ).rejects.toThrow('is finished since');
  });
});
