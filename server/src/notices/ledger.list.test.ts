import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { NoticesPage, NoticesQuery } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { foldFigures } from '../work/figures.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { listNotices } from './ledger.list.ts';

const NOW = Date.parse('2027-03-01T09:30:00Z');
const TODAY = '2027-03-01';
let house: TestHouse;
let crew: Record<string, string>;
let courses: string[];

const MAKE = `
insert into notices (
  assignment_id, course_id, person_id, step_id, step_name, kind, revision, occurrence, to_role, gathered, anchor_at, moment, known_at, at, on_day,
  state, held_because, recipient_id, recipient_name
)
select
  a.id, a.course_id, a.person_id, 'step-' || n % 3, (array['Invitation', 'Overdue', 'Late'])[1 + n % 3], 'reminder', 1, n,
  'employee', false, m.at, m.at, m.at, m.at, (m.at at time zone 'Europe/Oslo')::date,
  (array['delivered', 'planned', 'held', 'skipped', 'bounced', 'failed', 'sent'])[1 + (n * n + a.id) % 7],
  case when (n * n + a.id) % 7 = 2 then (array['leave', 'missing-value'])[1 + n % 2] end,
  case when n % 5 = 0 then p.manager_id else p.id end, case when n % 5 = 0 then coalesce(m2.name, 'nobody') else p.name end
from assignments a
join people p on p.id = a.person_id
left join people m2 on m2.id = p.manager_id
cross join generate_series(1, 60) n
cross join lateral (select timestamptz '2027-02-20T08:00Z' + (n * 37 + a.id * 11) % 400 * interval '1 hour' as at) m
`;

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  courses = [await makeCourse(house, crew['tora']!), await makeCourse(house, crew['tora']!, undefined, 'Muster List')];
  for (const course of courses) await assignAt(house, course, [crew['runa']!, crew['per']!, crew['odd']!], '2027-03-19T16:00:00Z');
  await house.db.query('truncate notices cascade');
  await house.db.query(MAKE);
});
afterAll(() => house.close());

interface Row {
  id: string;
  at: Date;
  state: string;
}

/** Every row that fits, by a look at each. */
async function allOf(query: NoticesQuery): Promise<Row[]> {
  const all = await rows<Row & { on_day: string; course_id: string; step_name: string; person_id: string; recipient_id: string; held_because: string; recipient_name: string; name: string; title: string }>(
    house.db,
    'select n.*, p.name, c.title from notices n join people p on p.id = n.person_id join courses c on c.id = n.course_id order by n.at, n.id',
  ); // prettier-ignore
  const together: Record<string, string[]> = { trouble: ['bounced', 'failed', 'held'], went: ['sent', 'delivered', 'bounced'] };
  const find = query.find?.toLowerCase();
  const fitting = all.filter(
    (row) =>
      (!query.from || row.on_day >= query.from) &&
      (!query.to || row.on_day <= query.to) &&
      (!query.course || row.course_id === query.course) &&
      (!query.step || row.step_name === query.step) &&
      (!query.person || row.person_id === query.person || row.recipient_id === query.person) &&
      (!query.held || row.held_because === query.held) &&
      (!query.when || (query.when === 'past') === row.at.getTime() <= NOW) &&
      (!query.outcome || (together[query.outcome] ?? [query.outcome]).includes(row.state)) &&
      (!find || [row.name, row.recipient_name, row.step_name, row.title].some((text) => text.toLowerCase().includes(find))),
  );
  const isForward = Boolean(query.from ?? query.person) || query.when === 'ahead';
  return isForward ? fitting : fitting.reverse();
}

const page = (query: NoticesQuery): Promise<NoticesPage> => listNotices(house.db, query, NOW, TODAY);

const queries = fc.record(
  {
    from: fc.constantFrom('2027-02-20', '2027-03-01', '2027-03-05'),
    to: fc.constantFrom('2027-03-01', '2027-03-06'),
    course: fc.integer({ min: 0, max: 1 }),
    step: fc.constantFrom('Invitation', 'Overdue', 'No such step'),
    person: fc.constantFrom('runa', 'odd', 'kari'),
    held: fc.constantFrom('leave', 'missing-value'),
    when: fc.constantFrom('past' as const, 'ahead' as const),
    outcome: fc.constantFrom(
      'delivered' as const,
      'trouble' as const,
      'went' as const,
      'failed' as const,
      'planned' as const,
      'cancelled' as const,
    ),
    find: fc.constantFrom('aske', 'RUNA', 'muster', 'over', 'nobody is called that', '%', 'odd aske'),
  },
  { requiredKeys: [] },
);

describe('the ledger, page by page', () => {
  it('property: cursors lead through every row that fits, there and back, and counts say how many', async () => {
    let runs = 0;
    await fc.assert(
      fc.asyncProperty(queries, fc.integer({ min: 3, max: 50 }), async ({ course, person, ...rest }, size) => {
        if (runs++ % 10 === 5) await foldFigures(house.db);
        const query: NoticesQuery = { size, ...rest };
        if (course !== undefined) query.course = courses[course]!;
        if (person !== undefined) query.person = crew[person]!;
        const expected = await allOf(query);
        const seen: string[] = [];
        let at = await page(query);
        const states = new Map<string, number>();
        for (const { state } of await allOf({ ...query, outcome: undefined })) states.set(state, (states.get(state) ?? 0) + 1);
        if (at.summary) expect(at.summary).toEqual(Object.fromEntries(states));
        for (let turn = 0; ; turn++) {
          if (at.total !== null) expect(at.total).toBe(expected.length);
          expect(at.place).toBe(seen.length);
          seen.push(...at.rows.map(({ id }) => id));
          expect(at.back === null).toBe(turn === 0);
          if (!at.further) break;
          at = await page({ ...query, cursor: at.further });
        }
        expect(seen).toEqual(expected.map(({ id }) => id));
        const back = [...at.rows];
        while (at.back) {
          at = await page({ ...query, cursor: at.back });
          back.unshift(...at.rows);
        }
        expect(back.map(({ id }) => id)).toEqual(seen);
        expect(at.place).toBe(0);
      }),
      { numRuns: 60 },
    );
  });

  it('a cursor that is none begins at the beginning', async () => {
    for (const cursor of ['', 'x', '>2027-03-01~1~1', `>2027-03-01~${'9'.repeat(30)}~1~1`, "<2027-03-01~1~1'; drop table notices~1"])
      expect((await page({ size: 5, cursor })).place).toBe(0);
  });
});
