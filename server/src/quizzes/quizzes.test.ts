import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { NEW_QUIZ, newQuestion, type Question, type Quiz } from '@nudrik/core';
import { rows } from '../db/db.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { findPlan } from '../plans/plans.repo.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, republish, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { beginAttempt, endRunOut, quizView, saveAnswers, submitAnswers } from './attempts.ts';
import { nextEndAt } from './attempts.repo.ts';
import { attemptView, giveAttempt, markAnswers, submissionsView, waitingList } from './marking.ts';

const choice = (text: string, isRight = false) => ({ text, isRight, words: '' });
const one = (id: string): Question =>
  ({
    ...newQuestion('one', id),
    text: `<p>Question ${id}</p>`,
    choices: [choice('yes', true), choice('no'), choice('perhaps')],
  }) as Question;
const words: Question = {
  ...newQuestion('text', 'why'),
  text: '<p>Why?<script>alert(1)</script></p>',
  isMarked: true,
  accepted: [],
} as Question;
const quizOf = (rest: Partial<Quiz>): Quiz => ({ ...NEW_QUIZ, questions: [one('a'), one('b')], pass: 50, ...rest });

let house: TestHouse;
let crew: Record<string, string>;
let n = 0;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
});
afterAll(() => house.close());

/** A course with a page and a quiz, given to somebody. */
async function withQuiz(quiz: Quiz, person = 'runa') {
  const course = await makeCourse(house, crew['tora']!, undefined, `Course ${++n}`);
  await republish(house, course, (content) => ({
    ...content,
    sections: [{ ...content.sections[0]!, units: [content.sections[0]!.units[0]!, { ...content.sections[0]!.units[1]!, kind: 'quiz' as const, title: 'The hoses', body: null, quiz }] }],
  })); // prettier-ignore
  const [id] = await assignAt(house, course, [crew[person]!], '2027-03-19T16:00:00Z');
  const link = await linkInto(house, id!);
  const [page, unit] = (await findLearning(house.deps, link)).sections[0]!.units;
  return { course, id: id!, link, page: page!.id, unit: unit!.id };
}
const rightIn = async (id: string, number = 1): Promise<Record<string, number>> => {
  const [row] = await rows<{ drawn: { question: Question; order: number[] }[] }>(house.db, 'select drawn from quiz_attempts where assignment_id = $1::bigint and number = $2::integer', [id, number]); // prettier-ignore
  return Object.fromEntries(
    row!.drawn.flatMap(({ question, order }) => (question.kind === 'one' ? [[question.id, order.indexOf(0)]] : [])),
  );
};
const wrongIn = async (id: string, number = 1) =>
  Object.fromEntries(Object.entries(await rightIn(id, number)).map(([question, at]) => [question, (at + 1) % 3]));
const events = async (id: string) => (await rows<{ type: string; data: object | null; at: Date }>(house.db, "select type, data, at from assignment_events where assignment_id = $1::bigint and type <> 'assigned' order by id", [id])).map(({ type, data }) => `${type} ${JSON.stringify(data)}`); // prettier-ignore

describe('a quiz', () => {
  it('is passed, and with that the unit is done; nothing that is right reaches the browser before', async () => {
    const { id, link, page, unit } = await withQuiz(quizOf({}));
    await expect(markUnitDone(house.deps, link, unit)).rejects.toThrow('“The hoses” is done by passing it');
    expect(await quizView(house.deps, link, unit)).toMatchObject({ words: '2 questions, 50 % passes, as often as one likes', next: { kind: 'now' }, left: null, open: null, result: null }); // prettier-ignore
    const { open } = await beginAttempt(house.deps, link, unit);
    expect(open!.questions.map(({ options }) => [...options].sort())).toEqual([['no', 'perhaps', 'yes'], ['no', 'perhaps', 'yes']]); // prettier-ignore
    expect(JSON.stringify(open)).not.toMatch(/isRight|order/);
    // pressed twice: the same attempt
    expect((await beginAttempt(house.deps, link, unit)).open!.number).toBe(1);
    const right = await rightIn(id);
    await saveAnswers(house.deps, link, unit, { attempt: 1, answers: { a: right['a']!, nobody: 1 } });
    expect((await quizView(house.deps, link, unit)).open!.answers).toEqual({ a: right['a'] });
    const done = await submitAnswers(house.deps, link, unit, { attempt: 1, answers: {} }, null);
    expect(done.result).toMatchObject({ points: 1, max: 2, percent: 50, isPassed: true, questions: [{ text: 'Question a', answer: 'yes', isRight: true, right: null }, { answer: 'nothing', isRight: false }] }); // prettier-ignore
    // submitted twice is submitted once
    expect(await submitAnswers(house.deps, link, unit, { attempt: 1, answers: { b: 0 } }, null)).toEqual(done);
    expect(await events(id)).toEqual([`quiz-submitted {"unit":"${unit}","score":50,"passed":true,"attempt":1}`, `unit-finished {"unit":"${unit}"}`].map((line) => expect.stringContaining(line.slice(0, 14)))); // prettier-ignore
    expect((await findLearning(house.deps, link)).percent).toBe(50);
    expect(await markUnitDone(house.deps, link, page)).toEqual({ finished: true });
    await expect(beginAttempt(house.deps, link, unit)).rejects.toThrow('You have finished this course');
  });

  it('failed may be tried again after its pause, as often as it says, and once more where a trainer gives it', async () => {
    const { course, id, link, unit } = await withQuiz(quizOf({ attempts: 2, pause: 60, shows: 'right' }));
    await beginAttempt(house.deps, link, unit);
    const failed = await submitAnswers(house.deps, link, unit, { attempt: 1, answers: await wrongIn(id) }, null);
    expect(failed).toMatchObject({ left: 1, next: { kind: 'at', at: '2027-03-01T10:30:00.000Z' }, result: { percent: 0, isPassed: false, questions: [{ right: 'yes' }, { right: 'yes' }] } }); // prettier-ignore
    await expect(beginAttempt(house.deps, link, unit)).rejects.toThrow('The next attempt may begin Mon 1 Mar 11:30.');
    house.clock.at += 3_600_000;
    await beginAttempt(house.deps, link, unit);
    await submitAnswers(house.deps, link, unit, { attempt: 2, answers: await wrongIn(id, 2) }, null);
    await expect(beginAttempt(house.deps, link, unit)).rejects.toThrow('All attempts at this quiz are used.');
    await giveAttempt(house.deps, id, unit, 'Tora Aske');
    house.clock.at += 3_600_000;
    expect((await beginAttempt(house.deps, link, unit)).open!.number).toBe(3);
    await submitAnswers(house.deps, link, unit, { attempt: 3, answers: await rightIn(id, 3) }, null);
    const seen = await submissionsView(house.db, course, unit);
    expect(seen.rows.map(({ number, isPassed }) => [number, isPassed])).toEqual([[3, true], [2, false], [1, false]]); // prettier-ignore
    expect(seen.questions[0]).toMatchObject({ taken: 3, right: 1 / 3, words: 'Question a' });
    expect(seen.questions[0]!.mostTaken).toMatch(/^(no|perhaps) \(/);
  });

  it('ends when its time is over, over reloads and a lost connection: what was answered counts, at that moment', async () => {
    const { id, link, unit } = await withQuiz(quizOf({ limit: 10 }));
    const { open } = await beginAttempt(house.deps, link, unit);
    const ends = Date.parse(open!.endsAt!);
    expect(ends - Date.parse(open!.now)).toBe(600_000);
    const right = await rightIn(id);
    await saveAnswers(house.deps, link, unit, { attempt: 1, answers: { a: right['a']! } });
    house.clock.at = ends - 60_000;
    expect((await quizView(house.deps, link, unit)).open).toMatchObject({ number: 1, answers: { a: right['a'] }, endsAt: open!.endsAt });
    expect(await nextEndAt(house.db)).toBe(ends + 15_000);
    house.clock.at = ends + 16_000;
    // what comes now comes too late
    expect(await saveAnswers(house.deps, link, unit, { attempt: 1, answers: { b: right['b']! } })).toMatchObject({ isOpen: false });
    expect(await endRunOut(house.deps)).toBe(1);
    expect(await endRunOut(house.deps)).toBe(0);
    const view = await quizView(house.deps, link, unit);
    expect(view.result).toMatchObject({ percent: 50, isCutOff: true, submittedAt: new Date(ends).toISOString(), isPassed: true });
    expect(await submitAnswers(house.deps, link, unit, { attempt: 1, answers: { b: right['b']! } }, null)).toEqual(view);
  });

  it('that somebody has to read waits for them, and is passed when it was marked', async () => {
    const { id, link, unit } = await withQuiz(quizOf({ questions: [one('a'), words], pass: 60, shows: 'own' }));
    await beginAttempt(house.deps, link, unit);
    const sent = await submitAnswers(
      house.deps,
      link,
      unit,
      { attempt: 1, answers: { ...(await rightIn(id)), why: 'because of the wind' } },
      null,
    );
    expect(sent.result).toMatchObject({ isPassed: null, questions: [{ isRight: true }, { text: 'Why?', answer: 'because of the wind', isRight: null }] }); // prettier-ignore
    expect((await findLearning(house.deps, link)).percent).toBe(0);
    await expect(beginAttempt(house.deps, link, unit)).rejects.toThrow('A trainer reads your last attempt first');
    const [waiting] = await waitingList(house.db);
    expect(waiting).toMatchObject({ person: 'Runa Aske', unit: 'The hoses', number: 1 });
    const view = await attemptView(house.db, waiting!.id);
    expect(view).toMatchObject({ waiting: ['why'], ids: ['a', 'why'], person: { name: 'Runa Aske' } });
    await expect(markAnswers(house.deps, waiting!.id, { marks: {}, words: '' }, 'Tora Aske')).rejects.toThrow(
      'One answer still waits: mark all of them.',
    );
    expect(await markAnswers(house.deps, waiting!.id, { marks: { why: 0.5, a: 0 }, words: 'Nearly.' }, 'Tora Aske')).toMatchObject({ percent: 75, isPassed: true, marked: { byWhom: 'Tora Aske', words: 'Nearly.' } }); // prettier-ignore
    await expect(markAnswers(house.deps, waiting!.id, { marks: { why: 1 }, words: '' }, 'Odd')).rejects.toThrow(
      'was marked by Tora Aske already',
    );
    expect((await events(id)).map((line) => line.split(' ')[0])).toEqual(['quiz-submitted', 'quiz-marked', 'unit-finished']);
    expect((await quizView(house.deps, link, unit)).result).toMatchObject({ isPassed: true, percent: 75, marked: { words: 'Nearly.' } });
    expect(await waitingList(house.db)).toEqual([]);
  });

  it('counts by its score, where the course is finished by a score', async () => {
    const { course, id, link, page, unit } = await withQuiz(quizOf({ pass: 100 }));
    await republish(house, course, (content) => ({ ...content, finish: { kind: 'score', percent: 90 } }));
    await markUnitDone(house.deps, link, page);
    expect((await findLearning(house.deps, link)).percent).toBe(55);
    await beginAttempt(house.deps, link, unit);
    const right = await rightIn(id);
    await submitAnswers(house.deps, link, unit, { attempt: 1, answers: { a: right['a']! } }, null);
    // not passed; half of it and the page are not enough, until less is asked for
    expect(await findLearning(house.deps, link)).toMatchObject({ state: 'in progress', percent: 83 });
    expect(await republish(house, course, (content) => ({ ...content, finish: { kind: 'score', percent: 75 } }))).toMatchObject({
      finished: 1,
    });
    expect(await findLearning(house.deps, link)).toMatchObject({ state: 'finished', percent: 100 });
  });

  it('keeps each attempt with its questions as they were', async () => {
    const { course, id, link, unit } = await withQuiz(quizOf({ pass: 100 }));
    await beginAttempt(house.deps, link, unit);
    const right = await rightIn(id);
    await republish(house, course, (content) => ({
      ...content,
      sections: [{ ...content.sections[0]!, units: content.sections[0]!.units.map((of) => (of.kind === 'quiz' ? { ...of, quiz: quizOf({ questions: [{ ...one('a'), choices: [choice('yes'), choice('no', true)] } as Question] }) } : of)) }],
    })); // prettier-ignore
    expect((await submitAnswers(house.deps, link, unit, { attempt: 1, answers: right }, null)).result).toMatchObject({
      percent: 100,
      isPassed: true,
      max: 2,
    });
    expect((await beginAttempt(house.deps, link, unit)).open!.questions).toHaveLength(1);
  });

  it('begun, submitted and ended at once is one attempt and one submission', async () => {
    const { id, link, unit } = await withQuiz(quizOf({ limit: 1, pass: 100 }));
    const begun = await Promise.all([1, 2, 3].map(() => beginAttempt(house.deps, link, unit)));
    expect(new Set(begun.map(({ open }) => open!.number))).toEqual(new Set([1]));
    house.clock.at += 76_000;
    await Promise.all([
      endRunOut(house.deps),
      endRunOut(house.deps),
      submitAnswers(house.deps, link, unit, { attempt: 1, answers: {} }, null),
    ]);
    await drain(house.deps, house.mailer);
    expect((await events(id)).filter((line) => line.startsWith('quiz-submitted'))).toHaveLength(1);
  });

  it('tells its trainer of what they chose, of nothing else, with person, score, attempt and the way there', async () => {
    const told = (of: Quiz['told']['of'], when: Quiz['told']['when']) => ({ told: { of, when, to: ['trainer'] } });
    const loud = await withQuiz(quizOf({ pass: 100, ...told('failed', 'at once') }));
    const quiet = await withQuiz(quizOf({ ...told('nothing', 'at once') }), 'per');
    await drain(house.deps, house.mailer);
    house.mailer.letters = [];
    for (const { id, link, unit } of [loud, quiet]) {
      await beginAttempt(house.deps, link, unit);
      await submitAnswers(house.deps, link, unit, { attempt: 1, answers: await wrongIn(id) }, null);
    }
    await drain(house.deps, house.mailer);
    await beginAttempt(house.deps, loud.link, loud.unit);
    await submitAnswers(house.deps, loud.link, loud.unit, { attempt: 2, answers: await rightIn(loud.id, 2) }, null);
    await drain(house.deps, house.mailer);
    const letters = house.mailer.letters.filter(({ toAddress }) => toAddress === 'tora@orlasund.example');
    expect(letters.map(({ subject }) => subject)).toEqual([expect.stringMatching(/^The hoses of Course \d+ was not passed$/)]);
    expect(letters[0]!.text).toContain('Runa Aske: The hoses of');
    expect(letters[0]!.text).toContain('attempt 1: 0 %, not passed.');
    expect(letters[0]!.html).toContain(`/courses/${loud.course}/quizzes/${loud.unit}?assignment=${loud.id}&amp;attempt=1`);
    // saved and published once more without a change of its quizzes: the plan stays as it is
    const versionOf = async () =>
      (await rows<{ version: number }>(house.db, 'select version from plans where course_id = $1::bigint', [loud.course]))[0]!.version;
    const before = await versionOf();
    await republish(house, loud.course, (content) => ({ ...content, summary: 'Another.' }));
    expect(await versionOf()).toBe(before);
    const steps = await rows<{ steps: { id: string }[]; version: number }>(house.db, 'select steps, version from plans where course_id = any($1::bigint[]) order by course_id', [[loud.course, quiet.course]]); // prettier-ignore
    expect(steps.map(({ steps: list }) => list.filter(({ id }) => id.startsWith('quiz-')).length)).toEqual([1, 0]);
  });

  it('tells the owner, the assistants as they are then, and who is named; nobody twice, and nobody of their own', async () => {
    house.clock.at = Date.parse('2027-03-01T12:00:00Z');
    const { course, id, link, unit } = await withQuiz(quizOf({ pass: 100, told: { of: 'failed', when: 'at once', to: ['trainer', 'assistants', `person ${crew['odd']!}`, `person ${crew['runa']!}`] } })); // prettier-ignore
    await republish(house, course, (content) => ({ ...content, assistants: [crew['odd']!, crew['kari']!] }));
    await drain(house.deps, house.mailer);
    const toldBy = async (number: number): Promise<string[]> => {
      house.mailer.letters = [];
      await beginAttempt(house.deps, link, unit);
      await submitAnswers(house.deps, link, unit, { attempt: number, answers: await wrongIn(id, number) }, null);
      await drain(house.deps, house.mailer);
      return house.mailer.letters.filter(({ subject }) => subject.includes('was not passed')).map(({ toAddress }) => toAddress.split('@')[0]!).sort(); // prettier-ignore
    };
    expect(await toldBy(1)).toEqual(['kari', 'odd', 'tora']);
    // somebody else helps from now on
    await republish(house, course, (content) => ({ ...content, assistants: [crew['per']!] }));
    house.clock.at += 3_600_000;
    expect(await toldBy(2)).toEqual(['odd', 'per', 'tora']);
    expect(await rows(house.db, "select distinct because from notices where assignment_id = $1::bigint and to_role = $2::text and state = 'skipped'", [id, `person ${crew['runa']!}`])).toEqual([{ because: 'no-recipient' }]); // prettier-ignore
    expect((await findPlan(house.db, course, '2027-03-01'))!.people.map(({ name }) => name)).toEqual(['Odd Aske', 'Runa Aske']);
  });

  it('gathers a day of what waits for marking into one letter; what was marked meanwhile is not in it', async () => {
    house.clock.at = Date.parse('2027-03-02T09:00:00Z');
    const first = await withQuiz(quizOf({ questions: [words], told: { of: 'waiting', when: 'per day', to: ['trainer'] } }));
    const [second] = await assignAt(house, first.course, [crew['per']!], '2027-03-19T16:00:00Z');
    const [third] = await assignAt(house, first.course, [crew['kari']!], '2027-03-19T16:00:00Z');
    await drain(house.deps, house.mailer);
    house.mailer.letters = [];
    for (const id of [first.id, second!, third!]) {
      const link = await linkInto(house, id);
      await beginAttempt(house.deps, link, first.unit);
      await submitAnswers(house.deps, link, first.unit, { attempt: 1, answers: { why: 'wind' } }, null);
    }
    const mine = (await waitingList(house.db)).find(({ person }) => person === 'Per Aske')!;
    await drain(house.deps, house.mailer);
    await markAnswers(house.deps, mine.id, { marks: { why: 1 }, words: '' }, 'Tora Aske');
    house.clock.at = Date.parse('2027-03-02T15:00:00Z');
    await drain(house.deps, house.mailer);
    const letters = house.mailer.letters.filter(({ toAddress }) => toAddress === 'tora@orlasund.example');
    expect(letters).toHaveLength(1);
    expect(letters[0]!.text).toContain('Runa Aske');
    expect(letters[0]!.text).toContain('waits for marking');
    expect(letters[0]!.text).toContain('Kari Aske');
    expect(letters[0]!.text).not.toContain('Per Aske');
  });
});
