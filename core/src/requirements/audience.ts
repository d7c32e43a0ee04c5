import { leafChanges, leafFact, mayChange, prepareLeaf, tellLeaf, type Leaf, type Names, type Structure } from '../conditions/catalogue.ts';
import { isLeaf, leavesOf, type Condition } from '../conditions/condition.ts';
import { addMonths, dateOf, dayOf, type LocalDate } from '../time/calendar.ts';
import { tellList } from '../time/words.ts';

/** Who is meant: a condition of people alone, by the ids of the house. */
export type Audience = Condition;

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

type Test = (person: AudiencePerson) => boolean;

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
  const timed = leavesOf(audience).filter(mayChange);
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
    const prepared = prepareLeaf(audience, structure);
    const test: Test = (person) => prepared(person, null, today);
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

/**
 * The next day after `today` on which the answer for a person may change although nobody changes anything: a stretch of
 * days since joining ends, or a certificate runs out. Null where time alone changes nothing.
 */
export const changesOn = (audience: Audience, person: AudiencePerson, today: LocalDate): LocalDate | null =>
  firstChange(leavesOf(audience), person, today);

function firstChange(leaves: readonly Leaf[], person: AudiencePerson, today: LocalDate): LocalDate | null {
  return earliest(leaves.flatMap((leaf) => leafChanges(leaf, person)).filter((day) => day > today));
}

export const earliest = (days: readonly LocalDate[]): LocalDate | null =>
  days.reduce<LocalDate | null>((first, day) => (first === null || day < first ? day : first), null);

/** A department opens the sentence: "Deck or Engine, at Orla Quay". */
const tellWho = (leaf: Leaf, names: Names): string =>
  'department' in leaf ? tellLeaf(leaf, names).slice('in '.length) : tellLeaf(leaf, names);

/** The audience as a sentence: "Deck or Engine, at Orla Quay, joined in the last 90 days, not in the group Shore staff". */
export function tellAudience(audience: Audience, names: Names): string {
  if ('all' in audience) return audience.all.length ? audience.all.map((part) => tellPart(part, names)).join(', ') : 'everyone';
  if ('any' in audience)
    return audience.any.length
      ? tellList(
          audience.any.map((part) => tellPart(part, names)),
          'or',
        )
      : 'nobody';
  if ('not' in audience) return isLeaf(audience.not) ? tellLeaf(audience.not, names, true) : `not (${tellAudience(audience.not, names)})`;
  return tellWho(audience, names);
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
      if (compileAudience(part, structure, today).test(person) !== isNot) facts.add(leafFact(part, person, structure, names, isNot));
      return;
    }
    for (const inner of 'all' in part ? part.all : part.any) walk(inner, isNot);
  };
  walk(audience, false);
  return [...facts];
}

/** Months back from a date, for "finished within the last n months". */
export const monthsBefore = (date: LocalDate, months: number): LocalDate => dateOf(addMonths(dayOf(date), -months));
