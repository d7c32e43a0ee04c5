import { dayOf, type LocalDate } from '../time/calendar.ts';
import { tellDate, tellMoment } from '../time/words.ts';
import type { Instant, Zone } from '../time/zone.ts';

/** What a field of an event holds, in memory; the contract makes its schema from these, the server its JSON. */
interface FieldTypes {
  instant: Instant;
  date: LocalDate;
  id: string;
  text: string;
  count: number;
  number: number;
  flag: boolean;
  'withdrawn-because': WithdrawnWhy;
}
export type FieldKind = keyof FieldTypes;
/** What withdrew an assignment: what withdrew by itself takes up again by itself. */
export const WITHDRAWN_WHY = ['by-hand', 'left', 'out'] as const;
export type WithdrawnWhy = (typeof WITHDRAWN_WHY)[number];

type Fields = Readonly<Record<string, FieldKind>>;

/** What an event sets going beside the state of its assignment. */
interface Follows {
  /** the notices of the assignment are worked out again */
  plan: boolean;
  /** what the requirements ask of its person is looked at again */
  requirements: boolean;
}

/** What the words of an event are made from. */
export interface EventTelling {
  course: string;
  /** the title of the unit, where the event has one */
  unit: string | null;
  zone: Zone;
  now: Instant;
  /** the words of the event that is taken back */
  takenBack: string | null;
}

interface Entry<N extends Fields, M extends Fields> {
  /** fields that each event of this type has */
  needs: N;
  /** fields that it may have, or null */
  may: M;
  follows: Follows;
  /** whether it counts as a beginning: the assignment is "in progress" from then on */
  begins?: true;
  tell(
    event: { at: Instant } & { [K in keyof N]: FieldTypes[N[K]] } & { [K in keyof M]?: FieldTypes[M[K]] | null },
    facts: EventTelling,
  ): string;
}

const entry = <const N extends Fields, const M extends Fields>(made: Entry<N, M>): Entry<N, M> => made;
const because = (reason: string | null | undefined): string => (reason ? `: ${reason}` : '');
const called = (unit: string | null): string => (unit ? `“${unit}”` : 'a unit');
const PLAN: Follows = { plan: true, requirements: false };
const BOTH: Follows = { plan: true, requirements: true };

/**
 * Everything that can happen to an assignment: its fields, its words, and what follows from it. A new event is added
 * here and nowhere else; who records it (server), reads it (contract) and tells it (time line) goes by this table.
 * `reason` is for the record, `told` for the employee.
 */
export const EVENTS = {
  assigned: entry({
    needs: { dueAt: 'instant' },
    may: { reason: 'text' },
    follows: BOTH,
    tell: ({ dueAt }, { course, zone, now }) => `${course} assigned, due ${tellMoment(dueAt, zone, now)}`,
  }),
  started: entry({ needs: {}, may: {}, follows: PLAN, begins: true, tell: (_, { course }) => `Began ${course}` }),
  'unit-opened': entry({
    needs: { unit: 'id' },
    may: {},
    follows: PLAN,
    tell: (_, { course, unit }) => `${called(unit)} of ${course} opened`,
  }),
  'unit-finished': entry({
    needs: { unit: 'id' },
    may: {},
    follows: PLAN,
    begins: true,
    tell: (_, { course, unit }) => `Finished ${called(unit)} of ${course}`,
  }),
  'quiz-submitted': entry({
    needs: {},
    may: { unit: 'id', attempt: 'count', score: 'number', passed: 'flag' },
    follows: PLAN,
    begins: true,
    tell: ({ attempt, score, passed }, { course, unit }) =>
      `Submitted ${unit ? called(unit) : 'a quiz'} of ${course}${attempt ? `, attempt ${attempt}` : ''}` +
      `${score == null ? '' : `, score ${score}`}` +
      `${passed == null ? '' : passed ? ', passed' : ', not passed'}`,
  }),
  'quiz-marked': entry({
    // a submission that waited for somebody: its score now
    needs: { unit: 'id' },
    may: { attempt: 'count', score: 'number', passed: 'flag' },
    follows: PLAN,
    tell: ({ attempt, score, passed }, { course, unit }) =>
      `Marked ${called(unit)} of ${course}${attempt ? `, attempt ${attempt}` : ''}` +
      `${score == null ? '' : `, score ${score}`}` +
      `${passed == null ? '' : passed ? ', passed' : ', not passed'}`,
  }),
  'package-told': entry({
    // what a package says at its end, or again later
    needs: { unit: 'id' },
    may: { score: 'number', passed: 'flag' },
    follows: PLAN,
    begins: true,
    tell: ({ score, passed }, { course, unit }) =>
      `Went through the package ${called(unit)} of ${course}` +
      `${score == null ? '' : `, score ${score}`}` +
      `${passed == null ? '' : passed ? ', passed' : ', not passed'}`,
  }),
  'survey-answered': entry({
    // that it was answered; what was answered stands elsewhere, and of an anonymous one with nobody
    needs: { unit: 'id' },
    may: {},
    follows: PLAN,
    begins: true,
    tell: (_, { course, unit }) => `Answered ${called(unit)} of ${course}`,
  }),
  'signed-off': entry({
    needs: {},
    may: { unit: 'id', attended: 'flag', met: 'flag' },
    follows: PLAN,
    begins: true,
    tell: ({ attended, met }, { course, unit }) =>
      `${unit ? called(unit) : 'A sign-off'} of ${course}: ${attended === false ? 'absent' : met === false ? 'not met' : 'signed off'}`,
  }),
  'taken-up': entry({
    // somebody of the line sees to it until a day; `isTold`: whoever is above is to hear of it
    needs: { until: 'date' },
    may: { by: 'text', told: 'text', isTold: 'flag' },
    follows: PLAN,
    tell: ({ until, by, told }, { course }) =>
      `${course} taken up${by ? ` by ${by}` : ''}: done by ${tellDate(dayOf(until))}${because(told)}`,
  }),
  'session-set': entry({
    needs: {},
    // the unit and the session that it is a seat in; `isWaiting` without a seat: on its waiting list
    may: {
      startsAt: 'instant',
      endsAt: 'instant',
      session: 'text',
      unit: 'id',
      of: 'id',
      place: 'text',
      isWaiting: 'flag',
      reason: 'text',
      told: 'text',
    },
    follows: PLAN,
    tell: ({ startsAt, session, isWaiting, reason }, { course, zone, now }) =>
      isWaiting
        ? `Waits for a seat in ${session ? `“${session}”` : 'a session'} of ${course}`
        : startsAt == null
          ? `Has no seat in a session of ${course} any more${because(reason)}`
          : `Has a seat in ${session ? `“${session}”` : 'a session'} of ${course}, ${tellMoment(startsAt, zone, now)}`,
  }),
  finished: entry({
    // recorded later: the day on which it was finished, and the beginning of that day where the person is; `version` of the course
    needs: {},
    may: { on: 'date', onAt: 'instant', version: 'count', reason: 'text', proof: 'id' },
    follows: BOTH,
    tell: ({ on, reason }, { course }) =>
      on == null ? `Finished ${course}` : `${course} recorded as finished on ${tellDate(dayOf(on))}${because(reason)}`,
  }),
  'certificate-issued': entry({
    needs: {},
    may: { serial: 'text', expiresAt: 'instant', issuer: 'text' },
    follows: PLAN,
    tell: ({ serial, issuer }, { course }) =>
      issuer ? `Certificate of ${issuer} for ${course}` : `Certificate ${serial ?? ''} for ${course}`,
  }),
  // the same certificate under another serial: neither its day nor what hangs on it changes
  'certificate-replaced': entry({
    needs: { serial: 'text', former: 'text' },
    may: { reason: 'text' },
    follows: { plan: false, requirements: false },
    tell: ({ serial, former, reason }, { course }) => `Certificate ${former} for ${course} issued again as ${serial}${because(reason)}`,
  }),
  waived: entry({
    needs: {},
    may: { until: 'date', reason: 'text', told: 'text' },
    follows: BOTH,
    tell: ({ until, reason }, { course }) => `${course} waived${until ? ` until ${tellDate(dayOf(until))}` : ''}${because(reason)}`,
  }),
  withdrawn: entry({
    needs: {},
    may: { because: 'withdrawn-because', reason: 'text', told: 'text' },
    follows: BOTH,
    tell: ({ reason }, { course }) => `${course} withdrawn${because(reason)}`,
  }),
  extended: entry({
    needs: { dueAt: 'instant' },
    may: { reason: 'text', told: 'text' },
    follows: PLAN,
    tell: ({ dueAt, reason }, { course, zone, now }) => `${course} is due ${tellMoment(dueAt, zone, now)} now${because(reason)}`,
  }),
  reopened: entry({
    needs: { dueAt: 'instant' },
    may: { reason: 'text' },
    follows: BOTH,
    tell: ({ dueAt, reason }, { course, zone, now }) => `${course} taken up again, due ${tellMoment(dueAt, zone, now)}${because(reason)}`,
  }),
  reminded: entry({
    // with a letter that somebody wrote by hand
    needs: { letter: 'id' },
    may: {},
    follows: PLAN,
    tell: (_, { course }) => `Reminded of ${course} by hand`,
  }),
  replied: entry({ needs: {}, may: {}, follows: PLAN, tell: (_, { course }) => `Replied about ${course}` }),
  undone: entry({
    needs: { event: 'id' },
    may: { reason: 'text' },
    follows: BOTH,
    tell: ({ reason }, { course, takenBack }) => `Taken back: ${takenBack ?? `something about ${course}`}${because(reason)}`,
  }),
};

export type EventType = keyof typeof EVENTS;
export const EVENT_TYPES = Object.keys(EVENTS) as EventType[];

type Filled<F extends Fields> = { [K in keyof F]: FieldTypes[F[K]] };
type EventOf<T extends EventType> = T extends EventType
  ? {
      /** what an `undone` names; only events that are stored, or that a file names, have one */
      id?: string;
      type: T;
      at: Instant;
      /** done by hand in Nudrik: what it would send waits until it has settled */
      byHand?: boolean;
    } & Filled<(typeof EVENTS)[T]['needs']> & {
        [K in keyof Filled<(typeof EVENTS)[T]['may']>]?: Filled<(typeof EVENTS)[T]['may']>[K] | null;
      }
  : never;

/** One thing that happened to an assignment, with the instant from which it is known. */
export type AssignmentEvent = EventOf<EventType>;
export type EventNamed<T extends EventType> = EventOf<T>;

export const isEventType = (type: string): type is EventType => type in EVENTS;

/** An event in words: "Fire Teams Aboard waived until 30 Jun 2027: dry dock". */
export function tellEvent(event: AssignmentEvent, facts: EventTelling): string {
  return (EVENTS[event.type] as Entry<Fields, Fields>).tell(event as never, facts);
}

/** The fields of an event as they are kept: instants as ISO text, the rest as it is. */
export function encodeEvent(event: AssignmentEvent): Record<string, unknown> | null {
  const data: Record<string, unknown> = {};
  const { needs, may } = EVENTS[event.type] as Entry<Fields, Fields>;
  for (const [field, kind] of Object.entries({ ...needs, ...may })) {
    const value = (event as unknown as Record<string, unknown>)[field];
    if (value != null) data[field] = kind === 'instant' ? new Date(value as Instant).toISOString() : value;
  }
  return Object.keys(data).length > 0 ? data : null;
}

/** What is kept of an event. */
export interface StoredEvent {
  id: string;
  type: string;
  at: Instant;
  byHand?: boolean;
  data: Record<string, unknown> | null;
}

/** An event from what is kept of it, or null for a type that this version does not know. */
export function decodeEvent(row: StoredEvent): AssignmentEvent | null {
  if (!isEventType(row.type)) return null;
  const event: Record<string, unknown> = { id: row.id, type: row.type, at: row.at };
  if (row.byHand) event['byHand'] = true;
  const { needs, may } = EVENTS[row.type] as Entry<Fields, Fields>;
  for (const [field, kind] of Object.entries({ ...needs, ...may })) {
    const value = row.data?.[field];
    if (value != null) event[field] = kind === 'instant' ? Date.parse(value as string) : value;
  }
  return event as AssignmentEvent;
}
