import type { Person } from '../people/person.ts';
import { dayOf, type LocalDate } from '../time/calendar.ts';
import { tellDate, tellList } from '../time/words.ts';
import type { StateWord } from './state.ts';

/** Data, never code: stored with a step, written in words wherever it is shown. */
export type Condition =
  | { all: readonly Condition[] }
  | { any: readonly Condition[] }
  | { not: Condition }
  | { state: readonly StateWord[] }
  | { department: readonly string[] }
  | { site: readonly string[] }
  | { group: readonly string[] }
  | { job: readonly string[] }
  | { joinedBefore: LocalDate }
  | { joinedAfter: LocalDate }
  | { unitFinished: string };

/** What a condition is asked of. */
export interface ConditionFacts {
  person: Person;
  state: StateWord;
  unitsFinished: ReadonlySet<string>;
}

/** Whether the condition holds. Lists mean "one of these". `finished` takes in `finished late`. */
export function holds(condition: Condition, facts: ConditionFacts): boolean {
  if ('all' in condition) return condition.all.every((part) => holds(part, facts));
  if ('any' in condition) return condition.any.some((part) => holds(part, facts));
  if ('not' in condition) return !holds(condition.not, facts);
  if ('state' in condition)
    return condition.state.includes(facts.state) || (facts.state === 'finished late' && condition.state.includes('finished'));
  if ('department' in condition) return facts.person.department !== null && condition.department.includes(facts.person.department);
  if ('site' in condition) return facts.person.site !== null && condition.site.includes(facts.person.site);
  if ('group' in condition) return facts.person.groups.some((group) => condition.group.includes(group));
  if ('job' in condition) return facts.person.job !== null && condition.job.includes(facts.person.job);
  if ('joinedBefore' in condition) return facts.person.joinedOn !== null && facts.person.joinedOn < condition.joinedBefore;
  if ('joinedAfter' in condition) return facts.person.joinedOn !== null && facts.person.joinedOn > condition.joinedAfter;
  return facts.unitsFinished.has(condition.unitFinished);
}

/** The condition in words: `in Deck or Engine and not finished`. */
export function tellCondition(condition: Condition): string {
  if ('all' in condition) return condition.all.length ? tellList(condition.all.map(tellPart)) : 'always';
  if ('any' in condition) return condition.any.length ? tellList(condition.any.map(tellPart), 'or') : 'never';
  if ('not' in condition) return `not ${tellPart(condition.not)}`;
  if ('state' in condition) return tellList(condition.state, 'or');
  if ('department' in condition) return `in ${tellList(condition.department, 'or')}`;
  if ('site' in condition) return `at ${tellList(condition.site, 'or')}`;
  if ('group' in condition) return `in the group ${tellList(condition.group, 'or')}`;
  if ('job' in condition) return tellList(condition.job, 'or');
  if ('joinedBefore' in condition) return `joined before ${tellDate(dayOf(condition.joinedBefore))}`;
  if ('joinedAfter' in condition) return `joined after ${tellDate(dayOf(condition.joinedAfter))}`;
  return `the unit ${condition.unitFinished} is finished`;
}

const tellPart = (condition: Condition): string =>
  'all' in condition || 'any' in condition ? `(${tellCondition(condition)})` : tellCondition(condition);
