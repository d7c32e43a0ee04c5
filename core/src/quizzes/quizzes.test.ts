import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { templateFault } from '../messages/template.ts';
import { STANDARD_PLAN } from '../plans/standard.ts';
import { stepFault } from '../plans/step.ts';
import { readQuestions } from './paste.ts';
import { withToldSteps } from './told.ts';
import { feedbackOn, newQuestion, QUESTION_KINDS, questionFault, readNumber, scoreAnswer, showQuestion, tellAnswer, tellRightAnswer, type Answer, type Drawn, type Question, type QuestionKind } from './question.ts'; // prettier-ignore
import { drawQuiz, itemFigures, NEW_QUIZ, nextAttempt, quizFaults, scoreQuiz, tellQuiz, type Quiz } from './quiz.ts';

const q = <K extends QuestionKind>(kind: K, rest: Partial<Extract<Question, { kind: K }>> = {}): Question =>
  ({ ...newQuestion(kind, `q-${kind}`), text: '<p>Which?</p>', ...rest }) as Question;
const choice = (text: string, isRight = false, words = '') => ({ text, isRight, words });
const HOSES = q('one', { choices: [choice('Red', true, 'Yes, red.'), choice('Green', false, 'Green is for foam.'), choice('Blue')] });
const KIT = q('several', { choices: [choice('Jacket', true), choice('Light', true), choice('Whistle', true), choice('Hammer')] });
const REEF = q('order', { items: ['Alarm', 'Muster', 'Count'] });
const PAIRS = q('match', { pairs: [{ left: 'Red', right: 'Fire' }, { left: 'Green', right: 'Exit' }, { left: 'Blue', right: 'Must' }] }); // prettier-ignore
const GAPS = q('gaps', { body: 'Push the [[red|crimson]] button and [[shout]].' });
const straight = (question: Question): Drawn => ({ question, order: Array.from({ length: 9 }, (_, i) => i).slice(0, showCount(question)) });
const showCount = (question: Question): number => drawQuiz({ ...NEW_QUIZ, questions: [question], mixChoices: false }, 1)[0]!.order.length;

describe('an answer earns', () => {
  test.each<[string, Question, Answer, number | null]>([
    ['the right choice: all', HOSES, 0, 1],
    ['a wrong choice: nothing', HOSES, 1, 0],
    ['a choice that there is not: nothing', HOSES, 7, 0],
    ['no answer: nothing', HOSES, null, 0],
    ['all right ones: all', KIT, [2, 0, 1], 1],
    ['two of three right ones', KIT, [0, 1], 2 / 3],
    ['a wrong one takes a right one away', KIT, [0, 1, 3], 1 / 3],
    ['everything chosen', KIT, [0, 1, 2, 3], 2 / 3],
    ['only the wrong one: never less than nothing', KIT, [3], 0],
    ['the same one twice counts once', KIT, [0, 0, 0], 1 / 3],
    ['all or nothing, where it is said', { ...KIT, partial: false } as Question, [0, 1], 0],
    ['the truth', q('truth', { isTrue: false }), false, 1],
    ['no truth', q('truth', { isTrue: false }), null, 0],
    ['words, whatever their case', q('text', { accepted: ['Fire door'] }), '  fire   DOOR ', 1],
    ['words, whatever their accents', q('text', { accepted: ['Trosse über'] }), 'trosse uber', 1],
    ['words by their case, where it counts', q('text', { accepted: ['kWh'], byCase: true }), 'KWH', 0],
    ['words by their accents, where they count', q('text', { accepted: ['älg'], byAccent: true }), 'alg', 0],
    ['words that a trainer reads wait', q('text', { accepted: ['a'], isMarked: true }), 'because of the wind', null],
    ['words that are accepted need no trainer', q('text', { accepted: ['a'], isMarked: true }), 'A', 1],
    ['nothing written needs no trainer', q('text', { accepted: ['a'], isMarked: true }), '  ', 0],
    ['a number within its tolerance', q('number', { value: 36, tolerance: 0.5, unit: 'm' }), '36,5 m', 1],
    ['a number beyond it', q('number', { value: 36, tolerance: 0.5, unit: 'm' }), '36.51', 0],
    ['a number that floats', q('number', { value: 0.3, tolerance: 0, unit: '' }), String(0.1 + 0.2).slice(0, 12), 1],
    ['no number', q('number', { value: 0, tolerance: 0, unit: '' }), 'none', 0],
    ['the right order', REEF, [0, 1, 2], 1],
    ['one thing in its place', REEF, [0, 2, 1], 1 / 3],
    ['an order cut short', REEF, [0], 1 / 3],
    ['pairs that are right', PAIRS, [0, 1, 2], 1],
    ['one pair of three', PAIRS, [0, 2, 1], 1 / 3],
    ['pairs left open', PAIRS, [0, null, 2], 2 / 3],
    ['gaps', GAPS, ['Crimson', 'SHOUT'], 1],
    ['one gap of two', GAPS, ['red', ''], 1 / 2],
  ])('%s', (_, question, answer, share) => {
    const scored = scoreAnswer(straight(question), answer);
    if (share === null) expect(scored).toBeNull();
    else expect(scored).toBeCloseTo(share, 10);
  });

  it('in every order the right answer is the right one, and no other choice is', () => {
    fc.assert(
      fc.property(fc.integer(), fc.boolean(), (seed, mixChoices) => {
        for (const question of [HOSES, KIT, REEF, PAIRS]) {
          const [drawn] = drawQuiz({ ...NEW_QUIZ, questions: [question], mixChoices }, seed) as [Drawn];
          const at = (original: number): number => drawn.order.indexOf(original);
          const right: Answer = question === HOSES ? at(0) : question === KIT ? [at(0), at(1), at(2)] : [at(0), at(1), at(2)];
          expect(scoreAnswer(drawn, right)).toBe(1);
          expect(tellAnswer(drawn, right).split('; ').sort()).toEqual(tellRightAnswer(question).split('; ').sort());
          if (question === HOSES) expect([at(1), at(2)].map((wrong) => scoreAnswer(drawn, wrong))).toEqual([0, 0]);
        }
      }),
    );
  });

  it('between nothing and all, whatever comes, and never an error', () => {
    const json = fc.oneof(
      fc.jsonValue(),
      fc.array(fc.oneof(fc.integer({ min: -2, max: 6 }), fc.string(), fc.constant(null))),
      fc.integer({ min: -2, max: 6 }),
    );
    fc.assert(
      fc.property(json, fc.integer(), fc.constantFrom(HOSES, KIT, REEF, PAIRS, GAPS, q('truth'), q('text', { accepted: ['x'], isMarked: true }), q('number')), (answer, seed, question) => {
        const [drawn] = drawQuiz({ ...NEW_QUIZ, questions: [question] }, seed) as [Drawn];
        const share = scoreAnswer(drawn, answer as Answer);
        if (share !== null) expect(share).toBeGreaterThanOrEqual(0);
        expect(share ?? 0).toBeLessThanOrEqual(1);
        expect(typeof tellAnswer(drawn, answer as Answer)).toBe('string');
        expect(typeof feedbackOn(drawn, answer as Answer, share)).toBe('string');
      }),
    ); // prettier-ignore
  });
});

describe('before it is answered', () => {
  it.each(QUESTION_KINDS)('nothing of a question of the kind "%s" tells what is right', (kind) => {
    const full: Record<QuestionKind, Question> = {
      one: HOSES, several: KIT, order: REEF, match: PAIRS, gaps: GAPS, truth: q('truth', { whenRight: 'secret' }),
      text: q('text', { accepted: ['secret'] }), number: q('number', { value: 4711, tolerance: 3 }),
    }; // prettier-ignore
    const [drawn] = drawQuiz({ ...NEW_QUIZ, questions: [full[kind]] }, 3) as [Drawn];
    const shown = showQuestion(drawn);
    expect(Object.keys(shown).sort()).toEqual(['around', 'id', 'kind', 'lefts', 'options', 'picture', 'points', 'text', 'unit']);
    expect(JSON.stringify(shown)).not.toMatch(/secret|4711|isRight|isTrue|accepted|crimson|shout|Green is for foam/);
  });
  it('things to be put in order never begin in it, and stand together', () => {
    fc.assert(
      fc.property(fc.integer(), (seed) => {
        const [order, match] = drawQuiz({ ...NEW_QUIZ, questions: [REEF, PAIRS], mixChoices: false }, seed);
        expect(showQuestion(order!).options).not.toEqual(['Alarm', 'Muster', 'Count']);
        expect([...showQuestion(order!).options].sort()).toEqual(['Alarm', 'Count', 'Muster']);
        expect(showQuestion(match!).options).not.toEqual(['Fire', 'Exit', 'Must']);
      }),
    );
  });
});

describe('drawing', () => {
  const pool = (count: number, always: readonly number[]): Question[] =>
    Array.from({ length: count }, (_, i) => ({ ...HOSES, id: `q${i}`, always: always.includes(i) }));
  it('takes as many as are asked for, each once, those that are always there, and the same for the same seed', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 24 }), fc.nat(24), fc.nat(5), fc.integer(), fc.boolean(), (count, n, keep, seed, mixQuestions) => {
        const always = Array.from({ length: Math.min(keep, count) }, (_, i) => i);
        const draw = Math.max(always.length, Math.min(n, count));
        const quiz: Quiz = { ...NEW_QUIZ, questions: pool(count, always), draw, mixQuestions };
        const drawn = drawQuiz(quiz, seed);
        const ids = drawn.map(({ question }) => question.id);
        expect(new Set(ids).size).toBe(draw);
        for (const i of always) expect(ids).toContain(`q${i}`);
        if (!mixQuestions) expect(ids).toEqual([...ids].sort((a, b) => Number(a.slice(1)) - Number(b.slice(1))));
        expect(drawQuiz(quiz, seed)).toEqual(drawn);
      }),
    ); // prettier-ignore
  });
  it('gives every question of a pool its turn', () => {
    const seen = new Map<string, number>();
    for (let seed = 0; seed < 4_000; seed++)
      for (const { question } of drawQuiz({ ...NEW_QUIZ, questions: pool(8, []), draw: 2 }, seed))
        seen.set(question.id, (seen.get(question.id) ?? 0) + 1);
    for (const count of seen.values()) expect(Math.abs(count - 1_000)).toBeLessThan(150);
  });
});

describe('a quiz', () => {
  const drawn = [HOSES, { ...KIT, points: 3 } as Question, q('text', { isMarked: true, accepted: [] })].map(straight);
  it('adds its points up; what waits is not lost and not counted before', () => {
    const answers = { 'q-one': 0, 'q-several': [0, 1], 'q-text': 'because' };
    expect(scoreQuiz(drawn, answers, {}, 80)).toMatchObject({ points: 3, max: 5, percent: 60, isPassed: null, waiting: ['q-text'] });
    expect(scoreQuiz(drawn, answers, { 'q-text': 0.5 }, 70)).toMatchObject({ points: 3.5, percent: 70, isPassed: true, waiting: [] });
    expect(scoreQuiz(drawn, answers, { 'q-text': 0 }, 70)).toMatchObject({ percent: 60, isPassed: false });
  });
  it('a third of three times is the whole: nobody fails by what floats', () => {
    const three = Array.from({ length: 3 }, (_, i) => straight({ ...KIT, id: `k${i}`, points: 0.1 } as Question));
    expect(scoreQuiz(three, { k0: [0, 1, 2], k1: [0, 1, 2], k2: [0, 1, 2] }, {}, 100)).toMatchObject({ percent: 100, isPassed: true });
  });
  it('more that is right never gives fewer points', () => {
    fc.assert(
      fc.property(fc.array(fc.boolean(), { minLength: 1, maxLength: 8 }), fc.nat(7), (right, more) => {
        const list = right.map((_, i) => straight({ ...HOSES, id: String(i), points: 1 + (i % 3) } as Question));
        const answersOf = (which: readonly boolean[]) => Object.fromEntries(which.map((is, i) => [String(i), is ? 0 : 1]));
        const before = scoreQuiz(list, answersOf(right), {}, 50);
        const after = scoreQuiz(list, answersOf(right.map((is, i) => is || i === more)), {}, 50);
        expect(after.points).toBeGreaterThanOrEqual(before.points);
        expect(after.percent).toBeLessThanOrEqual(100);
        if (before.isPassed) expect(after.isPassed).toBe(true);
      }),
    );
  });
  test.each<[string, Partial<Quiz>, number[], number, object]>([
    ['the first', { attempts: 2 }, [], 0, { kind: 'now' }],
    ['after a pause', { attempts: 2, pause: 60 }, [1_000], 0, { kind: 'at', at: 3_601_000 }],
    ['once the pause is over', { attempts: 2, pause: 60 }, [1_000 - 3_600_000], 0, { kind: 'now' }],
    ['none is left', { attempts: 2 }, [1, 2], 0, { kind: 'never' }],
    ['one was given', { attempts: 2 }, [1, 2], 1, { kind: 'now' }],
    ['as often as one likes', { attempts: null }, [1, 2, 3, 4], 0, { kind: 'now' }],
  ])('another attempt: %s', (_, quiz, submitted, extra, next) =>
    expect(nextAttempt({ attempts: null, pause: 0, ...quiz }, submitted, extra, 2_000)).toEqual(next),
  );
  it('another attempt: not before the last one was marked', () =>
    expect(nextAttempt({ attempts: null, pause: 0 }, [1], 0, 2_000, true)).toEqual({ kind: 'waits' }));
  test.each<[Partial<Quiz>, string[]]>([
    [{}, ['has no question yet']],
    [{ questions: [HOSES], draw: 3 }, ['draws 3 questions and has 1']],
    [{ questions: [{ ...HOSES, always: true }, { ...KIT, always: true }], draw: 1 }, ['draws 1 questions, and 2 are always there']],
    [{ questions: [q('one')] }, ['question 1 (“Which?”) has a choice without words']],
    [{ questions: [{ ...HOSES, text: ' ' }, q('gaps', { body: 'No gap' }), q('match'), { ...HOSES, points: 0 }] }, ['question 1 (“a question”) asks nothing yet', 'question 2 (“Which?”) has no gap: write what belongs into one between [[ and ]]', 'question 3 (“Which?”) has a pair that lacks a side', 'question 4 (“Which?”) earns no points']],
  ])('%j lacks', (rest, words) => expect(quizFaults({ ...NEW_QUIZ, ...rest })).toEqual(words)); // prettier-ignore
  it('in words', () =>
    expect(tellQuiz({ ...NEW_QUIZ, questions: [HOSES, KIT], draw: 1, attempts: 3, limit: 20 })).toBe(
      '1 question of 2, 80 % passes, 3 attempts, 20 minutes',
    ));
  it('and how its questions do', () => {
    const rows = [[1, 0.9], [1, 0.8], [1, 0.7], [0, 0.3], [0, 0.2], [0, 0.1]].map(([share, rest]) => ({ share: share!, rest: rest! })); // prettier-ignore
    expect(itemFigures(rows).right).toBe(0.5);
    expect(itemFigures(rows).discrimination!).toBeGreaterThan(0.9);
    expect(itemFigures(rows.map(({ share, rest }) => ({ share, rest: 1 - rest }))).discrimination!).toBeLessThan(-0.9);
    expect(itemFigures(rows.slice(0, 3))).toMatchObject({ taken: 3, discrimination: null });
    expect(itemFigures([])).toEqual({ taken: 0, right: null, discrimination: null });
  });
});

test.each([['3,5', 3.5], ['3.5', 3.5], ['1 200', 1200], ['1,200.5', 1200.5], ['1.200,5', 1200.5], ['−4', -4], ['12 m', null], ['1e3', null], ['', null], ['1,2,3', null]])('a number typed as %j', (typed, number) => expect(readNumber(typed)).toBe(number)); // prettier-ignore

describe('questions from a text', () => {
  let n = 0;
  const read = (text: string) => readQuestions(text, () => `q${++n}`);
  it('of every kind', () => {
    const { questions, faults } = read(`1. Which hose?
+ Red
- Green

What do you bring?
+ Jacket
+ Light
- Hammer

2) The alarm is a bell.
false

Who counts?
= The chief officer
= chief officer

How long is the painter?
= 36 +- 0,5 m

In which order?
1) Alarm
2) Muster

What means what?
Red : Fire
Green : Exit

Push the [[red|crimson]] button.`);
    expect(faults).toEqual([]);
    expect(questions.map(({ kind }) => kind)).toEqual(['one', 'several', 'truth', 'text', 'number', 'order', 'match', 'gaps']);
    expect(questions.map(questionFault)).toEqual(questions.map(() => null));
    expect(questions[4]).toMatchObject({ value: 36, tolerance: 0.5, unit: 'm', text: '<p>How long is the painter?</p>' });
    expect(questions[6]).toMatchObject({ pairs: [{ left: 'Red', right: 'Fire' }, { left: 'Green', right: 'Exit' }] }); // prettier-ignore
  });
  it('names each that cannot be read, with its line, and reads the rest', () => {
    const { questions, faults } = read('Alone\n\nWhich?\n- A\n- B\n\nOdd?\n+ A\nB\n\nWhich <b>one</b>?\n+ A\n- B');
    expect(faults.map(({ line }) => line)).toEqual([1, 3, 9]);
    expect(faults[1]!.words).toBe('“Which?” has no right choice: one begins with +');
    expect(questions.map(({ text }) => text)).toEqual(['<p>Which &lt;b&gt;one&lt;/b&gt;?</p>']);
  });
});

describe('the trainer is told by a step of the plan', () => {
  const unit = (told: Partial<Quiz['told']>, id = '7', title = 'The hoses') => ({
    id,
    title,
    quiz: { ...NEW_QUIZ, told: { ...NEW_QUIZ.told, ...told } },
  });
  it('of what it is to tell, to whom, and how often', () => {
    const [step] = withToldSteps([], [unit({ of: 'failed', when: 'at once', to: ['trainer', 'ops@orlasund.example'] })]);
    expect(step).toMatchObject({ id: 'quiz-7', name: '“The hoses” was not passed', anchor: { event: 'quiz-failed', unit: '7' }, at: null, gather: 'none', to: ['trainer', 'ops@orlasund.example'], on: true }); // prettier-ignore
    expect(stepFault(step!)).toBeNull();
    expect(templateFault(step!.message)).toBeNull();
    expect(withToldSteps([], [unit({ of: 'waiting', when: 'per day' })])[0]).toMatchObject({
      anchor: { event: 'quiz-waiting' },
      at: '16:00',
      gather: 'per day',
    });
  });
  it('changed and taken away as the quiz says; what was written on the plan stays', () => {
    const [step] = withToldSteps([], [unit({ of: 'all' })]);
    const mine = [{ ...STANDARD_PLAN[0]! }, { ...step!, on: false, message: { ...step!.message, subject: 'Mine' } }];
    const [invitation, kept] = withToldSteps(mine, [unit({ of: 'failed' })]);
    expect(invitation).toEqual(STANDARD_PLAN[0]);
    expect(kept).toMatchObject({ on: false, message: { subject: 'Mine' }, anchor: { event: 'quiz-failed' } });
    expect(withToldSteps([step!], [unit({ of: 'failed', when: 'at once' })])[0]!.message).toMatchObject({ subject: '{quiz} of {course} was not passed', button: 'Open the attempt' }); // prettier-ignore
    expect(withToldSteps(mine, [unit({ of: 'nothing' })])).toEqual([STANDARD_PLAN[0]]);
    expect(withToldSteps(mine, [])).toEqual([STANDARD_PLAN[0]]);
    const again = withToldSteps(mine, [unit({ of: 'all' })]);
    expect(withToldSteps(again, [unit({ of: 'all' })])).toEqual(again);
  });
});
