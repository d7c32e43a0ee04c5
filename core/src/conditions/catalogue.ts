import type { StateWord } from '../assignments/state.ts';
import type { SignOffOutcome } from '../plans/anchor.ts';
import { addDays, dayOf, type LocalDate } from '../time/calendar.ts';
import { tellAmount, tellDate, tellList } from '../time/words.ts';

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
  | { lacks: readonly string[] }
  | { progressAtLeast: number }
  | { unitOpened: string }
  | { quizPassed: string }
  | { quizScore: { unit: string; atLeast: number } }
  | { quizAttempts: { unit: string; atLeast: number } }
  | { signedOff: readonly SignOffOutcome[] }
  | { idleDays: number }
  | { manager: readonly Presence[] }
  | { round: number }
  | { replied: true }
  | { fromDate: LocalDate }
  | { beforeDate: LocalDate }
  | { stepSent: string }
  | { stepBounced: string };

/** Whether somebody's manager can be reached: at work, away (on leave), or nobody. */
export const PRESENCES = ['there', 'away', 'none'] as const;
export type Presence = (typeof PRESENCES)[number];
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
  /** what is worked out only where a condition asks for it */
  further: FurtherFacts;
}
/** What few conditions ask of an assignment, at the moment of deciding. */
export interface FurtherFacts {
  /** the local day of the employee */
  today: LocalDate;
  /** 1 is the first time that somebody has the course */
  round: number;
  hasReplied: boolean;
  /** whole percent, as it is told everywhere */
  progress: number;
  /** local days since the last activity; since it was assigned where there was none */
  idleDays: number;
  /** what the last sign-off came to */
  signedOff: SignOffOutcome | null;
  manager: Presence;
  isOpened(unit: string): boolean;
  quiz(unit: string): QuizFacts;
  /** what became of the messages of a step of the same plan, about the same assignment */
  notices(step: string): NoticeFacts;
}
export interface QuizFacts {
  attempts: number;
  /** percent; null while nothing has a score */
  best: number | null;
  isPassed: boolean;
}
export interface NoticeFacts {
  /** one went out, whatever became of it */
  isSent: boolean;
  /** one came back */
  isBounced: boolean;
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
  unit(id: string): string;
  /** a step of the same plan */
  step(id: string): string;
}
const same = (id: string): string => id;
/** Where a condition says names, they stand for themselves. */
export const NAMES_THEMSELVES: Names = { department: same, site: same, group: same, person: same, course: same, unit: same, step: same };

/** Facts that a condition cannot do without beside the person: a plan knows the assignment, an audience what is held. */
export type ConditionFact = 'person' | 'assignment' | 'held' | 'notices';
/** What its value is: the contract makes its schema from this, and the web its field. */
export type ConditionValue =
  | 'states'
  | 'unit'
  | 'departments'
  | 'sites'
  | 'groups'
  | 'jobs'
  | 'people'
  | 'date'
  | 'days'
  | 'numbers'
  | 'courses'
  | 'percent'
  | 'score'
  | 'attempts'
  | 'outcomes'
  | 'presences'
  | 'count'
  | 'true'
  | 'step';

/** @param today the local day on which it is asked, of an audience; an assignment knows its own */
export type LeafTest = (person: ConditionPerson, assignment: ConditionAssignment | null, today: LocalDate | null) => boolean;
const dayOfAsking = (assignment: ConditionAssignment | null, today: LocalDate | null): LocalDate => assignment?.further.today ?? today!;

interface Entry<N extends LeafName> {
  takes: ConditionValue;
  asks: ConditionFact;
  /** makes the condition ready for many people */
  prepare(value: ValueOf<N>, leaf: Leaf, structure: Structure): LeafTest;
  /** in words, after "goes only if" or "everyone who is" */
  tell(value: ValueOf<N>, leaf: Leaf, names: Names): string;
  /** "not …", where that is not the plain negation */
  tellNot?(value: ValueOf<N>, names: Names): string;
  /** what about a person makes it hold, or not: "is in Deck / Boats" */
  fact(person: ConditionPerson, value: ValueOf<N>, structure: Structure, names: Names, isNot: boolean): string;
  /** what about an assignment makes it hold, or not, where state and place do not say it: "40 % done" */
  factNow?(value: ValueOf<N>, further: FurtherFacts, names: Names): string;
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

function holdsOne(courses: readonly string[]): LeafTest {
  return (person, assignment, today) =>
    (person.held ?? []).some(
      ({ course, until }) => courses.includes(course) && (until === null || until >= lookedAtOn(person, dayOfAsking(assignment, today))),
    );
}
const heldEnds = (courses: readonly string[], person: ConditionPerson): LocalDate[] =>
  (person.held ?? []).flatMap(({ course, until }) => (until !== null && courses.includes(course) ? [addDays(until, 1)] : []));

/** A test of what is worked out for an assignment; nothing of it holds for an audience, which has none. */
const now =
  (test: (further: FurtherFacts) => boolean): LeafTest =>
  (_, assignment) =>
    assignment !== null && test(assignment.further);

/** The facts of a condition that is asked of assignments alone. */
const about = <V>(
  factNow: (value: V, further: FurtherFacts, names: Names) => string,
): { fact(person: ConditionPerson, value: V): string; factNow(value: V, further: FurtherFacts, names: Names): string } => ({
  fact: () => '',
  factNow,
});

export const OUTCOME_WORDS: Record<SignOffOutcome, string> = { met: 'met', 'not-met': 'not met', absent: 'absent' };
const tellOutcome = (outcome: string): string => OUTCOME_WORDS[outcome as SignOffOutcome] ?? outcome;
export const PRESENCE_WORDS: Record<Presence, string> = { there: 'there', away: 'away', none: 'missing' };
const tellPresence = (presence: string): string => PRESENCE_WORDS[presence as Presence] ?? presence;

function tellQuizFacts(unit: string, further: FurtherFacts, names: Names): string {
  const { attempts, best, isPassed } = further.quiz(unit);
  if (attempts === 0) return `the quiz ${names.unit(unit)} was not tried`;
  return (
    `the quiz ${names.unit(unit)} was tried ${tellAmount(attempts, 'times')}` +
    `${best === null ? '' : `, best score ${best} %`}${isPassed ? ', passed' : ', not passed'}`
  );
}

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
    tell: (unit, _, names) => `the unit ${names.unit(unit)} is finished`,
    tellNot: (unit, names) => `the unit ${names.unit(unit)} is not finished`,
    fact: (_, unit, __, names) => `the unit ${names.unit(unit)} is finished`,
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
    prepare: (days) => (person, assignment, today) =>
      person.joinedOn !== null && dayOf(lookedAtOn(person, dayOfAsking(assignment, today))) - dayOf(person.joinedOn) <= days,
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
    prepare: (courses) => holdsOne(courses),
    tell: (courses, _, names) => `holds ${or(courses, names.course)}`,
    tellNot: (courses, names) => `does not hold ${or(courses, names.course)}`,
    fact: (_, courses, __, names, isNot) => `${isNot ? 'does not hold' : 'holds'} ${or(courses, names.course)}`,
    changes: heldEnds,
  },
  lacks: {
    takes: 'courses',
    asks: 'held',
    prepare(courses) {
      const holds = holdsOne(courses);
      return (person, assignment, today) => !holds(person, assignment, today);
    },
    tell: (courses, _, names) => `lacks ${or(courses, names.course)}`,
    tellNot: (courses, names) => `not without ${or(courses, names.course)}`,
    fact: (_, courses, __, names, isNot) =>
      isNot ? `not without ${or(courses, names.course)}` : `does not hold ${or(courses, names.course)}`,
    changes: heldEnds,
  },
  progressAtLeast: {
    takes: 'percent',
    asks: 'assignment',
    prepare: (percent) => now((further) => further.progress >= percent),
    tell: (percent) => `at least ${percent} % is done`,
    tellNot: (percent) => `less than ${percent} % is done`,
    ...about((_, { progress }) => `${progress} % is done`),
  },
  unitOpened: {
    takes: 'unit',
    asks: 'assignment',
    prepare: (unit) => now((further) => further.isOpened(unit)),
    tell: (unit, _, names) => `the unit ${names.unit(unit)} is open`,
    tellNot: (unit, names) => `the unit ${names.unit(unit)} is not open yet`,
    ...about((unit, further, names) => `the unit ${names.unit(unit)} is ${further.isOpened(unit) ? 'open' : 'not open yet'}`),
  },
  quizPassed: {
    takes: 'unit',
    asks: 'assignment',
    prepare: (unit) => now((further) => further.quiz(unit).isPassed),
    tell: (unit, _, names) => `the quiz ${names.unit(unit)} is passed`,
    tellNot: (unit, names) => `the quiz ${names.unit(unit)} is not passed`,
    ...about((unit, further, names) => tellQuizFacts(unit, further, names)),
  },
  quizScore: {
    takes: 'score',
    asks: 'assignment',
    prepare: ({ unit, atLeast }) => now((further) => (further.quiz(unit).best ?? -1) >= atLeast),
    tell: ({ unit, atLeast }, _, names) => `the best score in the quiz ${names.unit(unit)} is at least ${atLeast} %`,
    tellNot: ({ unit, atLeast }, names) => `no score in the quiz ${names.unit(unit)} is ${atLeast} % or more`,
    ...about(({ unit }, further, names) => tellQuizFacts(unit, further, names)),
  },
  quizAttempts: {
    takes: 'attempts',
    asks: 'assignment',
    prepare: ({ unit, atLeast }) => now((further) => further.quiz(unit).attempts >= atLeast),
    tell: ({ unit, atLeast }, _, names) => `the quiz ${names.unit(unit)} was tried at least ${tellAmount(atLeast, 'times')}`,
    tellNot: ({ unit, atLeast }, names) => `the quiz ${names.unit(unit)} was tried fewer than ${tellAmount(atLeast, 'times')}`,
    ...about(({ unit }, further, names) => tellQuizFacts(unit, further, names)),
  },
  signedOff: {
    takes: 'outcomes',
    asks: 'assignment',
    prepare: (outcomes) => now(({ signedOff }) => signedOff !== null && outcomes.includes(signedOff)),
    tell: (outcomes) => `the last sign-off came to ${or(outcomes, tellOutcome)}`,
    tellNot: (outcomes) => `the last sign-off did not come to ${or(outcomes, tellOutcome)}`,
    ...about((_, { signedOff }) => (signedOff === null ? 'nothing was signed off' : `the last sign-off came to ${tellOutcome(signedOff)}`)),
  },
  idleDays: {
    takes: 'days',
    asks: 'assignment',
    prepare: (days) => now((further) => further.idleDays >= days),
    tell: (days) => `nothing was done for at least ${tellAmount(days, 'days')}`,
    tellNot: (days) => `something was done in the last ${tellAmount(days, 'days')}`,
    ...about((_, { idleDays }) => `nothing was done for ${tellAmount(idleDays, 'days')}`),
  },
  manager: {
    takes: 'presences',
    asks: 'assignment',
    prepare: (presences) => now((further) => presences.includes(further.manager)),
    tell: (presences) => `the manager is ${or(presences, tellPresence)}`,
    tellNot: (presences) => `the manager is not ${or(presences, tellPresence)}`,
    ...about((_, { manager }) => `the manager is ${tellPresence(manager)}`),
  },
  round: {
    takes: 'count',
    asks: 'assignment',
    prepare: (round) => now((further) => further.round >= round),
    tell: (round) => `it is round ${round} or later`,
    tellNot: (round) => `it is before round ${round}`,
    ...about((_, { round }) => `it is round ${round}`),
  },
  replied: {
    takes: 'true',
    asks: 'assignment',
    prepare: () => now(({ hasReplied }) => hasReplied),
    tell: () => 'they replied',
    tellNot: () => 'they did not reply',
    ...about((_, { hasReplied }) => (hasReplied ? 'they replied' : 'they did not reply')),
  },
  fromDate: {
    takes: 'date',
    asks: 'assignment',
    prepare: (date) => now(({ today }) => today >= date),
    tell: (date) => `it is ${tellDate(dayOf(date))} or later`,
    tellNot: (date) => `it is before ${tellDate(dayOf(date))}`,
    ...about((_, { today }) => `it is ${tellDate(dayOf(today))}`),
  },
  beforeDate: {
    takes: 'date',
    asks: 'assignment',
    prepare: (date) => now(({ today }) => today < date),
    tell: (date) => `it is before ${tellDate(dayOf(date))}`,
    tellNot: (date) => `it is ${tellDate(dayOf(date))} or later`,
    ...about((_, { today }) => `it is ${tellDate(dayOf(today))}`),
  },
  stepSent: {
    takes: 'step',
    asks: 'notices',
    prepare: (step) => now((further) => further.notices(step).isSent),
    tell: (step, _, names) => `“${names.step(step)}” went to them`,
    tellNot: (step, names) => `“${names.step(step)}” did not go to them`,
    ...about((step, further, names) => `“${names.step(step)}” ${further.notices(step).isSent ? 'went' : 'did not go'}`),
  },
  stepBounced: {
    takes: 'step',
    asks: 'notices',
    prepare: (step) => now((further) => further.notices(step).isBounced),
    tell: (step, _, names) => `“${names.step(step)}” came back`,
    tellNot: (step, names) => `“${names.step(step)}” did not come back`,
    ...about((step, further, names) => `“${names.step(step)}” ${further.notices(step).isBounced ? 'came back' : 'did not come back'}`),
  },
};

/** The conditions that can be asked where these facts are known, in the order of the catalogue. */
export const conditionsFor = (...known: readonly ConditionFact[]): LeafName[] =>
  (Object.keys(CONDITIONS) as LeafName[]).filter((name) => known.includes(CONDITIONS[name].asks));

export const leafName = (leaf: Leaf): LeafName => Object.keys(leaf).find((key) => key !== 'below') as LeafName;
const valueOf = (leaf: Leaf): never => (leaf as Record<string, unknown>)[leafName(leaf)] as never;
const entryOf = (leaf: Leaf): Entry<LeafName> => CONDITIONS[leafName(leaf)] as unknown as Entry<LeafName>;

export const prepareLeaf = (leaf: Leaf, structure: Structure): LeafTest => entryOf(leaf).prepare(valueOf(leaf), leaf, structure);
/** One condition in words, with or without "not". */
export function tellLeaf(leaf: Leaf, names: Names, isNot = false): string {
  const { tell, tellNot } = entryOf(leaf);
  if (!isNot) return tell(valueOf(leaf), leaf, names);
  return tellNot ? tellNot(valueOf(leaf), names) : `not ${tell(valueOf(leaf), leaf, names)}`;
}
export const leafFact = (leaf: Leaf, person: ConditionPerson, structure: Structure, names: Names, isNot: boolean): string =>
  entryOf(leaf).fact(person, valueOf(leaf), structure, names, isNot);
/** What about an assignment makes a condition hold, or not; null where its state and whose it is say it. */
export const leafFactNow = (leaf: Leaf, further: FurtherFacts, names: Names): string | null =>
  entryOf(leaf).factNow?.(valueOf(leaf), further, names) ?? null;
export const leafChanges = (leaf: Leaf, person: ConditionPerson): LocalDate[] => entryOf(leaf).changes?.(valueOf(leaf), person) ?? [];
export const mayChange = (leaf: Leaf): boolean => entryOf(leaf).changes !== undefined;
