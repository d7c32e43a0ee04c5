import { addMonths, dateOf, dayOf, msOfTime, type Calendar, type LocalDate } from '../time/calendar.ts';
import { tellAmount, tellDate } from '../time/words.ts';
import type { Day, Instant } from '../time/zone.ts';
import type { Names } from '../conditions/catalogue.ts';
import { tellAudience, type Audience, type AudiencePerson } from './audience.ts';

/** What a due date is counted from. */
export const DUE_EVENTS = ['assigned', 'joined', 'job'] as const;
export type DueEvent = (typeof DUE_EVENTS)[number];

/** By when: a date, some days after an event, or the end of the month that an event falls in (or of a later one). */
export type DueRule =
  | { kind: 'date'; on: LocalDate }
  | { kind: 'after'; amount: number; unit: 'days' | 'working days'; event: DueEvent }
  | { kind: 'month-end'; months: number; event: DueEvent };

/** How a course is taken again before what it gave runs out. */
export interface Renewal {
  /** how long finishing counts; a certificate that runs out earlier ends it earlier */
  months: number;
  /** days before that at which the next round is assigned */
  leadDays: number;
}

export const WHEN_OUT = ['ask', 'withdraw', 'keep'] as const;
/** What becomes of an open assignment when its person leaves the audience. */
export type WhenOut = (typeof WHEN_OUT)[number];

/** A standing rule: who must hold which course, by when, how often again. */
export interface Requirement {
  id: string;
  name: string;
  course: string;
  audience: Audience;
  due: DueRule;
  /** local time of the due date */
  dueTime: string;
  /** days after assignment that count where the due date by the rule has passed already */
  graceDays: number;
  /** finished within so many months before the requirement began for somebody counts; 0 nothing earlier counts, null all does */
  creditMonths: number | null;
  renewal: Renewal | null;
  /** first and last day, inclusive, on which it assigns */
  from: LocalDate | null;
  until: LocalDate | null;
  /** whether those come in who join or move into the audience after it was switched on */
  takesJoiners: boolean;
  whenOut: WhenOut;
  /** null while it was never switched on */
  switchedOnAt: Instant | null;
}

/** What requirements ask of a person, beside the audience. */
export interface RequirementPerson extends AudiencePerson {
  /** since when the job title is this one; null since ever */
  jobSince: LocalDate | null;
  /** requirements without joiners that this person was in when they were switched on */
  memberOf: readonly string[];
}

/** @returns the local day that a due date is counted from, the day of assignment where the event has no date */
function eventDay(event: DueEvent, person: RequirementPerson, assignedOn: Day): Day {
  const date = event === 'joined' ? person.joinedOn : event === 'job' ? (person.jobSince ?? person.joinedOn) : null;
  return date === null ? assignedOn : dayOf(date);
}

function ruleDay(rule: DueRule, person: RequirementPerson, calendar: Calendar, assignedOn: Day): Day {
  if (rule.kind === 'date') return dayOf(rule.on);
  const from = eventDay(rule.event, person, assignedOn);
  if (rule.kind === 'after') return rule.unit === 'days' ? from + rule.amount : calendar.addWorkingDays(from, rule.amount);
  const first = dayOf(`${dateOf(from).slice(0, 7)}-01`);
  return addMonths(first, rule.months + 1) - 1;
}

export interface Due {
  at: Instant;
  /** the rule's own date had passed: the days of grace were counted from the assignment */
  isGrace: boolean;
}

/**
 * The due date for one person, at the requirement's local time in the person's own zone.
 * @param renewsOn the last day that an earlier round counts: a renewal is due then
 */
export function dueFor(
  requirement: Requirement,
  person: RequirementPerson,
  calendar: Calendar,
  assignedAt: Instant,
  renewsOn: LocalDate | null = null,
): Due {
  const assignedOn = calendar.zone.dayAt(assignedAt);
  const ms = msOfTime(requirement.dueTime);
  const at = calendar.zone.toInstant(renewsOn === null ? ruleDay(requirement.due, person, calendar, assignedOn) : dayOf(renewsOn), ms);
  if (at > assignedAt) return { at, isGrace: false };
  return { at: calendar.zone.toInstant(assignedOn + Math.max(1, requirement.graceDays), ms), isGrace: true };
}

const EVENT_WORDS: Record<DueEvent, string> = { assigned: 'assignment', joined: 'joining', job: 'a change of job' };

/** The due rule in words: "14 working days after joining". */
export function tellDueRule(rule: DueRule): string {
  if (rule.kind === 'date') return tellDate(dayOf(rule.on));
  if (rule.kind === 'after') return `${tellAmount(rule.amount, rule.unit)} after ${EVENT_WORDS[rule.event]}`;
  if (rule.months === 0) return `the end of the month of ${EVENT_WORDS[rule.event]}`;
  return (
    'the end of the ' +
    `${rule.months === 1 ? 'month' : `${rule.months}th month`.replace('2th', '2nd').replace('3th', '3rd')}` +
    ` after ${EVENT_WORDS[rule.event]}`
  );
}

const months = (count: number): string => tellAmount(count, 'months');

/** A requirement's rules in words, one sentence a rule: what it says on its page, and months later to whoever reads it. */
export function tellRequirement(requirement: Requirement, course: string, names: Names): string[] {
  const { due, graceDays, creditMonths, renewal, from, until, takesJoiners, whenOut } = requirement;
  const audience = tellAudience(requirement.audience, names);
  return [
    `${audience[0]!.toUpperCase()}${audience.slice(1)} must hold ${course}.`,
    `Due ${due.kind === 'date' ? 'on ' : ''}${tellDueRule(due)}, ${requirement.dueTime}; ` +
      `where that has passed, ${tellAmount(graceDays, 'days')} after assignment.`,
    creditMonths === null
      ? 'Whoever has finished it before is covered.'
      : creditMonths === 0
        ? 'Nothing that was finished before counts.'
        : `Whoever finished it within the last ${months(creditMonths)} is covered.`,
    renewal
      ? `Finishing counts for ${months(renewal.months)}; the next round is assigned ${tellAmount(renewal.leadDays, 'days')} before it runs out, and due then.`
      : 'Finishing once is enough.',
    `${takesJoiners ? 'Takes in whoever joins or moves in later' : 'Holds for those only who were in when it was switched on'}` +
      `${from ? `, from ${tellDate(dayOf(from))}` : ''}${until ? `, until ${tellDate(dayOf(until))}` : ''}.`,
    whenOut === 'ask'
      ? 'When somebody leaves the audience, it asks what becomes of an open assignment.'
      : `When somebody leaves the audience, an open assignment is ${whenOut === 'keep' ? 'kept' : 'withdrawn'}.`,
  ];
}
