import { randomInt } from 'node:crypto';
import {
  drawQuiz,
  nextAttempt,
  scoreQuiz,
  showQuestion,
  tellMoment,
  tellAttempt,
  tellQuiz,
  Zone,
  type AssignmentEvent,
  type Quiz,
} from '@nudrik/core';
import type { Answer, AnswersDraft, AttemptResult, OpenAttempt, QuizView } from '@nudrik/contract';
import { findIdByLink, lockAssignment, type LockedAssignment } from '../assignments/assignments.repo.ts';
import { maybeRow, transaction, type Client, type Queryable } from '../db/db.ts';
import { isPassing } from '../db/failures.ts';
import type { Deps } from '../deps.ts';
import { actor, refuseClosed, settle } from '../learning/learn.ts';
import { withPictures } from '../courses/page.ts';
import { Refused } from '../refusal.ts';
import {
  findAttempt,
  getExtra,
  GRACE_MS,
  putAttemptAside,
  insertAttempt,
  keepAnswers,
  lineOf,
  listAttempts,
  listRunOut,
  submitAttempt,
  type AttemptRow,
} from './attempts.repo.ts';

const FIND_QUIZ = `
select u.title, u.content -> 'quiz' as quiz
from units u
join sections s on s.id = u.section_id
where u.id = $1::bigint
  and s.course_id = $2::bigint
  and u.kind = 'quiz'
`;

async function getQuiz(db: Queryable, courseId: string, unitId: string): Promise<Quiz> {
  const unit = await maybeRow<{ title: string; quiz: Quiz | null }>(db, FIND_QUIZ, [unitId, courseId]);
  if (!unit?.quiz) throw new Refused('not-found', 'This quiz is no longer part of the course. Load the page again.');
  return unit.quiz;
}

const GET_COURSE_ID = 'select course_id from assignments where id = $1::bigint';

async function byLink(deps: Deps, db: Queryable, link: string): Promise<string> {
  const id = await findIdByLink(db, deps.settings.key, link, deps.clock.now());
  if (!id) throw new Refused('wrong-link');
  return id;
}

/** A quiz as the employee sees it: what it asks for, how it went, and the attempt that they are in. */
export async function quizView(deps: Deps, link: string, unitId: string): Promise<QuizView> {
  const { db, clock } = deps;
  const id = await byLink(deps, db, link);
  const now = clock.now();
  await refuseClosed(db, id, unitId, now);
  const { course_id } = (await maybeRow<{ course_id: string }>(db, GET_COURSE_ID, [id]))!;
  return viewOf(db, await getQuiz(db, course_id, unitId), id, unitId, now, deps.settings.key);
}

async function viewOf(db: Queryable, quiz: Quiz, assignmentId: string, unitId: string, now: number, key: string): Promise<QuizView> {
  const attempts = await listAttempts(db, assignmentId, unitId);
  const extra = await getExtra(db, assignmentId, unitId);
  const submitted = attempts.filter(({ submitted_at }) => submitted_at !== null);
  const open = attempts.find(
    ({ submitted_at, ends_at }) => submitted_at === null && (ends_at === null || ends_at.getTime() + GRACE_MS > now),
  );
  const next = nextAttempt(
    quiz,
    submitted.map(({ submitted_at }) => submitted_at!.getTime()),
    extra,
    now,
    submitted.at(-1)?.is_passed === null,
  );
  const last = submitted.at(-1);
  return {
    words: tellQuiz(quiz),
    pass: quiz.pass,
    attempts: submitted.map(lineOf),
    next: next.kind === 'at' ? { kind: 'at', at: new Date(next.at).toISOString() } : next,
    left: quiz.attempts === null ? null : Math.max(0, quiz.attempts + extra - submitted.length),
    open: open ? openOf(open, now, key) : null,
    result: last ? resultOf(last, last.shows) : null,
  };
}

const openOf = (row: AttemptRow, now: number, key: string): OpenAttempt => ({
  number: row.number,
  questions: row.drawn.map((drawn) => {
    const shown = showQuestion(drawn);
    return { ...shown, text: withPictures(shown.text, key) };
  }),
  answers: row.answers,
  begunAt: row.begun_at.toISOString(),
  endsAt: row.ends_at?.toISOString() ?? null,
  now: new Date(now).toISOString(),
});

/** An attempt that was submitted, with as much of it as may be shown. */
export function resultOf(row: AttemptRow, shows: 'score' | 'own' | 'right'): AttemptResult {
  return {
    ...lineOf(row),
    points: row.points!,
    max: row.max!,
    questions: tellAttempt(row.drawn, row.answers, row.marks, shows),
    marked: row.marked_by === null ? null : { byWhom: row.marked_by, words: row.marked_words ?? '' },
  };
}

const openAssignment = async (client: Client, id: string): Promise<LockedAssignment> => {
  const assignment = (await lockAssignment(client, id))!;
  if (assignment.closed_by && assignment.closed_by !== 'finished')
    throw new Refused('conflict', `This course is no longer asked of you: it was ${assignment.closed_by}. Nothing was changed.`);
  return assignment;
};

/** Begins an attempt, or goes on with the one that is open. Nobody is in two at once, however often they press. */
export async function beginAttempt(deps: Deps, link: string, unitId: string): Promise<QuizView> {
  return transaction(deps.db, async (client) => {
    const id = await byLink(deps, client, link);
    const assignment = await openAssignment(client, id);
    const now = deps.clock.now();
    await refuseClosed(client, id, unitId, now);
    const quiz = await getQuiz(client, assignment.course_id, unitId);
    const attempts = await listAttempts(client, id, unitId);
    const open = attempts.find(({ submitted_at }) => submitted_at === null);
    if (open && (open.ends_at === null || open.ends_at.getTime() > now)) return viewOf(client, quiz, id, unitId, now, deps.settings.key);
    if (open) await endAttempt(deps, client, assignment, open, open.answers, true);
    if (assignment.closed_by === 'finished')
      throw new Refused('conflict', 'You have finished this course; the quiz needs no other attempt. Nothing was changed.');
    const after = open ? await listAttempts(client, id, unitId) : attempts;
    const next = nextAttempt(
      quiz,
      after.map(({ submitted_at }) => submitted_at!.getTime()),
      await getExtra(client, id, unitId),
      now,
      after.at(-1)?.is_passed === null,
    );
    if (next.kind === 'waits')
      throw new Refused('conflict', 'A trainer reads your last attempt first; what comes of it stands here then. Nothing was changed.');
    if (next.kind === 'never')
      throw new Refused(
        'conflict',
        'All attempts at this quiz are used. Your trainer can give you another one: reply to the message that brought you here.',
      );
    if (next.kind === 'at')
      throw new Refused(
        'conflict',
        `The next attempt may begin ${tellMoment(next.at, Zone.of(assignment.zone), now)}. Nothing was changed.`,
      );
    await insertAttempt(client, {
      assignmentId: id,
      unitId,
      number: Math.max(0, ...after.map(({ number }) => number)) + 1,
      drawn: drawQuiz(quiz, randomInt(2 ** 31)),
      pass: quiz.pass,
      shows: quiz.shows,
      begunAt: now,
      endsAt: quiz.limit === null ? null : now + quiz.limit * 60_000,
    });
    return viewOf(client, quiz, id, unitId, now, deps.settings.key);
  });
}

/** Answers to questions of the attempt; others are nobody's. */
function merged(row: AttemptRow, answers: Readonly<Record<string, Answer>>): Record<string, Answer> {
  const known = new Set(row.drawn.map(({ question }) => question.id));
  return { ...row.answers, ...Object.fromEntries(Object.entries(answers).filter(([id]) => known.has(id))) };
}

/** The assignment, locked, and the attempt where it is still open. */
async function lockOpen(
  deps: Deps,
  client: Client,
  link: string,
  unitId: string,
  number: number,
): Promise<{ assignment: LockedAssignment; row: AttemptRow | null }> {
  const id = await byLink(deps, client, link);
  const assignment = await openAssignment(client, id);
  const row = (await listAttempts(client, id, unitId)).find((attempt) => attempt.number === number);
  if (!row) throw new Refused('not-found', 'There is no such attempt, or not any more. Load the page again.');
  return { assignment, row: row.submitted_at ? null : row };
}

/** Keeps answers while somebody is at it. What comes after the time is over counts no more. */
export async function saveAnswers(
  deps: Deps,
  link: string,
  unitId: string,
  { attempt, answers }: AnswersDraft,
): Promise<{ isOpen: boolean; now: string }> {
  return transaction(deps.db, async (client) => {
    const { row } = await lockOpen(deps, client, link, unitId, attempt);
    const now = deps.clock.now();
    const isOpen = row !== null && (row.ends_at === null || now <= row.ends_at.getTime() + GRACE_MS);
    if (isOpen) await keepAnswers(client, row.id, merged(row, answers));
    return { isOpen, now: new Date(now).toISOString() };
  });
}

/** Submits an attempt. Twice is once: the second time says what came of the first. */
export async function submitAnswers(
  deps: Deps,
  link: string,
  unitId: string,
  { attempt, answers }: AnswersDraft,
  signedIn: string | null,
): Promise<QuizView> {
  return transaction(deps.db, async (client) => {
    const { assignment, row } = await lockOpen(deps, client, link, unitId, attempt);
    const now = deps.clock.now();
    if (row) {
      const isLate = row.ends_at !== null && now > row.ends_at.getTime() + GRACE_MS;
      await endAttempt(deps, client, assignment, row, isLate ? row.answers : merged(row, answers), isLate, actor(assignment.person_name, assignment.person_id, signedIn)); // prettier-ignore
    }
    return viewOf(client, await getQuiz(client, assignment.course_id, unitId), assignment.id, unitId, now, deps.settings.key);
  });
}

/** What passing a quiz brings with it: its unit is done, once. */
export const doneByPassing = (assignment: LockedAssignment, unit: string, isPassed: boolean | null, at: number): AssignmentEvent[] =>
  isPassed && !assignment.units_done.includes(unit) ? [{ type: 'unit-finished', at, unit }] : [];

/** Ends an attempt: it is scored, recorded, and the unit is done where it is passed. Of a locked assignment. */
async function endAttempt(
  deps: Deps,
  client: Client,
  assignment: LockedAssignment,
  row: AttemptRow,
  answers: Record<string, Answer>,
  isCutOff: boolean,
  byWhom = 'Nudrik',
): Promise<void> {
  const now = deps.clock.now();
  const at = isCutOff && row.ends_at ? Math.min(row.ends_at.getTime(), now) : now;
  const { points, max, percent, isPassed } = scoreQuiz(row.drawn, answers, {}, row.pass);
  await submitAttempt(client, row.id, { answers, at, isCutOff, points, max, percent, isPassed });
  if (assignment.closed_by) return;
  const events: AssignmentEvent[] = [
    {
      type: 'quiz-submitted',
      at,
      unit: row.unit_id,
      attempt: row.number,
      passed: isPassed,
      ...(isPassed === null ? {} : { score: percent }),
    },
    ...doneByPassing(assignment, row.unit_id, isPassed, at),
  ];
  await settle(deps, client, assignment, events, byWhom);
}

/** Ends attempts whose time is over, each at the moment at which it was: what was answered counts. @returns how many */
export async function endRunOut(deps: Deps): Promise<number> {
  const list = await listRunOut(deps.db, deps.clock.now());
  for (const { id, assignment_id } of list)
    try {
      await transaction(deps.db, async (client) => {
        const assignment = await lockAssignment(client, assignment_id);
        const row = await findAttempt(client, id);
        if (assignment && row && row.submitted_at === null) await endAttempt(deps, client, assignment, row, row.answers, true);
      });
    } catch (error) {
      if (isPassing(error)) throw error;
      // one that cannot be ended holds nobody else up
      deps.log.error(
        { attempt: id, error: (error as Error).stack },
        'An attempt whose time is over could not be ended; it is tried again.',
      );
      await putAttemptAside(deps.db, id);
    }
  return list.length;
}
