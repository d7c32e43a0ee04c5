import { standingAt, type Assignment } from '../assignments/state.ts';
import type { EventNamed } from '../assignments/event.ts';
import type { MissingOf } from '../notices/decide.ts';
import { chainOf } from '../people/chain.ts';
import type { Course, Roster } from '../people/person.ts';
import type { Recipient } from '../people/role.ts';
import { anchorsOf } from '../plans/anchor.ts';
import type { PlanStep } from '../plans/standard.ts';
import { tellList } from '../time/words.ts';
import type { Instant, Zone } from '../time/zone.ts';
import { renderMessage, type Rendered, type Values } from './render.ts';
import type { Frame } from './frame.ts';
import { footerOf, repliesOf, type RepliesRule } from './replies.ts';
import { tableOfPeople } from './table.ts';
import { fieldsNeeded } from './template.ts';
import { missingFields, valuesFor, type ValueFacts } from './values.ts';

/** A course as messages tell of it. */
export interface TextCourse extends Course {
  code: string | null;
  summary: string | null;
  required: readonly string[];
  /** so many of the required units are enough; null is all of them */
  needed: number | null;
  /** titles of its quizzes, by unit */
  quizzes: Readonly<Record<string, string>>;
}

export interface TextFacts {
  roster: Roster;
  course: TextCourse;
  organisation: string;
  certificate: ValueFacts['certificate'];
}

/** The zone in which a message tells its dates: its reader's. */
export const readerZone = ({ person }: Pick<Recipient, 'person'>, assignment: Assignment, roster: Roster): Zone =>
  roster.calendarOf(person ?? roster.getPerson(assignment.person)).zone;

/** The submission that a notice of a step hangs on: that of its revision, or the last one. */
export function submissionOf(
  { anchor }: PlanStep,
  assignment: Assignment,
  roster: Roster,
  now: Instant,
  revision: number | null,
): EventNamed<'quiz-submitted' | 'quiz-marked'> | null {
  if (!anchor.event.startsWith('quiz-')) return null;
  const list = anchorsOf(anchor, assignment, roster.calendarOf(roster.getPerson(assignment.person)), now);
  const event = (list.find((one) => one.revision === revision) ?? list.at(-1))?.event;
  return event?.type === 'quiz-submitted' || event?.type === 'quiz-marked' ? event : null;
}

/** What the merge fields of one notice are filled from. */
export function valueFactsOf(
  step: PlanStep,
  assignment: Assignment,
  recipient: Recipient,
  { roster, course, organisation, certificate }: TextFacts,
  now: Instant,
  revision: number | null = null,
): ValueFacts {
  const employee = roster.getPerson(assignment.person);
  const standing = standingAt(assignment, now);
  return {
    employee,
    recipientName: recipient.person?.name ?? null,
    // found only for the texts that name them
    get manager() {
      return chainOf(employee, roster).chain[0] ?? null;
    },
    trainer: roster.person(course.owner),
    course,
    assignedAt: assignment.assignedAt,
    standing,
    unitsDone: Math.min(course.required.filter((unit) => standing.unitsFinished.has(unit)).length, course.needed ?? Infinity),
    unitsRequired: course.needed ?? course.required.length,
    certificate,
    get quiz() {
      const event = submissionOf(step, assignment, roster, now, revision);
      if (!event) return null;
      const title = course.quizzes[event.unit ?? ''] ?? 'a quiz that is gone';
      return { title, attempt: event.attempt ?? null, score: event.score ?? null, passed: event.passed ?? null };
    },
    organisation,
    zone: readerZone(recipient, assignment, roster),
    calendar: roster.calendarOf(recipient.person ?? employee),
    now,
  };
}

const BY_FINISHING = new Set(['finished', 'certificate serial', 'certificate expiry']);

/** Merge fields that will have no value when a notice goes, before anything has happened: what finishing brings is not missing then. */
export const missingOf =
  (roster: Roster, courses: ReadonlyMap<string, TextCourse>, organisation: string): MissingOf =>
  (step, assignment, recipient, at) => {
    const course = courses.get(assignment.course);
    if (!course) return [];
    const facts = valueFactsOf(step as PlanStep, assignment, recipient, { roster, course, organisation, certificate: null }, at);
    return missingFields((step as PlanStep).message, facts).filter((field) => !BY_FINISHING.has(field));
  };

/** What stands in place of what only finishing brings, in a text that is looked at before. */
const NOT_YET: Readonly<Record<string, string>> = {
  finished: '(the day of finishing)',
  'certificate serial': '(the serial of the certificate)',
  'certificate expiry': '(the day on which it expires)',
};

/** What a look ahead goes by. */
export type ForeseeFacts = Pick<TextFacts, 'roster' | 'organisation'> & { sender: string; replies: RepliesRule; frame?: Frame };

/** A message as its reader would have it at a moment to come. */
export interface Foreseen {
  rendered: Rendered;
  /** fields that have no value and nothing that stands in for them: it would be held; a mark stands in their place */
  missing: string[];
  /** what the fields print */
  values: Values;
}

type Told = { assignment: Assignment; course: TextCourse; revision: number };

/** What the fields of a message would print at a moment to come, and which of those that it needs would have nothing to print. */
export function foreseeValues(
  step: PlanStep,
  recipient: Recipient,
  { assignment, course, revision }: Told,
  { roster, organisation }: Pick<TextFacts, 'roster' | 'organisation'>,
  at: Instant,
): Omit<Foreseen, 'rendered'> {
  const own = valuesFor(valueFactsOf(step, assignment, recipient, { roster, course, organisation, certificate: null }, at, revision));
  const values = { ...own, ...NOT_YET, ...withoutGaps(own) };
  return { values, missing: fieldsNeeded(step.message).filter((field) => (values[field] ?? '').trim() === '') };
}

/**
 * A message as its reader would have it at a moment to come. Where it leads is left out: personal links are made when it is sent.
 * @param notices one, or all that a gathered message tells of
 */
export function foreseeLetter(
  step: PlanStep,
  recipient: Recipient,
  notices: readonly Told[],
  facts: ForeseeFacts,
  at: Instant,
  lead: string | null = null,
): Foreseen {
  const { roster, organisation, sender, replies, frame } = facts;
  const [first] = notices;
  const { assignment } = first!;
  const zone = readerZone(recipient, assignment, roster);
  const { values, missing } = foreseeValues(step, recipient, first!, facts, at);
  const owners = notices.map(({ course }) => course.owner);
  const because =
    recipient.person && recipient.path.length > 0 && recipient.person.id !== assignment.person
      ? `This reaches you since ${tellList(recipient.path)}.`
      : null;
  return {
    missing,
    values,
    rendered: renderMessage({
      template: step.message,
      values: { ...values, ...Object.fromEntries(missing.map((field) => [field, `‹no ${field}›`])) },
      link: null,
      lead: [lead, because].filter(Boolean).join(' ') || null,
      table:
        step.gather !== 'per day'
          ? null
          : tableOfPeople(
              notices.map((notice) => ({
                employee: roster.getPerson(notice.assignment.person),
                course: notice.course.title,
                dueAt: standingAt(notice.assignment, at).dueAt,
              })),
              zone,
              at,
            ),
      footer: footerOf(sender, organisation, repliesOf(replies, owners, roster, at).reader),
      ...(frame && { frame }),
    }),
  };
}

/** The same, or null where it would be held. */
export function foreseenLetter(...asked: Parameters<typeof foreseeLetter>): Rendered | null {
  const { rendered, missing } = foreseeLetter(...asked);
  return missing.length > 0 ? null : rendered;
}

const withoutGaps = (values: Values): Values =>
  Object.fromEntries(Object.entries(values).filter(([, value]) => (value ?? '').trim() !== ''));
