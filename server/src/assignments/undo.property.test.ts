import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { CompletionsRequest, ReportQuery } from '@nudrik/contract';
import { dateOf, dayOf, standingAt } from '@nudrik/core';
import { rows, transaction } from '../db/db.ts';
import { findLearning } from '../learning/learn.ts';
import { listAssignmentLines } from '../people/people.repo.ts';
import { courseReport } from '../reports/course-report.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, TestMailer, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { undoAct } from './acts.ts';
import { close, extend } from './change.ts';
import { recordCompletions } from './completions.ts';
import { intervalRows, readingOf, record } from './record.ts';
import { listRecords } from './events.repo.ts';

/**
 * Two people are assigned the same course. To one of them random acts are done and some are taken back within their time; to
 * the other only those are done that stay. Everything that is told of the two is the same.
 */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
});
afterAll(() => house.close());

type What = 'extend' | 'waive' | 'withdraw' | 'record' | 'unit' | 'start';
interface Act {
  what: What;
  /** days of an extension beyond the due date in force, of a recorded completion before today */
  days: number;
  isUndone: boolean;
  /** days to the next act */
  pause: number;
}
const acts = fc.array(
  fc.record<Act>({
    what: fc.constantFrom('extend', 'extend', 'waive', 'withdraw', 'record', 'unit', 'start'),
    days: fc.integer({ min: 1, max: 20 }),
    isUndone: fc.boolean(),
    pause: fc.integer({ min: 0, max: 3 }),
  }),
  { minLength: 1, maxLength: 7 },
);

const play = async (until: number): Promise<void> => {
  for (;;) {
    await drain(house.deps, house.mailer);
    const [next] = await rows<{ at: Date | null }>(house.db, 'select min(try_at) as at from notices where try_at > $1::timestamptz', [new Date(house.clock.at)]); // prettier-ignore
    if (!next?.at || next.at.getTime() > until) break;
    house.clock.at = next.at.getTime();
  }
  house.clock.at = until;
};

/** Does one act to an assignment, where the house allows it. @returns the act's id, where it can be taken back */
async function perform(id: string, email: string, { what, days }: Act): Promise<string | null> {
  const now = house.clock.at;
  const [row] = await rows<{ due_at: Date; closed_by: string | null }>(house.db, 'select due_at, closed_by from assignments where id = $1::bigint', [id]); // prettier-ignore
  if (row!.closed_by) return null;
  const day = (at: number, add: number): string => dateOf(dayOf(new Date(at).toISOString().slice(0, 10)) + add);
  switch (what) {
    case 'extend':
      return (await extend(house.deps, { assignmentIds: [id], dueOn: day(Math.max(now, row!.due_at.getTime()), days), dueTime: '17:00', reason: 'dry dock' }, 'Sigrid Aune')).actId; // prettier-ignore
    case 'waive':
      return (await close(house.deps, 'waived', { assignmentIds: [id], reason: 'dry dock', until: null }, 'Sigrid Aune')).actId;
    case 'withdraw':
      return (await close(house.deps, 'withdrawn', { assignmentIds: [id], reason: 'dry dock', until: null }, 'Sigrid Aune')).actId;
    case 'record': {
      const text = `person;course;finished on\n${email};Fire Teams Aboard;${day(now, -days)}\n`;
      return (await recordCompletions(house.deps, CompletionsRequest.parse({ text, reason: 'old register' }), 'Sigrid Aune')).actId;
    }
    default: {
      const event =
        what === 'unit' ? ({ type: 'unit-finished', at: now, unit: String(days) } as const) : ({ type: 'started', at: now } as const);
      await transaction(house.db, (client) => record(client, [{ assignment: id, event }], { byWhom: email }));
      return null;
    }
  }
}

async function told(id: string): Promise<unknown> {
  const [stored] = await listRecords(house.db, [id]);
  const now = house.clock.at;
  const standing = standingAt(stored!, now);
  const [columns] = await rows<{ due_at: Date; closed_by: string | null; closed_at: Date | null; person_id: string }>(house.db, 'select due_at, closed_by, closed_at, person_id from assignments where id = $1::bigint', [id]); // prettier-ignore
  // the columns are what the events say
  expect([columns!.due_at.getTime(), columns!.closed_by, columns!.closed_at?.getTime() ?? null]).toEqual([readingOf(stored!).dueAt, readingOf(stored!).closedBy, readingOf(stored!).closedAt]); // prettier-ignore
  // and so are the intervals
  const [{ count }] = (await rows(house.db, 'select count(*)::integer as count from assignment_intervals where assignment_id = $1::bigint', [id])) as [{ count: number }]; // prettier-ignore
  expect(count).toBe(intervalRows(stored!).length);
  const sheet = (await listAssignmentLines(house.db, columns!.person_id, now, '2027-03-01')).find((a) => a.id === id)!;
  const page = await findLearning(house.deps, await linkInto(house, id));
  const report = (await courseReport(house.db, course, ReportQuery.parse({}), now)).rows.find((row) => row.assignmentId === id);
  const due = new Date(standing.dueAt).toISOString();
  expect([sheet.dueAt, page.dueAt, report?.dueAt ?? due]).toEqual([due, due, due]);
  expect([sheet.state, page.state, report?.state ?? standing.state]).toEqual([standing.state, standing.state, standing.state]);
  const notices = await rows<{ step_id: string; occurrence: number; to_role: string; state: string; because: string | null; at: Date }>(house.db, "select step_id, occurrence, to_role, state, because, at from notices where assignment_id = $1::bigint and state <> 'cancelled'", [id]); // prettier-ignore
  return {
    due,
    state: standing.state,
    finishedOn: standing.finishedOn,
    started: standing.startedAt,
    units: [...standing.unitsFinished].sort(),
    notices: notices.map((n) => `${n.step_id}#${n.occurrence} ${n.to_role} ${n.state} ${n.because ?? ''} ${n.at.toISOString()}`).sort(),
  };
}

it('what is taken back leaves no trace in what is told, planned and sent', async () => {
  await fc.assert(
    fc.asyncProperty(acts, async (list) => {
      await house.db.query(
        'truncate notices, messages, replan, reconcile, acts, assignment_events, certificates, assignments restart identity cascade',
      );
      house.mailer = new TestMailer();
      house.clock.at = Date.parse('2027-03-01T09:30:00Z');
      const [withUndo, without] = [
        (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z'))[0]!,
        (await assignAt(house, course, [crew['per']!], '2027-03-19T16:00:00Z'))[0]!,
      ];
      for (const act of list) {
        // at noon, when nothing is due, so that what an act sends cannot fall into the minutes until it is taken back
        await play(house.clock.at - (house.clock.at % 86_400_000) + (act.pause + 1) * 86_400_000 + 12 * 3_600_000);
        const id = await perform(withUndo, 'runa@orlasund.example', act);
        const isUndone = act.isUndone && id !== null;
        if (!isUndone) await perform(without, 'per@orlasund.example', act);
        await drain(house.deps, house.mailer);
        if (!isUndone) continue;
        house.clock.at += 8 * 60_000;
        await undoAct(house.deps, id, 'Sigrid Aune');
        await drain(house.deps, house.mailer);
      }
      await play(Date.parse('2027-06-01T12:00:00Z'));
      expect(await told(withUndo)).toEqual(await told(without));
      const mails = (name: string) =>
        house.mailer.letters.filter(({ toAddress }) => toAddress === `${name}@orlasund.example`).map(({ subject }) => subject);
      expect(mails('runa')).toEqual(mails('per'));
    }),
    { numRuns: Number(process.env['NUDRIK_PROPERTY_RUNS'] ?? 15) },
  );
}, 240_000);
