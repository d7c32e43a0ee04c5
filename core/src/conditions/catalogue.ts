import type { StateWord } from '../assignments/state.ts';
import { addDays, dayOf, type LocalDate } from '../time/calendar.ts';
import { tellDate, tellList } from '../time/words.ts';

/**
 * Conditions, of plans and of audiences: one language, as data. In the house departments, sites, groups, people and
 * courses stand by id, so that renaming one changes nobody's obligation; in a file by whatever it calls them.
 */
export type Leaf =
  | { state: readonly StateWord[] }
  | { unitFinished: string }
  | { department: readonly string[]; below?: boolean }
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
type ValueOf<N extends LeafName> = Extract<Leaf, Record<N, unknown>>[N & keyof Extract<Leaf, Record<N, unknown>>];
export type LeafName = Leaf extends infer L ? (L extends unknown ? Exclude<keyof L, 'below'> : never) : never;

/** What a condition is asked of. */
export interface ConditionPerson {
  id: string;
  department: string | null;
  site: string | null;
  groups: readonly string[];
  job: string | null;
  manager: string | null;
  joinedOn: LocalDate | null;
  number?: string | null;
  /** ids, where the fields above hold names */
  departmentId?: string;
  siteId?: string;
  groupIds?: readonly string[];
  /** courses finished, each with the last day on which that counts, null for ever */
  held?: readonly { course: string; until: LocalDate | null }[];
}
export interface ConditionAssignment {
  state: StateWord;
  unitsFinished: ReadonlySet<string>;
}

/** How departments stand below each other, and people below their managers. */
export interface Structure {
  parentOf(department: string): string | null;
  managerOf(person: string): string | null;
}

/** Names for the ids in a condition. */
export interface Names {
  department(id: string): string;
  site(id: string): string;
  group(id: string): string;
  person(id: string): string;
  course(id: string): string;
}
const same = (id: string): string => id;
/** Where a condition says names, they stand for themselves. */
export const NAMES_THEMSELVES: Names = { department: same, site: same, group: same, person: same, course: same };

/** Facts that a condition cannot do without beside the person: a plan knows the assignment, an audience what is held. */
export type ConditionFact = 'person' | 'assignment' | 'held';
/** What its value is: the contract makes its schema from this, and the web its field. */
export type ConditionValue =
  'states' | 'unit' | 'departments' | 'sites' | 'groups' | 'jobs' | 'people' | 'date' | 'days' | 'numbers' | 'courses';

export type LeafTest = (person: ConditionPerson, assignment: ConditionAssignment | null) => boolean;

interface Entry<N extends LeafName> {
  takes: ConditionValue;
  asks: ConditionFact;
  /** makes the condition ready for many people */
  prepare(value: ValueOf<N>, leaf: Leaf, structure: Structure, today: LocalDate): LeafTest;
  /** in words, after "goes only if" or "everyone who is" */
  tell(value: ValueOf<N>, leaf: Leaf, names: Names): string;
  /** "not …", where that is not the plain negation */
  tellNot?(value: ValueOf<N>, names: Names): string;
  /** what about a person makes it hold, or not: "is in Deck / Boats" */
  fact(person: ConditionPerson, value: ValueOf<N>, structure: Structure, names: Names, isNot: boolean): string;
  /** days on which the answer may change although nobody changes anything */
  changes?(value: ValueOf<N>, person: ConditionPerson): LocalDate[];
}

const or = (values: readonly string[], name: (id: string) => string = same): string => tellList(values.map(name), 'or');
const joined = (person: ConditionPerson): string =>
  person.joinedOn ? `joined on ${tellDate(dayOf(person.joinedOn))}` : 'has no date of joining';

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

/** The day on which somebody is looked at: today, or the day of joining where that is still to come. */
export const lookedAtOn = (person: Pick<ConditionPerson, 'joinedOn'>, today: LocalDate): LocalDate =>
  person.joinedOn !== null && person.joinedOn > today ? person.joinedOn : today;

function holdsOne(courses: readonly string[], today: LocalDate): LeafTest {
  return (person) =>
    (person.held ?? []).some(({ course, until }) => courses.includes(course) && (until === null || until >= lookedAtOn(person, today)));
}
const heldEnds = (courses: readonly string[], person: ConditionPerson): LocalDate[] =>
  (person.held ?? []).flatMap(({ course, until }) => (until !== null && courses.includes(course) ? [addDays(until, 1)] : []));

type Catalogue = { [N in LeafName]: Entry<N> };

/** The catalogue of conditions. A new one is added to the type above and here; every floor finds it. */
export const CONDITIONS: Catalogue = {
  state: {
    takes: 'states',
    asks: 'assignment',
    // `finished` takes in `finished late`
    prepare: (states) => (_, assignment) =>
      assignment !== null && (states.includes(assignment.state) || (assignment.state === 'finished late' && states.includes('finished'))),
    tell: (states) => or(states),
    fact: (_, states) => or(states),
  },
  unitFinished: {
    takes: 'unit',
    asks: 'assignment',
    prepare: (unit) => (_, assignment) => assignment !== null && assignment.unitsFinished.has(unit),
    tell: (unit) => `the unit ${unit} is finished`,
    fact: (_, unit) => `the unit ${unit} is finished`,
  },
  department: {
    takes: 'departments',
    asks: 'person',
    prepare(departments, leaf, structure) {
      const wanted = new Set(departments);
      const isIn = ({ department, departmentId }: ConditionPerson): boolean =>
        (department !== null && wanted.has(department)) || (departmentId !== undefined && wanted.has(departmentId));
      if (!('below' in leaf) || !leaf.below) return isIn;
      const known = new Map<string, boolean>();
      return (person) => {
        const key = person.departmentId ?? person.department;
        if (key === null) return false;
        let answer = known.get(key);
        if (answer === undefined) known.set(key, (answer = isIn(person) || isBelow(key, wanted, structure.parentOf)));
        return answer;
      };
    },
    tell: (departments, leaf, names) =>
      `in ${or(departments, names.department)}${'below' in leaf && leaf.below === false ? ' itself' : ''}`,
    fact(person, departments, structure, names, isNot) {
      const parent = structure.parentOf(person.department!);
      return (
        `is in ${names.department(person.department!)}` +
        `${!isNot && parent && !departments.includes(person.department!) ? ` (below ${names.department(parent)})` : ''}`
      );
    },
  },
  site: {
    takes: 'sites',
    asks: 'person',
    prepare: (sites) => (person) =>
      (person.site !== null && sites.includes(person.site)) || (person.siteId !== undefined && sites.includes(person.siteId)),
    tell: (sites, _, names) => `at ${or(sites, names.site)}`,
    fact: (person, _, __, names) => `is at ${names.site(person.site!)}`,
  },
  group: {
    takes: 'groups',
    asks: 'person',
    prepare: (groups) => (person) =>
      person.groups.some((group) => groups.includes(group)) || (person.groupIds?.some((group) => groups.includes(group)) ?? false),
    tell: (groups, _, names) => `in the group ${or(groups, names.group)}`,
    fact: (person, groups, _, names, isNot) =>
      isNot
        ? `is not in the group ${or(groups, names.group)}`
        : `is in the group ${tellList(person.groups.filter((group) => groups.includes(group)).map(names.group))}`,
  },
  job: {
    takes: 'jobs',
    asks: 'person',
    prepare(jobs) {
      const wanted = new Set(jobs.map((job) => job.toLowerCase()));
      return ({ job }) => job !== null && wanted.has(job.toLowerCase());
    },
    tell: (jobs) => `works as ${or(jobs)}`,
    tellNot: (jobs) => `not ${or(jobs)}`,
    fact: ({ job }) => (job ? `works as ${job}` : 'has no job title'),
  },
  line: {
    takes: 'people',
    asks: 'person',
    prepare(people, _, structure) {
      const tops = new Set(people);
      return ({ id }) => isBelow(id, tops, structure.managerOf);
    },
    tell: (people, _, names) => `in the line of ${or(people, names.person)}`,
    fact: (_, people, __, names, isNot) => `is ${isNot ? 'not ' : ''}in the line of ${or(people, names.person)}`,
  },
  joinedBefore: {
    takes: 'date',
    asks: 'person',
    prepare:
      (date) =>
      ({ joinedOn }) =>
        joinedOn !== null && joinedOn < date,
    tell: (date) => `joined before ${tellDate(dayOf(date))}`,
    fact: joined,
  },
  joinedAfter: {
    takes: 'date',
    asks: 'person',
    prepare:
      (date) =>
      ({ joinedOn }) =>
        joinedOn !== null && joinedOn > date,
    tell: (date) => `joined after ${tellDate(dayOf(date))}`,
    fact: joined,
  },
  joinedWithin: {
    takes: 'days',
    asks: 'person',
    prepare: (days, _, __, today) => (person) =>
      person.joinedOn !== null && dayOf(lookedAtOn(person, today)) - dayOf(person.joinedOn) <= days,
    tell: (days) => `joined in the last ${days} days`,
    fact: joined,
    changes: (days, { joinedOn }) => (joinedOn === null ? [] : [addDays(joinedOn, days + 1)]),
  },
  number: {
    takes: 'numbers',
    asks: 'person',
    prepare(numbers) {
      const wanted = new Set(numbers.map((number) => number.toLowerCase()));
      return ({ number }) => number != null && wanted.has(number.toLowerCase());
    },
    tell: (numbers) => (numbers.length > 3 ? `one of ${numbers.length} personnel numbers` : `number ${or(numbers)}`),
    fact: ({ number }) => (number ? `has the number ${number}` : 'has no personnel number'),
  },
  holds: {
    takes: 'courses',
    asks: 'held',
    prepare: (courses, _, __, today) => holdsOne(courses, today),
    tell: (courses, _, names) => `holds ${or(courses, names.course)}`,
    tellNot: (courses, names) => `does not hold ${or(courses, names.course)}`,
    fact: (_, courses, __, names, isNot) => `${isNot ? 'does not hold' : 'holds'} ${or(courses, names.course)}`,
    changes: heldEnds,
  },
  lacks: {
    takes: 'courses',
    asks: 'held',
    prepare(courses, _, __, today) {
      const holds = holdsOne(courses, today);
      return (person, assignment) => !holds(person, assignment);
    },
    tell: (courses, _, names) => `lacks ${or(courses, names.course)}`,
    tellNot: (courses, names) => `not without ${or(courses, names.course)}`,
    fact: (_, courses, __, names, isNot) =>
      isNot ? `not without ${or(courses, names.course)}` : `does not hold ${or(courses, names.course)}`,
    changes: heldEnds,
  },
};

/** The conditions that can be asked where these facts are known, in the order of the catalogue. */
export const conditionsFor = (...known: readonly ConditionFact[]): LeafName[] =>
  (Object.keys(CONDITIONS) as LeafName[]).filter((name) => known.includes(CONDITIONS[name].asks));

export const leafName = (leaf: Leaf): LeafName => Object.keys(leaf).find((key) => key !== 'below') as LeafName;
const valueOf = (leaf: Leaf): never => (leaf as Record<string, unknown>)[leafName(leaf)] as never;
const entryOf = (leaf: Leaf): Entry<LeafName> => CONDITIONS[leafName(leaf)] as unknown as Entry<LeafName>;

export const prepareLeaf = (leaf: Leaf, structure: Structure, today: LocalDate): LeafTest =>
  entryOf(leaf).prepare(valueOf(leaf), leaf, structure, today);
/** One condition in words, with or without "not". */
export function tellLeaf(leaf: Leaf, names: Names, isNot = false): string {
  const { tell, tellNot } = entryOf(leaf);
  if (!isNot) return tell(valueOf(leaf), leaf, names);
  return tellNot ? tellNot(valueOf(leaf), names) : `not ${tell(valueOf(leaf), leaf, names)}`;
}
export const leafFact = (leaf: Leaf, person: ConditionPerson, structure: Structure, names: Names, isNot: boolean): string =>
  entryOf(leaf).fact(person, valueOf(leaf), structure, names, isNot);
export const leafChanges = (leaf: Leaf, person: ConditionPerson): LocalDate[] => entryOf(leaf).changes?.(valueOf(leaf), person) ?? [];
export const mayChange = (leaf: Leaf): boolean => entryOf(leaf).changes !== undefined;
