import { dateOf, type Calendar, type LocalDate } from '../time/calendar.ts';
import type { Instant } from '../time/zone.ts';
import { reconcilePerson, type Change, type LiveRequirement } from './reconcile.ts';
import type { RequirementPerson } from './requirement.ts';
import { morningOf, noRecord, type CourseRecord, type Reason } from './standing.ts';

/** What requirements will ask for at a moment to come. What they will assign has an id of its own: `ahead <person>/<course>/<n>`. */
export interface ChangeAhead {
  at: Instant;
  change: Change;
  /** the assignment that it is about */
  assignment: string;
}

export interface AheadInput {
  people: readonly RequirementPerson[];
  /** when each of them is looked at next although nobody changes anything */
  wakes: ReadonlyMap<string, Instant>;
  records: ReadonlyMap<string, ReadonlyMap<string, CourseRecord>>;
  /** the requirements that are on, made ready for a date */
  liveOn: (date: LocalDate) => readonly LiveRequirement[];
  calendarOf: (person: RequirementPerson) => Calendar;
  /** local time at which a day of sending begins */
  morning: string;
  now: Instant;
  /** exclusive */
  until: Instant;
}

const reasonsOf = (list: readonly { requirement: string }[]): Reason[] =>
  list.map(({ requirement }) => ({ requirement, isOut: false, isKept: false }));

/** How a person stands with a course once a change was made. */
function recordAfter(record: CourseRecord, change: Change, assignment: string, at: Instant): CourseRecord {
  const { open, closed } = record;
  if (change.kind === 'assign' || change.kind === 'take-up') {
    const isByHand = change.kind === 'take-up' && (closed?.isByHand ?? false);
    return { ...record, open: { id: assignment, dueAt: change.dueAt, isByHand, reasons: reasonsOf(change.reasons) }, closed: null };
  }
  if (!open) return record;
  const settle = (of: string, made: (reason: Reason) => Reason[]): CourseRecord => ({
    ...record,
    open: { ...open, reasons: open.reasons.flatMap((reason) => (reason.requirement === of ? made(reason) : [reason])) },
  });
  switch (change.kind) {
    case 'withdraw': {
      const { id, dueAt, isByHand } = open;
      const { because } = change;
      return {
        ...record,
        open: null,
        closed: { id, how: 'withdrawn', because, closedAt: at, waivedUntil: null, assignedAt: at, dueAt, isByHand },
      };
    }
    case 'attach':
      return { ...record, open: { ...open, dueAt: change.dueAt ?? open.dueAt, reasons: [...open.reasons, ...reasonsOf(change.reasons)] } };
    case 'detach':
      return settle(change.requirement, () => []);
    case 'ask':
      return settle(change.requirement, (reason) => [{ ...reason, isOut: true }]);
    case 'keep':
      return settle(change.requirement, (reason) => [{ ...reason, isOut: false, isKept: true }]);
    case 'settle':
      return settle(change.requirement, (reason) => [{ ...reason, isOut: false, isKept: false }]);
  }
}

const courseOf = (change: Change, records: ReadonlyMap<string, CourseRecord>): string | undefined => {
  if (change.kind === 'assign') return change.course;
  const { assignment } = change;
  return [...records.values()].find(({ open, closed }) => open?.id === assignment || closed?.id === assignment)?.course;
};

/**
 * What requirements will assign, take up again, move and withdraw in days to come if nobody does anything: each person is looked
 * at on the very mornings on which the worker will look at them, with what came of the mornings before. Pure; nothing is stored.
 * @returns in the order of moments, then people
 */
export function changesAhead({ people, wakes, records, liveOn, calendarOf, morning, now, until }: AheadInput): ChangeAhead[] {
  const found: ChangeAhead[] = [];
  for (const person of people) {
    const calendar = calendarOf(person);
    const own = new Map(records.get(person.id));
    let made = 0;
    let at: Instant | null = wakes.get(person.id) ?? null;
    if (at !== null && at <= now) at = now + 1;
    while (at !== null && at < until) {
      const { changes, wakeOn } = reconcilePerson(liveOn(dateOf(calendar.zone.dayAt(at))), {
        person,
        calendar,
        now: at,
        morning,
        records: own,
      });
      for (const change of changes) {
        const course = courseOf(change, own);
        if (course === undefined) continue;
        const assignment = change.kind === 'assign' ? `ahead ${person.id}/${course}/${++made}` : change.assignment;
        own.set(course, recordAfter(own.get(course) ?? noRecord(course), change, assignment, at));
        found.push({ at, change, assignment });
      }
      const next: Instant | null = wakeOn === null ? null : morningOf(wakeOn, calendar, morning);
      at = next !== null && next > at ? next : null;
    }
  }
  return found.sort((a, b) => a.at - b.at || (a.assignment < b.assignment ? -1 : a.assignment > b.assignment ? 1 : 0));
}
