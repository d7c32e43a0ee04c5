import type { Person, Settings } from './people/person.ts';
import { DEFAULT_SETTINGS, Roster } from './people/person.ts';
import type { Assignment } from './assignments/state.ts';
import type { Step } from './plans/step.ts';
import type { CalendarFacts } from './time/calendar.ts';

/** Made-up facts for the tests: two sites, four people, one course. */
export const OSLO: CalendarFacts = {
  id: 'orla',
  zone: 'Europe/Oslo',
  workingDays: [1, 2, 3, 4, 5],
  holidays: ['2027-03-25', '2027-03-26', '2027-03-29'],
};
export const LONDON: CalendarFacts = {
  id: 'tarn',
  zone: 'Europe/London',
  workingDays: [1, 2, 3, 4, 5],
  holidays: ['2027-03-26', '2027-03-29'],
};

export const aPerson = (id: string, rest: Partial<Person> = {}): Person => ({
  id,
  name: `Person ${id}`,
  email: `${id}@orlasund.example`,
  calendar: 'orla',
  manager: null,
  leave: [],
  department: 'Deck',
  site: 'Orla Quay',
  groups: [],
  job: null,
  joinedOn: null,
  leftOn: null,
  isReachable: true,
  ...rest,
});

export const aStep = (rest: Partial<Step> = {}): Step => ({
  id: 's1',
  name: 'A step',
  kind: 'reminder',
  on: true,
  anchor: { event: 'due' },
  offset: { amount: -2, unit: 'days' },
  at: null,
  window: 'exact',
  repeat: null,
  to: ['employee'],
  gather: 'none',
  endsOn: null,
  onlyIf: null,
  stopWhen: null,
  ...rest,
});

export const anAssignment = (rest: Partial<Assignment> = {}): Assignment => ({
  id: 'a1',
  person: 'runa',
  course: 'c1',
  assignedAt: Date.parse('2027-03-01T09:30:00Z'),
  dueAt: Date.parse('2027-03-19T16:00:00Z'),
  events: [],
  ...rest,
});

export const aRoster = (people: Person[], settings: Partial<Settings> = {}, owner: string | null = 'tora'): Roster =>
  new Roster({
    people,
    calendars: [OSLO, LONDON],
    courses: [{ id: 'c1', title: 'Fire Teams Aboard', owner, units: ['u1', 'u2'] }],
    settings: { ...DEFAULT_SETTINGS, ...settings },
  });

export const utc = (iso: string): number => Date.parse(iso.length === 16 ? `${iso}:00Z` : iso);
