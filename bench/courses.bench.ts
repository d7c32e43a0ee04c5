import {
  Calendar,
  drawQuiz,
  NEW_QUIZ,
  newQuestion,
  pendingOpenings,
  scoreQuiz,
  type Answer,
  type Question,
  type Released,
} from '@nudrik/core';
import { report, timed } from './measure.ts';

/** Scoring and release, one core: no database, no clock. */
export function coursesBench(): void {
  const choices = ['Red', 'Green', 'Blue', 'White'].map((text, i) => ({ text, isRight: i === 0, words: '' }));
  const questions: Question[] = Array.from({ length: 40 }, (_, i) => {
    const of = (['one', 'several', 'text', 'order', 'gaps'] as const)[i % 5]!;
    const made = { ...newQuestion(of, `q${i}`), text: '<p>Which?</p>' };
    if (made.kind === 'one' || made.kind === 'several') return { ...made, choices } as Question;
    if (made.kind === 'text') return { ...made, accepted: ['Fire door', 'The fire door'] } as Question;
    if (made.kind === 'order') return { ...made, items: ['Alarm', 'Muster', 'Count', 'Boats'] } as Question;
    return { ...made, body: 'Push the [[red|crimson]] button and [[shout]].' } as Question;
  });
  const quiz = { ...NEW_QUIZ, questions, draw: 20, mixQuestions: true };
  const ATTEMPTS = 20_000;
  const attempts = Array.from({ length: ATTEMPTS }, (_, i) => {
    const drawn = drawQuiz(quiz, i);
    const answers = Object.fromEntries(
      drawn.map(({ question: { id, kind } }, n): [string, Answer] => [
        id,
        kind === 'one'
          ? (i + n) % 4
          : kind === 'several'
            ? [n % 4]
            : kind === 'text'
              ? 'fire  DOOR'
              : kind === 'order'
                ? [0, 2, 1, 3]
                : ['red', 'call'],
      ]),
    );
    return { drawn, answers };
  });
  const scored = timed(() => attempts.reduce((sum, { drawn, answers }) => sum + scoreQuiz(drawn, answers, {}, 80).points, 0));
  report(
    'scoring 20,000 attempts of 20 questions',
    `${scored.seconds.toFixed(2)} s, ${Math.round(ATTEMPTS / scored.seconds).toLocaleString('en')} attempts a second`,
    scored.seconds <= 1 ? 'goal 1 s' : '!! goal 1 s',
  );

  const PEOPLE = 5_000;
  const units: Released[] = Array.from({ length: 50 }, (_, i) => ({
    id: String(i + 1),
    title: `Unit ${i + 1}`,
    kind: 'page',
    release:
      i % 2
        ? { kind: 'weekday', weekday: 1 + (i % 5), nth: 1 + (i >> 1), at: '08:00' }
        : { kind: 'after', amount: i, unit: 'working days', at: '08:00' },
  }));
  const calendars = ['Europe/Oslo', 'Europe/London'].map(
    (zone) => new Calendar({ id: zone, zone, workingDays: [1, 2, 3, 4, 5], holidays: ['2027-03-26', '2027-03-29'] }),
  );
  const start = Date.parse('2027-03-01T08:00:00Z');
  const planned = timed(() => {
    let count = 0;
    for (let i = 0; i < PEOPLE; i++)
      count += pendingOpenings(units, { assignedAt: start + (i % 90) * 86_400_000, dueAt: start, events: [] }, calendars[i % 2]!).length;
    return count;
  });
  const rate = (PEOPLE * units.length) / planned.seconds;
  report(
    'release of 50 units × 5,000 people',
    `${planned.seconds.toFixed(2)} s, ${Math.round(rate).toLocaleString('en')} units a second, ${planned.value.toLocaleString('en')} to come`,
    rate >= 200_000 ? 'goal 200,000' : '!! goal 200,000',
  );
}
