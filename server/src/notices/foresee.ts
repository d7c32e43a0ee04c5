import {
  canChat,
  canMail,
  dayOf,
  DAY_MS,
  mailsByDay,
  MINUTE,
  missingOf,
  previewLine,
  rehearse,
  standingAt,
  tellAmount,
  tellDay,
  tellList,
  tellMoment,
  windowOf,
  Zone,
  type Assignment,
  type Instant,
  type MissingOf,
  type Person,
  type PlanStep,
  type RehearsalLine,
  type Roster,
} from '@nudrik/core';
import type { ForeseenMessage, MissingField, PreviewPerson } from '@nudrik/contract';
import type { MergeFacts } from '../messages/compose.ts';
import type { House } from '../house/house.ts';
import type { AssignmentFacts, Facts } from './facts.ts';

/** How far ahead a preview looks. */
const HORIZON_MS = 200 * DAY_MS;
/** How many people a preview names; the counts are over all. */
const NAMED = 250;

/** What would go out for some assignments, by the core that will send it. */
export interface Foreseen {
  people: PreviewPerson[];
  lines: RehearsalLine[];
  /** messages by local day of the house */
  byDay: { day: string; count: number }[];
  mails: number;
}

export interface ForeseeInput {
  assignments: readonly AssignmentFacts[];
  steps: readonly PlanStep[];
  publishedAt: Instant;
  facts: MergeFacts;
  from: Instant;
  now?: Instant;
  /** what is to be said of somebody beside their notices */
  noteOf?: (personId: string) => string | null;
}

/** Merge fields that will have no value when a notice goes. */
export const missingThen = ({ roster, courses, house }: Pick<MergeFacts, 'roster' | 'courses' | 'house'>): MissingOf =>
  missingOf(roster, courses, { organisation: house.organisation, house });

/** Real people with each step's moment, and the messages by day. */
export function foresee({ assignments, steps, publishedAt, facts, from, now = from, noteOf = () => null }: ForeseeInput): Foreseen {
  const { roster, house } = facts;
  const stepOf = new Map(steps.map((step) => [step.id, step]));
  const courses = [...new Set(assignments.map((assignment) => assignment.course))];
  const named = assignments.slice(0, NAMED);
  const told = new Set(named.map(({ id }) => id));
  const lines = rehearse({
    from,
    until: from + HORIZON_MS,
    roster,
    assignments,
    plans: courses.map((course) => ({ course, publishedAt, steps: steps.filter((step) => step.on) })),
    withHeld: true,
    isTold: ({ id }) => told.has(id),
    missingOf: missingThen(facts),
  });
  const linesOf = new Map(named.map(({ id }): [string, RehearsalLine[]] => [id, []]));
  for (const line of lines) linesOf.get(line.assignment)?.push(line);
  const people = named.map((assignment): PreviewPerson => {
    const person = roster.getPerson(assignment.person);
    const { zone } = roster.calendarOf(person);
    const { dueAt } = standingAt(assignment, now);
    return {
      id: person.id,
      assignmentId: assignment.id,
      name: person.name,
      site: person.site ?? '',
      zone: zone.name,
      due: tellMoment(dueAt, zone, now),
      dueAt: new Date(dueAt).toISOString(),
      note: [noteOf(person.id), ownNote(assignment, person, roster, dueAt, now)].filter(Boolean).join('; ') || null,
      notices: linesOf.get(assignment.id)!.map((line) => previewLine(line, stepOf.get(line.step)!, person, roster, now)),
    };
  });
  const byDay = mailsByDay(lines, (line) => stepOf.get(line.step)!, roster, Zone.of(house.zone));
  return { people, lines, byDay, mails: byDay.reduce((sum, { count }) => sum + count, 0) };
}

function ownNote(assignment: Assignment, person: Person, roster: Roster, dueAt: Instant, now: Instant): string | null {
  const { zone } = roster.calendarOf(person);
  const today = zone.dayAt(now);
  if (assignment.assignedAt > now) return `joins ${tellDay(zone.dayAt(assignment.assignedAt), today)}`;
  const leave = person.leave.find(({ from, to }) => dayOf(from) <= zone.dayAt(dueAt) && (to === null || dayOf(to) >= today));
  if (leave) return leave.to === null ? 'on leave until further notice' : `on leave to ${tellDay(dayOf(leave.to), today)}`;
  if (canMail(person)) return null;
  return canChat(person, roster.settings) ? 'mail comes back; told in the chat' : 'mail comes back';
}

/** What goes to whom of somebody's notices, and why the others do not: what only something else would bring is left out. */
export const messagesOf = ({ name, notices }: Pick<PreviewPerson, 'name' | 'notices'>): ForeseenMessage[] =>
  notices
    .filter(({ outcome }) => outcome !== 'wait')
    .map(({ stepName, to, addressee, local, outcome, reason }) => ({
      step: stepName,
      to: addressee ?? (to === 'employee' ? name : to),
      words: outcome === 'send' ? (local ?? '') : (reason ?? outcome),
      goes: outcome === 'send',
    }));

/** Merge fields that would stay empty, by step: each would hold that notice. */
export function missingByStep(
  assignments: readonly AssignmentFacts[],
  steps: readonly PlanStep[],
  facts: Facts,
  now: Instant,
): MissingField[] {
  const found = new Map<string, MissingField>();
  const missingFor = missingThen(facts);
  for (const assignment of assignments) {
    const person = facts.roster.getPerson(assignment.person);
    const recipient = { person, address: person.email, path: [] };
    for (const step of steps) {
      if (!step.on) continue;
      for (const field of missingFor(step, assignment, recipient, now)) {
        const key = `${step.id}/${field}`;
        const entry = found.get(key);
        if (entry) entry.people.push(person.name);
        else found.set(key, { step: step.name, field, people: [person.name] });
      }
    }
  }
  return [...found.values()];
}

const named = (steps: readonly PlanStep[]): string => tellList(steps.map(({ name }) => `“${name}”`));

/** What is to be known beside the numbers of a preview, and by what the ledger could come to differ from it. */
export function foreseenWarnings(steps: readonly PlanStep[], lines: readonly RehearsalLine[], house: House, byHand: boolean): string[] {
  const off = steps.filter((step) => !step.on);
  const going = new Set(lines.filter(({ outcome }) => outcome === 'send').map(({ step }) => step));
  const exact = steps.filter((step) => going.has(step.id) && windowOf(step) === 'exact');
  const { sendWindow, dailyLimit, settle } = house.sending;
  return [
    off.length > 0 ? `${named(off)} ${off.length === 1 ? 'is' : 'are'} switched off in this plan.` : '',
    exact.length > 0
      ? `${named(exact)} ${exact.length === 1 ? 'goes' : 'go'} at the exact moment, ` +
        `at night and on holidays too; everything else goes on working days from ${sendWindow.from} to ` +
        `${sendWindow.to}.`
      : '',
    byHand && settle > 0 ? `The first messages wait ${tellAmount(settle / MINUTE, 'minutes')}, so that this can be taken back.` : '',
    dailyLimit !== null && going.size > 0
      ? 'Messages of other courses to the same people are not counted here: with them, ' +
        `the limit of ${tellAmount(dailyLimit, 'messages')} a day may move some of these to a later day.`
      : '',
  ].filter(Boolean);
}
