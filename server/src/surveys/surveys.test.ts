import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { newSurveyQuestion, type Survey } from '@nudrik/core';
import { rows } from '../db/db.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, republish, type TestHouse } from '../testing.ts';
import { answerSurvey, surveyCsv, surveyView } from './surveys.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let unit: string;
const links: Record<string, string> = {};
const survey: Survey = {
  isAnonymous: true,
  questions: [
    { ...newSurveyQuestion('scale', 'q1'), text: 'How clear was it?', isRequired: true },
    { ...newSurveyQuestion('text', 'q2'), text: 'What should be better?' },
  ],
};

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
});
afterAll(() => house.close());
beforeEach(async () => {
  for (const table of ['certificates', 'assignments', 'plans', 'course_drafts', 'courses']) await house.db.query(`delete from ${table}`);
});

async function open(isAnonymous: boolean): Promise<void> {
  course = await makeCourse(house, crew['tora']!);
  await republish(house, course, (content) => ({
    ...content,
    sections: [{ id: null, title: 'One', units: [{ ...content.sections[0]!.units[0]!, id: null, kind: 'survey', title: 'What you think', body: null, survey: { ...survey, isAnonymous } }] }], // prettier-ignore
  }));
  for (const name of ['runa', 'per', 'odd']) {
    const [id] = await assignAt(house, course, [crew[name]!], '2027-03-20T12:00:00Z');
    links[name] = await linkInto(house, id!);
  }
  unit = (await findLearning(house.deps, links['runa']!)).sections[0]!.units[0]!.id;
}
const answer = (who: string, answers: Record<string, string | number>) => answerSurvey(house.deps, { link: links[who]!, signedIn: null }, unit, { answers }); // prettier-ignore

describe('an anonymous survey', () => {
  beforeEach(() => open(true));

  it('is answered once, finishes the course, and nothing that is kept tells who answered what', async () => {
    expect(await answer('runa', { q1: 4, q2: 'Shorter.' })).toEqual({ finished: true });
    await expect(answer('runa', { q1: 1 })).rejects.toThrow('You have finished this course');
    const kept = await rows<Record<string, unknown>>(house.db, 'select * from survey_answers');
    expect(kept).toEqual([
      { id: expect.any(String), course_id: course, unit_id: unit, assignment_id: null, answers: { q1: 4, q2: 'Shorter.' }, at: null },
    ]);
    const data = await rows<{ data: object }>(house.db, "select data from assignment_events where type = 'survey-answered'");
    expect(data).toEqual([{ data: { unit } }]);
  });

  it('is shown from three answers on, and as CSV without names', async () => {
    await answer('runa', { q1: 4, q2: '=1+1' });
    await answer('per', { q1: 5 });
    expect(await surveyView(house.db, course, unit)).toMatchObject({ answered: 2, asked: 3, hiddenUntil: 3, questions: [] });
    await expect(surveyCsv(house.db, course, unit)).rejects.toThrow('one could tell who wrote what');
    await answer('odd', { q1: 3, q2: 'More pictures.' });
    const { questions, hiddenUntil } = await surveyView(house.db, course, unit);
    expect(hiddenUntil).toBeNull();
    expect(questions[0]).toMatchObject({ answered: 3, mean: 4, counts: [{ words: '1', count: 0 }, { count: 0 }, { count: 1 }, { count: 1 }, { count: 1 }] }); // prettier-ignore
    expect(questions[1]!.texts.map(({ text, by }) => [text, by]).sort()).toEqual([['=1+1', null], ['More pictures.', null]]); // prettier-ignore
    const { text } = await surveyCsv(house.db, course, unit);
    expect(text.split('\r\n')[0]).toBe('\ufeffHow clear was it?,What should be better?');
    expect(text).toContain("4,'=1+1");
    expect(text).not.toContain('Runa');
  });

  it('asks for what it asks for, and is not done by saying so', async () => {
    await expect(answer('runa', { q2: 'x' })).rejects.toThrow('Question 1 asks for an answer');
    await expect(answer('runa', { q1: 9 })).rejects.toThrow('Question 1 asks for an answer');
    await expect(markUnitDone(house.deps, links['runa']!, unit)).rejects.toThrow('is done by answering it');
    expect(await rows(house.db, 'select 1 from survey_answers')).toEqual([]);
  });
});

it('an optional survey is answered after the course is finished, once, and the finish stays', async () => {
  await open(true);
  await republish(house, course, (content) => {
    const [asked] = content.sections[0]!.units;
    return { ...content, sections: [{ ...content.sections[0]!, units: [{ ...asked!, id: null, kind: 'page', title: 'Read', body: '<p>x</p>', survey: null }, { ...asked!, required: false }] }] }; // prettier-ignore
  });
  const [page] = (await findLearning(house.deps, links['runa']!)).sections[0]!.units;
  expect(await markUnitDone(house.deps, links['runa']!, page!.id)).toEqual({ finished: true });
  const finishedAt = (await findLearning(house.deps, links['runa']!)).finishedAt;
  expect(await answer('runa', { q1: 4 })).toEqual({ finished: true });
  await expect(answer('runa', { q1: 1 })).rejects.toThrow('You have finished this course');
  expect(await findLearning(house.deps, links['runa']!)).toMatchObject({ state: 'finished', finishedAt, percent: 100 });
  expect(await rows(house.db, 'select 1 from survey_answers')).toHaveLength(1);
  expect(await rows(house.db, "select 1 from assignment_events where type = 'finished'")).toHaveLength(1);
});

describe('a survey with names', () => {
  beforeEach(() => open(false));

  it('says who wrote what, until it becomes anonymous', async () => {
    await answer('runa', { q1: 4, q2: 'Shorter.' });
    expect((await surveyView(house.db, course, unit)).questions[1]!.texts).toEqual([{ text: 'Shorter.', by: 'Runa Aske' }]);
    expect((await surveyCsv(house.db, course, unit)).text).toContain('Runa Aske,4,Shorter.');
    await house.db.query("update units set content = jsonb_set(content, '{survey,isAnonymous}', 'true')");
    await answer('per', { q1: 4 });
    await answer('odd', { q1: 4 });
    expect((await surveyView(house.db, course, unit)).questions[1]!.texts).toEqual([{ text: 'Shorter.', by: null }]);
  });
});
