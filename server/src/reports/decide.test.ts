import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { FigureQuery, FinishedQuery, FIGURES, MatrixQuery, NoticesQuery, type FigureName } from '@nudrik/contract';
import { extend } from '../assignments/change.ts';
import { takeUp } from '../assignments/take-up.ts';
import { transaction } from '../db/db.ts';
import { finishAssignments } from '../learning/finish.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { listNotices } from '../notices/ledger.list.ts';
import { figureView } from './figures.ts';
import { finishedView } from './lists.ts';
import { matrixView } from './matrix.ts';

/** Four are asked on 1 March; Runa finishes a day after the invitation, Per after its reminder, Odd and Kari are late. */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let ids: string[];
const go = async (...moments: string[]): Promise<void> => {
  for (const moment of moments) {
    house.clock.at = Date.parse(moment);
    await drain(house.deps, house.mailer);
  }
};
const finish = (id: string): Promise<void> =>
  transaction(house.db, (client) => finishAssignments(house.deps, client, course, [{ id, zone: 'Europe/Oslo' }], 'Runa Aske'));
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  crew = await makeCrew(house);
  await house.db.query('update settings set daily_limit = null');
  course = await makeCourse(house, crew['tora']!);
  ids = await assignAt(house, course, ['runa', 'per', 'odd', 'kari'].map((name) => crew[name]!), '2027-03-11T16:00:00Z'); // prettier-ignore
  await go('2027-03-01T10:00:00Z', '2027-03-02T09:00:00Z');
  await finish(ids[0]!);
  await go('2027-03-04T09:00:00Z', '2027-03-05T09:00:00Z', '2027-03-09T17:00:00Z', '2027-03-10T09:00:00Z');
  await finish(ids[1]!);
  await go('2027-03-12T09:00:00Z', '2027-03-15T09:00:00Z', '2027-03-16T09:00:00Z', '2027-03-17T09:00:00Z');
  house.clock.at = Date.parse('2027-03-30T09:00:00Z');
});
afterAll(() => house.close());

const figure = (name: FigureName, query: object = {}) => figureView(house.deps, name, FigureQuery.parse(query));
const numbers = async (name: FigureName, query: object = {}) =>
  (await figure(name, query)).rows.map(({ label, cells }) => [label, ...cells.map(({ value }) => value)]);

describe('figures that help decide', () => {
  it('how long people are late, in bands; each number leads to exactly its people', async () => {
    expect(await numbers('ageing')).toEqual([['Fire Teams Aboard', 0, 2, 0, 0, 2]]);
    expect(await numbers('ageing', { to: '2027-03-15' })).toEqual([['Fire Teams Aboard', 2, 0, 0, 0, 2]]);
    const { rows } = await figure('ageing');
    for (const { link, value } of rows[0]!.cells) {
      if (!value) continue;
      expect(link!.path).toEqual(['/matrix', course, 'finished']);
      expect((await finishedView(house.deps, course, FinishedQuery.parse(link!.query))).total).toBe(value);
    }
    // an extension begins anew
    await extend(house.deps, { assignmentIds: [ids[3]!], dueOn: '2027-04-20', dueTime: '17:00', reason: 'dry dock' }, 'Sigrid Aune');
    expect(await numbers('ageing')).toEqual([['Fire Teams Aboard', 0, 1, 0, 0, 1]]);
    expect(await numbers('ageing', { department: 'Office' })).toEqual([]);
  });

  it('from being asked to finishing', async () => {
    const [[title, ...cells]] = (await numbers('duration')) as [(string | number)[]];
    expect([title, ...cells]).toEqual(['Fire Teams Aboard', 1, 1, 0, 0, 0, 5, 8.2]);
    const { rows } = await figure('duration');
    for (const { link, value } of rows[0]!.cells.slice(0, 5))
      if (value) expect((await finishedView(house.deps, course, FinishedQuery.parse(link!.query))).total).toBe(value);
    expect(await numbers('duration', { from: '2027-03-05' })).toMatchObject([['Fire Teams Aboard', 0, 1, 0, 0, 0, 9, 9]]);
  });

  it('what people do after a notice: each finish belongs to the last one before it, or to none; they add up to all that finished', async () => {
    const rows = await numbers('after', { course, days: 3 });
    const of = (label: string) => rows.find(([name]) => name === label);
    expect(of('Invitation')).toEqual(['Invitation', 4, 1, 25, 50]);
    expect(of('Two days to go')).toEqual(['Two days to go', 3, 1, 33.3, 50]);
    expect(of('Late')![2]).toBe(0);
    expect(rows.at(-1)).toEqual(['no notice in the 3 days before', null, 0, null, 0]);
    expect(rows.reduce((sum, row) => sum + (row[2] as number), 0)).toBe(2);
    // within shorter days it belongs to none
    const short = await numbers('after', { course, days: 1, from: '2027-03-05' });
    expect(short.reduce((sum, row) => sum + (row[2] as number), 0)).toBe(1);
  });

  it('managers whose people are late, and how fast they take up', async () => {
    const before = (await numbers('managers')).find(([name]) => name === 'Kari Aske')!;
    expect(before.slice(0, 3)).toEqual(['Kari Aske', 1, 1]);
    const told = await house.db.query<{ at: Date }>("select min(sent_at) as at from notices where kind = 'manager' and assignment_id = $1::bigint", [ids[2]]); // prettier-ignore
    await takeUp(house.deps, { assignmentIds: [ids[2]!], until: '2027-04-02', told: null, isTold: false } as never, 'Kari Aske');
    const row = (await numbers('managers')).find(([name]) => name === 'Kari Aske')!;
    expect(row[4]).toBe((before[4] as number) + 1);
    expect(row[6]).toBeCloseTo((house.clock.at - told.rows[0]!.at.getTime()) / 3_600_000, 0);
    const view = await matrixView(house.db, MatrixQuery.parse({ manager: crew['kari'], state: 'late' }), house.clock.at);
    expect(view.total).toBe(row[2]);
  });

  it('week by week, true after extensions, and what comes back', async () => {
    const weeks = await numbers('weeks');
    expect(weeks.at(-1)).toEqual(['30 Mar 2027', 2, 0, 1, 1]);
    const mail = await numbers('mail');
    const sent = await house.db.query<{ n: number }>("select count(*)::integer as n from notices where state in ('sent', 'delivered', 'bounced')"); // prettier-ignore
    expect(mail.reduce((sum, row) => sum + (row[1] as number), 0)).toBe(sent.rows[0]!.n);
  });

  it('what a number leads to are as many as it says, in whatever it is narrowed down to', async () => {
    // late in another course too, for the same manager
    const other = await makeCourse(house, null, [], 'Muster and Abandon Ship');
    await assignAt(house, other, [crew['runa']!], '2027-03-12T16:00:00Z');
    const totals = {
      '/ledger': async (_: string[], asked: object) =>
        (await listNotices(house.db, NoticesQuery.parse(asked), house.clock.at, '2027-03-30')).total,
      '/matrix': async ([id, list]: string[], asked: object) =>
        list === undefined
          ? (await matrixView(house.db, MatrixQuery.parse(asked), house.clock.at)).total
          : (await finishedView(house.deps, id!, FinishedQuery.parse(asked))).total,
    };
    const seen = new Set<string>();
    for (const name of FIGURES)
      for (const query of [{}, { course }, { department: 'Deck' }, { to: '2027-03-15' }, { course, site: 'Orla Quay', to: '2027-03-20' }]) {
        const { columns, rows } = await figure(name, query);
        for (const { label, cells } of rows)
          for (const [i, { value, link }] of cells.entries()) {
            // how many assignments are late is read among the people whose they are; replies have a page of their own
            if (!link || (columns[i]!.unit === 'assignments' && link.path.length === 1) || link.path[0] === '/replies') continue;
            const [page, ...rest] = link.path as [keyof typeof totals, ...string[]];
            expect([name, query, label, columns[i]!.head, await totals[page](rest, link.query)]).toEqual([name, query, label, columns[i]!.head, value]);
            seen.add(`${name} ${page}`);
          }
      } // prettier-ignore
    expect([...seen].sort()).toEqual(['ageing /matrix', 'duration /matrix', 'mail /ledger', 'managers /matrix']);
  });

  it.each(FIGURES)(
    '%s of a house in which nothing of it happened is empty, and a period that ends before it begins is refused',
    async (name) => {
      const view = await figure(name, { from: '2020-01-01', to: '2020-02-01' });
      expect(view.rows.flatMap(({ cells }) => cells).every(({ value }) => !value)).toBe(true);
      await expect(figure(name, { from: '2027-03-02', to: '2027-03-01' })).rejects.toThrow('begins on 2 Mar 2027 and ends on 1 Mar 2027');
    },
  );
});
