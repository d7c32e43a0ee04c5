import { tellList } from '../time/words.ts';
import {
  NAMES_THEMSELVES,
  prepareLeaf,
  tellLeaf,
  type ConditionAssignment,
  type ConditionPerson,
  type Leaf,
  type LeafTest,
  type Names,
  type Structure,
} from './catalogue.ts';

/** Data, never code: stored with a step or a requirement, written in words wherever it is shown. */
export type Condition = { all: readonly Condition[] } | { any: readonly Condition[] } | { not: Condition } | Leaf;

export const isLeaf = (condition: Condition): condition is Leaf => !('all' in condition || 'any' in condition || 'not' in condition);

/** Every leaf of a condition, in reading order. */
export function leavesOf(condition: Condition): Leaf[] {
  if (isLeaf(condition)) return [condition];
  if ('not' in condition) return leavesOf(condition.not);
  return ('all' in condition ? condition.all : condition.any).flatMap(leavesOf);
}

/** What a condition of a plan is asked of. */
export interface ConditionFacts extends ConditionAssignment {
  person: ConditionPerson;
}

/** Where people stand in no structure: a rehearsal file has none. */
const FLAT: Structure = { parentOf: () => null, managerOf: () => null };
// a step's condition is asked of everybody, a million times: it is made ready once
const ready = new WeakMap<Structure, WeakMap<Leaf, LeafTest>>();

function readyTest(leaf: Leaf, structure: Structure): LeafTest {
  let tests = ready.get(structure);
  if (!tests) ready.set(structure, (tests = new WeakMap()));
  let test = tests.get(leaf);
  if (!test) tests.set(leaf, (test = prepareLeaf(leaf, structure)));
  return test;
}

/** Whether the condition of a step holds. Lists mean "one of these". */
export function holds(condition: Condition, facts: ConditionFacts, structure: Structure = FLAT): boolean {
  if (isLeaf(condition)) return readyTest(condition, structure)(facts.person, facts, null);
  if ('not' in condition) return !holds(condition.not, facts, structure);
  if ('all' in condition) return condition.all.every((part) => holds(part, facts, structure));
  return condition.any.some((part) => holds(part, facts, structure));
}

/** The condition in words: `in Deck or Engine and not finished`. */
export function tellCondition(condition: Condition, names: Names = NAMES_THEMSELVES): string {
  if (isLeaf(condition)) return tellLeaf(condition, names);
  if ('not' in condition) return isLeaf(condition.not) ? tellLeaf(condition.not, names, true) : `not ${tellPart(condition.not, names)}`;
  if ('all' in condition) return condition.all.length ? tellList(condition.all.map((part) => tellPart(part, names))) : 'always';
  return condition.any.length
    ? tellList(
        condition.any.map((part) => tellPart(part, names)),
        'or',
      )
    : 'never';
}

const tellPart = (condition: Condition, names: Names): string =>
  'all' in condition || 'any' in condition ? `(${tellCondition(condition, names)})` : tellCondition(condition, names);
