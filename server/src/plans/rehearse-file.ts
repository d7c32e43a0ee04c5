import {
  decodeEvent,
  rehearse,
  Roster,
  DEFAULT_SETTINGS,
  isoOf,
  HOUR,
  MINUTE,
  DAY_MS,
  type AssignmentEvent,
  type RehearsalLine,
} from '@nudrik/core';
import { danglingPeople, RehearsalFile, tellIssues, type PlanFile } from '@nudrik/contract';

const MS = { minutes: MINUTE, hours: HOUR, days: DAY_MS } as const;
const instant = (iso: string): number => Date.parse(iso);

function eventOf({ assignment: _, id, type, at, ...data }: RehearsalFile['events'][number], index: number): AssignmentEvent {
  return decodeEvent({ id: id ?? `#${index}`, type, at: instant(at), data })!;
}

/** Plays a parsed rehearsal file through the core. */
export function rehearseFile(file: RehearsalFile, withTrace = false): RehearsalLine[] {
  const { sendWindow, dailyLimit, tolerance } = file.settings;
  const roster = new Roster({
    people: file.people.map((person) => ({ ...person, isReachable: true })),
    calendars: Object.entries(file.calendars).map(([id, calendar]) => ({ id, ...calendar })),
    courses: file.courses,
    settings: {
      sendWindow: sendWindow ?? DEFAULT_SETTINGS.sendWindow,
      dailyLimit: dailyLimit === undefined ? DEFAULT_SETTINGS.dailyLimit : dailyLimit,
      settle: 0,
      tolerance: tolerance ? tolerance.amount * MS[tolerance.unit] : DEFAULT_SETTINGS.tolerance,
    },
  });
  const eventsOf = new Map<string, AssignmentEvent[]>(file.assignments.map(({ id }) => [id, []]));
  file.events.forEach((event, i) => eventsOf.get(event.assignment)!.push(eventOf(event, i)));
  return rehearse({
    from: instant(file.from),
    until: instant(file.until),
    roster,
    withTrace,
    plans: [{ course: file.plan.course, publishedAt: instant(file.publishedAt ?? file.from), steps: file.plan.steps }],
    assignments: file.assignments.map((assignment) => ({
      id: assignment.id,
      person: assignment.person,
      course: assignment.course,
      round: assignment.round,
      assignedAt: instant(assignment.assignedAt),
      dueAt: instant(assignment.dueAt),
      events: eventsOf.get(assignment.id)!.sort((a, b) => a.at - b.at),
    })),
  });
}

/** One line of the output: the documented keys, in their order. */
export function printLine(line: RehearsalLine): string {
  const { assignment, step, revision, occurrence, to, person, outcome, at, held, because, sentence } = line;
  return JSON.stringify({
    assignment,
    step,
    revision,
    occurrence,
    to,
    person,
    outcome,
    at: at === null ? null : isoOf(at),
    held,
    because,
    sentence,
  });
}

/**
 * @param text the file's content
 * @param plan a plan's own file, whose steps take the place of those in it
 * @returns the lines to print, or the sentences that refuse the file
 */
export function rehearseText(text: string, plan: PlanFile | null = null): { lines: string[]; warnings: string[] } | { refusals: string[] } {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    return { refusals: [`The file is not JSON: ${(error as Error).message}.`] };
  }
  if (plan !== null && typeof json === 'object' && json !== null)
    json = { ...json, plan: { ...(json as { plan?: object }).plan, steps: plan.steps } };
  const file = RehearsalFile.safeParse(json);
  if (!file.success) return { refusals: tellIssues(file.error, json).map(({ where, message }) => `${where}: ${message}`) };
  return {
    lines: rehearseFile(file.data).map(printLine),
    warnings: danglingPeople(file.data).map(({ where, id }) => `${where}: "${id}" is not among the people; nobody stands there.`),
  };
}
