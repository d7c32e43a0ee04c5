import { tellAmount } from '../time/words.ts';
import type { Instant } from '../time/zone.ts';
import {
  feedbackOn,
  isAlwaysMixed,
  optionCount,
  questionFault,
  scoreAnswer,
  tellAnswer,
  tellQuestion,
  tellRightAnswer,
  type Answer,
  type Drawn,
  type Question,
} from './question.ts';

/** Whom a trainer wants to hear of: nothing, every submission, failed ones, or what waits for somebody to mark it. */
export const TOLD_OF = ['nothing', 'all', 'failed', 'waiting'] as const;
export type ToldOf = (typeof TOLD_OF)[number];

export interface Quiz {
  questions: Question[];
  /** so many of them are drawn for each attempt; null is all */
  draw: number | null;
  mixQuestions: boolean;
  mixChoices: boolean;
  /** percent of the points that passes */
  pass: number;
  /** null is without end */
  attempts: number | null;
  /** minutes between two attempts */
  pause: number;
  /** minutes for one attempt; null is without a limit */
  limit: number | null;
  /** what is shown afterwards: the score, what was right of one's own answers, or also what would have been right */
  shows: 'score' | 'own' | 'right';
  told: { of: ToldOf; to: string[]; when: 'at once' | 'per day' };
}

export const NEW_QUIZ: Quiz = {
  questions: [],
  draw: null,
  mixQuestions: false,
  mixChoices: true,
  pass: 80,
  attempts: null,
  pause: 0,
  limit: null,
  shows: 'own',
  told: { of: 'waiting', to: ['trainer'], when: 'per day' },
};

/** What keeps a quiz from being taken, each in a clause. */
export function quizFaults({ questions, draw }: Quiz): string[] {
  if (questions.length === 0) return ['has no question yet'];
  const faults = questions.flatMap((question, i) => {
    const fault = questionFault(question);
    return fault ? [`question ${i + 1} (“${tellQuestion(question).slice(0, 40)}”) ${fault}`] : [];
  });
  const always = questions.filter((question) => question.always).length;
  if (draw !== null && draw > questions.length) faults.push(`draws ${draw} questions and has ${questions.length}`);
  if (draw !== null && draw < always) faults.push(`draws ${draw} questions, and ${always} are always there`);
  return faults;
}

/** A small generator of chance from a seed (mulberry32): the same draw for the same seed. @returns 0 … below 1 */
export function chanceFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/** Every order is as likely as any other (Fisher and Yates). */
export function mixed<T>(list: readonly T[], chance: () => number): T[] {
  const made = [...list];
  for (let i = made.length - 1; i > 0; i--) {
    const j = Math.floor(chance() * (i + 1));
    [made[i], made[j]] = [made[j]!, made[i]!];
  }
  return made;
}

/** The questions of one attempt, and where their options stand. Those that are always there are; the rest by chance. */
export function drawQuiz(quiz: Quiz, seed: number): Drawn[] {
  const chance = chanceFrom(seed);
  const all = quiz.questions.map((_, i) => i);
  let chosen = all;
  if (quiz.draw !== null && quiz.draw < all.length) {
    const always = all.filter((i) => quiz.questions[i]!.always);
    const rest = mixed(
      all.filter((i) => !quiz.questions[i]!.always),
      chance,
    );
    chosen = [...always, ...rest.slice(0, Math.max(0, quiz.draw - always.length))].sort((a, b) => a - b);
  }
  if (quiz.mixQuestions) chosen = mixed(chosen, chance);
  return chosen.map((i) => {
    const question = quiz.questions[i]!;
    const order = Array.from({ length: optionCount(question) }, (_, at) => at);
    if (!quiz.mixChoices && !isAlwaysMixed(question)) return { question, order };
    let made = mixed(order, chance);
    // things to be put in order do not begin in it
    if (isAlwaysMixed(question) && made.length > 1 && made.every((at, place) => at === place)) made = [...made.slice(1), made[0]!];
    return { question, order: made };
  });
}

/** What somebody gave of the points of a question that waits for it, 0 to 1. */
export type Marks = Readonly<Record<string, number>>;
export type Answers = Readonly<Record<string, Answer>>;

export interface Scored {
  points: number;
  max: number;
  /** percent of the points, to a tenth */
  percent: number;
  /** null while something waits for somebody to mark it */
  isPassed: boolean | null;
  /** by question, 0 to 1; null waits */
  shares: Record<string, number | null>;
  waiting: string[];
}

/** Scores an attempt. While something waits, the points are those that are sure. @param pass percent that passes */
export function scoreQuiz(drawn: readonly Drawn[], answers: Answers, marks: Marks, pass: number): Scored {
  const shares: Record<string, number | null> = {};
  const waiting: string[] = [];
  let points = 0;
  let max = 0;
  for (const one of drawn) {
    const { id, points: worth } = one.question;
    const share = scoreAnswer(one, answers[id] ?? null) ?? (id in marks ? Math.min(1, Math.max(0, marks[id]!)) : null);
    shares[id] = share;
    max += worth;
    if (share === null) waiting.push(id);
    else points += worth * share;
  }
  const exact = max > 0 ? (100 * points) / max : 0;
  return {
    points: Math.round(points * 100) / 100,
    max,
    percent: Math.round(exact * 10 + 1e-9) / 10,
    isPassed: waiting.length > 0 ? null : exact >= pass - 1e-9,
    shares,
    waiting,
  };
}

/** One question of an attempt that was submitted, as far as it is shown. */
export interface ToldQuestion {
  text: string;
  answer: string;
  /** null while it waits to be marked */
  isRight: boolean | null;
  share: number | null;
  /** what would have been right, where that is shown */
  right: string | null;
  words: string;
}

/** An attempt that was submitted, question by question, with as much of it as may be shown. */
export const tellAttempt = (drawn: readonly Drawn[], answers: Answers, marks: Marks, shows: Quiz['shows']): ToldQuestion[] =>
  shows === 'score'
    ? []
    : drawn.map((one) => {
        const { id } = one.question;
        const answer = answers[id] ?? null;
        const share = scoreAnswer(one, answer) ?? marks[id] ?? null;
        return {
          text: tellQuestion(one.question),
          answer: tellAnswer(one, answer),
          isRight: share === null ? null : share >= 1,
          share,
          right: shows === 'right' ? tellRightAnswer(one.question) : null,
          words: feedbackOn(one, answer, share),
        };
      });

/** When another attempt may begin, or why none may. */
export type NextAttempt = { kind: 'now' } | { kind: 'at'; at: Instant } | { kind: 'never' } | { kind: 'waits' };

/**
 * @param submitted instants of the attempts so far
 * @param isWaiting the last one waits to be marked: nobody takes another before they know
 * @param extra attempts that somebody gave beyond those of the quiz
 */
export function nextAttempt(
  { attempts, pause }: Pick<Quiz, 'attempts' | 'pause'>,
  submitted: readonly Instant[],
  extra: number,
  now: Instant,
  isWaiting = false,
): NextAttempt {
  if (isWaiting) return { kind: 'waits' };
  if (attempts !== null && submitted.length >= attempts + extra) return { kind: 'never' };
  const last = Math.max(...submitted, -Infinity);
  const at = last + pause * 60_000;
  return pause > 0 && submitted.length > 0 && at > now ? { kind: 'at', at } : { kind: 'now' };
}

/** "10 questions of 24, 80 % passes, 3 attempts, 20 minutes" */
export function tellQuiz({ questions, draw, pass, attempts, limit }: Quiz): string {
  const count =
    draw !== null && draw < questions.length
      ? `${tellAmount(draw, 'questions')} of ${questions.length}`
      : tellAmount(questions.length, 'questions');
  return [
    count,
    `${pass} % passes`,
    attempts === null ? 'as often as one likes' : attempts === 1 ? 'one attempt' : `${attempts} attempts`,
    ...(limit === null ? [] : [tellAmount(limit, 'minutes')]),
  ].join(', ');
}

/** How a question does among those who took it: a trainer sees which one misleads. */
export interface ItemFigures {
  taken: number;
  /** share of its points that was earned */
  right: number | null;
  /** how much it goes with the rest of the quiz, −1 to 1 (point-biserial, the question itself left out); null while few took it */
  discrimination: number | null;
}

/** @param rows for each attempt the share of the question, and of the rest of the attempt */
export function itemFigures(rows: readonly { share: number; rest: number }[]): ItemFigures {
  const taken = rows.length;
  if (taken === 0) return { taken, right: null, discrimination: null };
  const mean = (of: (row: { share: number; rest: number }) => number): number => rows.reduce((sum, row) => sum + of(row), 0) / taken;
  const [x, y] = [mean(({ share }) => share), mean(({ rest }) => rest)];
  const covariance = mean(({ share, rest }) => (share - x) * (rest - y));
  const spread = Math.sqrt(mean(({ share }) => (share - x) ** 2) * mean(({ rest }) => (rest - y) ** 2));
  return { taken, right: x, discrimination: taken < 5 || spread < 1e-9 ? null : covariance / spread };
}
