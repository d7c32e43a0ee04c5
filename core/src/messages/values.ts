import type { Person } from '../people/person.ts';
import type { AssignmentEvent } from '../assignments/event.ts';
import type { Standing } from '../assignments/state.ts';
import { outcomeOf } from '../plans/anchor.ts';
import { dayOf, type Calendar } from '../time/calendar.ts';
import type { Instant, Zone } from '../time/zone.ts';
import type { Values } from './render.ts';
import type { Speech } from './speech.ts';
import { fieldsNeeded, type Template } from './template.ts';

export interface ValueFacts {
  employee: Person;
  recipientName: string | null;
  manager: Person | null;
  trainer: Person | null;
  course: { title: string; code: string | null; summary: string | null };
  assignedAt: Instant;
  standing: Standing;
  unitsDone: number;
  unitsRequired: number;
  certificate: { serial: string; expiresOn: string | null } | null;
  /** the submission that the step hangs on; null where it hangs on none */
  quiz: { title: string; attempt: number | null; score: number | null; passed: boolean | null } | null;
  /** what the step hangs on, where that is an event */
  event: AssignmentEvent | null;
  /** the unit that the step names */
  unitAsked: string | null;
  titleOf: (unit: string) => string | null;
  organisation: string;
  /** the name that it comes from */
  sender: string;
  /** how the language of the text tells days and amounts */
  speech: Speech;
  /** the reader's zone: dates are told in it */
  zone: Zone;
  /** the reader's: working days are counted in it */
  calendar: Calendar;
  now: Instant;
}

export const givenNameOf = (name: string): string => name.split(/\s+/)[0] ?? name;

export const daysLate = (dueAt: Instant, now: Instant, zone: Zone): number => Math.max(0, zone.dayAt(now) - zone.dayAt(dueAt));

/** "82 %, passed", or that it waits. */
export const tellResult = (quiz: ValueFacts['quiz'], speech: Speech): string =>
  !quiz || quiz.passed === null ? speech.waitsForMarking : speech.result(quiz.score ?? 0, quiz.passed);

/** The value of each merge field for one notice; null where the person has none, which holds the notice. */
const VALUES: Readonly<Record<string, (facts: ValueFacts) => string | null>> = {
  'given name': ({ employee }) => givenNameOf(employee.name),
  'full name': ({ employee }) => employee.name,
  recipient: ({ recipientName }) => (recipientName ? givenNameOf(recipientName) : null),
  course: ({ course }) => course.title,
  'course code': ({ course }) => course.code,
  'course summary': ({ course }) => course.summary,
  assigned: ({ assignedAt, zone, now, speech }) => speech.day(zone.dayAt(assignedAt), zone.dayAt(now)),
  due: ({ standing, zone, now, speech }) => speech.moment(standing.dueAt, zone, now),
  'time to due': ({ standing, zone, now, speech }) => speech.distance(now, standing.dueAt, zone),
  'due when': ({ standing, zone, now, speech }) => speech.near(now, standing.dueAt, zone),
  'working days to due': ({ standing, calendar, now, speech }) => speech.workingDistance(now, standing.dueAt, calendar),
  'days late': ({ standing, zone, now }) => String(daysLate(standing.dueAt, now, zone)),
  'units left': ({ unitsDone, unitsRequired, speech }) => speech.units(Math.max(0, unitsRequired - unitsDone)),
  'units done': ({ unitsDone, unitsRequired, speech }) => speech.unitsOf(unitsDone, unitsRequired),
  department: ({ employee }) => employee.department,
  site: ({ employee }) => employee.site,
  job: ({ employee }) => employee.job,
  manager: ({ manager }) => manager?.name ?? null,
  trainer: ({ trainer }) => trainer?.name ?? null,
  finished: ({ standing: { finishedAt, finishedOn }, zone, speech }) =>
    finishedAt === null ? null : speech.date(finishedOn ? dayOf(finishedOn) : zone.dayAt(finishedAt)),
  'certificate serial': ({ certificate }) => certificate?.serial ?? null,
  'certificate expiry': ({ certificate, speech }) =>
    certificate ? (certificate.expiresOn ? speech.date(dayOf(certificate.expiresOn)) : speech.noExpiry) : null,
  quiz: ({ quiz }) => quiz?.title ?? null,
  'quiz result': ({ quiz, speech }) => quiz && tellResult(quiz, speech),
  'quiz attempt': ({ quiz }) => (quiz?.attempt == null ? null : String(quiz.attempt)),
  unit: ({ event, unitAsked, titleOf }) => {
    const unit = (event && 'unit' in event ? event.unit : null) ?? unitAsked;
    return unit === null ? null : titleOf(unit);
  },
  session: ({ event }) => (event?.type === 'session-set' ? (event.session ?? null) : null),
  'session starts': ({ event, zone, now, speech }) =>
    event?.type === 'session-set' && event.startsAt != null ? speech.moment(event.startsAt, zone, now) : null,
  'session ends': ({ event, zone, now, speech }) =>
    event?.type === 'session-set' && event.endsAt != null ? speech.moment(event.endsAt, zone, now) : null,
  'session place': ({ event }) => (event?.type === 'session-set' ? (event.place ?? null) : null),
  'signed off': ({ event, speech }) => (event?.type === 'signed-off' ? speech.outcomes[outcomeOf(event)] : null),
  'signed off on': ({ event, zone, now, speech }) =>
    event?.type === 'signed-off' ? speech.day(zone.dayAt(event.at), zone.dayAt(now)) : null,
  'reason given': ({ event }) => (event && 'told' in event ? (event.told ?? null) : null),
  sender: ({ sender }) => sender,
  organisation: ({ organisation }) => organisation,
};

/** The values of all merge fields, for a text to be rendered with. */
export const valuesFor = (facts: ValueFacts): Values =>
  Object.fromEntries(Object.entries(VALUES).map(([field, valueOf]) => [field, valueOf(facts)]));

/** Fields that print a moment or a number of what is always there. */
export const ALWAYS_THERE: ReadonlySet<string> = new Set([
  'assigned', 'due', 'time to due', 'due when', 'working days to due', 'days late', 'units left', 'units done',
]); // prettier-ignore

export const isMissing = (field: string, facts: ValueFacts): boolean => (VALUES[field]?.(facts) ?? '').trim() === '';

/** Fields that a text uses, that have no value and nothing that stands in for them; only those it uses are worked out, since a foresight asks a million times. */
export const missingFields = (template: Template, facts: ValueFacts): string[] =>
  fieldsNeeded(template).filter((field) => isMissing(field, facts));
