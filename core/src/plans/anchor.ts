import {
  assignedRevisions,
  dueRevisions,
  effectiveEvents,
  isActivity,
  revisionsOf,
  type Assignment,
  type Revision,
  type Standing,
} from '../assignments/state.ts';
import type { AssignmentEvent, EventNamed } from '../assignments/event.ts';
import { dayOf, type Calendar, type LocalDate } from '../time/calendar.ts';
import type { Instant } from '../time/zone.ts';

/** What a sign-off may have come to. */
export const SIGN_OFF_OUTCOMES = ['met', 'not-met', 'absent'] as const;
export type SignOffOutcome = (typeof SIGN_OFF_OUTCOMES)[number];

/** The event that a step is timed from. */
export interface Anchor {
  event: AnchorEvent;
  /** of the anchors of units, quizzes and sign-offs; without one, any unit */
  unit?: string;
  date?: LocalDate;
  /** of a sign-off; without one, any */
  outcome?: SignOffOutcome;
  /** of a section that is finished, and the units of it that count */
  section?: string;
  units?: readonly string[];
  /** of a reminder by hand: the letter it was done with; without one, any */
  letter?: string;
}

const FIELDS = ['unit', 'date', 'outcome', 'section', 'units', 'letter'] as const;
export type AnchorField = (typeof FIELDS)[number];

interface AnchorEntry {
  /** "when …", "2 days after …" */
  words: string;
  /** fields that it may have, and those that it cannot do without */
  may?: readonly AnchorField[];
  needs?: readonly AnchorField[];
  /** its notices go although the assignment is closed */
  outlives?: true;
  /** each time that it happened, or is known to happen, as known at `now` */
  find(assignment: Assignment, anchor: Pick<Anchor, AnchorField>, assignee: Calendar, now: Instant): Revision[];
}

const entry = (made: AnchorEntry): AnchorEntry => made;

const byInstantThenUnit = (a: AssignmentEvent, b: AssignmentEvent): number => {
  if (a.at !== b.at) return a.at - b.at;
  const [left, right] = [(a as { unit?: string }).unit ?? '', (b as { unit?: string }).unit ?? ''];
  return left < right ? -1 : left > right ? 1 : 0;
};

/**
 * One revision for each event of a kind, counted from 0 by instant, then unit. One that was taken back keeps its number
 * and stands no longer.
 */
function eachEvent<T extends AssignmentEvent>(
  { events }: Assignment,
  now: Instant,
  is: (event: AssignmentEvent) => event is T,
  at: (event: T) => Instant = (event) => event.at,
): Revision[] {
  const found = events.filter((event): event is T => event.at <= now && is(event));
  if (found.length === 0) return [];
  const counting = new Set(effectiveEvents(events, now));
  const undoneAt = (event: T): Instant =>
    events.find((other) => other.type === 'undone' && other.event === event.id && other.at <= now)?.at ?? event.at;
  return found.sort(byInstantThenUnit).map((event, revision) => ({
    at: at(event),
    revision,
    knownAt: event.at,
    isByHand: event.byHand === true,
    isTakenBack: !counting.has(event),
    replacedAt: counting.has(event) ? null : undoneAt(event),
    gaps: [],
    event,
  }));
}

type UnitEvent = EventNamed<'unit-opened' | 'unit-finished' | 'quiz-submitted' | 'quiz-marked' | 'signed-off' | 'survey-answered'>;

/** What a quiz came to: when it was submitted, or when somebody had marked what waited. */
const resultOf =
  (unit: string | undefined, passed: boolean) =>
  (event: AssignmentEvent): event is EventNamed<'quiz-submitted' | 'quiz-marked'> =>
    (event.type === 'quiz-submitted' || event.type === 'quiz-marked') &&
    (unit === undefined || event.unit === unit) &&
    event.passed === passed;
const ofUnit =
  <T extends UnitEvent['type']>(type: T, unit: string | undefined, also: (event: EventNamed<T>) => boolean = () => true) =>
  (event: AssignmentEvent): event is EventNamed<T> =>
    event.type === type && (unit === undefined || (event as UnitEvent).unit === unit) && also(event as EventNamed<T>);

/**
 * Units that were opened, and after them those that will open at a moment that is known: what hangs on them stands in the
 * ledger before it happens. What opens keeps its number, since it opens in this order.
 */
function openings(assignment: Assignment, unit: string | undefined, now: Instant): Revision[] {
  const opened = eachEvent(assignment, now, ofUnit('unit-opened', unit));
  if (!assignment.openings) return opened;
  const known = new Set(assignment.events.flatMap((event) => (event.type === 'unit-opened' && event.at <= now ? [event.unit] : [])));
  const ahead = assignment.openings
    .filter((opening) => !known.has(opening.unit) && (unit === undefined || opening.unit === unit))
    .sort((a, b) => a.at - b.at || (a.unit < b.unit ? -1 : 1));
  return [
    ...opened,
    ...ahead.map(({ at, unit: opens }, i) => ({
      at,
      revision: opened.length + i,
      knownAt: assignment.assignedAt,
      isByHand: false,
      isTakenBack: false,
      replacedAt: null,
      gaps: [],
      event: { type: 'unit-opened' as const, at, unit: opens },
    })),
  ];
}

/** When all of some units were finished: with the one that was finished last. */
function allFinished(assignment: Assignment, units: readonly string[], now: Instant): Revision[] {
  if (units.length === 0) return [];
  const left = new Set(units);
  const counting = new Set(effectiveEvents(assignment.events, now));
  return eachEvent(
    assignment,
    now,
    (event): event is EventNamed<'unit-finished'> =>
      event.type === 'unit-finished' && counting.has(event) && left.delete(event.unit) && left.size === 0,
  );
}

/** What a sign-off came to: who was absent met nothing. */
export const outcomeOf = (event: EventNamed<'signed-off'>): SignOffOutcome =>
  event.attended === false ? 'absent' : event.met === false ? 'not-met' : 'met';

/** Finishing happens once, and again after the assignment began anew; what finishes a closed one is no finishing. */
function finishings(assignment: Assignment, now: Instant): Revision[] {
  let isClosed = false;
  const closing = new Set<AssignmentEvent>();
  for (const event of effectiveEvents(assignment.events, now)) {
    if (event.at > now) continue;
    if (event.type === 'reopened') isClosed = false;
    else if (event.type === 'finished' || event.type === 'waived' || event.type === 'withdrawn') {
      if (event.type === 'finished' && !isClosed) closing.add(event);
      isClosed = true;
    }
  }
  const undone = new Set(effectiveEvents(assignment.events, now));
  // one that was taken back was a finishing too: its number is used
  return eachEvent(
    assignment,
    now,
    (event): event is EventNamed<'finished'> => event.type === 'finished' && (closing.has(event) || !undone.has(event)),
    (event) => event.onAt ?? event.at,
  );
}

const isOfSession = (event: AssignmentEvent, unit: string | undefined): event is EventNamed<'session-set'> =>
  event.type === 'session-set' && (unit === undefined || event.unit === unit);

export type SeatChange = 'given' | 'moved' | 'lost' | 'waiting';

/** What each setting of a session changed for whoever it is about, by what stood before it. */
function seatChanges({ events }: Assignment, now: Instant): Map<AssignmentEvent, SeatChange> {
  const counting = new Set(effectiveEvents(events, now));
  const standing = new Map<string, EventNamed<'session-set'>>();
  const changes = new Map<AssignmentEvent, SeatChange>();
  for (const event of events) {
    if (event.type !== 'session-set' || event.at > now) continue;
    const before = standing.get(event.unit ?? '');
    const had = before?.startsAt != null;
    if (event.startsAt != null) changes.set(event, had ? 'moved' : 'given');
    else if (event.isWaiting) changes.set(event, 'waiting');
    else if (had) changes.set(event, 'lost');
    if (counting.has(event)) standing.set(event.unit ?? '', event);
  }
  return changes;
}

/** An anchor at each change of one kind to somebody's seat. */
const seatEntry = (words: string, change: SeatChange): AnchorEntry => ({
  words,
  may: ['unit'],
  find(assignment, { unit }, _, now) {
    if (!assignment.events.some(({ type }) => type === 'session-set')) return [];
    const changes = seatChanges(assignment, now);
    return eachEvent(
      assignment,
      now,
      (event): event is EventNamed<'session-set'> => isOfSession(event, unit) && changes.get(event) === change,
    );
  },
});

/** The catalogue of anchors: what a step may be timed from. A new one is added here; every floor finds it. */
const ENTRIES = {
  assigned: entry({ words: 'assigned', find: (assignment, _, __, now) => assignedRevisions(assignment, now) }),
  'unit-opened': entry({
    words: 'the unit opens',
    may: ['unit'],
    find: (assignment, { unit }, _, now) => openings(assignment, unit, now),
  }),
  'unit-finished': entry({
    words: 'the unit is finished',
    may: ['unit'],
    find: (assignment, { unit }, _, now) => eachEvent(assignment, now, ofUnit('unit-finished', unit)),
  }),
  'section-finished': entry({
    words: 'the section is finished',
    may: ['units'],
    needs: ['section'],
    find: (assignment, { units = [] }, _, now) => allFinished(assignment, units, now),
  }),
  'quiz-submitted': entry({
    words: 'the quiz is submitted',
    may: ['unit'],
    find: (assignment, { unit }, _, now) => eachEvent(assignment, now, ofUnit('quiz-submitted', unit)),
  }),
  'quiz-passed': entry({
    words: 'the quiz is passed',
    may: ['unit'],
    find: (assignment, { unit }, _, now) => eachEvent(assignment, now, resultOf(unit, true)),
  }),
  'quiz-failed': entry({
    words: 'the quiz is failed',
    may: ['unit'],
    find: (assignment, { unit }, _, now) => eachEvent(assignment, now, resultOf(unit, false)),
  }),
  'quiz-waiting': entry({
    words: 'the quiz waits for marking',
    may: ['unit'],
    // what somebody has marked waits no longer
    find(assignment, { unit }, _, now) {
      const counting = effectiveEvents(assignment.events, now);
      return eachEvent(
        assignment,
        now,
        ofUnit('quiz-submitted', unit, ({ passed }) => passed == null),
      ).map((revision) => {
        const { unit: of, attempt } = revision.event as EventNamed<'quiz-submitted'>;
        const marked = counting.find(
          (event) => event.type === 'quiz-marked' && event.at <= now && event.unit === of && event.attempt === attempt,
        );
        return marked ? { ...revision, replacedAt: revision.replacedAt ?? marked.at } : revision;
      });
    },
  }),
  'signed-off': entry({
    words: 'signed off',
    may: ['unit', 'outcome'],
    find: (assignment, { unit, outcome }, _, now) =>
      eachEvent(
        assignment,
        now,
        ofUnit('signed-off', unit, (event) => outcome === undefined || outcomeOf(event) === outcome),
      ),
  }),
  'survey-answered': entry({
    words: 'the survey is answered',
    may: ['unit'],
    find: (assignment, { unit }, _, now) => eachEvent(assignment, now, ofUnit('survey-answered', unit)),
  }),
  'taken-up': entry({
    words: 'somebody takes it up',
    // only where whoever took it up wishes that it is told
    find: (assignment, _, __, now) =>
      eachEvent(assignment, now, (event): event is EventNamed<'taken-up'> => event.type === 'taken-up' && event.isTold === true),
  }),
  extended: entry({
    words: 'the due date is moved',
    find: (assignment, _, __, now) => eachEvent(assignment, now, (event): event is EventNamed<'extended'> => event.type === 'extended'),
  }),
  waived: entry({
    words: 'waived',
    outlives: true,
    find: (assignment, _, __, now) => eachEvent(assignment, now, (event): event is EventNamed<'waived'> => event.type === 'waived'),
  }),
  withdrawn: entry({
    words: 'withdrawn',
    outlives: true,
    find: (assignment, _, __, now) => eachEvent(assignment, now, (event): event is EventNamed<'withdrawn'> => event.type === 'withdrawn'),
  }),
  due: entry({ words: 'due', find: (assignment, _, __, now) => dueRevisions(assignment, now) }),
  finished: entry({ words: 'finished', outlives: true, find: (assignment, _, __, now) => finishings(assignment, now) }),
  'certificate-issued': entry({
    words: 'the certificate is issued',
    outlives: true,
    find: (assignment, _, __, now) =>
      // what others issued is no news to its holder
      eachEvent(
        assignment,
        now,
        (event): event is EventNamed<'certificate-issued'> => event.type === 'certificate-issued' && event.issuer == null,
      ),
  }),
  expires: entry({
    words: 'the certificate expires',
    outlives: true,
    find: (assignment, _, __, now) =>
      eachEvent(
        assignment,
        now,
        (event): event is EventNamed<'certificate-issued'> => event.type === 'certificate-issued' && event.expiresAt != null,
        (event) => event.expiresAt!,
      ),
  }),
  // the seat that somebody has: each move is a new revision, a cancelled session or a seat given up drops what hangs on it
  'session-starts': entry({
    words: 'the session starts',
    may: ['unit'],
    find: (assignment, { unit }, _, now) =>
      revisionsOf(assignment, null, (event) => (isOfSession(event, unit) ? (event.startsAt ?? 'none') : null), now),
  }),
  'seat-given': seatEntry('a seat is given', 'given'),
  'session-moved': seatEntry('the session is moved', 'moved'),
  'seat-lost': seatEntry('the seat is lost', 'lost'),
  'seat-waiting': seatEntry('a waiting place is given', 'waiting'),
  // each activity drops what waited since the one before
  idle: entry({
    words: 'the last activity',
    find: (assignment, _, __, now) =>
      revisionsOf(assignment, assignment.assignedAt, (event) => (isActivity(event) || event.type === 'reopened' ? event.at : null), now),
  }),
  reminded: entry({
    words: 'reminded by hand',
    may: ['letter'],
    find: (assignment, { letter }, _, now) =>
      eachEvent(
        assignment,
        now,
        (event): event is EventNamed<'reminded'> => event.type === 'reminded' && (letter === undefined || event.letter === letter),
      ),
  }),
  date: entry({
    words: 'the date',
    may: ['date'],
    needs: ['date'],
    find: (assignment, { date }, assignee) => [
      {
        at: assignee.zone.toInstant(dayOf(date!), 0),
        revision: 0,
        knownAt: assignment.assignedAt,
        isByHand: assignment.isByHand ?? false,
        isTakenBack: false,
        replacedAt: null,
        gaps: [],
      },
    ],
  }),
};

export type AnchorEvent = keyof typeof ENTRIES;
export const ANCHORS = Object.keys(ENTRIES) as [AnchorEvent, ...AnchorEvent[]];
export const anchorEntry = (event: AnchorEvent): AnchorEntry => ENTRIES[event];

/** Anchors that are known before they come: something may go before them. */
const AHEAD: ReadonlySet<AnchorEvent> = new Set<AnchorEvent>(['due', 'expires', 'session-starts', 'date', 'unit-opened']);
export const isKnownAhead = (event: AnchorEvent): boolean => AHEAD.has(event);

/** Anchors whose notices go although the assignment is closed. */
export const outlivesAssignment = (event: AnchorEvent): boolean => 'outlives' in ENTRIES[event];

/**
 * Whether a notice hangs on the very sign-off that finished its assignment: what that sign-off has to say is not made moot by the
 * finish that it brought.
 */
export const isOfFinishingSignOff = (event: AnchorEvent, anchorAt: Instant, { closing }: Pick<Standing, 'closing'>): boolean =>
  event === 'signed-off' && closing?.type === 'finished' && closing.at === anchorAt;

/** The anchors of a step for an assignment, from the events known at `now`; none is "waits for". */
export const anchorsOf = (anchor: Anchor, assignment: Assignment, assignee: Calendar, now: Instant): Revision[] =>
  ENTRIES[anchor.event].find(assignment, anchor, assignee, now);

/** What is missing in an anchor or does not belong to it, in words, or null. */
export function anchorFault(anchor: Anchor): string | null {
  const { needs = [], may = [] } = anchorEntry(anchor.event);
  const lacks = needs.find((field) => !anchor[field]);
  if (lacks) return `the anchor "${anchor.event}" needs a ${lacks}`;
  const extra = FIELDS.find((field) => anchor[field] !== undefined && !may.includes(field) && !needs.includes(field));
  return extra ? `the anchor "${anchor.event}" has no ${extra}` : null;
}

const OUTCOME_WORDS: Record<SignOffOutcome, string> = { met: 'signed off', 'not-met': 'signed off as not met', absent: 'marked absent' };

export const tellAnchor = (anchor: Anchor): string =>
  anchor.event === 'date' ? `${anchor.date}` : anchor.outcome ? OUTCOME_WORDS[anchor.outcome] : ENTRIES[anchor.event].words;
