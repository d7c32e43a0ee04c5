import { addDays, addMonths, dateOf, dayOf, type LocalDate } from '../time/calendar.ts';
import { tellDate, tellList } from '../time/words.ts';

/**
 * Who is meant, as data: stored with a requirement, written in words wherever it is shown. Departments, sites, groups,
 * people and courses stand by id, so that renaming one changes nobody's obligation.
 */
export type Audience =
  | { all: readonly Audience[] }
  | { any: readonly Audience[] }
  | { not: Audience }
  | { department: readonly string[]; below: boolean }
  | { site: readonly string[] }
  | { group: readonly string[] }
  | { job: readonly string[] }
  | { line: readonly string[] }
  | { joinedBefore: LocalDate }
  | { joinedAfter: LocalDate }
  | { joinedWithin: number }
  | { number: readonly string[] }
  | { holds: readonly string[] }
  | { lacks: readonly string[] };
/** A condition that is not made of others. */
export type Leaf = Exclude<Audience, { all: unknown } | { any: unknown } | { not: unknown }>;
export const LEAF_NAMES = ['department', 'site', 'group', 'job', 'line', 'joinedBefore', 'joinedAfter', 'joinedWithin', 'number', 'holds', 'lacks'] as const; // prettier-ignore
export type LeafName = (typeof LEAF_NAMES)[number];

export const everyone: Audience = { all: [] };

/** What an audience asks of a person. */
export interface AudiencePerson {
  id: string;
  name: string;
  number: string | null;
  department: string;
  site: string;
  groups: readonly string[];
  job: string | null;
  manager: string | null;
  joinedOn: LocalDate | null;
  /** from this day on the person is no longer there */
  leftOn: LocalDate | null;
  /** courses finished, each with the last day on which that counts, null for ever */
  held: readonly { course: string; until: LocalDate | null }[];
}

/** How departments stand below each other, and people below their managers. */
export interface Structure {
  parentOf(department: string): string | null;
  managerOf(person: string): string | null;
}

export const leafName = (leaf: Leaf): LeafName => Object.keys(leaf).find((key) => key !== 'below') as LeafName;
export const isLeaf = (audience: Audience): audience is Leaf => !('all' in audience || 'any' in audience || 'not' in audience);

/** Longer chains than this are a loop. */
const DEEPEST = 100;

function isBelow(id: string, tops: ReadonlySet<string>, parentOf: (id: string) => string | null): boolean {
  let next = parentOf(id);
  for (let depth = 0; next !== null && depth < DEEPEST; depth++) {
    if (tops.has(next)) return true;
    next = parentOf(next);
  }
  return false;
}

type Test = (person: AudiencePerson) => boolean;

/** The day from which somebody is looked at: today, or the day of joining where that is still to come. */
export const lookedAtOn = (person: AudiencePerson, today: LocalDate): LocalDate =>
  person.joinedOn !== null && person.joinedOn > today ? person.joinedOn : today;

function leafTest(leaf: Leaf, structure: Structure, today: LocalDate): Test {
  if ('department' in leaf) {
    const wanted = new Set(leaf.department);
    if (!leaf.below) return (person) => wanted.has(person.department);
    const known = new Map<string, boolean>();
    return ({ department }) => {
      let isIn = known.get(department);
      if (isIn === undefined) known.set(department, (isIn = wanted.has(department) || isBelow(department, wanted, structure.parentOf)));
      return isIn;
    };
  }
  if ('site' in leaf) return (person) => leaf.site.includes(person.site);
  if ('group' in leaf) return (person) => person.groups.some((group) => leaf.group.includes(group));
  if ('job' in leaf) {
    const jobs = new Set(leaf.job.map((job) => job.toLowerCase()));
    return (person) => person.job !== null && jobs.has(person.job.toLowerCase());
  }
  if ('line' in leaf) {
    const tops = new Set(leaf.line);
    return (person) => isBelow(person.id, tops, structure.managerOf);
  }
  if ('joinedBefore' in leaf) return (person) => person.joinedOn !== null && person.joinedOn < leaf.joinedBefore;
  if ('joinedAfter' in leaf) return (person) => person.joinedOn !== null && person.joinedOn > leaf.joinedAfter;
  if ('joinedWithin' in leaf)
    return (person) => person.joinedOn !== null && dayOf(lookedAtOn(person, today)) - dayOf(person.joinedOn) <= leaf.joinedWithin;
  if ('number' in leaf) {
    const numbers = new Set(leaf.number.map((number) => number.toLowerCase()));
    return (person) => person.number !== null && numbers.has(person.number.toLowerCase());
  }
  const courses = 'holds' in leaf ? leaf.holds : leaf.lacks;
  const holds: Test = (person) =>
    person.held.some(({ course, until }) => courses.includes(course) && (until === null || until >= lookedAtOn(person, today)));
  return 'holds' in leaf ? holds : (person) => !holds(person);
}

/** An audience made ready for many people. */
export interface Matcher {
  test: Test;
  /**
   * The fewest conditions that would have to be otherwise for the answer to be otherwise.
   * @returns those conditions; empty where no change of conditions could do it (`any of nothing`)
   */
  reasons(person: AudiencePerson, wanted: boolean): Leaf[] | null;
  /** The next day on which the answer for a person may change although nobody changes anything; null where time alone changes nothing. */
  changesOn(person: AudiencePerson): LocalDate | null;
}

/** Makes an audience ready: sub-departments, lists and what depends on time are worked out once, not for each person. */
export function compileAudience(audience: Audience, structure: Structure, today: LocalDate): Matcher {
  const timed = leavesOf(audience).filter((leaf) => 'joinedWithin' in leaf || 'holds' in leaf || 'lacks' in leaf);
  return {
    ...compilePart(audience, structure, today),
    changesOn: timed.length === 0 ? () => null : (person) => firstChange(timed, person, today),
  };
}

type Part = Pick<Matcher, 'test' | 'reasons'>;

function compilePart(audience: Audience, structure: Structure, today: LocalDate): Part {
  if ('not' in audience) {
    const inner = compilePart(audience.not, structure, today);
    return { test: (person) => !inner.test(person), reasons: (person, wanted) => inner.reasons(person, !wanted) };
  }
  if (isLeaf(audience)) {
    const test = leafTest(audience, structure, today);
    return { test, reasons: (person, wanted) => (test(person) === wanted ? [] : [audience]) };
  }
  const isAll = 'all' in audience;
  const parts = ('all' in audience ? audience.all : audience.any).map((part) => compilePart(part, structure, today));
  return {
    test: isAll ? (person) => parts.every((part) => part.test(person)) : (person) => parts.some((part) => part.test(person)),
    reasons(person, wanted) {
      // all parts have to become so (all, wanted; any, unwanted), or the easiest one
      if (isAll === wanted) {
        const needed: Leaf[] = [];
        for (const part of parts) {
          const reasons = part.reasons(person, wanted);
          if (reasons === null) return null;
          needed.push(...reasons);
        }
        return needed;
      }
      let best: Leaf[] | null = null;
      for (const part of parts) {
        const reasons = part.reasons(person, wanted);
        if (reasons !== null && (best === null || reasons.length < best.length)) best = reasons;
      }
      return best;
    },
  };
}

/** Every condition in an audience, in reading order. */
export function leavesOf(audience: Audience): Leaf[] {
  if ('not' in audience) return leavesOf(audience.not);
  if ('all' in audience) return audience.all.flatMap(leavesOf);
  if ('any' in audience) return audience.any.flatMap(leavesOf);
  return [audience];
}

/**
 * The next day after `today` on which the answer for a person may change although nobody changes anything: a stretch of
 * days since joining ends, or a certificate runs out. Null where time alone changes nothing.
 */
export const changesOn = (audience: Audience, person: AudiencePerson, today: LocalDate): LocalDate | null =>
  firstChange(leavesOf(audience), person, today);

function firstChange(leaves: readonly Leaf[], person: AudiencePerson, today: LocalDate): LocalDate | null {
  const days: LocalDate[] = [];
  for (const leaf of leaves) {
    if ('joinedWithin' in leaf && person.joinedOn !== null) days.push(addDays(person.joinedOn, leaf.joinedWithin + 1));
    if ('holds' in leaf || 'lacks' in leaf) {
      const courses = 'holds' in leaf ? leaf.holds : leaf.lacks;
      for (const { course, until } of person.held) if (until !== null && courses.includes(course)) days.push(addDays(until, 1));
    }
  }
  return earliest(days.filter((day) => day > today));
}

export const earliest = (days: readonly LocalDate[]): LocalDate | null => days.reduce<LocalDate | null>((first, day) => (first === null || day < first ? day : first), null); // prettier-ignore

/** Names for the ids in an audience. */
export interface Names {
  department(id: string): string;
  site(id: string): string;
  group(id: string): string;
  person(id: string): string;
  course(id: string): string;
}

/** One condition in words, with or without "not". */
export function tellLeaf(leaf: Leaf, names: Names, isNot = false): string {
  const not = isNot ? 'not ' : '';
  if ('department' in leaf)
    return `${not}${isNot ? 'in ' : ''}${tellList(leaf.department.map(names.department), 'or')}${leaf.below ? '' : ' itself'}`;
  if ('site' in leaf) return `${not}at ${tellList(leaf.site.map(names.site), 'or')}`;
  if ('group' in leaf) return `${not}in the group ${tellList(leaf.group.map(names.group), 'or')}`;
  if ('job' in leaf) return `${isNot ? 'not ' : 'works as '}${tellList(leaf.job, 'or')}`;
  if ('line' in leaf) return `${not}in the line of ${tellList(leaf.line.map(names.person), 'or')}`;
  if ('joinedBefore' in leaf) return `${not}joined before ${tellDate(dayOf(leaf.joinedBefore))}`;
  if ('joinedAfter' in leaf) return `${not}joined after ${tellDate(dayOf(leaf.joinedAfter))}`;
  if ('joinedWithin' in leaf) return `${not}joined in the last ${leaf.joinedWithin} days`;
  if ('number' in leaf)
    return `${not}${leaf.number.length > 3 ? `one of ${leaf.number.length} personnel numbers` : `number ${tellList(leaf.number, 'or')}`}`;
  if ('holds' in leaf) return `${isNot ? 'does not hold' : 'holds'} ${tellList(leaf.holds.map(names.course), 'or')}`;
  return isNot ? `not without ${tellList(leaf.lacks.map(names.course), 'or')}` : `lacks ${tellList(leaf.lacks.map(names.course), 'or')}`;
}

/** The audience as a sentence: "Deck or Engine, at Orla Quay, joined in the last 90 days, not in the group Shore staff". */
export function tellAudience(audience: Audience, names: Names): string {
  if ('all' in audience) return audience.all.length ? audience.all.map((part) => tellPart(part, names)).join(', ') : 'everyone';
  if ('any' in audience) return audience.any.length ? tellList(audience.any.map((part) => tellPart(part, names)), 'or') : 'nobody'; // prettier-ignore
  if ('not' in audience) return isLeaf(audience.not) ? tellLeaf(audience.not, names, true) : `not (${tellAudience(audience.not, names)})`;
  return tellLeaf(audience, names);
}

const tellPart = (part: Audience, names: Names): string => {
  const parts = 'all' in part ? part.all : 'any' in part ? part.any : [];
  return parts.length > 1 ? `(${tellAudience(part, names)})` : tellAudience(part, names);
};

/**
 * What about a person makes an audience hold: the conditions that decide it, each with the fact behind it, in words.
 * "Deck: is in Deck / Boats".
 */
export function factsBehind(audience: Audience, person: AudiencePerson, structure: Structure, names: Names, today: LocalDate): string[] {
  const facts = new Set<string>();
  const walk = (part: Audience, isNot: boolean): void => {
    if ('not' in part) return walk(part.not, !isNot);
    if (isLeaf(part)) {
      if (compileAudience(part, structure, today).test(person) !== isNot) facts.add(factOf(part, person, structure, names, isNot));
      return;
    }
    for (const inner of 'all' in part ? part.all : part.any) walk(inner, isNot);
  };
  walk(audience, false);
  return [...facts];
}

function factOf(leaf: Leaf, person: AudiencePerson, structure: Structure, names: Names, isNot: boolean): string {
  if ('department' in leaf) {
    const own = names.department(person.department);
    const parent = structure.parentOf(person.department);
    return `is in ${own}${!isNot && parent && !leaf.department.includes(person.department) ? ` (below ${names.department(parent)})` : ''}`;
  }
  if ('site' in leaf) return `is at ${names.site(person.site)}`;
  if ('group' in leaf)
    return isNot
      ? `is not in the group ${tellList(leaf.group.map(names.group), 'or')}`
      : `is in the group ${tellList(person.groups.filter((group) => leaf.group.includes(group)).map(names.group))}`;
  if ('job' in leaf) return person.job ? `works as ${person.job}` : 'has no job title';
  if ('line' in leaf) return tellLeaf(leaf, names, isNot).replace(/^(not )?in/, 'is $1in');
  if ('joinedBefore' in leaf || 'joinedAfter' in leaf || 'joinedWithin' in leaf)
    return person.joinedOn ? `joined on ${tellDate(dayOf(person.joinedOn))}` : 'has no date of joining';
  if ('number' in leaf) return person.number ? `has the number ${person.number}` : 'has no personnel number';
  return tellLeaf(leaf, names, isNot).replace(/^lacks/, 'does not hold');
}

/** Months back from a date, for "finished within the last n months". */
export const monthsBefore = (date: LocalDate, months: number): LocalDate => dateOf(addMonths(dayOf(date), -months));
