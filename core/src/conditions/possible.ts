import { dayOf, type LocalDate } from '../time/calendar.ts';
import { leafName, tellLeaf, type Leaf, type LeafName, type Names } from './catalogue.ts';
import { isLeaf, type Condition } from './condition.ts';

/** A condition of one thing, as it has to hold, or not. */
interface Literal {
  leaf: Leaf;
  isNot: boolean;
}

/** Of more ways than these in which a condition may hold nobody looks at each: it may. */
const MOST_WAYS = 256;

/** The ways in which a condition holds: each a list of things that all have to be so. null where there are too many to look at. */
function waysOf(condition: Condition, isNot = false): Literal[][] | null {
  if (isLeaf(condition)) return [[{ leaf: condition, isNot }]];
  if ('not' in condition) return waysOf(condition.not, !isNot);
  const parts = 'all' in condition ? condition.all : condition.any;
  // not all of them: any of them not
  const isAny = 'any' in condition !== isNot;
  let ways: Literal[][] = isAny ? [] : [[]];
  for (const part of parts) {
    const found = waysOf(part, isNot);
    if (found === null) return null;
    ways = isAny ? [...ways, ...found] : ways.flatMap((way) => found.map((other) => [...way, ...other]));
    if (ways.length > MOST_WAYS) return null;
  }
  return ways;
}

const valueOf = (leaf: Leaf): never => (leaf as Record<string, unknown>)[leafName(leaf)] as never;

/** What is of one kind for everybody: two lists that share nothing cannot both hold. */
const SINGLE: readonly LeafName[] = ['state', 'site', 'job', 'number', 'signedOff', 'manager'];
const LOWER = (value: unknown): string => String(value).toLowerCase();
/** `finished` takes in `finished late` */
const statesOf = (states: readonly string[]): string[] => (states.includes('finished') ? [...states, 'finished late'] : [...states]);

/** What is known of a plan or an audience when its conditions are looked at: without a set, nothing of the kind is known to be gone. */
export interface Possible {
  names: Names;
  /** the day from which on it is asked */
  today: LocalDate | null;
  /** states that something may have when it is asked; all, where it is not given */
  states?: readonly string[];
  units?: ReadonlySet<string>;
  /** steps of the same plan that are on */
  steps?: ReadonlySet<string>;
  /** whether a department, site, group or course is there */
  isThere?: (kind: 'department' | 'site' | 'group' | 'course', id: string) => boolean;
}

/** Why one thing alone can never be so, in words, or null. */
function whyOneCannot({ leaf, isNot }: Literal, { names, today, states, units, steps, isThere }: Possible): string | null {
  if (isNot) return null;
  const told = tellLeaf(leaf, names);
  if ('state' in leaf && states && !statesOf(leaf.state).some((state) => states.includes(state)))
    return `“${told}” is not so at its moment: what is asked is ${states[0]!.startsWith('finished') ? 'finished then' : 'open then'}`;
  const unit =
    'unitFinished' in leaf
      ? leaf.unitFinished
      : 'unitOpened' in leaf
        ? leaf.unitOpened
        : 'quizPassed' in leaf
          ? leaf.quizPassed
          : 'quizScore' in leaf
            ? leaf.quizScore.unit
            : 'quizAttempts' in leaf
              ? leaf.quizAttempts.unit
              : null;
  if (unit !== null && units && !units.has(unit)) return `it asks of a unit that is no longer in the course (${told})`;
  const step = 'stepSent' in leaf ? leaf.stepSent : 'stepBounced' in leaf ? leaf.stepBounced : null;
  if (step !== null && steps && !steps.has(step)) return `it asks of a step that is switched off or gone (${told})`;
  if ('beforeDate' in leaf && today !== null && leaf.beforeDate <= today) return `that day has passed (${told})`;
  for (const kind of ['department', 'site', 'group'] as const)
    if (kind in leaf && isThere && !(valueOf(leaf) as string[]).some((id) => isThere(kind, id)))
      return `what it asks for is gone (${told})`;
  if ('holds' in leaf && isThere && !leaf.holds.some((id) => isThere('course', id))) return `what it asks for is gone (${told})`;
  return null;
}

/** Why two things cannot both be so; false where they can. */
function areApart(a: Literal, b: Literal): boolean {
  const name = leafName(a.leaf);
  const other = leafName(b.leaf);
  const [x, y] = [valueOf(a.leaf) as unknown, valueOf(b.leaf) as unknown];
  if (name === other) {
    // the same, and its contrary
    if (a.isNot !== b.isNot) {
      if (JSON.stringify(a.leaf) === JSON.stringify(b.leaf)) return true;
      const [yes, no] = a.isNot ? [y, x] : [x, y];
      if (SINGLE.includes(name) || name === 'group') {
        const held = name === 'state' ? statesOf(yes as string[]) : (yes as string[]);
        const ruledOut = new Set((name === 'state' ? statesOf(no as string[]) : (no as string[])).map(LOWER));
        return held.every((value) => ruledOut.has(LOWER(value))) && name !== 'group';
      }
      if (name === 'progressAtLeast' || name === 'idleDays' || name === 'round') return Number(yes) >= Number(no);
      return false;
    }
    if (a.isNot) return false;
    if (SINGLE.includes(name)) {
      const left = new Set((name === 'state' ? statesOf(x as string[]) : (x as string[])).map(LOWER));
      return !(name === 'state' ? statesOf(y as string[]) : (y as string[])).some((value) => left.has(LOWER(value)));
    }
    return false;
  }
  if (a.isNot || b.isNot) return false;
  const pair = (first: LeafName, second: LeafName): [string, string] | null =>
    name === first && other === second
      ? [x as string, y as string]
      : name === second && other === first
        ? [y as string, x as string]
        : null;
  const joined = pair('joinedBefore', 'joinedAfter');
  if (joined) return dayOf(joined[0]) - dayOf(joined[1]) < 2;
  const dates = pair('beforeDate', 'fromDate');
  if (dates) return dates[0] <= dates[1];
  if (pair('holds', 'lacks')) {
    const [held, lacked] = name === 'holds' ? [x, y] : [y, x];
    return (held as string[]).every((course) => (lacked as string[]).includes(course));
  }
  return false;
}

/** Why a condition can never hold, in words without a full stop; null where it may, as far as can be seen from itself. */
export function whyNever(condition: Condition, about: Possible): string | null {
  const ways = waysOf(condition);
  if (ways === null) return null;
  if (ways.length === 0) return 'it asks for one of nothing';
  let first: string | null = null;
  for (const way of ways) {
    const why = whyWayCannot(way, about);
    if (why === null) return null;
    first ??= why;
  }
  return first;
}

function whyWayCannot(way: readonly Literal[], about: Possible): string | null {
  for (const literal of way) {
    const why = whyOneCannot(literal, about);
    if (why !== null) return why;
  }
  for (const [i, a] of way.entries())
    for (const b of way.slice(i + 1))
      if (areApart(a, b))
        return `“${tellLeaf(a.leaf, about.names, a.isNot)}” and “${tellLeaf(b.leaf, about.names, b.isNot)}” cannot both be so`;
  return null;
}
