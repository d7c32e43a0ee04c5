import {
  DayBook,
  decide,
  isExemptFromLimit,
  lateSince,
  mayBeOvertaken,
  namedPerson,
  OUTAGE,
  overtakenBy,
  placeFor,
  placeOf,
  type DayCount,
  type Instant,
  type MissingOf,
  type NoticesOf,
  type Place,
  type PlanStep,
  type Roster,
  type Slot,
  type Waiting,
} from '@nudrik/core';
import type { Client } from '../db/db.ts';
import { findStep, listPlanFacts, loadFacts, noteGone, noticesOf, type Facts } from './facts.ts';
import { listDays, listOverdue, lockDays, type DayRow } from './day.repo.ts';
import { claimedOf, type ClaimedNotice } from './ledger.repo.ts';

/** A notice of the ledger as core decides it. */
export interface WaitingNotice extends Waiting {
  step: PlanStep;
  notice: ClaimedNotice;
}

/** One that may take a place in somebody's day, with the facts to tell whether it would go. */
interface Entry {
  waiting: WaitingNotice;
  roster: Roster;
  missingOf: MissingOf;
  noticesOf: NoticesOf;
  place: Place;
}

/** The step of a notice by the plan as it stands, or undefined. */
export const stepOf = (notice: ClaimedNotice, facts: Facts): PlanStep | undefined =>
  findStep(facts.plans.get(notice.courseId), notice.step);

/** A notice of the ledger with its step and assignment; null where the plan no longer has its step. */
export function waitingOf(notice: ClaimedNotice, facts: Facts): WaitingNotice | null {
  const step = stepOf(notice, facts);
  const assignment = facts.assignments.get(notice.assignment);
  if (!step || !assignment) return null;
  return { notice, slot: notice, step, assignment, plannedAt: notice.plannedAt, held: notice.heldBecause as Waiting['held'] };
}

const A_DAY_AND_A_BIT = 26 * 3_600_000;
const isOpen = ({ state }: DayRow): boolean => state === 'planned' || state === 'held';

/** Everyone who may turn out to be the addressee of a notice. */
function addresseesOf(notice: ClaimedNotice, facts: Facts): string[] {
  const { roster } = facts;
  const employee = roster.getPerson(notice.personId);
  const found = [employee.id];
  if (notice.to === 'employee') return found;
  // anyone up the chain, their covers and the owner
  for (let next = roster.person(employee.manager), guard = 0; next && guard < 50; next = roster.person(next.manager), guard++) {
    found.push(next.id);
    for (const leave of next.leave) if (leave.cover) found.push(leave.cover);
  }
  const named = namedPerson(notice.to);
  const owner = facts.courses.get(notice.courseId)?.owner;
  return [...found, ...(owner ? [owner] : []), ...(named && roster.person(named) ? [named] : [])];
}

/** The days of the addressees of a batch, as core's day book keeps them. */
export class Days {
  private readonly book = new DayBook<Entry>();
  private readonly entryOf = new Map<Slot, Entry>();
  /** the facts by which those still to come are asked whether they would go: of this batch first, then of the rest */
  private readonly known: Facts[];

  private constructor(
    private readonly facts: Facts,
    private readonly now: Instant,
    private readonly missingBy: (facts: Facts) => MissingOf,
    private readonly overtaken: ReadonlyMap<string, string>,
  ) {
    this.known = [facts];
  }

  /** Loads what else counts against the days of those who may be written to; what is claimed counts as still to come. */
  static async open(
    client: Client,
    waiting: readonly WaitingNotice[],
    facts: Facts,
    now: Instant,
    missingBy: (facts: Facts) => MissingOf,
    overtaken: ReadonlyMap<string, string>,
  ): Promise<Days> {
    const days = new Days(facts, now, missingBy, overtaken);
    const { roster } = facts;
    const limit = roster.settings.dailyLimit;
    const limited = limit === null ? [] : waiting.filter(({ step }) => !isExemptFromLimit(step.kind));
    for (const each of limited) days.expect(each, facts);
    const ids = [...new Set(limited.flatMap(({ notice }) => addresseesOf(notice, facts)))];
    if (ids.length === 0) return days;
    await lockDays(client, ids);
    const claimed = new Set(waiting.map(({ notice }) => notice.id));
    const found = (await listDays(client, ids, now - A_DAY_AND_A_BIT, now + A_DAY_AND_A_BIT)).filter(({ id }) => !claimed.has(id));
    const went = found.filter((row) => !isOpen(row));
    const ahead = found.filter(isOpen);
    await days.recordWent(client, went);
    // most days are far from full: then nobody has to be asked whether they would go
    const perPerson = new Map<string, number>();
    for (const id of [...found.map((row) => row.recipient_id), ...limited.map(({ notice }) => notice.personId)])
      perPerson.set(id, (perPerson.get(id) ?? 0) + 1);
    if (ahead.length > 0 && (limited.some(({ notice }) => notice.to !== 'employee') || [...perPerson.values()].some((n) => n >= limit!)))
      await days.expectAhead(client, ahead);
    return days;
  }

  private expect(waiting: WaitingNotice, { roster, ...facts }: Facts): void {
    const entry = {
      waiting,
      roster,
      missingOf: this.missingBy({ roster, ...facts }),
      noticesOf: noticesOf(facts),
      place: placeOf(waiting, roster, Math.max(waiting.plannedAt, this.now), noticesOf(facts)),
    };
    this.book.expect(entry);
    this.entryOf.set(waiting.slot, entry);
  }

  private async recordWent(client: Client, went: readonly DayRow[]): Promise<void> {
    if (went.length === 0) return;
    const courses = [...new Set(went.map((row) => row.course_id))].filter((id) => !this.facts.plans.has(id));
    const plans = new Map([...this.facts.plans, ...(await listPlanFacts(client, courses)).map((plan) => [plan.course, plan] as const)]);
    const { roster } = this.facts;
    for (const row of went) {
      const addressee = roster.person(row.recipient_id);
      if (!addressee) continue;
      const at = (row.decided_at ?? row.at).getTime();
      const step = findStep(plans.get(row.course_id), row.step_id);
      if (step) this.book.record(placeFor(step, claimedOf(row), addressee, roster, at));
      else
        this.book.record({
          dayKey: `${addressee.id}/${roster.calendarOf(addressee).zone.dayAt(at)}`,
          message: `message ${row.message_id ?? row.id}`,
        });
    }
  }

  private async expectAhead(client: Client, ahead: readonly DayRow[]): Promise<void> {
    const facts = await loadFacts(client, this.facts.house, [...new Set(ahead.map((row) => row.assignment_id))]);
    this.known.push(facts);
    for (const row of ahead) {
      const waiting = row.try_at === null ? null : waitingOf(claimedOf(row), facts);
      if (waiting) this.expect(waiting, facts);
    }
  }

  /** How full the addressee's day is before a notice that is decided now. */
  countFor({ slot, step }: Waiting): DayCount {
    const { roster } = this.facts;
    const wouldGo = ({ waiting, roster: theirs, missingOf, noticesOf: of }: Entry): boolean =>
      decide({
        ...waiting,
        roster: theirs,
        now: this.now,
        countOf: () => 0,
        missingOf,
        noticesOf: of,
        supersededBy: this.overtaken.get(waiting.notice.id) ?? null,
      }).kind === 'send';
    return (addressee) => this.book.countBefore(placeFor(step, slot, addressee, roster, this.now), wouldGo);
  }

  /** Notes that it was decided. */
  settle({ slot }: Waiting): void {
    const entry = this.entryOf.get(slot);
    if (entry) entry.place.isSettled = true;
  }

  /** Notes that it goes, and to whom: whatever is decided or counted after it knows. */
  settleGone(waiting: WaitingNotice, sentTo: string | null): void {
    this.settle(waiting);
    const { slot, step } = waiting;
    for (const facts of this.known) noteGone(facts, slot, step, sentTo);
    const addressee = this.facts.roster.person(sentTo);
    if (addressee) this.book.record(placeFor(step, slot, addressee, this.facts.roster, this.now));
  }
}

/** By what each notice of a batch is overtaken after an outage: all that is overdue counts, claimed or not. */
export async function findOvertaken(
  client: Client,
  waiting: readonly WaitingNotice[],
  facts: Facts,
  now: Instant,
  missingOf: MissingOf,
): Promise<Map<string, string>> {
  const late = waiting.filter((each) => lateSince(each) < now - OUTAGE && mayBeOvertaken(each));
  if (late.length === 0) return new Map();
  const ids = [...new Set(late.map(({ assignment }) => assignment.id))];
  const found = await listOverdue(client, ids, now);
  const overdue = found.flatMap((row) => {
    const each = waitingOf(claimedOf(row), facts);
    return each ? [{ ...each, hasGone: row.state !== 'planned' && row.state !== 'held' }] : [];
  });
  const { roster } = facts;
  const overtaken = overtakenBy(
    overdue,
    roster,
    now,
    (other) => decide({ ...other, roster, now, countOf: () => 0, missingOf, noticesOf: noticesOf(facts) }).kind === 'send',
  );
  return new Map(overdue.flatMap(({ slot, notice }) => (overtaken.has(slot) ? [[notice.id, overtaken.get(slot)!] as const] : [])));
}
