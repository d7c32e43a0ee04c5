import { stringify } from 'csv-stringify/sync';
import { FEWEST, readSurveyAnswers, surveyFigures, tellList, type AssignmentEvent, type Survey, type SurveyAnswers } from '@nudrik/core';
import type { SurveyAnswersDraft, SurveyView } from '@nudrik/contract';
import { maybeRow, oneRow, rows, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { actor, lockUnit, settle } from '../learning/learn.ts';
import type { By } from '../learning/work.ts';
import { safeCell } from '../reports/table.ts';
import { Refused } from '../refusal.ts';

const GET_SURVEY = "select content -> 'survey' as survey from units where id = $1::bigint";
const INSERT = `
insert into survey_answers (course_id, unit_id, assignment_id, answers, at)
values ($1::bigint, $2::bigint, $3::bigint, $4::jsonb, $5::timestamptz)
`;

/** Takes an answer to a survey, once; the unit is done by it. An anonymous one is kept without who gave it, and without when. */
export async function answerSurvey(
  deps: Deps,
  { link, signedIn }: By,
  unitId: string,
  draft: SurveyAnswersDraft,
): Promise<{ finished: boolean }> {
  return transaction(deps.db, async (client) => {
    const { assignment } = await lockUnit(deps, client, link, unitId);
    const { survey } = await oneRow<{ survey: Survey | null }>(client, GET_SURVEY, [unitId]);
    if (!survey) throw new Refused('conflict', 'This unit is no survey any more. Load the page again; nothing was changed.');
    // what one thinks of a course is often said once it is finished
    const isFinished = assignment.closed_by === 'finished';
    if (isFinished && assignment.units_done.includes(unitId)) throw new Refused('conflict', 'You have finished this course, and its survey with it. Nothing was changed.'); // prettier-ignore
    // it came twice, since its answer was lost
    if (assignment.units_done.includes(unitId)) return { finished: false };
    const { answers, missing } = readSurveyAnswers(survey, draft.answers);
    if (missing.length > 0)
      throw new Refused('wrong-input', `${missing.length === 1 ? `Question ${missing[0]} asks` : `Questions ${tellList(missing.map(String))} ask`} for an answer. Nothing was kept yet; what you wrote is still here.`); // prettier-ignore
    const now = deps.clock.now();
    const own = survey.isAnonymous ? [null, null] : [assignment.id, new Date(now)];
    await client.query(INSERT, [assignment.course_id, unitId, own[0], JSON.stringify(answers), own[1]]);
    const events: AssignmentEvent[] = [
      { type: 'survey-answered', at: now, unit: unitId },
      { type: 'unit-finished', at: now, unit: unitId },
    ];
    const byWhom = actor(assignment.person_name, assignment.person_id, signedIn);
    return { finished: await settle(deps, client, assignment, events, byWhom) };
  });
}

const FIND_UNIT = `
select c.id as course_id, c.title as course, u.id, u.title, u.content -> 'survey' as survey
from units u
join sections s on s.id = u.section_id
join courses c on c.id = s.course_id
where u.id = $1::bigint
  and c.id = $2::bigint
`;
// by chance of their ids: no order tells who came when
const LIST = `
select w.answers, p.name
from survey_answers w
left join assignments a on a.id = w.assignment_id
left join people p on p.id = a.person_id
where w.unit_id = $1::bigint
order by w.id
`;
const COUNT_ASKED =
  "select count(*)::integer as count from assignments where course_id = $1::bigint and closed_because is distinct from 'undone'";

interface Found {
  course_id: string;
  course: string;
  id: string;
  title: string;
  survey: Survey;
}

async function find(
  db: Queryable,
  courseId: string,
  unitId: string,
): Promise<{ unit: Found; given: { answers: SurveyAnswers; name: string | null }[] }> {
  const unit = await maybeRow<Found & { survey: Survey | null }>(db, FIND_UNIT, [unitId, courseId]);
  if (!unit?.survey) throw new Refused('not-found', 'There is no such survey, or not any more.');
  const given = await rows<{ answers: SurveyAnswers; name: string | null }>(db, LIST, [unitId]);
  // what was given under a name before it became anonymous is shown without one
  return { unit, given: given.map(({ answers, name }) => ({ answers, name: unit.survey!.isAnonymous ? null : name })) };
}

const isHidden = ({ survey }: Found, given: readonly unknown[]): boolean => survey.isAnonymous && given.length < FEWEST;

/** What came of a survey, question by question. */
export async function surveyView(db: Queryable, courseId: string, unitId: string): Promise<SurveyView> {
  const { unit, given } = await find(db, courseId, unitId);
  const hidden = isHidden(unit, given);
  return {
    course: { id: unit.course_id, title: unit.course },
    unit: { id: unit.id, title: unit.title },
    isAnonymous: unit.survey.isAnonymous,
    asked: (await oneRow<{ count: number }>(db, COUNT_ASKED, [courseId])).count,
    answered: given.length,
    hiddenUntil: hidden ? FEWEST : null,
    questions: hidden
      ? []
      : unit.survey.questions.map((question) => {
          const { texts, ...figures } = surveyFigures(
            question,
            given.map(({ answers }) => answers),
          );
          return { question, ...figures, texts: texts.slice(0, 500).map(({ text, row }) => ({ text, by: given[row]!.name })) };
        }),
  };
}

/** The answers, a line each, as CSV (RFC 4180). */
export async function surveyCsv(db: Queryable, courseId: string, unitId: string): Promise<{ name: string; text: string }> {
  const { unit, given } = await find(db, courseId, unitId);
  if (isHidden(unit, given))
    throw new Refused(
      'conflict',
      `This survey is anonymous, and ${given.length} answered: with fewer than ${FEWEST} one could tell who wrote what.`,
    );
  const { questions, isAnonymous } = unit.survey;
  const cell = (value: unknown): string => String(safeCell(Array.isArray(value) ? value.join('; ') : value == null ? '' : String(value as string | number))); // prettier-ignore
  const lines = given.map(({ answers, name }) => [
    ...(isAnonymous ? [] : [cell(name ?? '')]),
    ...questions.map(({ id }) => cell(answers[id])),
  ]);
  const head = [...(isAnonymous ? [] : ['Person']), ...questions.map(({ text }) => cell(text))];
  return { name: `${unit.course}, ${unit.title}.csv`, text: stringify([head, ...lines], { record_delimiter: '\r\n', bom: true }) };
}
