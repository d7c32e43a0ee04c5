import { CONDITIONS, leafName, type ConditionValue, type Leaf } from '../conditions/catalogue.ts';
import { isLeaf, type Condition } from '../conditions/condition.ts';
import { withConditions, withoutPictures } from '../messages/body.ts';
import { withTexts } from '../messages/texts.ts';
import { namedPerson, roleOfPerson, type Role } from '../people/role.ts';
import type { Anchor } from './anchor.ts';
import type { PlanStep } from './standard.ts';

/** What the steps of a plan name by an id in a house, and by a name in a file. */
export type NamedKind = 'department' | 'site' | 'group' | 'course' | 'person' | 'unit' | 'section';
export type Rename = (kind: NamedKind, value: string) => string;

const KIND_OF: Partial<Record<ConditionValue, NamedKind>> = {
  departments: 'department',
  sites: 'site',
  groups: 'group',
  courses: 'course',
  people: 'person',
  unit: 'unit',
};

function renamedLeaf(leaf: Leaf, rename: Rename): Leaf {
  const name = leafName(leaf);
  const { takes } = CONDITIONS[name];
  const value = (leaf as Record<string, unknown>)[name];
  if (takes === 'score' || takes === 'attempts') {
    const of = value as { unit: string; atLeast: number };
    return { ...leaf, [name]: { ...of, unit: rename('unit', of.unit) } } as Leaf;
  }
  const kind = KIND_OF[takes];
  if (!kind) return leaf;
  const renamed = Array.isArray(value) ? (value as string[]).map((one) => rename(kind, one)) : rename(kind, value as string);
  return { ...leaf, [name]: renamed } as Leaf;
}

function renamedCondition(condition: Condition, rename: Rename): Condition {
  if (isLeaf(condition)) return renamedLeaf(condition, rename);
  if ('not' in condition) return { not: renamedCondition(condition.not, rename) };
  if ('all' in condition) return { all: condition.all.map((part) => renamedCondition(part, rename)) };
  return { any: condition.any.map((part) => renamedCondition(part, rename)) };
}

function renamedAnchor(anchor: Anchor, rename: Rename): Anchor {
  const { unit, section, units: _, ...rest } = anchor;
  return {
    ...rest,
    ...(unit !== undefined && { unit: rename('unit', unit) }),
    // the units of a section are looked up where it stands
    ...(section !== undefined && { section: rename('section', section) }),
  };
}

const renamedRole = (role: Role, rename: Rename): Role => {
  const id = namedPerson(role);
  return id === null ? role : roleOfPerson(rename('person', id));
};

/** Steps with everything that they name under another name: ids for a house, names for a file. */
export const renamedSteps = (steps: readonly PlanStep[], rename: Rename): PlanStep[] =>
  steps.map((step) => ({
    ...step,
    anchor: renamedAnchor(step.anchor, rename),
    to: step.to.map((role) => renamedRole(role, rename)),
    ...(step.copies && { copies: { ...step.copies, to: step.copies.to.map((role) => renamedRole(role, rename)) } }),
    onlyIf: step.onlyIf && renamedCondition(step.onlyIf, rename),
    stopWhen: step.stopWhen && renamedCondition(step.stopWhen, rename),
    // files and pictures stand in the house, and not in the file of a plan
    message: withTexts(withoutFiles(step.message), (text) => ({ ...text, body: withConditions(withoutPictures(text.body), (condition) => renamedCondition(condition, rename)) })), // prettier-ignore
  }));

const withoutFiles = ({ files: _, ...message }: PlanStep['message']): PlanStep['message'] => message;

/** A line that only one of two plans has, or that reads otherwise. */
export interface StepDifference {
  step: string;
  was: string[];
  is: string[];
}

type Called = readonly { id: string; name: string }[];

/** What steps of the same id were called before, by what they are called now, where only the name is new. */
export function renamings(before: Called, after: Called): Map<string, string> {
  const [was, is] = [before, after].map((list) => new Set(list.map(({ name }) => name)));
  const named = new Map(before.map(({ id, name }) => [id, name]));
  return new Map(
    after.flatMap(({ id, name }) => {
      const former = named.get(id);
      return former !== undefined && !was!.has(name) && !is!.has(former) ? [[name, former] as const] : [];
    }),
  );
}

/**
 * What of two plans in words is otherwise, step by step; lines that both have are left out.
 * @param renamed what steps were called before, by what they are called now
 */
export function compareSteps(
  before: Readonly<Record<string, string>>,
  after: Readonly<Record<string, string>>,
  renamed: ReadonlyMap<string, string> = new Map(),
): StepDifference[] {
  const found: StepDifference[] = [];
  const former = new Set(renamed.values());
  for (const step of new Set([...Object.keys(before).filter((name) => !former.has(name)), ...Object.keys(after)])) {
    const name = renamed.get(step);
    const linesOf = (text: string | undefined, own: string): string[] => [
      ...(name === undefined ? [] : [`called “${own}”`]),
      ...(text?.split('\n') ?? []),
    ];
    const was = linesOf(before[name ?? step], name ?? step);
    const is = linesOf(after[step], step);
    if (was.join('\n') === is.join('\n')) continue;
    found.push({ step, was: was.filter((line) => !is.includes(line)), is: is.filter((line) => !was.includes(line)) });
  }
  return found;
}
