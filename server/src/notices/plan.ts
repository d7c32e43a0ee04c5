import {
  dateOf, dayOf, decide, difference, findRecipient, outlivesAssignment, sentenceOf, slotsOf, standingAt, tellDay, tellMoment, Zone,
  type Instant, type LedgerEntry, type PlanStep, type Slot,
} from '@nudrik/core'; // prettier-ignore
import { announce, rows, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse, type House } from '../people/roster.repo.ts';
import { loadFacts, type AssignmentFacts, type Facts } from './facts.ts';
import { cancelNotices, insertNotices, listLedger, moveNotices, type CancelRow, type LedgerRow, type NoticeInsert } from './ledger.repo.ts';

const CLAIM_REPLAN = `
delete from replan
where id in (
  select id
  from replan
  order by id
  limit $1::integer
  for update skip locked
)
returning assignment_id
`;

/** Asks for the plan of some assignments to be worked out again; the worker takes it up. */
export async function requestReplan(db: Client, assignmentIds: readonly string[]): Promise<void> {
  if (assignmentIds.length === 0) return;
  await db.query('insert into replan (assignment_id) select distinct unnest($1::bigint[])', [assignmentIds]);
  await announce(db, 'work');
}

/** Whether nothing is to be told any more: the assignment is closed, or the employee has left. */
function isOver(assignment: AssignmentFacts, facts: Facts, now: Instant): boolean {
  const employee = facts.roster.getPerson(assignment.person);
  return assignment.isClosed || facts.roster.hasLeft(employee, facts.roster.calendarOf(employee).zone.dayAt(now));
}

/** The slots of an assignment by its course's plan as it stands; none for what is switched off or over. */
export function slotsFor(
  assignment: AssignmentFacts,
  steps: readonly PlanStep[],
  publishedAt: Instant,
  facts: Facts,
  now: Instant,
): { slot: Slot; step: PlanStep }[] {
  const over = isOver(assignment, facts, now);
  return steps
    .filter((step) => step.on && (!over || outlivesAssignment(step.anchor.event)))
    .flatMap((step) => slotsOf(step, assignment, facts.roster, publishedAt, now).map((slot) => ({ slot, step })));
}

/** Why what was planned is no longer: for the ledger, since a notice that will not come explains itself too. */
function whyDropped(entry: LedgerEntry, assignment: AssignmentFacts, facts: Facts, now: Instant): { because: string; sentence: string } {
  const employee = facts.roster.getPerson(assignment.person);
  const zone = facts.roster.calendarOf(employee).zone;
  const standing = standingAt(assignment, now);
  const moment = entry.at === null ? '' : `, before its moment (${tellMoment(entry.at, zone)})`;
  if (standing.closedBy === 'finished')
    return {
      because: 'finished',
      sentence: `Cancelled: ${employee.name} finished on ${tellMoment(standing.closedAt!, zone)}${moment}.`,
    };
  if (standing.closedBy)
    return {
      because: standing.closedBy,
      sentence: `Cancelled: the assignment was ${standing.closedBy} on ${tellMoment(standing.closedAt!, zone)}${moment}.`,
    };
  if (isOver(assignment, facts, now))
    return { because: 'left', sentence: `Cancelled: ${employee.name} left on ${tellDay(dayOf(employee.leftOn!))}${moment}.` };
  if (standing.dueRevision > entry.revision)
    return {
      because: 'extended',
      sentence: `Cancelled: the due date moved to ${tellMoment(standing.dueAt, zone)}; its place is taken by a notice for the new date.`,
    };
  const step = facts.plans.get(assignment.course)?.steps.find(({ id }) => id === entry.step);
  if (step && !step.on) return { because: 'switched-off', sentence: `Cancelled: the step “${step.name}” was switched off${moment}.` };
  return { because: 'plan-changed', sentence: 'Cancelled: the plan was changed and no longer has this notice.' };
}

/** One notice row from a slot. The addressee is the one that its moment would find today; it is looked for again then. */
export function noticeFrom(slot: Slot, step: PlanStep, assignment: AssignmentFacts, facts: Facts, house: House): NoticeInsert {
  const { roster } = facts;
  const employee = roster.getPerson(assignment.person);
  const owner = roster.person(facts.courses.get(assignment.course)?.owner ?? null);
  const at = slot.missed ? slot.moment : slot.at;
  const recipient = findRecipient(slot.to, employee, owner, roster, at);
  const missed = slot.missed ? decide({ slot, step, assignment, roster, now: slot.knownAt, countOf: () => 0 }) : null;
  return {
    slot,
    courseId: assignment.course,
    personId: assignment.person,
    stepName: step.name,
    kind: step.kind,
    gathered: step.gather === 'per day',
    at,
    onDay: dateOf(Zone.of(house.zone).dayAt(at)),
    recipientId: recipient.person?.id ?? null,
    recipientName: recipient.person?.name ?? recipient.address,
    state: missed ? 'skipped' : 'planned',
    because: slot.missed,
    sentence: missed && sentenceOf(missed, slot, step, roster.calendarOf(employee).zone, at, null),
    trace: missed && missed.trace,
    decidedAt: missed ? slot.knownAt : null,
  };
}

export interface PlanChange {
  added: NoticeInsert[];
  moved: { id: string; row: NoticeInsert }[];
  dropped: CancelRow[];
  kept: number;
}

/** Compares what the plan asks for with what the ledger holds; pure. */
export function compareWithLedger(
  facts: Facts,
  ledger: readonly LedgerRow[],
  house: House,
  now: Instant,
  publishedAtOf = (course: string): Instant => facts.plans.get(course)!.publishedAt,
): PlanChange {
  const change: PlanChange = { added: [], moved: [], dropped: [], kept: 0 };
  const ledgerOf = new Map<string, LedgerRow[]>();
  for (const entry of ledger) {
    const list = ledgerOf.get(entry.assignment);
    if (list) list.push(entry);
    else ledgerOf.set(entry.assignment, [entry]);
  }
  for (const assignment of facts.assignments.values()) {
    const plan = facts.plans.get(assignment.course);
    if (!plan) continue;
    const planned = slotsFor(assignment, plan.steps, publishedAtOf(assignment.course), facts, now);
    const stepOf = new Map(planned.map(({ slot, step }) => [slot, step]));
    const entries = ledgerOf.get(assignment.id) ?? [];
    const momentOf = new Map(entries.map((entry) => [entry.id, entry.state === 'cancelled' ? NaN : entry.moment]));
    const { added, moved, dropped, kept } = difference([...stepOf.keys()], entries, (entry) => momentOf.get(entry.id)!);
    const rowOf = (slot: Slot): NoticeInsert => noticeFrom(slot, stepOf.get(slot)!, assignment, facts, house);
    change.added.push(...added.map(rowOf));
    change.moved.push(...moved.map(({ entry, slot }) => ({ id: entry.id, row: rowOf(slot) })));
    change.dropped.push(
      ...dropped
        .filter((entry) => (entry as LedgerRow).state !== 'cancelled')
        .map((entry) => ({ id: entry.id, ...whyDropped(entry, assignment, facts, now) })),
    );
    change.kept += kept.length;
  }
  return change;
}

/** Works the ledger of some assignments out again: load, compute, save. */
export async function replan(client: Client, house: House, ids: readonly string[], now: Instant): Promise<PlanChange> {
  const facts = await loadFacts(client, house, ids);
  const ledger = await listLedger(client, ids);
  const change = compareWithLedger(facts, ledger, house, now);
  await insertNotices(client, change.added);
  await moveNotices(client, change.moved);
  await cancelNotices(client, change.dropped, now);
  return change;
}

/** Takes waiting replan rows, one batch in one transaction. @returns how many assignments were planned */
export async function planWaiting(deps: Deps, limit = 2_000): Promise<number> {
  return transaction(deps.db, async (client) => {
    const claimed = await rows<{ assignment_id: string }>(client, CLAIM_REPLAN, [limit]);
    if (claimed.length === 0) return 0;
    // the facts cannot change while we plan, and two planners never work on one assignment
    const ids = [...new Set(claimed.map((row) => row.assignment_id))].sort((a, b) => Number(a) - Number(b));
    await client.query('select id from assignments where id = any($1::bigint[]) order by id for no key update', [ids]);
    await replan(client, await getHouse(client), ids, deps.clock.now());
    await announce(client, 'notices', 'work');
    return ids.length;
  });
}
