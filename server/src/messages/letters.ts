import {
  DAY_MS,
  findRecipient,
  fillLine,
  foreseeLetter,
  foreseeValues,
  isLanguage,
  languageFor,
  languagesOf,
  rehearse,
  rolesFor,
  stepFault,
  tellLanguage,
  tellList,
  tellMoment,
  templateFault,
  textFor,
  textIn,
  WAY_WORDS,
  wayTo,
  zoneWords,
  type Instant,
  type Language,
  type PlanStep,
  type Recipient,
  type Roster,
  type RehearsalLine,
  type Role,
} from '@nudrik/core';
import type { LetterReader, LetterRequest, LetterView, TestLetterResult } from '@nudrik/contract';
import type { Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { attachedCertificates } from '../certificates/attached.ts';
import { attachedRecords } from '../sign-offs/attached.ts';
import { attaching, fileFaults, handoutIn, messageFiles } from '../handouts/files.ts';
import { frameOf, getHouse, type House } from '../house/house.ts';
import { loadFacts, type AssignmentFacts, type Facts } from '../notices/facts.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { houseToday } from '../people/today.ts';
import { listOpen } from '../plans/plans.repo.ts';
import { Refused } from '../refusal.ts';
import { linkTroubles } from './links.ts';
import { pictureFor } from './picture.ts';
import { handOverNow } from './post.ts';
import { countTestLetters, insertTestLetter, listSample } from './test-letters.repo.ts';

/** A course with more open assignments is looked at for those that are due first. */
const LOOKED_AT = 2_000;
const SHOWN = 200;
const HORIZON_MS = 400 * DAY_MS;
/** Due dates of assignments that are supposed where there are none. */
const SUPPOSED_MS = 14 * DAY_MS;
/** Longer ones are cut off by many mail programs. */
const SUBJECT_LETTERS = 70;
/** Larger messages are cut off by some mail programs. */
const MOST_BYTES = 100_000;

interface Reading {
  reader: LetterReader;
  step: PlanStep;
  assignment: AssignmentFacts;
  recipient: Recipient;
  line: RehearsalLine | null;
  at: Instant;
  /** the language that somebody asked to see it in, where its reader gets it in another */
  shown?: Language;
}

/** Assignments as if some people had been given the course now, where nobody has it open. */
async function supposed(
  deps: Deps,
  db: Queryable,
  house: House,
  facts: Facts,
  course: string,
): Promise<Pick<Facts, 'roster'> & { list: AssignmentFacts[] }> {
  const now = deps.clock.now();
  const people = await listSample(db, await houseToday(deps));
  const roster = await loadRoster(db, people, [...facts.courses.values()], house.sending);
  return {
    roster,
    list: people.map((person, i) => ({
      id: `supposed-${i}`,
      person,
      course,
      round: 1,
      assignedAt: now,
      dueAt: now + SUPPOSED_MS,
      events: [],
      token: '',
      unitsDone: [],
      isClosed: false,
    })),
  };
}

/** Each reader of a step: whom it is about, whom it reaches, at what moment, and what is the matter with it. */
async function readingsOf(
  deps: Deps,
  courseId: string,
  step: PlanStep,
): Promise<{ readings: Reading[]; facts: Facts; isInvented: boolean }> {
  const { db } = deps;
  const now = deps.clock.now();
  const house = await getHouse(db);
  const on: PlanStep = { ...step, on: true };
  const open = (await listOpen(db, courseId)).slice(0, LOOKED_AT);
  let facts = await loadFacts(db, house, open, { course: courseId, steps: [on], publishedAt: now });
  const course = facts.courses.get(courseId);
  if (!course) throw new Refused('not-found', 'There is no such course, or not any more.');
  let list = [...facts.assignments.values()];
  const isInvented = list.length === 0;
  if (isInvented) {
    const found = await supposed(deps, db, house, facts, courseId);
    facts = { ...facts, roster: found.roster };
    list = found.list;
  }
  const steps = facts.plans.get(courseId)?.steps ?? [on];
  const { roster } = facts;
  const lines = rehearse({
    from: now,
    until: now + HORIZON_MS,
    roster,
    assignments: list,
    plans: [{ course: courseId, publishedAt: now, steps }],
    withHeld: true,
  });
  // of several of one reader the next that goes
  const lineOf = new Map<string, RehearsalLine>();
  for (const line of lines) {
    const key = `${line.assignment}/${line.to}`;
    const known = lineOf.get(key);
    if (!known || (known.outcome !== 'send' && line.outcome === 'send')) lineOf.set(key, line);
  }
  const owner = roster.person(course.owner);
  const troublesOf = await linkTroubles(deps, step.message);
  const readings = list.flatMap((assignment) =>
    rolesFor(step.to, course.assistants).map((role: Role): Reading => {
      const key = `${assignment.id}/${role}`;
      const line = lineOf.get(key) ?? null;
      const at = Math.max(now, line?.at ?? now);
      const employee = roster.getPerson(assignment.person);
      const recipient = findRecipient(role, employee, owner, roster, at);
      const told = { assignment, course, revision: line?.revision ?? 0 };
      const { missing, values } = foreseeValues(steps[0]!, recipient, told, { roster, organisation: house.organisation, house }, at);
      const language = languageFor(step.message, recipient, house);
      const subject = missing.length > 0 ? '' : fillLine(textIn(step.message, language).subject, values);
      const troubles = [
        ...(recipient.address === null ? [`nobody to write to: ${tellList(recipient.path) || 'no address'}`] : []),
        ...(recipient.person && wayTo(recipient.person, step, roster.settings) === null ? [`mail to ${recipient.person.name} comes back`] : []),
        // without a reader nothing is written
        ...(recipient.address === null ? [] : missing.map((field) => `{${field}} has no value`)),
        ...(recipient.address === null ? [] : troublesOf(textFor(step, assignment, recipient, { roster, house }, at))),
        ...(subject.length > SUBJECT_LETTERS ? [`the subject has ${subject.length} letters: many mail programs cut it off at ${SUBJECT_LETTERS}`] : []),
      ]; // prettier-ignore
      const reader = { key, employee: employee.name, to: recipient.person?.name ?? recipient.address, language, troubles };
      return { reader, step: steps[0]!, assignment, recipient, line, at };
    }),
  );
  readings.sort((a, b) => Math.sign(b.reader.troubles.length) - Math.sign(a.reader.troubles.length) || a.reader.employee.localeCompare(b.reader.employee)); // prettier-ignore
  return { readings, facts, isInvented };
}

/** All that the message of one reader tells of: of a gathered one everybody whom it lists on that day. */
const noticesOf = (reading: Reading, readings: readonly Reading[], { courses, roster }: Facts): Parameters<typeof foreseeLetter>[2] => {
  const dayAt = ({ at, recipient, assignment }: Reading): number => roster.calendarOf(recipient.person ?? roster.getPerson(assignment.person)).zone.dayAt(at); // prettier-ignore
  const together =
    reading.step.gather !== 'per day'
      ? [reading]
      : [reading, ...readings.filter((other) => other.reader.key !== reading.reader.key && other.reader.to === reading.reader.to && other.line?.outcome === 'send' && dayAt(other) === dayAt(reading))]; // prettier-ignore
  return together.map(({ assignment, line }) => ({ assignment, course: courses.get(assignment.course)!, revision: line?.revision ?? 0 }));
};

/** What is wrong with a step's message, before anybody reads it. */
const faultOf = async ({ db }: Deps, step: PlanStep): Promise<string | null> =>
  stepFault(step) ?? templateFault(step.message) ?? (await fileFaults(db, [step]))[0]?.message ?? null;

/** A step's message as its real readers would have it, those in trouble first. Nothing is sent or stored, and nobody's personal link is in it. */
export async function letterView(deps: Deps, courseId: string, { step, as, language }: LetterRequest): Promise<LetterView> {
  const fault = await faultOf(deps, step as PlanStep);
  if (fault) return { fault, readers: [], count: 0, inTrouble: 0, language: (await getHouse(deps.db)).language, languages: [], isInvented: false, letter: null }; // prettier-ignore
  const { readings, facts, isInvented } = await readingsOf(deps, courseId, step as PlanStep);
  const found = readings.find(({ reader }) => reader.key === as) ?? readings[0];
  const chosen = found && readIn(found, language, facts);
  return {
    fault: null,
    readers: readings.slice(0, SHOWN).map(({ reader }) => reader),
    count: readings.length,
    inTrouble: readings.filter(({ reader }) => reader.troubles.length > 0).length,
    language: facts.house.language,
    languages: languagesRead(readings, step as PlanStep, facts.house.language),
    isInvented,
    letter: chosen ? letterOf(chosen, readings, facts, deps.clock.now()) : null,
  };
}

/** A reading as if its reader read in another language. */
function readIn(reading: Reading, language: Language | null, { roster, house }: Facts): Reading {
  const { reader, recipient, assignment, step, at } = reading;
  if (language === null || language === reader.language) return reading;
  const person = recipient.person ?? roster.getPerson(assignment.person);
  const as = { ...recipient, person: { ...person, language } };
  return { ...reading, recipient: as, shown: languageFor(step.message, as, house), at };
}

/** What the readers of a step read in, where that is not the house's language; those most read first. */
function languagesRead(readings: readonly Reading[], { message }: PlanStep, house: string): LetterView['languages'] {
  const counts = new Map<string, number>(languagesOf(message).map((tag) => [tag, 0]));
  for (const { recipient } of readings) {
    const tag = recipient.person?.language;
    if (tag && tag !== house) counts.set(tag, (counts.get(tag) ?? 0) + 1);
  }
  return [...counts]
    .map(([tag, count]) => ({ tag, name: tellLanguage(tag), count, isWritten: isLanguage(tag) && message.texts?.[tag] !== undefined }))
    .sort((a, b) => b.count - a.count || a.name.localeCompare(b.name));
}

/** "In Norwegian.", or which one stands in; null where nothing is to be told of it. */
function tellReading({ reader, recipient, step, shown }: Reading): string | null {
  if (shown) return `Shown in ${tellLanguage(shown)}; ${reader.to ?? reader.employee} would get the ${tellLanguage(reader.language)} text.`;
  const wanted = recipient.person?.language ?? null;
  if (wanted !== null && wanted !== reader.language)
    return `Reads in ${tellLanguage(wanted)}; there is no text in it, so it goes in ${tellLanguage(reader.language)}.`;
  return step.message.texts || wanted !== null ? `In ${tellLanguage(reader.language)}.` : null;
}

/** How a step reaches its reader; that it cannot in the chat where it says so. Null in a house without a chat. */
function tellWay({ person }: Recipient, step: PlanStep, { settings }: Roster): string | null {
  const way = person && settings.hasChat ? wayTo(person, step, settings) : null;
  if (!way) return null;
  const asks = step.by === 'chat' || step.by === 'both';
  const why = person!.chatName ? 'the chat does not take what goes there' : 'they have no name in the chat';
  return way === 'mail' && asks ? `It reaches them by mail: ${why}.` : `It reaches them ${WAY_WORDS[way]}.`;
}

function letterOf(
  reading: Reading,
  readings: readonly Reading[],
  facts: Facts,
  now: Instant,
  lead: string | null = null,
  baseUrl = '',
): NonNullable<LetterView['letter']> {
  const { roster, house } = facts;
  const { reader, recipient, assignment, line, at, step } = reading;
  const { rendered, values, from, replies } = foreseeLetter(step, recipient, noticesOf(reading, readings, facts), { roster, organisation: house.organisation, house, frame: frameOf(house, baseUrl), handoutOf: handoutIn(facts.handouts) }, at, lead); // prettier-ignore
  const { zone } = roster.calendarOf(recipient.person ?? roster.getPerson(assignment.person));
  const bytes = Buffer.byteLength(rendered.html) + Buffer.byteLength(rendered.text);
  const large = bytes > MOST_BYTES ? [`the message has ${Math.round(bytes / 1_000)} kB: some mail programs cut it off`] : [];
  return {
    reader: { ...reader, troubles: [...reader.troubles, ...large] },
    address: recipient.address,
    at: line?.at == null ? null : `${tellMoment(line.at, zone, now)}, ${zoneWords(zone.name)}`,
    way: tellWay(recipient, step, roster),
    inLanguage: tellReading(reading),
    not: line === null ? 'nothing of this step is to come for them' : line.outcome === 'send' ? null : line.sentence,
    ...rendered,
    from,
    replies: replies.reader ?? replies.address,
    attached: messageFiles(step, facts.handouts)
      .filter(({ as }) => as === 'attached')
      .map(({ name }) => name),
    values: values as Record<string, string | null>,
  };
}

const HOUR_MS = 3_600_000;
const MOST_AN_HOUR = 30;

/** Sends the letter of one reader to whoever asks for it, marked as a test: in no figure, and in nobody's ledger. */
export async function sendTestLetter(
  deps: Deps,
  courseId: string,
  { step, as, language }: LetterRequest,
  account: { id: string; name: string; email: string },
): Promise<TestLetterResult> {
  const now = deps.clock.now();
  const fault = await faultOf(deps, step as PlanStep);
  if (fault) throw new Refused('wrong-input', `${fault} Nothing was sent.`);
  if ((await countTestLetters(deps.db, account.id, now - HOUR_MS)) >= MOST_AN_HOUR)
    throw new Refused('too-many-tries', `You have sent yourself ${MOST_AN_HOUR} tests within an hour. Try again later; nothing was sent.`);
  const { readings, facts } = await readingsOf(deps, courseId, step as PlanStep);
  const found = readings.find(({ reader }) => reader.key === as) ?? readings[0];
  const reading = found && readIn(found, language, facts);
  if (!reading) throw new Refused('conflict', 'There is nobody to read it as. Nothing was sent.');
  const { house } = facts;
  const who = reading.reader.to ?? reading.reader.employee;
  const lead = `A test, sent to you alone: “${step.name}” as ${who} would read it. Personal links are left out.`;
  const letter = letterOf(reading, readings, facts, now, lead, deps.settings.baseUrl);
  const subject = `Test: ${letter.subject}`;
  const { html, text } = letter;
  const pictured = pictureFor(deps.db, house, deps.settings.baseUrl);
  const { outcome, response } = await handOverNow(deps, house, await pictured({ fromName: letter.from, toName: account.name, toAddress: account.email, replyTo: account.email, subject, html, text, files: [...(await attaching(deps.db, facts.handouts)(reading.step)), ...(await attachedCertificates(deps.db, [{ step: reading.step, assignment: reading.assignment }], deps.settings.baseUrl)), ...(await attachedRecords(deps.db, [{ step: reading.step, assignment: reading.assignment }]))] })); // prettier-ignore
  await insertTestLetter(deps.db, { at: now, byWhom: account.name, account: account.id, course: courseId, stepName: step.name, readAs: who, to: account.email, subject, html, text, outcome, answer: response }); // prettier-ignore
  const isAccepted = outcome === 'accepted';
  return { isAccepted, words: isAccepted ? `Sent to ${account.email}, as ${who} would read it.` : `The mail server did not take it: “${response}”.` }; // prettier-ignore
}
