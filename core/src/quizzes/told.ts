import type { AnchorEvent } from '../plans/anchor.ts';
import { paragraphs, type PlanStep } from '../plans/standard.ts';
import type { Quiz, ToldOf } from './quiz.ts';

const ANCHORS: Record<Exclude<ToldOf, 'nothing'>, AnchorEvent> = { all: 'quiz-submitted', failed: 'quiz-failed', waiting: 'quiz-waiting' };
const WHAT: Record<Exclude<ToldOf, 'nothing'>, string> = { all: 'was submitted', failed: 'was not passed', waiting: 'waits for marking' };
/** When what came in on a day is told together. */
const GATHERED_AT = '16:00';

export const toldStepId = (unit: string): string => `quiz-${unit}`;

const textFor = (of: Exclude<ToldOf, 'nothing'>, when: Quiz['told']['when']): PlanStep['message'] => ({
  subject: `{quiz} of {course} ${WHAT[of]}`,
  body: paragraphs('Hello {recipient},', '{full name}: {quiz} of {course}, attempt {quiz attempt}: {quiz result}.'),
  button: when === 'per day' ? 'Open what came in' : 'Open the attempt',
});

/** Whether a text is one of ours: then it goes with what the quiz tells of. */
function isStandard({ subject, body, button }: PlanStep['message']): boolean {
  return (['all', 'failed', 'waiting'] as const).some((of) =>
    (['at once', 'per day'] as const).some((when) => {
      const ours = textFor(of, when);
      return ours.subject === subject && ours.body === body && ours.button === button;
    }),
  );
}

/** The step of the plan by which a trainer hears of a quiz: one like any other, with the same ledger and the same why. */
export function toldStep(
  unit: { id: string; title: string },
  { of, to, when }: Quiz['told'],
  before: PlanStep | null = null,
): PlanStep | null {
  if (of === 'nothing' || to.length === 0) return null;
  return {
    id: toldStepId(unit.id),
    kind: 'follow-up',
    offset: { amount: 0, unit: 'days' },
    repeat: null,
    endsOn: null,
    onlyIf: null,
    stopWhen: null,
    window: null,
    // whoever changed its text or switched it off on the plan keeps that
    on: before?.on ?? true,
    message: before && !isStandard(before.message) ? before.message : textFor(of, when),
    name: `“${unit.title}” ${WHAT[of]}`.slice(0, 200),
    anchor: { event: ANCHORS[of], unit: unit.id },
    at: when === 'per day' ? GATHERED_AT : null,
    gather: when === 'per day' ? 'per day' : 'none',
    to,
  };
}

/** The steps of a plan with those by which trainers hear of its quizzes: made, changed and taken away as the quizzes say. */
export function withToldSteps(steps: readonly PlanStep[], quizzes: readonly { id: string; title: string; quiz: Quiz }[]): PlanStep[] {
  const made = new Map(
    quizzes.map((unit) => [
      toldStepId(unit.id),
      toldStep(unit, unit.quiz.told, steps.find(({ id }) => id === toldStepId(unit.id)) ?? null),
    ]),
  );
  const kept = steps.flatMap((step) => {
    if (!/^quiz-\d+$/.test(step.id)) return [step];
    const now = made.get(step.id) ?? null;
    return now ? [now] : [];
  });
  const there = new Set(kept.map(({ id }) => id));
  return [...kept, ...[...made.values()].filter((step): step is PlanStep => step !== null && !there.has(step.id))];
}
