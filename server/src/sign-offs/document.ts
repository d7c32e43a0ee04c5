import { dayOf, OUTCOME_WORDS, tellDate, tellSurveyAnswer, tellTime, Zone, type Survey, type SurveyAnswers } from '@nudrik/core';
import { drawFlow, type FlowBlock } from '../certificates/draw-flow.ts';
import { maybeRow, rows, type Queryable } from '../db/db.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { findSignOffUnit, type SignOffDbRow } from './sign-offs.repo.ts';

const FIND_PERSON = `
select a.course_id, p.id, p.name, p.personnel_number as number, p.job, d.name as department, s.name as site, s.zone
from assignments a
join people p on p.id = a.person_id
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
where a.id = $1::bigint
`;
const LIST_ENTRIES = `
select *
from sign_offs
where assignment_id = $1::bigint
  and unit_id = $2::bigint
order by id desc
`;
const LIST_QUIZZES = `
select u.title, max(q.percent)::double precision as percent, bool_or(q.is_passed) as is_passed
from quiz_attempts q
join units u on u.id = q.unit_id
where q.assignment_id = $1::bigint
  and q.submitted_at is not null
group by u.id, u.title, u.position
order by u.position
`;

const LIST_SURVEYS = `
select u.title, u.content -> 'survey' as survey, w.answers
from survey_answers w
join units u on u.id = w.unit_id
where w.assignment_id = $1::bigint
order by u.position
`;
/** A moment on a record: with its year, and where the clock stands. */
const onRecord = (at: Date, zone: Zone): string => `${tellDate(zone.dayAt(at.getTime()))}, ${tellTime(at.getTime(), zone)} (${zone.name})`;

/**
 * The record document of a sign-off: all that was entered, newest first, with who did it, and what was corrected; and what the
 * employee reached in the quizzes of the course. The same to the last letter as long as nothing is added.
 */
export async function signOffDocument(
  db: Queryable,
  assignmentId: string,
  unitId: string,
): Promise<{ name: string; content: Buffer; personId: string; courseId: string }> {
  const person = await maybeRow<{ course_id: string; id: string; name: string; number: string | null; job: string | null; department: string; site: string; zone: string }>(db, FIND_PERSON, [assignmentId]); // prettier-ignore
  const unit = person && (await findSignOffUnit(db, person.course_id, unitId));
  const entries = await rows<SignOffDbRow>(db, LIST_ENTRIES, [assignmentId, unitId]);
  if (!person || !unit || entries.length === 0) throw new Refused('not-found', 'Nothing was recorded there yet.');
  const { organisation } = await getHouse(db);
  const zone = Zone.of(person.zone);
  const { withQuizzes = true, withSurveys = false } = unit.sheet;
  const surveys = withSurveys ? await rows<{ title: string; survey: Survey; answers: SurveyAnswers }>(db, LIST_SURVEYS, [assignmentId]) : []; // prettier-ignore
  const quizzes = !withQuizzes
    ? []
    : await rows<{ title: string; percent: number | null; is_passed: boolean | null }>(db, LIST_QUIZZES, [assignmentId]);
  const blocks: FlowBlock[] = [
    { kind: 'small', text: organisation },
    { kind: 'title', text: 'Record of a practical sign-off' },
    { kind: 'rule' },
    { kind: 'facts', facts: [['Name', person.name], ['Number', person.number ?? 'none'], ['Job', person.job ?? 'none'], ['Department', `${person.department}, ${person.site}`], ['Course', unit.course], ['Sign-off', unit.title]] },
    ...entries.flatMap((entry): FlowBlock[] => [
      { kind: 'rule' },
      { kind: 'head', text: `${tellDate(dayOf(entry.on_date))}: ${OUTCOME_WORDS[entry.outcome]}${entry.corrected_at ? ', corrected since' : ''}` },
      ...(entry.attended ? entry.criteria.map((criterion): FlowBlock => ({ kind: 'check', isMet: entry.met.includes(criterion.id), text: `${criterion.words}${criterion.isNeeded ? '' : ' (not needed)'}` })) : []),
      ...(entry.remarks ? [{ kind: 'text', text: `“${entry.remarks}”` } as const] : []),
      { kind: 'facts', facts: [
        ['Recorded by', `${entry.by_whom}, ${entry.because}`],
        ['Recorded on', onRecord(entry.at, zone)],
        ...(entry.place ? [['Place', entry.place] as [string, string]] : []),
        ...(entry.corrected_at ? [['Corrected', `${onRecord(entry.corrected_at, zone)} by ${entry.corrected_by}: ${entry.corrected_reason}`] as [string, string]] : []),
      ] },
    ]),
    ...surveys.flatMap(({ title, survey, answers }): FlowBlock[] => [
      { kind: 'rule' },
      { kind: 'head', text: `Answered: ${title}` },
      ...survey.questions.flatMap((question): FlowBlock[] => [{ kind: 'small', text: question.text }, { kind: 'text', text: tellSurveyAnswer(question, answers[question.id] ?? null) || 'not answered' }]),
    ]),
    ...(quizzes.length > 0
      ? [{ kind: 'rule' } as const, { kind: 'head', text: 'Quizzes of the course' } as const, { kind: 'facts', facts: quizzes.map(({ title, percent, is_passed }): [string, string] => [title, `${percent === null ? 'waits for marking' : `${Math.round(percent)} %`}${is_passed === null ? '' : is_passed ? ', passed' : ', not passed'}`]) } as const]
      : []),
  ]; // prettier-ignore
  const title = `Record of a practical sign-off: ${person.name}, ${unit.title}`;
  const content = await drawFlow(blocks, { title, author: organisation, at: entries[0]!.at.getTime() });
  return { name: `sign-off-${person.name.replace(/[^\p{L}\p{N}]+/gu, '-')}.pdf`, content, personId: person.id, courseId: person.course_id };
}
