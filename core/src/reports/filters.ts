import { dayOf, isKept } from '../time/calendar.ts';
import { tellDate } from '../time/words.ts';

const TOLD: Readonly<Record<string, (value: string) => string>> = {
  find: (value) => `found by “${value}”`,
  department: (value) => `department ${value}`,
  site: (value) => `site ${value}`,
  state: (value) => value,
  who: (value) => value.replace(/:/g, ', '),
  step: (value) => `step ${value}`,
  outcome: (value) => value,
  because: (value) => `reason ${value}`,
  held: (value) => `held: ${value}`,
  kind: (value) => value,
  on: (value) => `as of ${date(value)}`,
  known: (value) => (value === 'now' ? 'as is known now' : ''),
  from: (value) => `from ${date(value)}`,
  to: (value) => `to ${date(value)}`,
  by: (value) => (value === 'person' ? '' : `by ${value}`),
  days: (value) => `within ${value} days`,
  course: () => 'of one course',
  manager: () => 'of one manager',
  group: () => 'of one group',
  person: () => 'of one person',
  requirement: () => 'of one requirement',
  seed: (value) => `seed ${value}`,
};
const date = (value: string): string => (isKept(value) ? tellDate(dayOf(value)) : value);

/** Filters of a page of reports, in words: "department Deck, late". What says nothing is left out. @param without names that are told elsewhere */
export function tellFilters(query: Readonly<Record<string, unknown>>, without: readonly string[] = []): string {
  return Object.entries(query)
    .flatMap(([name, value]) => {
      const tell = Object.hasOwn(TOLD, name) && !without.includes(name) ? TOLD[name]! : null;
      // numbers are where a page begins, and how long it is
      if (!tell || typeof value !== 'string' || value === '' || value === 'all') return [];
      return [tell(value.slice(0, 80))].filter(Boolean);
    })
    .join(', ');
}
