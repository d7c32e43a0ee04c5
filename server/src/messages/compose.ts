import {
  anchorEventOf,
  downloadsOf,
  languageFor,
  missingFields,
  readerZone,
  framed,
  joined,
  precedenceOf,
  renderPiece,
  repliesOf,
  senderOf,
  sharedRule,
  standingAt,
  speechOf,
  submissionOf,
  placesOf,
  tellLead,
  tellResult,
  tableOfPeople,
  textFor,
  valueFactsOf,
  valuesFor,
  type EventNamed,
  type TableOfPeople,
  type ValueFacts,
  timesAre,
  type Told,
  type Instant,
  type AssignmentEvent,
  type LinkPlace,
  type MissingOf,
  type PlanStep,
  type Recipient,
  type Piece,
  type RepliesTo,
  type Speech,
  type Rendered,
} from '@nudrik/core';
import { frameOf } from '../house/house.ts';
import { downloadAddress, handoutIn, messageFiles, type MessageFile } from '../handouts/files.ts';
import { writeInvitation, type SessionEvent } from './calendar.ts';
import { addressOf, type PersonalLink } from '../access/personal-link.ts';
import type { SignOffWay } from '../sign-offs/ways-in.ts';
import type { AssignmentFacts, Facts } from '../notices/facts.ts';

export interface CertificateFacts {
  serial: string;
  expiresOn: string | null;
}

/** What merge fields are filled from. */
export type MergeFacts = Pick<Facts, 'house' | 'roster' | 'courses'>;

/** What a message can speak of beside the planning facts. */
export interface MessageExtras {
  baseUrl: string;
  certificates: ReadonlyMap<string, CertificateFacts>;
  /** what each employee was told of an assignment so far */
  told: ReadonlyMap<string, Told>;
  /** the tokens of managers without an account, by person */
  teamLinks?: ReadonlyMap<string, string>;
  /** the ways to lists of sign-offs, by `wayKey` */
  signOffWays?: ReadonlyMap<string, SignOffWay>;
}

/** By what the way to a list to sign off is kept: the step, the assignment it tells of, and who reads it. */
export const wayKey = (step: PlanStep, assignment: AssignmentFacts, { person }: Recipient): string =>
  `${step.id}/${assignment.id}/${person?.id ?? ''}`;

/** What the merge fields of one notice are filled from. */
const valueFacts = (
  step: PlanStep,
  assignment: AssignmentFacts,
  recipient: Recipient,
  { roster, courses, house }: MergeFacts,
  extras: MessageExtras,
  now: Instant,
  revision: number | null = null,
): ValueFacts =>
  valueFactsOf(
    step,
    assignment,
    recipient,
    {
      roster,
      course: courses.get(assignment.course)!,
      organisation: house.organisation,
      house,
      certificate: extras.certificates.get(assignment.id) ?? null,
    },
    now,
    revision,
  );

/** Whether a message goes to the one whose assignment it is: decided for each recipient, whoever else the step goes to. */
export const isOwn = (assignment: AssignmentFacts, { person }: Recipient): boolean => person?.id === assignment.person;

/** The personal link that a message has for its reader: into the course as the employee, or to one's people without an account. */
export function personalLink(
  assignment: AssignmentFacts,
  recipient: Recipient,
  teamLinks: MessageExtras['teamLinks'],
): PersonalLink | null {
  if (isOwn(assignment, recipient)) return { kind: 'go', token: assignment.token };
  const token = recipient.person && teamLinks?.get(recipient.person.id);
  return token ? { kind: 'team', token } : null;
}

/** Where the button of a step leads. Personal links stand there as they are kept, without their signature. */
function linkOf(
  step: PlanStep,
  assignment: AssignmentFacts,
  recipient: Recipient,
  { baseUrl, teamLinks, certificates }: MessageExtras,
  submission: EventNamed<'quiz-submitted' | 'quiz-marked'> | null = null,
): string {
  if (submission?.unit && !isOwn(assignment, recipient)) {
    const which = step.gather === 'per day' ? '' : `?assignment=${assignment.id}&attempt=${submission.attempt ?? 1}`;
    return `${baseUrl}/courses/${assignment.course}/quizzes/${submission.unit}${which}`;
  }
  const serial = step.kind === 'certificate' ? certificates.get(assignment.id)?.serial : undefined;
  // others see of a certificate what everybody may check
  if (serial && !isOwn(assignment, recipient)) return `${baseUrl}/verify/${serial}`;
  const link = personalLink(assignment, recipient, teamLinks);
  if (link === null) return `${baseUrl}/my-team`;
  return step.kind === 'certificate' ? `${addressOf(baseUrl, link)}/certificate` : addressOf(baseUrl, link);
}

/** Where the places lead that a text names: each reader to their own, and nobody to what is somebody else's. */
function linksOf(
  step: PlanStep,
  assignment: AssignmentFacts,
  recipient: Recipient,
  { baseUrl, certificates, signOffWays }: MessageExtras,
  event: AssignmentEvent | null,
): Partial<Record<LinkPlace, string>> {
  const links: Partial<Record<LinkPlace, string>> = { 'sign-in': `${baseUrl}/sign-in` };
  const serial = certificates.get(assignment.id)?.serial;
  if (isOwn(assignment, recipient)) {
    links.course = addressOf(baseUrl, { kind: 'go', token: assignment.token });
    const unit = (event && 'unit' in event ? event.unit : null) ?? step.anchor.unit;
    // one that hangs on no unit leads to the course
    links.unit = unit === undefined || unit === null ? links.course : `${links.course}/unit-${unit}`;
    links.dates = `${baseUrl}/my-training`;
    if (serial) links.certificate = `${links.course}/certificate`;
  } else {
    if (serial) links.certificate = `${baseUrl}/verify/${serial}`;
    const way = signOffWays?.get(wayKey(step, assignment, recipient));
    if (way) links['sign-off'] = way.url;
  }
  return links;
}

export interface Composition {
  step: PlanStep;
  recipient: Recipient;
  /** one, or all that a gathered message tells of */
  assignments: readonly AssignmentFacts[];
  /** the notice that the message is known by: its reader's downloads are named by it; null in a look */
  notice?: string | null;
  /** of their anchors, in the same order: which submission is told of */
  revisions?: readonly number[];
}

/** Whether its reader may have no more of a message: an employee of what goes to themselves. */
export const declinable = (step: PlanStep, assignment: AssignmentFacts, recipient: Recipient): boolean => step.mayDecline === true && isOwn(assignment, recipient); // prettier-ignore

/** For whom a reader stands in: whoever covers or is climbed to is told why the message reaches them. */
const leadOf = (speech: Speech, recipient: Recipient, assignment: AssignmentFacts): string | null =>
  isOwn(assignment, recipient) ? null : tellLead(speech, recipient);

/** Merge fields without a value, as core asks for them; with any, a notice is held. */
export const missingIn =
  (facts: MergeFacts, extras: MessageExtras): MissingOf =>
  (step, assignment, recipient, at) =>
    missingFields(
      textFor(step as PlanStep, assignment, recipient, facts, at),
      valueFacts(step as PlanStep, assignment as AssignmentFacts, recipient, facts, extras, at),
    );

/** A message as it is written, and whom its reply reaches. */
export interface Composed extends Rendered {
  fromName: string;
  replyTo: string;
  /** whom replies reach where the course or the step says it */
  repliesTo: RepliesTo;
  /** what goes with it */
  files: MessageFile[];
  /** the due date for the reader's calendar, where the text says so */
  calendar: string | null;
}

/** A message before what stands around it is put there. */
interface Composing extends Omit<Composed, keyof Rendered> {
  piece: Piece;
  speech: Speech;
  /** who reads its reply, by name; null where nobody is promised */
  reader: string | null;
}

/** The message as it goes out. A gathered one lists each person with the course, days late and the last notice. */
export function compose(composition: Composition, facts: Facts, extras: MessageExtras, now: Instant): Composed {
  return around([composePiece(composition, facts, extras, now)], facts, extras);
}

/** All of somebody's day as one message: each under its own subject, what is most urgent first. */
export const composeTogether = (list: readonly Composition[], facts: Facts, extras: MessageExtras, now: Instant): Composed =>
  around(
    [...list]
      .sort((a, b) => precedenceOf(a.step.kind) - precedenceOf(b.step.kind))
      .map((composition) => composePiece(composition, facts, extras, now)),
    facts,
    extras,
  );

/** What stands around pieces: who they come from, where they agree about it, and else the house. */
function around(pieces: readonly Composing[], { house }: Facts, extras: MessageExtras): Composed {
  const [{ piece, speech, reader, ...first }] = pieces as [Composing];
  const isOneName = pieces.every(({ fromName }) => fromName === first.fromName);
  const fromName = isOneName ? first.fromName : house.senderName;
  const isOneReader = pieces.every(({ replyTo }) => replyTo === first.replyTo);
  const footer = speech.footer(fromName, house.organisation, isOneReader ? reader : null);
  const whole = pieces.length === 1 ? piece : joined(pieces.map((one) => one.piece), `${piece.subject} (${speech.more(pieces.length - 1)})`);
  const seen = new Set<string>();
  return {
    ...framed(whole, { footer, frame: frameOf(house, extras.baseUrl), language: speech.language }),
    fromName,
    replyTo: first.replyTo,
    repliesTo: first.repliesTo,
    calendar: pieces.map(({ calendar }) => calendar ?? '').join('') || null,
    files: pieces.flatMap(({ files }) => files).filter(({ handout, as }) => !seen.has(`${handout}/${as}`) && seen.add(`${handout}/${as}`)),
  };
} // prettier-ignore

/** The session that a setting is about, for a calendar; of one that was lost, as it was before. Waiting for a seat is no date. */
function sessionEventOf(assignment: AssignmentFacts, event: EventNamed<'session-set'>, sequence: number, { courses }: Facts): SessionEvent | null {
  const isSeat = ({ startsAt, unit }: EventNamed<'session-set'>): boolean => startsAt != null && unit === event.unit;
  const before = assignment.events.filter((one): one is EventNamed<'session-set'> => one.type === 'session-set' && one.at <= event.at && isSeat(one)).at(-1); // prettier-ignore
  const set = isSeat(event) ? event : before;
  if (set?.startsAt == null || event.isWaiting) return null;
  const startsAt = new Date(set.startsAt);
  return {
    assignment: assignment.id,
    unit: set.unit ?? '0',
    title: set.session ?? 'Session',
    course: courses.get(assignment.course)!.title,
    startsAt,
    endsAt: new Date(set.endsAt ?? set.startsAt),
    place: set.place ?? null,
    sequence,
    isCancelled: event.startsAt == null,
  };
} // prettier-ignore

function composePiece(
  { step, recipient, assignments, notice = null, revisions = [] }: Composition,
  facts: Facts,
  extras: MessageExtras,
  now: Instant,
): Composing {
  const [first] = assignments;
  const revision = revisions[0] ?? null;
  const zone = readerZone(recipient, first!, facts.roster);
  const speech = speechOf(languageFor(step.message, recipient, facts.house));
  const courses = assignments.map(({ course }) => facts.courses.get(course)!);
  const rules = [step.sender, sharedRule(courses.map(({ sender }) => sender))];
  const sender = senderOf(facts.house, rules, facts.roster.person(courses[0]!.owner), facts.roster, now);
  const owners = courses.map(({ owner }) => owner);
  const replies = repliesOf(sender.replies, owners, facts.roster, now);
  const table = step.gather !== 'per day' ? null : step.anchor.event.startsWith('quiz-') ? submissions() : lateOnes();
  const piece = renderPiece({
    template: textFor(step, first!, recipient, facts, now),
    values: valuesFor(valueFacts(step, first!, recipient, facts, extras, now, revision)),
    link: linkOf(step, first!, recipient, extras, submissionOf(step, first!, facts.roster, now, revision)),
    links: linksOf(
      step,
      first!,
      recipient,
      extras,
      placesOf(step.message).has('unit') ? anchorEventOf(step, first!, facts.roster, now, revision) : null,
    ),
    lead: leadOf(speech, recipient, first!),
    table,
    downloads: downloadsOf(
      step,
      handoutIn(facts.handouts),
      (handout) => notice && downloadAddress(extras.baseUrl, notice, handout),
      speech,
    ),
    decline: declinable(step, first!, recipient) ? { words: speech.decline, url: notice && addressOf(extras.baseUrl, { kind: 'decline', token: notice }) } : null, // prettier-ignore
    frame: frameOf(facts.house, extras.baseUrl),
  });
  return {
    piece,
    speech,
    reader: replies.reader,
    fromName: sender.name,
    replyTo: replies.address,
    repliesTo: sender.repliesTo,
    calendar: dateFor(),
    files: messageFiles(step, facts.handouts),
  };

  /** The employee's own date; of a gathered message there is none, since it tells of many. */
  function dateFor(): string | null {
    const { person, address } = recipient;
    if (!step.message.withDate || step.gather === 'per day' || !isOwn(first!, recipient) || !person || !address) return null;
    const to = { name: person.name, address };
    const sequence = first!.events.filter(({ at }) => at <= now).length;
    const about = { listId: facts.house.listId, url: `${extras.baseUrl}/my-training`, now: new Date(now), speech, from: { name: sender.name, address: facts.house.senderAddress }, to }; // prettier-ignore
    const event = anchorEventOf(step, first!, facts.roster, now, revision);
    if (event?.type === 'session-set') {
      const session = sessionEventOf(first!, event, sequence, facts);
      return session && writeInvitation(session, about);
    }
    const standing = standingAt(first!, now);
    if (standing.closedBy === 'finished') return null;
    return writeInvitation(
      {
        assignment: first!.id,
        course: facts.courses.get(first!.course)!.title,
        dueAt: new Date(standing.dueAt),
        sequence,
        isCancelled: standing.closedBy !== null,
      },
      about,
    );
  }

  function lateOnes(): ReturnType<typeof tableOfPeople> {
    const lines = assignments.map((assignment) => ({
      employee: facts.roster.getPerson(assignment.person),
      course: facts.courses.get(assignment.course)!.title,
      dueAt: standingAt(assignment, now).dueAt,
      told: extras.told.get(assignment.id),
    }));
    return tableOfPeople(lines, zone, now, true, speech);
  }

  function submissions(): TableOfPeople {
    return {
      head: speech.submissions,
      note: timesAre(speech, zone),
      rows: assignments.map((assignment, i) => {
        const { quiz } = valueFacts(step, assignment, recipient, facts, extras, now, revisions[i] ?? null);
        const at = submissionOf(step, assignment, facts.roster, now, revisions[i] ?? null)?.at ?? now;
        return [
          facts.roster.getPerson(assignment.person).name,
          `${quiz?.title ?? 'a quiz'}, ${facts.courses.get(assignment.course)!.title}`,
          String(quiz?.attempt ?? 1),
          tellResult(quiz, speech),
          speech.moment(at, zone, now),
        ];
      }),
    };
  }
}
