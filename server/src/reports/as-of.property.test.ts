import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { AddCertificate, CompletionsRequest, FinishedQuery, MatrixQuery, ReportQuery } from '@nudrik/contract';
import { cellOf, dateOf, dayOf, effectiveEvents, standingAt, Zone, type AssignmentEvent } from '@nudrik/core';
import { undoAct } from '../assignments/acts.ts';
import { close, extend } from '../assignments/change.ts';
import { recordCompletions } from '../assignments/completions.ts';
import { listRecords } from '../assignments/events.repo.ts';
import { record } from '../assignments/record.ts';
import { addCertificate } from '../certificates/by-hand.ts';
import { reissueCertificate } from '../certificates/reissue.ts';
import { revokeCertificate } from '../certificates/revoke.ts';
import { maybeRow, rows, transaction } from '../db/db.ts';
import { finishAssignments } from '../learning/finish.ts';
import { changePerson } from '../people/change.ts';
import { Refused } from '../refusal.ts';
import { saveDepartment } from '../structure/structure.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { atOf } from './as-of.ts';
import { keepAsked } from './asked-sums.repo.ts';
import { courseReport } from './course-report.ts';
import { finishedView } from './lists.ts';
import { matrixView } from './matrix.ts';

/**
 * A house is lived in for some days, and at the end of each it is kept what the pages told then. Later the same pages, asked
 * about that day as it was known then, tell the same; asked as is known now, they tell what the events say that count by now.
 */
const BY = 'Sigrid Aune';
const DAY = 86_400_000;
const ZONE = Zone.of('Europe/Oslo');
const ACTS = ['assign', 'assign', 'extend', 'waive', 'withdraw', 'finish', 'finish', 'unit', 'record', 'theirs', 'reissue', 'revoke', 'move', 'move', 'rename', 'leave', 'return', 'lead'] as const; // prettier-ignore
interface Act {
  what: (typeof ACTS)[number];
  who: number;
  days: number;
  isUndone: boolean;
}
const day = fc.array(
  fc.record<Act>({
    what: fc.constantFrom(...ACTS),
    who: fc.integer({ min: 0, max: 3 }),
    days: fc.integer({ min: 1, max: 12 }),
    isUndone: fc.boolean(),
  }),
  { maxLength: 5 },
);
const story = fc.array(day, { minLength: 2, maxLength: 6 });

let house: TestHouse;
let crew: string[];
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  const made = await makeCrew(house);
  crew = ['runa', 'per', 'odd', 'kari'].map((name) => made[name]!);
  await house.db.query('update settings set daily_limit = null, house_zone = $1::text', ['Europe/Oslo']);
});
afterAll(() => house.close());

const date = (at: number): string => dateOf(ZONE.dayAt(at));

const RENAMED = 'Engine Room';
const engine = () => maybeRow<{ id: string; name: string; version: number }>(house.db, "select id, name, version from departments where name like 'Engine%'", []); // prettier-ignore
/** What is told where a department is called as it was first. */
const called = (told: unknown): unknown => JSON.parse(JSON.stringify(told).replaceAll(RENAMED, 'Engine'));

/** Does it where the house allows it. @returns the act's id, where it can be taken back */
async function perform(course: string, title: string, { what, who, days }: Act): Promise<string | null> {
  const now = house.clock.at;
  const person = crew[who]!;
  const open = await maybeRow<{ id: string; due_at: Date }>(house.db, 'select id, due_at from assignments where person_id = $1::bigint and course_id = $2::bigint and closed_by is null', [person, course]); // prettier-ignore
  const held = await maybeRow<{ serial: string }>(house.db, 'select serial from standing_certificates where person_id = $1::bigint and course_id = $2::bigint and issuer is null', [person, course]); // prettier-ignore
  const record1 = (event: AssignmentEvent): Promise<void> =>
    transaction(house.db, (client) => record(client, [{ assignment: open!.id, event }], { byWhom: BY }));
  switch (what) {
    case 'assign':
      if (!open) await assignAt(house, course, [person], new Date(now + days * DAY).toISOString());
      return null;
    case 'move':
      await changePerson(house.deps, person, { department: days % 2 ? ((await engine())?.name ?? 'Engine') : 'Deck' }, BY);
      return null;
    case 'rename': {
      const found = await engine();
      if (found) await saveDepartment(house.deps, found.id, { name: found.name === 'Engine' ? RENAMED : 'Engine', parentId: null, version: found.version }, BY); // prettier-ignore
      return null;
    }
    case 'lead':
      if (who < 2) await changePerson(house.deps, person, { managerId: days % 2 ? crew[2]! : crew[3]! }, BY);
      return null;
    case 'leave':
      // at times somebody tells it late, or ahead
      await changePerson(house.deps, person, { leftOn: date(now + (4 - days) * DAY) }, BY);
      return null;
    case 'return':
      await changePerson(house.deps, person, { leftOn: null }, BY);
      return null;
    case 'record': {
      const { email } = (await maybeRow<{ email: string }>(house.db, 'select email from people where id = $1::bigint', [person]))!;
      const text = `person;course;finished on\n${email};${title};${date(now - days * DAY)}\n`;
      return (await recordCompletions(house.deps, CompletionsRequest.parse({ text, reason: 'old register' }), BY)).actId;
    }
    case 'theirs':
      await addCertificate(house.deps, AddCertificate.parse({ personId: person, courseId: course, finishedOn: date(now - days * DAY), reason: 'brought along', theirs: days % 3 ? { issuer: 'Tarn Ness School', expiresOn: date(now + days * 30 * DAY) } : null }), BY); // prettier-ignore
      return null;
    case 'reissue':
      if (held) await reissueCertificate(house.deps, held.serial, 'a new name', BY);
      return null;
    case 'revoke':
      if (held) await revokeCertificate(house.deps, held.serial, 'not done', BY);
      return null;
  }
  if (!open) return null;
  switch (what) {
    case 'extend':
      return (await extend(house.deps, { assignmentIds: [open.id], dueOn: date(Math.max(now, open.due_at.getTime()) + days * DAY), dueTime: '17:00', reason: 'dry dock' }, BY)).actId; // prettier-ignore
    case 'waive':
      return (await close(house.deps, 'waived', { assignmentIds: [open.id], reason: 'dry dock', until: days % 2 ? date(now + days * DAY) : null }, BY)).actId; // prettier-ignore
    case 'withdraw':
      return (await close(house.deps, 'withdrawn', { assignmentIds: [open.id], reason: 'dry dock', until: null }, BY)).actId;
    case 'unit':
      await record1({ type: 'started', at: now });
      return null;
    case 'finish':
      await transaction(house.db, (client) => finishAssignments(house.deps, client, course, [{ id: open.id, zone: 'Europe/Oslo' }], BY));
      return null;
  }
}

async function told(courses: readonly string[], query: object): Promise<unknown> {
  const now = house.clock.at;
  const matrix = await matrixView(house.db, MatrixQuery.parse({ size: 200, ...query }), now);
  const groups = await Promise.all((['department', 'manager'] as const).map((by) => matrixView(house.db, MatrixQuery.parse({ by, ...query }), now))); // prettier-ignore
  const reports = await Promise.all(courses.map((course) => courseReport(house.db, course, ReportQuery.parse({ ...query, sort: 'assigned' }), now))); // prettier-ignore
  const isOurs = ({ course }: { course: string }): boolean => courses.includes(course);
  const byCourse = <T extends { course: string }>(list: T[]): T[] =>
    list.filter(isOurs).sort((a, b) => Number(a.course) - Number(b.course));
  return called({
    people: matrix.rows.map(({ name, where, cells }) => [name, where, byCourse(cells)]),
    sums: matrix.courses.filter(({ id }) => courses.includes(id)).map(({ sums }) => sums),
    groups: groups.map(({ rows: list }) => list.map(({ name, people, sums }) => [name, people, byCourse(sums)])),
    reports: reports.map(({ counts: { silent: _, ...counts }, total, finishedPeople, rows: list }) => ({
      counts,
      total,
      finishedPeople,
      rows: list.map(({ next: __, last: ___, ...row }) => row).sort((a, b) => Number(a.assignmentId) - Number(b.assignmentId)),
    })),
  });
}

/** How everybody stood before a moment by what is known now, from the events alone. */
async function cellsFromEvents(course: string, moment: number, today: string): Promise<Record<string, string>> {
  const ids = (await rows<{ id: string }>(house.db, 'select id from assignments where course_id = $1::bigint order by id', [course])).map(({ id }) => id); // prettier-ignore
  const certificates = await rows<{ assignment_id: string; expires_on: string | null; issued_at: Date; revoked_at: Date | null; replaced_at: Date | null }>(house.db, 'select * from certificates where course_id = $1::bigint order by id', [course]); // prettier-ignore
  const pairs = new Map<string, { dueAt: number | null; until: number | 'ever' | null; hasFinished: boolean; isWaived: boolean }>();
  for (const assignment of (await listRecords(house.db, ids)).sort((a, b) => Number(a.id) - Number(b.id))) {
    const counting = effectiveEvents(assignment.events, Infinity);
    if (!counting.some(({ type }) => type === 'assigned') || assignment.assignedAt >= moment) continue;
    const events = counting
      .map((event) =>
        event.type === 'finished'
          ? { ...event, at: event.onAt ?? event.at }
          : event.type === 'assigned'
            ? { ...event, at: assignment.assignedAt }
            : event,
      ) // prettier-ignore
      .filter(({ at }) => at < moment)
      .sort((a, b) => a.at - b.at);
    const { closedBy, dueAt, closing } = standingAt({ ...assignment, events }, moment - 1);
    const pair = pairs.get(assignment.person) ?? { dueAt: null, until: null, hasFinished: false, isWaived: false };
    pairs.set(assignment.person, pair);
    if (closedBy === null) pair.dueAt = dueAt;
    pair.isWaived = closing?.type === 'waived' && (closing.until == null || closing.until >= today);
    if (closedBy !== 'finished') continue;
    pair.hasFinished = true;
    const known = certificates.filter((one) => one.assignment_id === assignment.id && !(one.revoked_at && one.revoked_at.getTime() === one.replaced_at?.getTime())); // prettier-ignore
    const one = known.find((each) => each.issued_at.getTime() < moment && (each.replaced_at?.getTime() ?? Infinity) >= moment) ?? known[0];
    if (one && (one.revoked_at?.getTime() ?? Infinity) < moment) continue;
    const on = (closing as { on?: string | null }).on;
    const ends = one ? one.expires_on : on ? dateOf(dayOf(`${Number(on.slice(0, 4)) + 1}${on.slice(4)}`)) : null;
    const until = ends === null ? ('ever' as const) : dayOf(ends);
    pair.until = pair.until === 'ever' || until === 'ever' ? 'ever' : Math.max(pair.until ?? until, until);
  }
  const cells: Record<string, string> = {};
  for (const [person, facts] of pairs) {
    const cell = cellOf(facts, moment, dayOf(today));
    if (cell) cells[person] = cell;
  }
  return cells;
}

let run = 0;
it('a day that has passed is told as it was told then, and as is known now by the events that count', async () => {
  await fc.assert(
    fc.asyncProperty(story, async (days) => {
      const titles = [`Course ${(run += 1)} one`, `Course ${run} two`];
      const courses = await Promise.all(titles.map((title) => makeCourse(house, null, [], title)));
      const kept: { on: string; moment: number; told: unknown }[] = [];
      for (const acts of days) {
        const morning = ZONE.toInstant(ZONE.dayAt(house.clock.at) + 1, 7 * 3_600_000);
        house.clock.at = morning;
        for (const [i, act] of acts.entries()) {
          house.clock.at = morning + i * 3_600_000;
          const at = i % 2;
          try {
            const actId = await perform(courses[at]!, titles[at]!, act);
            house.clock.at += 120_000;
            if (actId !== null && act.isUndone) await undoAct(house.deps, actId, BY);
          } catch (error) {
            // what the house does not allow
            if (!(error instanceof Refused)) throw error;
          }
        }
        const moment = ZONE.toInstant(ZONE.dayAt(house.clock.at) + 1, 0);
        house.clock.at = moment - 1;
        kept.push({ on: date(house.clock.at), moment, told: await told(courses, {}) });
      }
      house.clock.at += 3 * DAY;
      for (const { on, moment, told: then } of kept) {
        expect(await told(courses, { on, known: 'then' })).toEqual(then);
        await keepAsked(house.db, atOf({ on, known: 'then' }, house.clock.at, ZONE));
        expect(await told(courses, { on, known: 'then' })).toEqual(then);
        const view = await matrixView(house.db, MatrixQuery.parse({ on, known: 'now', size: 200 }), house.clock.at);
        // sums that are kept, with what became known later, are those that are counted one by one
        for (const known of ['then', 'now'])
          for (const by of ['person', 'department', 'site']) {
            const [kept, counted] = await Promise.all([{}, { find: 'aske' }].map((find) => matrixView(house.db, MatrixQuery.parse({ on, known, by, ...find }), house.clock.at))); // prettier-ignore
            const sumsOf = (of: typeof view) => [of.courses.map(({ sums }) => sums), of.by === 'person' ? [] : of.rows.map((row) => [row.name, row.sums.filter((sums) => sums.asked > 0).map(({ course, current, asked, open, late }) => [course, current, asked, open, late]).sort()])]; // prettier-ignore
            expect(sumsOf(kept!)).toEqual(sumsOf(counted!));
          }
        // and so the lists of a course, however they are found
        for (const course of courses)
          for (const known of ['then', 'now'])
            for (const state of ['all', 'late', 'finished']) {
              const [kept, counted] = await Promise.all([{}, { find: 'aske' }].map((find) => courseReport(house.db, course, ReportQuery.parse({ on, known, state, ...find }), house.clock.at))); // prettier-ignore
              const listOf = ({ counts, total, finishedPeople, rows: list }: typeof kept & object) => [counts, total, finishedPeople, list.map(({ assignmentId }) => assignmentId)]; // prettier-ignore
              expect(listOf(kept!)).toEqual(listOf(counted!));
              const late = await finishedView(house.deps, course, FinishedQuery.parse({ on, known }));
              const lateOneByOne = await finishedView(house.deps, course, FinishedQuery.parse({ on, known, find: 'aske' }));
              expect(late.counts).toEqual(lateOneByOne.counts);
            }
        for (const course of courses) {
          const expected = await cellsFromEvents(course, moment, on);
          const found = Object.fromEntries(view.rows.flatMap(({ id, cells }) => cells.filter((cell) => cell.course === course).map(({ state }) => [id, state]))); // prettier-ignore
          for (const { id } of view.rows) expect([id, found[id] ?? null]).toEqual([id, expected[id] ?? null]);
        }
      }
    }),
    { numRuns: Number(process.env['NUDRIK_PROPERTY_RUNS'] ?? 6), interruptAfterTimeLimit: 200_000 },
  );
}, 240_000);
