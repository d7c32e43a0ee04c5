import { CONDITIONS, isLeaf, leafName, type Condition, type ConditionValue, type Leaf, type LeafName } from '@nudrik/core';

/** A condition as the builder's rows hold it: each row with its "not", groups with all or any. */
export type Row = { isNot: boolean } & ({ kind: 'leaf'; leaf: Leaf } | { kind: 'group'; mode: 'all' | 'any'; rows: Row[] });
export type GroupRow = Extract<Row, { kind: 'group' }>;

const EMPTY: Record<LeafName, Leaf> = {
  state: { state: [] },
  progressAtLeast: { progressAtLeast: 50 },
  unitFinished: { unitFinished: '' },
  unitOpened: { unitOpened: '' },
  quizPassed: { quizPassed: '' },
  quizScore: { quizScore: { unit: '', atLeast: 80 } },
  quizAttempts: { quizAttempts: { unit: '', atLeast: 2 } },
  signedOff: { signedOff: [] },
  idleDays: { idleDays: 7 },
  manager: { manager: [] },
  round: { round: 2 },
  replied: { replied: true },
  fromDate: { fromDate: '' },
  beforeDate: { beforeDate: '' },
  stepSent: { stepSent: '' },
  stepBounced: { stepBounced: '' },
  department: { department: [], below: true },
  site: { site: [] },
  group: { group: [] },
  job: { job: [] },
  line: { line: [] },
  joinedBefore: { joinedBefore: '' },
  joinedAfter: { joinedAfter: '' },
  joinedWithin: { joinedWithin: 90 },
  number: { number: [] },
  holds: { holds: [] },
  lacks: { lacks: [] },
};

export const emptyLeaf = (name: LeafName): Leaf => structuredClone(EMPTY[name]);
export const newRow = (name: LeafName = 'department'): Row => ({ kind: 'leaf', isNot: false, leaf: emptyLeaf(name) });
export const newGroup = (mode: 'all' | 'any'): GroupRow => ({ kind: 'group', isNot: false, mode, rows: [newRow()] });

/** What a row's condition lists, by whatever key; null for dates and days. */
export function valuesOf(leaf: Leaf): readonly string[] | null {
  const value: unknown = (leaf as Record<string, unknown>)[leafName(leaf)];
  return Array.isArray(value) ? (value as string[]) : null;
}

export const withValues = (leaf: Leaf, values: readonly string[]): Leaf => ({ ...leaf, [leafName(leaf)]: values }) as Leaf;

/** The one value that a condition has, where it lists none. */
export const valueOf = (leaf: Leaf): unknown => (leaf as Record<string, unknown>)[leafName(leaf)];
export const withValue = (leaf: Leaf, value: unknown): Leaf => ({ ...leaf, [leafName(leaf)]: value }) as Leaf;

const isWhole = (value: unknown, least: number, most = Infinity): boolean =>
  Number.isInteger(value) && (value as number) >= least && (value as number) <= most;

/** Whether a condition says something yet; one that does not is left out of the question. */
export function isComplete(leaf: Leaf): boolean {
  const value = valueOf(leaf);
  switch (CONDITIONS[leafName(leaf)].takes) {
    case 'days':
      return isWhole(value, 0);
    case 'percent':
      return isWhole(value, 0, 100);
    case 'count':
      return isWhole(value, 1);
    case 'date':
      return /^\d{4}-\d{2}-\d{2}$/.test(value as string);
    case 'unit':
    case 'step':
      return value !== '';
    case 'score':
    case 'attempts': {
      const { unit, atLeast } = value as { unit: string; atLeast: number };
      return unit !== '' && ('quizScore' in leaf ? isWhole(atLeast, 0, 100) : isWhole(atLeast, 1, 100));
    }
    case 'true':
      return true;
    default:
      return (value as readonly string[]).length > 0;
  }
}

export function rowsFrom(condition: Condition): GroupRow {
  const row = rowFrom(condition);
  return row.kind === 'group' && !row.isNot ? row : { kind: 'group', isNot: false, mode: 'all', rows: [row] };
}

function rowFrom(condition: Condition): Row {
  if ('not' in condition) {
    const inner = rowFrom(condition.not);
    return { ...inner, isNot: !inner.isNot };
  }
  if (isLeaf(condition)) return { kind: 'leaf', isNot: false, leaf: condition };
  const mode = 'all' in condition ? 'all' : 'any';
  return { kind: 'group', isNot: false, mode, rows: ('all' in condition ? condition.all : condition.any).map(rowFrom) };
}

/** The condition that the rows ask for; rows that say nothing yet are left out, and so are groups without a row. */
export function conditionFrom(row: Row): Condition | null {
  let condition: Condition | null;
  if (row.kind === 'leaf') condition = isComplete(row.leaf) ? row.leaf : null;
  else {
    const parts = row.rows.map(conditionFrom).filter((part) => part !== null);
    condition = parts.length === 0 ? null : row.mode === 'all' ? { all: parts } : { any: parts };
  }
  return condition && row.isNot ? { not: condition } : condition;
}

const TO_CHOOSE: Record<ConditionValue, string> = {
  states: 'choose a state',
  unit: 'choose a unit',
  departments: 'choose a department',
  sites: 'choose a site',
  groups: 'choose a group',
  jobs: 'choose a job title',
  people: 'choose a manager',
  date: 'give the date',
  days: 'say how many days',
  numbers: 'give a personnel number',
  courses: 'choose a course',
  percent: 'say how many percent',
  score: 'choose a quiz and a score',
  attempts: 'choose a quiz and how often',
  outcomes: 'choose an outcome',
  presences: 'choose what the manager is',
  count: 'say which round',
  true: 'choose what is asked',
  step: 'choose a step',
};

/** Conditions that say nothing yet: left so, they would silently mean more people, or fewer, than somebody meant. */
export function openConditions(group: GroupRow, before = ''): string[] {
  return group.rows.flatMap((row, index) => {
    const number = `${before}${index + 1}`;
    if (row.kind === 'leaf')
      return isComplete(row.leaf)
        ? []
        : [`Condition ${number} is not finished: ${TO_CHOOSE[CONDITIONS[leafName(row.leaf)].takes]}, or remove it.`];
    if (row.rows.length === 0) return [`Condition ${number} is an empty group: add a condition to it, or remove it.`];
    return openConditions(row, `${number}.`);
  });
}

/** The rows of a condition: those that are being written, as long as they mean what is stored. */
export function keptRows(
  now: { id: string; condition: Condition | null },
  before: { source: { id: string }; value: GroupRow } | undefined,
): GroupRow {
  if (before && before.source.id === now.id && JSON.stringify(conditionFrom(before.value)) === JSON.stringify(now.condition))
    return before.value;
  return now.condition === null ? { kind: 'group', isNot: false, mode: 'all', rows: [] } : rowsFrom(now.condition);
}
