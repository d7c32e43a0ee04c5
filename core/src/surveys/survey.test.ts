import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { NEW_SURVEY, newSurveyQuestion, readSurveyAnswers, surveyFaults, surveyFigures, tellSurvey, type SurveyKind, type SurveyQuestion } from './survey.ts'; // prettier-ignore

const question = (id: string, kind: SurveyKind, rest: Partial<SurveyQuestion> = {}): SurveyQuestion => ({ ...newSurveyQuestion(kind, id), text: 'How was it?', ...(kind === 'one' || kind === 'several' ? { choices: ['good', 'fair', 'poor'] } : {}), ...rest }); // prettier-ignore
const survey = { isAnonymous: true, questions: [question('a', 'one', { isRequired: true }), question('b', 'several'), question('c', 'scale'), question('d', 'text')] }; // prettier-ignore

describe('a survey', () => {
  test.each<[string, SurveyQuestion[], string[]]>([
    ['without a question', [], ['has no question yet']],
    ['that is whole', survey.questions, []],
    ['that asks nothing', [question('a', 'text', { text: ' ' })], ['question 1 asks nothing yet']],
    ['with one choice', [question('a', 'one', { choices: ['x'] })], ['question 1 needs two choices at least, each with its words']],
    ['with a choice twice', [question('a', 'several', { choices: ['x', ' x'] })], ['question 1 has the same choice twice']],
  ])('%s', (_, questions, faults) => expect(surveyFaults({ ...NEW_SURVEY, questions })).toEqual(faults));

  test.each<[string, Record<string, unknown>, object, number[]]>([
    ['whole', { a: 'good', b: ['poor', 'good'], c: 4, d: ' Well. ' }, { a: 'good', b: ['good', 'poor'], c: 4, d: 'Well.' }, []],
    ['what is not offered', { a: 'splendid', b: ['x'], c: 6, d: ' ' }, {}, [1]],
    ['of another kind', { a: ['good'], b: 'good', c: '4', d: 4 }, {}, [1]],
    ['nothing', {}, {}, [1]],
    ['to a question that is gone', { a: 'fair', z: 'x' }, { a: 'fair' }, []],
  ])('an answer, %s', (_, given, answers, missing) => expect(readSurveyAnswers(survey, given)).toEqual({ answers, missing }));

  it('tells what it is', () => expect(tellSurvey(survey)).toBe('4 questions, anonymous'));

  it('counts everybody once, whatever order they come in', () => {
    const given = fc.record({ a: fc.constantFrom('good', 'fair', 'poor', null), b: fc.constantFrom(['good'], ['good', 'poor'], null), c: fc.constantFrom(1, 2, 3, 4, 5, null), d: fc.constantFrom('well', null) }); // prettier-ignore
    fc.assert(
      fc.property(fc.array(given, { maxLength: 30 }), (rows) => {
        for (const one of survey.questions) {
          const figures = surveyFigures(one, rows);
          const backwards = surveyFigures(one, [...rows].reverse());
          expect([figures.answered, figures.counts]).toEqual([backwards.answered, backwards.counts]);
          expect(figures.answered).toBe(rows.filter((row) => row[one.id as 'a'] !== null).length);
          if (one.kind === 'one' || one.kind === 'scale') expect(figures.counts.reduce((sum, { count }) => sum + count, 0)).toBe(figures.answered);
          if (figures.mean !== null) expect(figures.mean).toBeGreaterThanOrEqual(1);
        }
      }),
    ); // prettier-ignore
  });

  it('keeps what was chosen once and is offered no more', () =>
    expect(surveyFigures(question('a', 'one', { choices: ['good', 'poor'] }), [{ a: 'fair' }, { a: 'good' }]).counts).toEqual([
      { words: 'good', count: 1 },
      { words: 'poor', count: 0 },
      { words: 'fair', count: 1 },
    ]));
});
