import { standingAt, type Assignment } from '../assignments/state.ts';
import type { AssignmentEvent, EventNamed } from '../assignments/event.ts';
import { holds, type Condition } from '../conditions/condition.ts';
import { Further, NO_NOTICES } from '../conditions/further.ts';
import type { MissingOf } from '../notices/decide.ts';
import { chainOf } from '../people/chain.ts';
import type { Language } from '../people/language.ts';
import type { Course, Person, Roster } from '../people/person.ts';
import type { Recipient } from '../people/role.ts';
import { anchorsOf } from '../plans/anchor.ts';
import type { PlanStep } from '../plans/standard.ts';
import type { Instant, Zone } from '../time/zone.ts';
import { renderMessage, type Rendered, type Values } from './render.ts';
import type { Frame } from './frame.ts';
import { tellDownload, type DownloadLine, type HandoutOf } from './handout.ts';
import { repliesOf, type Replies } from './replies.ts';
import { senderOf, sharedRule, type SenderHouse, type SenderRule } from './sender.ts';
import { speechOf, type Speech, tellLead } from './speech.ts';
import { tableOfPeople } from './table.ts';
import { languageOf as languageOfReader, textIn } from './texts.ts';
import { partsOf } from './body.ts';
import { fieldsNeeded, templateFor, type Template } from './template.ts';
import { ALWAYS_THERE, givenNameOf, isMissing, valuesFor, type ValueFacts } from './values.ts';

/** A course as messages tell of it. */
export interface TextCourse extends Course {
  code: string | null;
  summary: string | null;
  required: readonly string[];
  /** so many of the required units are enough; null is all of them */
  needed: number | null;
  /** who its messages come from; null is as the house says */
  sender?: SenderRule | null;
  /** titles of its units, by unit */
  titles: Readonly<Record<string, string>>;
}

export interface TextFacts {
  roster: Roster;
  course: TextCourse;
  organisation: string;
  /** who messages come from where neither course nor step says it */
  house: SenderHouse;
  certificate: ValueFacts['certificate'];
}

/** The zone in which a message tells its dates: its reader's. */
export const readerZone = ({ person }: Pick<Recipient, 'person'>, assignment: Assignment, roster: Roster): Zone =>
  roster.calendarOf(person ?? roster.getPerson(assignment.person)).zone;

/** The language that somebody reads a message in; who is no person of the house reads it as the house writes it. */
export const languageFor = (message: Template, { person }: Pick<Recipient, 'person'>, { language = 'en' }: SenderHouse): Language =>
  languageOfReader(message, person?.language, language);

/** The text of a step in its reader's language, as it is about somebody: the parts that are only for some are in it where they are for them. A gathered message has none. */
export function textFor(
  { message: all }: PlanStep,
  assignment: Assignment,
  recipient: Recipient,
  { roster, house }: Pick<TextFacts, 'roster' | 'house'>,
  now: Instant,
): Template {
  const message = textIn(all, languageFor(all, recipient, house));
  if (partsOf(message.body).length === 0) return message;
  return templateFor(message, (condition) => holdsFor(condition, assignment, roster, now));
}

/** Whether a condition of person, assignment and what is held holds for somebody's assignment as it stands; of messages before it knows nothing. */
export function holdsFor(condition: Condition, assignment: Assignment, roster: Roster, now: Instant): boolean {
  const person = roster.getPerson(assignment.person);
  const standing = standingAt(assignment, now);
  const further = new Further(assignment, standing, person, roster.calendarOf(person), roster, now, NO_NOTICES);
  return holds(condition, { person, state: standing.state, unitsFinished: standing.unitsFinished, further }, roster.structure);
}

/** The event that a notice of a step hangs on: that of its revision, or the last one; null where its anchor is none. */
export function anchorEventOf(
  { anchor }: PlanStep,
  assignment: Assignment,
  roster: Roster,
  now: Instant,
  revision: number | null,
): AssignmentEvent | null {
  const list = anchorsOf(anchor, assignment, roster.calendarOf(roster.getPerson(assignment.person)), now);
  return (list.find((one) => one.revision === revision) ?? list.at(-1))?.event ?? null;
}

/** The submission that a notice of a step hangs on. */
export function submissionOf(...asked: Parameters<typeof anchorEventOf>): EventNamed<'quiz-submitted' | 'quiz-marked'> | null {
  if (!asked[0].anchor.event.startsWith('quiz-')) return null;
  const event = anchorEventOf(...asked);
  return event?.type === 'quiz-submitted' || event?.type === 'quiz-marked' ? event : null;
}

/** What the merge fields of one notice are filled from. */
export function valueFactsOf(
  step: PlanStep,
  assignment: Assignment,
  recipient: Recipient,
  { roster, course, organisation, house, certificate }: TextFacts,
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
      const title = course.titles[event.unit ?? ''] ?? 'a quiz that is gone';
      return { title, attempt: event.attempt ?? null, score: event.score ?? null, passed: event.passed ?? null };
    },
    // looked for only by the texts that speak of it
    get event() {
      return anchorEventOf(step, assignment, roster, now, revision);
    },
    unitAsked: step.anchor.unit ?? null,
    titleOf: (unit) => course.titles[unit] ?? null,
    organisation,
    get sender() {
      return senderOf(house, [step.sender, course.sender], roster.person(course.owner), roster, now).name;
    },
    speech: speechOf(languageFor(step.message, recipient, house)),
    zone: readerZone(recipient, assignment, roster),
    calendar: roster.calendarOf(recipient.person ?? employee),
    now,
  };
}

const BY_FINISHING = new Set(['finished', 'certificate serial', 'certificate expiry']);

const asked = new WeakMap<Template, readonly string[]>();
/** The fields of a text that may be missing before anything has happened. */
function askedOf(text: Template): readonly string[] {
  let fields = asked.get(text);
  if (!fields) asked.set(text, (fields = fieldsNeeded(text).filter((field) => !ALWAYS_THERE.has(field) && !BY_FINISHING.has(field))));
  return fields;
}

/** What most texts ask of people and courses, read without all the rest: a foresight asks a million times. */
const PLAIN: Readonly<Record<string, (employee: Person, course: TextCourse, organisation: string) => string | null>> = {
  'given name': ({ name }) => givenNameOf(name),
  'full name': ({ name }) => name,
  department: ({ department }) => department,
  site: ({ site }) => site,
  job: ({ job }) => job,
  course: (_, { title }) => title,
  'course code': (_, { code }) => code,
  'course summary': (_, { summary }) => summary,
  organisation: (_, __, organisation) => organisation,
};

/**
 * Merge fields that will have no value when a notice goes, before anything has happened: what finishing brings is not missing then, nor what
 * comes with the event that its step hangs on.
 */
export const missingOf =
  (
    roster: Roster,
    courses: ReadonlyMap<string, TextCourse>,
    { organisation, house }: Pick<TextFacts, 'organisation' | 'house'>,
  ): MissingOf =>
  (step, assignment, recipient, at) => {
    const course = courses.get(assignment.course);
    if (!course) return [];
    const fields = askedOf(textFor(step as PlanStep, assignment, recipient, { roster, house }, at));
    if (fields.length === 0) return [];
    const employee = roster.getPerson(assignment.person);
    const brought = broughtBy(step.anchor.event);
    let facts: ValueFacts | null = null;
    return fields.filter((field) => {
      if (brought.has(field) && anchorEventOf(step as PlanStep, assignment, roster, at, null) === null) return false;
      const plain = PLAIN[field];
      if (plain) return (plain(employee, course, organisation) ?? '').trim() === '';
      facts ??= valueFactsOf(step as PlanStep, assignment, recipient, { roster, course, organisation, house, certificate: null }, at);
      return isMissing(field, facts);
    });
  };

/** What stands in place of what only finishing brings, in a text that is looked at before. */
const NOT_YET: Readonly<Record<string, string>> = {
  finished: '(the day of finishing)',
  'certificate serial': '(the serial of the certificate)',
  'certificate expiry': '(the day on which it expires)',
};

/** The same of what a step hangs on, where that has not happened. */
const NOT_HAPPENED: Readonly<Record<string, string>> = {
  quiz: '(the title of the quiz)',
  'quiz result': '(its result)',
  'quiz attempt': '(which attempt)',
  unit: '(the title of the unit)',
  'signed off': '(met, not met or absent)',
  'signed off on': '(the day of the sign-off)',
  session: '(what the session is called)',
  'session starts': '(when it starts)',
  'session ends': '(when it ends)',
  'session place': '(where it takes place)',
};
const FIELDS_OF: readonly (readonly [anchor: RegExp, fields: readonly string[]])[] = [
  [/^quiz-/, ['quiz', 'quiz result', 'quiz attempt', 'unit']],
  [/^(unit|survey|section)-/, ['unit']],
  [/^signed-off$/, ['signed off', 'signed off on', 'unit']],
  [/^(session|seat)-/, ['session', 'session starts', 'session ends', 'session place']],
];
const broughtBy = (anchor: string): ReadonlySet<string> => {
  let fields = brings.get(anchor);
  if (!fields) brings.set(anchor, (fields = new Set(FIELDS_OF.flatMap(([is, of]) => (is.test(anchor) ? of : [])))));
  return fields;
};
const brings = new Map<string, ReadonlySet<string>>();
const notHappened = (anchor: string): Record<string, string> =>
  Object.fromEntries([...broughtBy(anchor)].map((field) => [field, NOT_HAPPENED[field]!]));

/** The files of a step's message that its reader may download. @param urlOf where one is opened; null in a look ahead */
export const downloadsOf = (
  { message }: PlanStep,
  handoutOf: HandoutOf,
  urlOf: (handout: string) => string | null,
  speech: Speech,
): DownloadLine[] =>
  (message.files ?? []).flatMap((file): DownloadLine[] => {
    const found = file.as === 'download' ? handoutOf(file.handout) : null;
    return found ? [{ name: found.name, url: urlOf(file.handout), words: tellDownload(file, found.bytes, speech) }] : [];
  });

/** What a look ahead goes by. */
export type ForeseeFacts = Pick<TextFacts, 'roster' | 'organisation' | 'house'> & { frame?: Frame; handoutOf?: HandoutOf };

/** A message as its reader would have it at a moment to come. */
export interface Foreseen {
  rendered: Rendered;
  /** who it comes from, and whom its reply reaches */
  from: string;
  replies: Replies;
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
  { roster, organisation, house }: Pick<TextFacts, 'roster' | 'organisation' | 'house'>,
  at: Instant,
): Omit<Foreseen, 'rendered' | 'from' | 'replies'> {
  const own = valuesFor(
    valueFactsOf(step, assignment, recipient, { roster, course, organisation, house, certificate: null }, at, revision),
  );
  const values = { ...own, ...NOT_YET, ...notHappened(step.anchor.event), ...withoutGaps(own) };
  return {
    values,
    missing: fieldsNeeded(textFor(step, assignment, recipient, { roster, house }, at)).filter(
      (field) => (values[field] ?? '').trim() === '',
    ),
  };
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
  const { roster, organisation, house, frame, handoutOf = () => null } = facts;
  const [first] = notices;
  const { assignment } = first!;
  const zone = readerZone(recipient, assignment, roster);
  const speech = speechOf(languageFor(step.message, recipient, house));
  const { values, missing } = foreseeValues(step, recipient, first!, facts, at);
  const owners = notices.map(({ course }) => course.owner);
  const sender = senderOf(
    house,
    [step.sender, sharedRule(notices.map(({ course }) => course.sender))],
    roster.person(first!.course.owner),
    roster,
    at,
  );
  const because = recipient.person?.id === assignment.person ? null : tellLead(speech, recipient);
  const replies = repliesOf(sender.replies, owners, roster, at);
  return {
    missing,
    values,
    from: sender.name,
    replies,
    rendered: renderMessage({
      template: textFor(step, assignment, recipient, facts, at),
      language: speech.language,
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
              false,
              speech,
            ),
      footer: speech.footer(sender.name, organisation, replies.reader),
      downloads: downloadsOf(step, handoutOf, () => null, speech),
      decline: step.mayDecline && recipient.person?.id === assignment.person ? { words: speech.decline, url: null } : null,
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
