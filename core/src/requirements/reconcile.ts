import { addDays, dateOf, dayOf, type LocalDate } from '../time/calendar.ts';
import { tellDate } from '../time/words.ts';
import type { Instant } from '../time/zone.ts';
import { earliest, type Matcher } from './audience.ts';
import type { Requirement, WhenOut } from './requirement.ts';
import { noRecord, standingOf, type CourseRecord, type Reason, type RequirementStanding, type StandingFacts } from './standing.ts';

/** A requirement that is on, with its audience made ready. */
export interface LiveRequirement {
  requirement: Requirement;
  matcher: Matcher;
}

/** One requirement's reason for an assignment: the due date that it would give, and the sentence for it. */
export interface NewReason {
  requirement: string;
  dueAt: Instant;
  because: string;
}

/** What has to be done so that one person's assignments are what the requirements ask. */
export type Change =
  | { kind: 'assign'; person: string; course: string; assignedAt: Instant; dueAt: Instant; reasons: NewReason[] }
  | { kind: 'take-up'; person: string; assignment: string; dueAt: Instant; words: string; reasons: NewReason[] }
  | { kind: 'attach'; assignment: string; reasons: NewReason[]; /** the earlier due date that it brings, or null */ dueAt: Instant | null }
  | { kind: 'detach'; assignment: string; requirement: string }
  | { kind: 'ask'; assignment: string; requirement: string }
  | { kind: 'keep'; assignment: string; requirement: string }
  | { kind: 'settle'; assignment: string; requirement: string }
  | { kind: 'withdraw'; person: string; assignment: string; because: 'left' | 'out'; words: string };

export interface Reconciled {
  changes: Change[];
  /** the next day on which this person has to be looked at again */
  wakeOn: LocalDate | null;
}

export interface PersonFacts extends StandingFacts {
  records: ReadonlyMap<string, CourseRecord>;
}

/**
 * Compares what the requirements ask of one person with the assignments there are. Looking twice changes nothing: what
 * it asks for is done, and then it asks for nothing.
 * @param live the requirements that are on
 * @param whenOut what becomes of open assignments whose requirement no longer asks, where somebody has just said so
 */
export function reconcilePerson(
  live: readonly LiveRequirement[],
  facts: PersonFacts,
  whenOut: ReadonlyMap<string, WhenOut> = new Map(),
): Reconciled {
  const { person, calendar, now, records } = facts;
  const changes: Change[] = [];
  const wakes: (LocalDate | null)[] = [];
  const today = dateOf(calendar.zone.dayAt(now));
  if (person.leftOn !== null && person.leftOn <= today) {
    for (const { open } of records.values())
      if (open)
        changes.push({
          kind: 'withdraw',
          person: person.id,
          assignment: open.id,
          because: 'left',
          words: `${person.name} left on ${tellDate(dayOf(person.leftOn))}`,
        });
    return { changes, wakeOn: null };
  }
  wakes.push(person.leftOn);
  const byCourse = new Map<string, { requirement: Requirement; standing: RequirementStanding }[]>();
  for (const { requirement, matcher } of live) {
    const record = records.get(requirement.course);
    const standing = standingOf(requirement, matcher, facts, record ?? noRecord(requirement.course));
    if (standing.wakeOn !== null) wakes.push(standing.wakeOn);
    // most requirements do not ask most people: nothing is to be compared with nothing
    if (standing.kind === 'out' && !record) continue;
    const list = byCourse.get(requirement.course);
    if (list) list.push({ requirement, standing });
    else byCourse.set(requirement.course, [{ requirement, standing }]);
  }
  for (const course of new Set([...records.keys(), ...byCourse.keys()])) {
    const record = records.get(course) ?? noRecord(course);
    const standings = byCourse.get(course) ?? [];
    const asking = standings.flatMap(({ requirement, standing }) => (standing.kind === 'due' ? [{ requirement, standing }] : []));
    const reasons = asking.map(({ requirement, standing }): NewReason => ({
      requirement: requirement.id,
      dueAt: standing.dueAt,
      because: standing.because,
    }));
    if (record.open) reconcileOpen(record.open, standings, reasons, live, whenOut, changes, person.id, person.name);
    else reconcileClosed(record, reasons, facts, today, changes);
    const until = record.closed?.how === 'waived' ? record.closed.waivedUntil : null;
    if (until !== null && until >= today) wakes.push(addDays(until, 1));
  }
  return { changes, wakeOn: earliest(wakes.filter((day) => day !== null)) };
}

const firstDue = (reasons: readonly NewReason[]): Instant => Math.min(...reasons.map(({ dueAt }) => dueAt));

function reconcileOpen(
  open: NonNullable<CourseRecord['open']>,
  standings: readonly { requirement: Requirement; standing: RequirementStanding }[],
  asked: readonly NewReason[],
  live: readonly LiveRequirement[],
  whenOut: ReadonlyMap<string, WhenOut>,
  changes: Change[],
  person: string,
  name: string,
): void {
  const asks = new Set(asked.map(({ requirement }) => requirement));
  const held = new Map(open.reasons.map((reason) => [reason.requirement, reason]));
  const fresh = asked.filter(({ requirement }) => !held.has(requirement));
  if (fresh.length > 0) {
    const due = firstDue(fresh);
    changes.push({ kind: 'attach', assignment: open.id, reasons: fresh, dueAt: due < open.dueAt ? due : null });
  }
  // a requirement whose cover reaches further than this round (a credit that was recorded since) leaves what is open alone
  const leaves = (reason: Reason): boolean => {
    const standing = standings.find(({ requirement }) => requirement.id === reason.requirement)?.standing;
    return standing === undefined || standing.kind === 'out' || (standing.kind === 'waits' && standing.because === 'joins');
  };
  const gone = open.reasons.filter((reason) => !asks.has(reason.requirement) && leaves(reason));
  for (const reason of open.reasons)
    if ((reason.isOut || reason.isKept) && !gone.includes(reason))
      changes.push({ kind: 'settle', assignment: open.id, requirement: reason.requirement });
  const stays = open.isByHand || fresh.length > 0 || open.reasons.some((reason) => !gone.includes(reason) || reason.isKept);
  const unsettled = gone.filter((reason) => !reason.isKept);
  if (stays) {
    for (const reason of unsettled) changes.push({ kind: 'detach', assignment: open.id, requirement: reason.requirement });
    return;
  }
  // the last reasons fell away: one word of "keep" keeps it, one question asks, else it goes
  const words = unsettled.map(
    (reason) =>
      whenOut.get(reason.requirement) ??
      live.find(({ requirement }) => requirement.id === reason.requirement)?.requirement.whenOut ??
      'ask',
  );
  unsettled.forEach((reason, index) => {
    if (words.includes('keep')) {
      if (words[index] === 'keep') changes.push({ kind: 'keep', assignment: open.id, requirement: reason.requirement });
      else changes.push({ kind: 'detach', assignment: open.id, requirement: reason.requirement });
    } else if (words.includes('ask') && !reason.isOut) changes.push({ kind: 'ask', assignment: open.id, requirement: reason.requirement });
  });
  if (words.length > 0 && words.every((word) => word === 'withdraw'))
    changes.push({ kind: 'withdraw', person, assignment: open.id, because: 'out', words: `${name} is no longer in the audience` });
}

function reconcileClosed(record: CourseRecord, reasons: NewReason[], facts: PersonFacts, today: LocalDate, changes: Change[]): void {
  const { person, now } = facts;
  const { closed, course } = record;
  const isLapsed =
    closed !== null && (closed.how === 'waived' ? closed.waivedUntil !== null && closed.waivedUntil < today : closed.because !== 'by-hand');
  const words =
    closed?.how === 'waived'
      ? `the waiver ended on ${tellDate(dayOf(closed.waivedUntil ?? today))}`
      : closed?.because === 'left'
        ? `${person.name} is back`
        : `${person.name} is in the audience again`;
  if (reasons.length > 0) {
    const dueAt = firstDue(reasons);
    if (isLapsed) changes.push({ kind: 'take-up', person: person.id, assignment: closed!.id, dueAt, words, reasons });
    else changes.push({ kind: 'assign', person: person.id, course, assignedAt: now, dueAt, reasons });
    return;
  }
  // what was assigned by hand comes back with the person, or when the waiver ends, by the due date or with as much time as it had
  if (
    isLapsed &&
    closed!.isByHand &&
    (closed!.how === 'waived' || closed!.because === 'left') &&
    (person.joinedOn === null || person.joinedOn <= today)
  )
    changes.push({ kind: 'take-up', person: person.id, assignment: closed!.id, dueAt: dueAgain(closed!, facts), words, reasons: [] });
}

/** By the due date where it is still to come; else with as many days as it had, at the same time of day. */
function dueAgain({ dueAt, assignedAt }: NonNullable<CourseRecord['closed']>, { calendar: { zone }, now }: PersonFacts): Instant {
  if (dueAt > now) return dueAt;
  const days = Math.max(1, zone.dayAt(dueAt) - zone.dayAt(assignedAt));
  return zone.toInstant(zone.dayAt(now) + days, zone.toLocal(dueAt).ms);
}
