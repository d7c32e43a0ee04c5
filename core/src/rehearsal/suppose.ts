import type { AssignmentEvent } from '../assignments/event.ts';
import type { Assignment } from '../assignments/state.ts';
import { expiryOf, type Validity } from '../certificates/validity.ts';
import { standingAt, type Standing } from '../assignments/state.ts';
import { NAMES_THEMSELVES, type Names } from '../conditions/catalogue.ts';
import type { Hold } from '../holding/hold.ts';
import { missingOf, type TextCourse } from '../messages/facts.ts';
import type { Frame } from '../messages/frame.ts';
import type { Handout } from '../messages/handout.ts';
import type { SenderHouse } from '../messages/sender.ts';
import type { Person, Settings } from '../people/person.ts';
import { Roster } from '../people/person.ts';
import type { PlanStep } from '../plans/standard.ts';
import { addDays, dateOf, dayOf, msOfTime, type CalendarFacts, type LocalDate } from '../time/calendar.ts';
import { DAY_MS, HOUR, Zone, type Instant } from '../time/zone.ts';
import type { HoldReason } from '../notices/decide.ts';
import { keyOf } from '../notices/slot.ts';
import type { PastNotice, RehearsalInput } from './rehearse.ts';

/** How people went through a course in the past: when they finished, as a share of the time from the assignment to the due date. */
export interface Pace {
  /** of those who finished, in order; 1 is at the due date */
  shares: readonly number[];
  /** how many of a hundred did not finish at all */
  never: number;
}

/** A notice of the ledger, as short as it can be: there are ten for each assignment. */
export type LedgerLine = readonly [
  assignment: string,
  step: string,
  revision: number,
  occurrence: number,
  to: string,
  state: PastNotice['state'],
  at: Instant,
  moment: Instant,
  held: HoldReason | null,
  person: string | null,
];

/** Everything that a rehearsal of plans looks at, as plain data: from the server to a worker, or from a test. */
export interface RehearsalFacts {
  now: Instant;
  /** of the house: days are counted in it */
  zone: string;
  organisation: string;
  /** who messages come from, and whom their replies reach */
  house: SenderHouse;
  /** the files that their messages bring */
  handouts?: readonly Handout[];
  /** what stands around every message; as it ships where none is given */
  frame?: Frame;
  people: readonly Person[];
  calendars: readonly CalendarFacts[];
  courses: readonly TextCourse[];
  settings: Settings;
  /** the department above each */
  parents: Readonly<Record<string, string | null>>;
  /** what the ids in conditions are called, by kind */
  names: Readonly<Record<keyof Names, Readonly<Record<string, string>>>>;
  holds: readonly Hold[];
  plans: readonly { course: string; title: string; publishedAt: Instant; steps: readonly PlanStep[]; draft: readonly PlanStep[] | null }[];
  assignments: readonly Assignment[];
  /** what became of the notices of these assignments so far */
  ledger: readonly LedgerLine[];
  pace: Readonly<Record<string, Pace>>;
  /** so many assignments were left out, beyond the most that is looked at */
  leftOut: number;
  /** the assignments among them that requirements will make in the days to come */
  ahead: readonly string[];
  /** people whom requirements will look at in these days, beyond the most that are asked of */
  aheadLeftOut: number;
  /** courses whose finish brings a certificate, and how long it holds */
  certified: Readonly<Record<string, Validity | null>>;
  /** the units of each course that somebody signs off and that finishing takes */
  signOffs: Readonly<Record<string, readonly string[]>>;
}

/** What is supposed of the days to come. */
export interface Supposition {
  /** local days of the house, from now on */
  days: number;
  /** whose plans; all of them where it is null */
  course: string | null;
  /** the draft of a plan where there is one, as if it were published now */
  withDraft: boolean;
  act: { kind: 'nobody' } | { kind: 'all'; after: number } | { kind: 'past' };
  /** a holiday at a site */
  holiday: { calendar: string; date: LocalDate } | null;
  /** mail is down from the morning of a day on */
  outage: { from: LocalDate; days: number } | null;
  /** people who join and are assigned a course that morning, due so many days later */
  joiners: { count: number; on: LocalDate; calendar: string; course: string; dueDays: number } | null;
  /** as if nothing were held */
  withoutHolds: boolean;
}

export const PLAINLY: Supposition = {
  days: 28,
  course: null,
  withDraft: false,
  act: { kind: 'nobody' },
  holiday: null,
  outage: null,
  joiners: null,
  withoutHolds: false,
};

/** The most days that a rehearsal looks ahead. */
export const MOST_DAYS = 90;

export interface Supposed extends Pick<RehearsalInput, 'from' | 'until' | 'roster' | 'assignments' | 'outage' | 'missingOf' | 'ledger'> {
  plans: readonly { course: string; publishedAt: Instant; steps: readonly PlanStep[] }[];
}

/** A number from 0 to 1 that is always the same for a text: what is drawn does not depend on the order of anything. */
function drawn(text: string): number {
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  // one round of mulberry32, so that neighbours lie far apart
  let mixed = (hash + 0x6d2b79f5) | 0;
  mixed = Math.imul(mixed ^ (mixed >>> 15), 1 | mixed);
  mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
  return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
}

/** When somebody would finish as people did in the past, of whom it is known that they have not finished yet; null for never. */
export function drawFinish(assignment: Assignment, dueAt: Instant, pace: Pace | undefined, now: Instant): Instant | null {
  if (!pace || pace.shares.length === 0) return null;
  const span = Math.max(DAY_MS, dueAt - assignment.assignedAt);
  const passed = (now - assignment.assignedAt) / span;
  const left = pace.shares.filter((share) => share > passed);
  // of all who were still at it at this point, so many never came to an end
  const never = (pace.shares.length * pace.never) / Math.max(1, 100 - pace.never);
  const place = drawn(`finish ${assignment.id}`) * (left.length + never);
  return place < left.length ? Math.round(assignment.assignedAt + left[Math.floor(place)]! * span) : null;
}

function supposedRoster(facts: RehearsalFacts, supposition: Supposition, joiners: readonly Person[]): Roster {
  const { holiday, withoutHolds } = supposition;
  const nameOf =
    (kind: keyof Names): ((id: string) => string) =>
    (id) =>
      facts.names[kind]?.[id] ?? NAMES_THEMSELVES[kind](id);
  return new Roster({
    people: [...facts.people, ...joiners],
    calendars: facts.calendars.map((calendar) =>
      holiday?.calendar === calendar.id ? { ...calendar, holidays: [...calendar.holidays, holiday.date] } : calendar,
    ),
    courses: facts.courses,
    settings: facts.settings,
    parentOf: (id) => facts.parents[id] ?? null,
    names: Object.fromEntries((Object.keys(NAMES_THEMSELVES) as (keyof Names)[]).map((kind) => [kind, nameOf(kind)])) as unknown as Names,
    holds: withoutHolds ? [] : facts.holds,
  });
}

/** People who are thought of: at a site, with the manager that most have there. */
function joinersOf(facts: RehearsalFacts, { joiners }: Supposition): { people: Person[]; assignments: Assignment[] } {
  if (!joiners) return { people: [], assignments: [] };
  const { count, on, calendar, course, dueDays } = joiners;
  const there = facts.people.filter((person) => person.calendar === calendar);
  const times = new Map<string | null, number>();
  for (const { manager } of there) if (manager !== null) times.set(manager, (times.get(manager) ?? 0) + 1);
  const manager = [...times].sort(([, a], [, b]) => b - a)[0]?.[0] ?? null;
  const like = there.find((person) => person.manager === manager) ?? there[0];
  const zone = Zone.of(facts.calendars.find(({ id }) => id === calendar)?.zone ?? facts.zone);
  const assignedAt = zone.toInstant(dayOf(on), msOfTime(facts.settings.sendWindow.from));
  const people = Array.from({ length: count }, (_, i): Person => ({
    id: `joiner ${i + 1}`,
    name: `Joiner ${i + 1}`,
    email: `joiner-${i + 1}@example`,
    calendar,
    manager,
    leave: [],
    department: like?.department ?? null,
    site: like?.site ?? null,
    groups: [],
    job: like?.job ?? null,
    joinedOn: on,
    leftOn: null,
    isReachable: true,
    ...(like?.departmentId !== undefined && { departmentId: like.departmentId }),
    ...(like?.siteId !== undefined && { siteId: like.siteId }),
  }));
  const dueAt = zone.toInstant(dayOf(addDays(on, dueDays)), 17 * HOUR);
  return {
    people,
    assignments: people.map(({ id }) => ({ id: `of ${id}`, person: id, course, assignedAt, dueAt, events: [] })),
  };
}

/** What comes with finishing at a moment: the sign-offs that it took, the finish, and the certificate where the course has one. */
function finishing({ certified, signOffs }: RehearsalFacts, { course }: Assignment, { unitsFinished }: Standing, at: Instant, home: Zone): AssignmentEvent[] {
  const left = (signOffs[course] ?? []).filter((unit) => !unitsFinished.has(unit));
  const validity = certified[course];
  const expiresOn = validity ? expiryOf(dateOf(home.dayAt(at)), validity) : null;
  return [
    ...left.flatMap((unit): AssignmentEvent[] => [
      { type: 'signed-off', at, unit, attended: true, met: true },
      { type: 'unit-finished', at, unit },
    ]),
    { type: 'finished', at },
    ...(validity === undefined ? [] : [{ type: 'certificate-issued', at, expiresAt: expiresOn === null ? null : home.toInstant(dayOf(expiresOn), 0) } as const]),
  ];
} // prettier-ignore

/** What a supposition makes of the facts: everything that the sender's rules are then asked with. Nothing of the facts is changed. */
export function suppose(facts: RehearsalFacts, supposition: Supposition): Supposed {
  const { now } = facts;
  const zone = Zone.of(facts.zone);
  const days = Math.min(MOST_DAYS, Math.max(1, Math.round(supposition.days)));
  const until = zone.toInstant(zone.dayAt(now) + days, 0);
  const { act, outage, course } = supposition;
  const joiners = joinersOf(facts, supposition);
  const roster = supposedRoster(facts, supposition, joiners.people);
  const wanted = [...facts.assignments, ...joiners.assignments].filter((assignment) => course === null || assignment.course === course);
  const assignments = wanted.map((assignment): Assignment => {
    if (act.kind === 'nobody') return assignment;
    const standing = standingAt(assignment, now);
    if (standing.closedBy !== null) return assignment;
    const home = roster.calendarOf(roster.getPerson(assignment.person)).zone;
    const at =
      act.kind === 'all'
        ? Math.max(assignment.assignedAt, home.toInstant(home.dayAt(Math.max(now, assignment.assignedAt)) + act.after, 12 * HOUR))
        : drawFinish(assignment, standing.dueAt, facts.pace[assignment.course], now);
    if (at === null || at <= now || at >= until) return assignment;
    return {
      ...assignment,
      events: [...assignment.events.filter((event) => event.at <= at), ...finishing(facts, assignment, standing, at, home)],
    };
  });
  const plans = facts.plans
    .filter((plan) => course === null || plan.course === course)
    .map(({ course: of, publishedAt, steps, draft }) =>
      supposition.withDraft && draft ? { course: of, publishedAt: now, steps: draft } : { course: of, publishedAt, steps },
    );
  const down = outage && {
    from: zone.toInstant(dayOf(outage.from), 0),
    to: zone.toInstant(dayOf(outage.from) + Math.max(1, outage.days), 0),
  };
  const ledger = new Map(
    facts.ledger.map(([assignment, step, revision, occurrence, to, state, at, moment, held, person]) => [
      keyOf({ assignment, step, revision, occurrence, to }),
      { state, at, moment, held, person },
    ]),
  );
  return {
    ledger,
    from: now,
    until,
    roster,
    plans,
    assignments,
    ...(down && { outage: down }),
    missingOf: missingOf(roster, new Map(facts.courses.map((one) => [one.id, one])), facts),
  };
}
