import type { AssignmentEvent } from '../assignments/event.ts';
import { tellAmount } from '../time/words.ts';

/** What finishes a course. `all` its required units, `some` of them, or a score that they reach together by their weights. */
export type FinishRule = { kind: 'all' } | { kind: 'some'; units: number } | { kind: 'score'; percent: number };

export const FINISH_ALL: FinishRule = { kind: 'all' };

/** What finishing looks at of a unit. */
export interface Counted {
  id: string;
  required: boolean;
  weight: number;
}

export interface Progress {
  /** required units done, and how many of them it takes */
  done: number;
  of: number;
  /** whole percent, by weight: never 100 before it is finished, and 100 where it is */
  percent: number;
  isFinished: boolean;
}

/**
 * How far somebody is in a course.
 * @param scoreOf the best score in a unit, 0 to 1, or null where it has none: then it counts whole once it is done
 */
export function progressIn(
  rule: FinishRule,
  units: readonly Counted[],
  done: ReadonlySet<string>,
  scoreOf: (unit: string) => number | null = () => null,
): Progress {
  const counted = units.filter(({ required }) => required);
  const isDone = counted.filter(({ id }) => done.has(id));
  const weigh = (list: readonly Counted[], of: (unit: Counted) => number): number =>
    list.reduce((sum, unit) => sum + unit.weight * of(unit), 0);
  const whole = weigh(counted, () => 1);
  let share: number;
  let of = counted.length;
  let isFinished: boolean;
  switch (rule.kind) {
    case 'all':
      share = whole > 0 ? weigh(isDone, () => 1) / whole : 0;
      isFinished = isDone.length === counted.length;
      break;
    case 'some':
      of = Math.min(rule.units, counted.length);
      share = isDone.length / Math.max(1, rule.units);
      isFinished = isDone.length >= rule.units;
      break;
    case 'score': {
      const reached = whole > 0 ? weigh(counted, ({ id }) => scoreOf(id) ?? (done.has(id) ? 1 : 0)) / whole : 0;
      share = reached / (rule.percent / 100);
      // 0.1 + 0.2 is not quite 0.3, and nobody is to fail by that
      isFinished = share >= 1 - 1e-9;
    }
  }
  isFinished &&= counted.length > 0;
  const percent = isFinished ? 100 : Math.max(0, Math.min(99, Math.floor(share * 100 + 1e-9)));
  return { done: Math.min(isDone.length, of), of, percent, isFinished };
}

/** The best score in each unit that has one, 0 to 1, from the events of an assignment that count. */
export function bestScores(events: readonly AssignmentEvent[]): Map<string, number> {
  const best = new Map<string, number>();
  for (const event of events) {
    if (event.type === 'package-told') {
      if (event.score != null) best.set(event.unit, Math.max(best.get(event.unit) ?? 0, event.score / 100));
      continue;
    }
    if ((event.type !== 'quiz-submitted' && event.type !== 'quiz-marked') || !event.unit || event.score == null || event.passed == null)
      continue;
    best.set(event.unit, Math.max(best.get(event.unit) ?? 0, event.score / 100));
  }
  return best;
}

/** What keeps a course from ever being finished, in a sentence, or null. */
export function finishFault(rule: FinishRule, units: readonly Counted[]): string | null {
  const counted = units.filter(({ required }) => required);
  if (counted.length === 0) return 'No unit is required, so nobody could finish it: mark at least one as required.';
  if (rule.kind === 'some' && rule.units > counted.length)
    return `It asks for ${rule.units} required units and has ${counted.length}: nobody could finish it.`;
  if (counted.every(({ weight }) => weight === 0)) return 'All required units weigh nothing: give at least one a weight.';
  return null;
}

/** "all 5 required units are done" */
export function tellFinish(rule: FinishRule, units: readonly Counted[]): string {
  const count = units.filter(({ required }) => required).length;
  if (rule.kind === 'all') return count === 1 ? 'the one required unit is done' : `all ${count} required units are done`;
  if (rule.kind === 'some') return `${rule.units} of the ${tellAmount(count, 'required units')} are done`;
  return `the required units reach ${rule.percent} % together, by their weights`;
}
