import { Calendars, dayOf, type Calendar, type CalendarFacts, type LocalDate, type SendWindow } from '../time/calendar.ts';
import { NAMES_THEMSELVES, type ConditionPerson, type Names, type Structure } from '../conditions/catalogue.ts';
import type { Hold } from '../holding/hold.ts';
import type { Counted, FinishRule } from '../courses/finish.ts';
import type { Released } from '../courses/release.ts';
import type { Way } from './ways.ts';
import { HOUR, type Day, type Instant } from '../time/zone.ts';

/** Days off: first and last day, both inclusive, and who stands in. */
/** When somebody hears of their people, all of it at once. */
export interface Digest {
  at: string;
  /** null is each day */
  on: number | null;
}

export interface Leave {
  from: LocalDate;
  /** null until further notice: nobody knows the last day yet */
  to: LocalDate | null;
  cover: string | null;
}

/** Whether leave covers a local day. */
export const isOnLeave = ({ from, to }: Pick<Leave, 'from' | 'to'>, day: Day): boolean =>
  dayOf(from) <= day && (to === null || day <= dayOf(to));

export interface Person extends ConditionPerson {
  id: string;
  name: string;
  email: string | null;
  calendar: string;
  manager: string | null;
  leave: readonly Leave[];
  department: string | null;
  site: string | null;
  groups: readonly string[];
  job: string | null;
  /** what messages are read in, as a tag (BCP 47); null or none as the house writes them */
  language?: string | null;
  joinedOn: LocalDate | null;
  /** from this day on the person is no longer there */
  leftOn: LocalDate | null;
  /** false while mail to the address comes back */
  isReachable: boolean;
  /** what the workplace chat knows them by */
  chatName?: string | null;
  /** false while the chat says that it does not know them */
  isChatReachable?: boolean;
  /** how they are told, where a step does not say it; null is as the house has it */
  by?: Way | null;
  /** all of a day at once, at this local time `HH:MM`; null or none is each at its own moment */
  dailyAt?: string | null;
  /** what they hear of their people, all at once: at this local time `HH:MM`, each day or on one day of the week (1 Monday … 7 Sunday) */
  digest?: Digest | null;
  /** steps that they declined to be sent, as `course/step` */
  declined?: readonly string[];
}

export interface Course {
  id: string;
  title: string;
  owner: string | null;
  /** people who help the owner, by id */
  assistants?: readonly string[];
  /** required units, by id */
  units: readonly string[];
  /** what finishing it means and counts; without these all of its units, alike */
  finish?: FinishRule;
  counted?: readonly Counted[];
  /** units that do not open at once */
  released?: readonly Released[];
}

export interface Settings {
  sendWindow: SendWindow;
  /** notices a person and local day; null is no limit */
  dailyLimit: number | null;
  /** milliseconds by which a notice may be late and still go */
  tolerance: number;
  /** milliseconds that what an act by hand would send waits, so that taking the act back means something */
  settle: number;
  /** whether there is a workplace chat that messages can go to */
  hasChat?: boolean;
  /** how people are told where neither step nor person says it; mail, where it is not given */
  by?: Way;
}

export const DEFAULT_SETTINGS: Settings = {
  sendWindow: { from: '08:00', to: '18:00' },
  dailyLimit: 3,
  tolerance: 24 * HOUR,
  settle: 0,
};

export interface RosterFacts {
  people: readonly Person[];
  calendars: readonly CalendarFacts[];
  courses: readonly Course[];
  settings: Settings;
  /** the department above one; none where departments stand in no order */
  parentOf?: Structure['parentOf'];
  names?: Names;
  /** what somebody holds */
  holds?: readonly Hold[];
}

const UTC: CalendarFacts = { id: 'utc', zone: 'UTC', workingDays: [1, 2, 3, 4, 5], holidays: [] };

/** The people, calendars and courses that planning looks things up in. */
export class Roster {
  private readonly people: Map<string, Person>;
  private readonly calendars: Calendars;
  private readonly courses: Map<string, Course>;
  private readonly anyCalendar: string;

  /** how departments and people stand below each other, and what the ids in conditions are called */
  readonly structure: Structure;
  readonly names: Names;
  readonly holds: readonly Hold[];

  constructor(private readonly facts: RosterFacts) {
    this.structure = { parentOf: facts.parentOf ?? (() => null), managerOf: (id) => this.people.get(id)?.manager ?? null };
    this.names = facts.names ?? NAMES_THEMSELVES;
    this.holds = facts.holds ?? [];
    this.people = new Map(facts.people.map((person) => [person.id, person]));
    this.courses = new Map(facts.courses.map((course) => [course.id, course]));
    this.settings = facts.settings;
    const calendars = facts.calendars.length > 0 ? facts.calendars : [UTC];
    this.calendars = new Calendars(calendars);
    this.anyCalendar = calendars[0]!.id;
  }

  readonly settings: Settings;

  /** The same roster as if these holds stood, and no others. */
  withHolds(holds: readonly Hold[]): Roster {
    return new Roster({ ...this.facts, holds });
  }

  /** The same roster with somebody more, who is thought of. */
  with(person: Person): Roster {
    return new Roster({ ...this.facts, people: [...this.facts.people, person] });
  }

  person(id: string | null): Person | null {
    return id === null ? null : (this.people.get(id) ?? null);
  }

  /** @throws RangeError for an id that is not on the roster: the caller loaded too little */
  getPerson(id: string): Person {
    const person = this.people.get(id);
    if (!person) throw new RangeError(`Person "${id}" is not on the roster.`);
    return person;
  }

  course(id: string): Course | null {
    return this.courses.get(id) ?? null;
  }

  /** @throws RangeError where the person's own calendar cannot be worked with */
  calendarOf(person: Person): Calendar {
    return this.calendars.get(person.calendar) ?? this.calendars.get(this.anyCalendar)!;
  }

  /** The leave that covers a local day, or null. */
  leaveOn(person: Person, day: Day): Leave | null {
    for (const leave of person.leave) if (isOnLeave(leave, day)) return leave;
    return null;
  }

  hasLeft(person: Person, day: Day): boolean {
    return person.leftOn !== null && dayOf(person.leftOn) <= day;
  }

  isAwayAt(person: Person, instant: Instant): boolean {
    const day = this.calendarOf(person).zone.dayAt(instant);
    return this.hasLeft(person, day) || this.leaveOn(person, day) !== null;
  }
}
