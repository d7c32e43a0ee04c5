import {
  itemFigures,
  scoreAnswer,
  scoreQuiz,
  tellAnswer,
  tellQuestion,
  tellQuiz,
  type AssignmentEvent,
  type Drawn,
  type Quiz,
} from '@nudrik/core';
import type { AttemptView, MarksDraft, SubmissionsView, WaitingAttempt } from '@nudrik/contract';
import { lockAssignment } from '../assignments/assignments.repo.ts';
import { announce, maybeRow, oneRow, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { settle } from '../learning/learn.ts';
import { Refused } from '../refusal.ts';
import { countOfUnit, findAttempt, giveExtra, lineOf, listOfUnit, listWaiting, markAttempt, type AttemptRow } from './attempts.repo.ts';
import { doneByPassing, resultOf } from './attempts.ts';

const NO_ATTEMPT = 'There is no such attempt, or not any more.';

const GET_AROUND = `
select c.id as course_id, c.title as course, coalesce(u.title, 'a quiz that is gone') as unit, p.id as person_id, p.name as person, s.zone
from assignments a
join courses c on c.id = a.course_id
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
left join units u on u.id = $2::bigint
where a.id = $1::bigint
`;

/** One attempt, whole: for whoever marks it or looks it up. */
export async function attemptView(db: Queryable, id: string): Promise<AttemptView> {
  const row = await findAttempt(db, id);
  if (!row?.submitted_at) throw new Refused('not-found', NO_ATTEMPT);
  const around = await oneRow<{ course_id: string; course: string; unit: string; person_id: string; person: string; zone: string }>(db, GET_AROUND, [row.assignment_id, row.unit_id]); // prettier-ignore
  return {
    ...resultOf(row, 'right'),
    course: { id: around.course_id, title: around.course },
    unit: { id: row.unit_id, title: around.unit },
    person: { id: around.person_id, name: around.person },
    assignmentId: row.assignment_id,
    zone: around.zone,
    begunAt: row.begun_at.toISOString(),
    ids: row.drawn.map(({ question }) => question.id),
    waiting: scoreQuiz(row.drawn, row.answers, row.marks, row.pass).waiting,
  };
}

export async function waitingList(db: Queryable): Promise<WaitingAttempt[]> {
  return (await listWaiting(db)).map((row) => ({
    ...row,
    unit: row.unit ?? 'a quiz that is gone',
    submittedAt: row.submittedAt.toISOString(),
  }));
}

/** Marks what waited. Once nothing does, the attempt has its score, and the unit is done where that passes. */
export async function markAnswers(deps: Deps, id: string, { marks, words }: MarksDraft, byWhom: string): Promise<AttemptView> {
  await transaction(deps.db, async (client) => {
    const found = await findAttempt(client, id);
    if (!found) throw new Refused('not-found', NO_ATTEMPT);
    const assignment = (await lockAssignment(client, found.assignment_id))!;
    const row = (await findAttempt(client, id))!;
    if (!row.submitted_at)
      throw new Refused('conflict', `${assignment.person_name} is still at it: it can be marked once it is submitted.`);
    if (row.is_passed !== null)
      throw new Refused('conflict', `This attempt was marked by ${row.marked_by ?? 'Nudrik'} already. Nothing was changed.`);
    const { waiting } = scoreQuiz(row.drawn, row.answers, row.marks, row.pass);
    const missing = waiting.filter((question) => !(question in marks));
    if (missing.length > 0)
      throw new Refused(
        'wrong-input',
        `${missing.length === 1 ? 'One answer still waits' : `${missing.length} answers still wait`}: mark all of them. Nothing was changed.`,
      );
    const mine = { ...row.marks, ...Object.fromEntries(waiting.map((question) => [question, marks[question]!])) };
    const { points, percent, isPassed } = scoreQuiz(row.drawn, row.answers, mine, row.pass);
    const at = deps.clock.now();
    await markAttempt(client, id, { marks: mine, at, byWhom, words, points, percent, isPassed });
    await announce(client, 'assignments');
    if (assignment.closed_by) return;
    const events: AssignmentEvent[] = [
      { type: 'quiz-marked', at, unit: row.unit_id, attempt: row.number, score: percent, passed: isPassed },
      ...doneByPassing(assignment, row.unit_id, isPassed, at),
    ];
    await settle(deps, client, assignment, events, byWhom);
  });
  return attemptView(deps.db, id);
}

/** Gives somebody another attempt at a quiz. */
export async function giveAttempt(deps: Deps, assignmentId: string, unitId: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const assignment = await lockAssignment(client, assignmentId);
    if (!assignment) throw new Refused('not-found', 'There is no such assignment, or not any more.');
    if (assignment.closed_by)
      throw new Refused('conflict', `This assignment is ${assignment.closed_by}; another attempt would change nothing.`);
    await giveExtra(client, assignmentId, unitId, byWhom, deps.clock.now());
    await announce(client, 'assignments');
  });
}

const GET_UNIT = `
select c.title as course, u.title as unit, u.content -> 'quiz' as quiz
from units u
join sections s on s.id = u.section_id
join courses c on c.id = s.course_id
where u.id = $1::bigint
  and c.id = $2::bigint
  and u.kind = 'quiz'
`;
/** Submissions that are listed, and those that figures are made from. */
const LISTED = 200;
const COUNTED = 5_000;

/** What came in for a quiz, and how its questions do. */
export async function submissionsView(db: Queryable, courseId: string, unitId: string): Promise<SubmissionsView> {
  const unit = await maybeRow<{ course: string; unit: string; quiz: Quiz | null }>(db, GET_UNIT, [unitId, courseId]);
  if (!unit?.quiz) throw new Refused('not-found', 'There is no such quiz in this course, or not any more.');
  const list = await listOfUnit(db, unitId, courseId, COUNTED);
  const { total, waiting } = await countOfUnit(db, unitId, courseId);
  return {
    course: { id: courseId, title: unit.course },
    unit: { id: unitId, title: unit.unit },
    words: tellQuiz(unit.quiz),
    rows: list
      .slice(0, LISTED)
      .map((row) => ({ ...lineOf(row), person: { id: row.person_id, name: row.person }, assignmentId: row.assignment_id })),
    waiting,
    total,
    questions: unit.quiz.questions.map(({ id, kind }, i) => ({
      id,
      kind,
      words: tellQuestion(unit.quiz!.questions[i]!),
      ...figuresOf(id, list),
    })),
  };
}

/** Figures of one question over the attempts that had it; of those that wait for a mark it is left out. */
function figuresOf(id: string, list: readonly AttemptRow[]): ReturnType<typeof itemFigures> & { mostTaken: string | null } {
  const taken: { share: number; rest: number }[] = [];
  const wrong = new Map<string, number>();
  for (const row of list) {
    const drawn = row.drawn.find((one): one is Drawn => one.question.id === id);
    if (!drawn) continue;
    const answer = row.answers[id] ?? null;
    const share = scoreAnswer(drawn, answer) ?? row.marks[id] ?? null;
    if (share === null) continue;
    const others = row.drawn.filter((one) => one !== drawn);
    const { points, max } = scoreQuiz(others, row.answers, row.marks, 0);
    taken.push({ share, rest: max > 0 ? points / max : 0 });
    if (share < 1 && answer !== null) {
      const words = tellAnswer(drawn, answer);
      wrong.set(words, (wrong.get(words) ?? 0) + 1);
    }
  }
  const [most] = [...wrong].sort((a, b) => b[1] - a[1]);
  return { ...itemFigures(taken), mostTaken: most ? `${most[0]} (${most[1]})` : null };
}
