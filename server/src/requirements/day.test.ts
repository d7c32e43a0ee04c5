import { afterAll, beforeAll, expect, it } from 'vitest';
import { CompletionsRequest, FinishedQuery, NotifiedQuery, ReportQuery, type AsOfQuery, type RequirementsDay } from '@nudrik/contract';
import { close } from '../assignments/change.ts';
import { recordCompletions } from '../assignments/completions.ts';
import { rows } from '../db/db.ts';
import { courseReport } from '../reports/course-report.ts';
import { sumNextDay } from '../reports/day-sums.ts';
import { fileOf } from '../reports/files.ts';
import { finishedView, notifiedView } from '../reports/lists.ts';
import { changePerson } from '../people/change.ts';
import { drain } from '../worker.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { addRequirement, switchOff, switchOn } from './change.ts';
import { requirementsDay } from './day.ts';
import { getRequirement } from './preview.ts';

/** Deck is asked on Monday, Per by hand; Per's is waived, Runa brings a completion of the day before a week later; it is switched off. */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let id: string;
const BY = 'Sigrid Aune';
const at = (day: string): void => void (house.clock.at = Date.parse(`${day}T09:30:00Z`));
const day = (on: string, known: AsOfQuery['known'] = 'then'): Promise<RequirementsDay> => requirementsDay(house.deps, { on, known });
const told = async (on: string, known?: AsOfQuery['known']) =>
  (await day(on, known)).rows.map((row) => [row.wasOn, row.asked, row.finished, row.open, row.late, row.waived]);

const keepAll = async (): Promise<void> => {
  for (let day: string | null = ''; day !== null;) day = await sumNextDay(house.deps);
  expect((await rows(house.db, 'select 1 from asked_sums where requirement_id > 0')).length).toBeGreaterThan(0);
};

beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  const [deck] = await rows<{ id: string }>(house.db, "select id from departments where name = 'Deck'");
  await assignAt(house, course, [crew['tora']!], '2027-03-10T16:00:00Z');
  at('2027-03-02');
  const draft = { name: 'Fire teams for deck', courseId: course, audience: { department: [deck!.id], below: true }, due: { kind: 'after', amount: 5, unit: 'days', event: 'assigned' }, dueTime: '17:00', graceDays: 7, creditMonths: null, renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask' } as const; // prettier-ignore
  id = (await addRequirement(house.deps, draft, BY)).id;
  at('2027-03-03');
  await switchOn(house.deps, id, 1, BY);
  at('2027-03-05');
  const [per] = await rows<{ id: string }>(house.db, 'select id from assignments where person_id = $1::bigint and closed_by is null', [crew['per']]); // prettier-ignore
  await close(house.deps, 'waived', { assignmentIds: [per!.id], reason: 'ashore', until: null, told: null } as never, BY);
  at('2027-03-12');
  const [runa] = await rows<{ email: string; title: string }>(house.db, 'select p.email, c.title from people p, courses c where p.id = $1::bigint and c.id = $2::bigint', [crew['runa'], course]); // prettier-ignore
  await recordCompletions(house.deps, CompletionsRequest.parse({ text: `person;course;finished on\n${runa!.email};${runa!.title};2027-03-04\n`, reason: 'old register' }), BY); // prettier-ignore
  at('2027-03-15');
  await switchOff(house.deps, id, (await getRequirement(house.db, id)).version, 'keep', BY);
  at('2027-03-20');
});
afterAll(() => house.close());

it.each([
  ['counted one by one', false],
  ['as they are kept', true],
])('tells which were on, and how those stood whom each had asked, by both readings, %s', async (_, isKept) => {
  if (isKept) await keepAll();
  const [one] = (await day('2027-03-02')).rows;
  expect(one).toMatchObject({ id, name: 'Fire teams for deck', course: { id: course }, wasOn: false, asked: 0 });
  expect((await day('2027-03-01')).rows).toEqual([]);
  const asked = (await day('2027-03-03')).rows[0]!.asked;
  expect(asked).toBeGreaterThan(2);
  expect(await told('2027-03-03')).toEqual([[true, asked, 0, asked, 0, 0]]);
  expect(await told('2027-03-05')).toEqual([[true, asked, 0, asked - 1, 0, 1]]);
  expect(await told('2027-03-05', 'now')).toEqual([[true, asked, 1, asked - 2, 0, 1]]);
  expect(await told('2027-03-12')).toEqual([[true, asked, 1, 0, asked - 2, 1]]);
  // still of the last days, which are counted one by one
  expect(await told('2027-03-19')).toEqual([[false, asked, 1, 0, asked - 2, 1]]);
  expect((await day('2027-03-05')).asOf.differs.first[0]).toMatchObject({ person: { name: 'Runa Aske' } });
});

it.each([
  ['counted one by one', false],
  ['as they are kept', true],
])('tells what the report of its course tells of whom it asked, %s, and nobody else', async (_, isKept) => {
  if (isKept) await keepAll();
  else await house.db.query('truncate asked_sums, days_asked');
  for (const on of ['2027-03-02', '2027-03-05', '2027-03-12', '2027-03-19', undefined])
    for (const known of ['then', 'now'] as const) {
      const query = { requirement: id, on, known };
      const report = await courseReport(house.db, course, ReportQuery.parse(query), house.clock.at);
      expect(report.rows.map(({ person }) => person.name)).not.toContain('Tora Aske');
      expect(report.rows.length).toBe(report.total);
      const { counts } = report;
      if (on !== undefined) {
        const [row] = (await day(on, known)).rows;
        expect(row).toMatchObject({ asked: report.total, finished: counts.finished, open: counts.inProgress + counts.notStarted, late: counts.late, waived: counts.waived }); // prettier-ignore
      }
      const finished = await finishedView(house.deps, course, FinishedQuery.parse(query));
      expect([finished.total, finished.counts.required, finished.counts.finished]).toEqual([report.total, report.total, counts.finished]);
      const notified = await notifiedView(house.deps, course, NotifiedQuery.parse(query));
      expect([notified.total, notified.rows.length]).toEqual([report.total, report.total]);
    }
  const everybody = await courseReport(house.db, course, ReportQuery.parse({}), house.clock.at);
  expect(everybody.rows.map(({ person }) => person.name)).toContain('Tora Aske');
  const department = await courseReport(house.db, course, ReportQuery.parse({ requirement: id, on: '2027-03-12', department: 'Deck' }), house.clock.at); // prettier-ignore
  expect(department.total).toBe((await day('2027-03-12')).rows[0]!.asked);
});

it('still tells whom it had asked, where it asks no more and another does', async () => {
  const make = async (name: string, audience: object): Promise<string> => {
    const draft = { name, courseId: course, audience, due: { kind: 'after', amount: 30, unit: 'days', event: 'assigned' }, dueTime: '17:00', graceDays: 7, creditMonths: null, renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask' } as const; // prettier-ignore
    const made = await addRequirement(house.deps, draft as never, BY);
    await switchOn(house.deps, made.id, 1, BY);
    return made.id;
  };
  const [deck] = await rows<{ id: string }>(house.db, "select id from departments where name = 'Deck'");
  await make('Everyone', { all: [] });
  const deckOnly = await make('Deck once more', { department: [deck!.id], below: true });
  const asked = async (on: string) => (await day(on)).rows.find((row) => row.id === deckOnly)?.asked;
  const report = (on?: string) => courseReport(house.db, course, ReportQuery.parse({ requirement: deckOnly, on }), house.clock.at);
  const atOnce = (await report()).total;
  expect(atOnce).toBeGreaterThan(0);
  at('2027-03-22');
  await changePerson(house.deps, (await report()).rows.find(({ state }) => state !== 'finished')!.person.id, { department: 'Engine' }, BY);
  await drain(house.deps, house.mailer);
  expect((await report()).total).toBe(atOnce - 1);
  // attached, given up and attached again at one moment: it is asked for
  const [one] = (await report()).rows;
  const pair = [one!.assignmentId, deckOnly];
  const history = (): Promise<{ open: boolean }[]> => rows(house.db, 'select to_at is null as open from reason_times where assignment_id = $1::bigint and requirement_id = $2::bigint order by from_at', pair); // prettier-ignore
  await house.db.query('update reason_times set to_at = from_at where assignment_id = $1::bigint and requirement_id = $2::bigint', pair);
  await house.db.query('delete from assignment_reasons where assignment_id = $1::bigint and requirement_id = $2::bigint', pair); // prettier-ignore
  await house.db.query("insert into assignment_reasons (assignment_id, requirement_id, since, due_at, words) select assignment_id, requirement_id, from_at, from_at, 'again' from reason_times where assignment_id = $1::bigint and requirement_id = $2::bigint", pair); // prettier-ignore
  expect(await history()).toEqual([{ open: true }]);
  expect((await report()).total).toBe(atOnce - 1);
  at('2027-03-26');
  for (const isKept of [false, true]) {
    if (isKept) await keepAll();
    expect([await asked('2027-03-20'), await asked('2027-03-21'), await asked('2027-03-22')]).toEqual([atOnce, atOnce, atOnce - 1]);
    expect([(await report('2027-03-21')).total, (await report('2027-03-22')).total]).toEqual([atOnce, atOnce - 1]);
  }
  at('2027-03-20');
});

it('asks for a day that has passed; a requirement that is not there says so in a file', async () => {
  await expect(requirementsDay(house.deps, { known: 'then' })).rejects.toThrow(/Expected one that has passed/);
  await expect(requirementsDay(house.deps, { on: '2027-03-21', known: 'then' })).rejects.toThrow(/has not come yet/);
  const file = (requirement: string) => fileOf(house.deps, { kind: 'csv', of: { report: 'course', course, ...ReportQuery.parse({ requirement }) } }); // prettier-ignore
  await expect(file('987654321')).rejects.toThrow('There is no such requirement, or not any more.');
  expect((await file(id)).total).toBe((await day('2027-03-12')).rows[0]!.asked);
});
