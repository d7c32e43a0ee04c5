import {
  addresseeOf,
  backAt,
  dateOf,
  decide,
  difference,
  HELD_UNTIL,
  HOLD_WORDS,
  isGathered,
  keyOf,
  leaveHold,
  isOfFinishingSignOff,
  outlivesAssignment,
  sentenceOf,
  slotsOf,
  standingAt,
  tellableFrom,
  tellMoment,
  whyDropped as tellDropped,
  Zone,
  type Instant,
  type LedgerEntry,
  type Person,
  type PlanStep,
  type Slot,
} from '@nudrik/core';
import { openUnits } from '../courses/openings.ts';
import { announce, rows, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse, type House } from '../house/house.ts';
import { workApart } from '../work/set-aside.ts';
import { findStep, loadFacts, noticesOf, stepsOf, type AssignmentFacts, type Facts } from './facts.ts';
import {
  cancelNotices,
  insertNotices,
  listLedger,
  moveNotices,
  readdressNotices,
  resumeNotices,
  type CancelRow,
  type LedgerRow,
  type NoticeInsert,
  type ResumeRow,
} from './ledger.repo.ts';

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

/** Whether nothing is to be told any more: the assignment is closed, or the employee has left. */
const isOver = (assignment: AssignmentFacts, facts: Facts, now: Instant): boolean => assignment.isClosed || hasLeft(assignment, facts, now);

function hasLeft(assignment: AssignmentFacts, { roster }: Facts, now: Instant): boolean {
  const employee = roster.getPerson(assignment.person);
  return roster.hasLeft(employee, roster.calendarOf(employee).zone.dayAt(now));
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
  const isOfFinish = ({ anchorAt }: Slot, { anchor }: PlanStep): boolean =>
    !hasLeft(assignment, facts, now) && isOfFinishingSignOff(anchor.event, anchorAt, standingAt(assignment, now));
  return steps
    .filter((step) => step.on && (!over || outlivesAssignment(step.anchor.event) || step.anchor.event === 'signed-off'))
    .flatMap((step) => slotsOf(step, assignment, facts.roster, publishedAt, now).map((slot) => ({ slot, step })))
    .filter(({ slot, step }) => !over || outlivesAssignment(step.anchor.event) || isOfFinish(slot, step));
}

/** Why what was planned is no longer, by core. */
export function whyDropped(
  entry: LedgerEntry,
  assignment: AssignmentFacts,
  facts: Facts,
  now: Instant,
): { because: string; sentence: string } {
  const step = findStep(facts.plans.get(assignment.course), entry.step);
  return tellDropped({ entry, assignment, step, roster: facts.roster, now });
}

/** One notice row from a slot. The addressee is the one that its moment would find today; it is looked for again then. */
export function noticeFrom(slot: Slot, step: PlanStep, assignment: AssignmentFacts, facts: Facts, house: House): NoticeInsert {
  const { roster } = facts;
  const employee = roster.getPerson(assignment.person);
  const at = slot.missed ? slot.moment : slot.at;
  const recipient = addresseeOf({ slot, step, assignment }, roster, at, noticesOf(facts));
  const missed = slot.missed ? decide({ slot, step, assignment, roster, now: slot.knownAt, countOf: () => 0 }) : null;
  return {
    slot,
    courseId: assignment.course,
    personId: assignment.person,
    stepName: step.name,
    kind: step.kind,
    gathered: isGathered(step, slot, employee),
    at,
    onDay: dateOf(Zone.of(house.zone).dayAt(at)),
    recipientId: recipient.person?.id ?? null,
    recipientName: recipient.person?.name ?? recipient.address,
    state: missed ? 'skipped' : 'planned',
    because: slot.missed,
    sentence: missed
      ? sentenceOf(missed, slot, step, roster.calendarOf(employee).zone, at, null)
      : foreseenHold(slot, employee, standingAt(assignment, slot.knownAt).dueAt, facts),
    trace: missed && missed.trace,
    decidedAt: missed ? slot.knownAt : null,
  };
}

/**
 * What was held when an act cancelled it is held again when the act is taken back: nothing about it was decided meanwhile.
 * @returns null where it is planned like any other
 */
function resumedFrom(
  entry: LedgerRow,
  slot: Slot,
  assignment: AssignmentFacts,
  facts: Facts,
  house: House,
  now: Instant,
): ResumeRow | null {
  const { heldBecause, state, moment, id } = entry;
  if (state !== 'cancelled' || heldBecause === null || moment !== slot.moment || slot.missed || entry.at === null) return null;
  const { roster } = facts;
  const employee = roster.getPerson(assignment.person);
  const calendar = roster.calendarOf(employee);
  const back = backAt(entry.at, slot.gaps);
  const { dueAt } = standingAt(assignment, now);
  const reading = { to: slot.to, reader: employee, calendar };
  const at = back === null ? entry.at : tellableFrom(back, reading, roster.settings, () => dueAt);
  const isOpenLeave = heldBecause === 'leave' && leaveHold(employee, calendar, roster, entry.at, dueAt)?.until === null;
  const hasMoment =
    heldBecause === 'daily-limit' ||
    heldBecause === 'set-aside' ||
    heldBecause === 'on-hold' ||
    heldBecause === 'taken-up' ||
    (heldBecause === 'leave' && !isOpenLeave);
  const until = hasMoment ? tellMoment(at, calendar.zone, at) : HELD_UNTIL[heldBecause];
  const sentence = `Held: ${HOLD_WORDS[heldBecause]}, until ${until}.`;
  return { id, at, onDay: dateOf(Zone.of(house.zone).dayAt(at)), hasMoment, sentence };
}

/** What will hold a notice at its moment, as far as that is known: leave that was entered. The dispatcher decides it then. */
function foreseenHold(slot: Slot, employee: Person, dueAt: Instant, { roster }: Facts): string | null {
  if (slot.to !== 'employee') return null;
  const calendar = roster.calendarOf(employee);
  const hold = leaveHold(employee, calendar, roster, slot.at, dueAt);
  if (!hold) return null;
  return `Will be held: ${hold.fact}, until ${hold.until === null ? HELD_UNTIL.leave : tellMoment(hold.until, calendar.zone, slot.at)}.`;
}

export interface PlanChange {
  added: NoticeInsert[];
  moved: { id: string; row: NoticeInsert }[];
  /** held when they were cancelled, and held again as they were */
  resumed: ResumeRow[];
  /** kept, and to somebody else, or held by other leave: a manager, a cover or leave changed */
  readdressed: { id: string; row: NoticeInsert }[];
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
  const change: PlanChange = { added: [], moved: [], resumed: [], readdressed: [], dropped: [], kept: 0 };
  const ledgerOf = new Map<string, LedgerRow[]>();
  for (const entry of ledger) {
    const list = ledgerOf.get(entry.assignment);
    if (list) list.push(entry);
    else ledgerOf.set(entry.assignment, [entry]);
  }
  for (const assignment of facts.assignments.values()) {
    const plan = facts.plans.get(assignment.course);
    if (!plan) continue;
    const planned = slotsFor(assignment, stepsOf(plan), publishedAtOf(assignment.course), facts, now);
    const stepOf = new Map(planned.map(({ slot, step }) => [slot, step]));
    const entries = ledgerOf.get(assignment.id) ?? [];
    const momentOf = new Map(entries.map((entry) => [entry.id, entry.state === 'cancelled' ? NaN : entry.moment]));
    const { added, moved, dropped, kept } = difference([...stepOf.keys()], entries, (entry) => momentOf.get(entry.id)!);
    const rowOf = (slot: Slot): NoticeInsert => noticeFrom(slot, stepOf.get(slot)!, assignment, facts, house);
    change.added.push(...added.map(rowOf));
    for (const { entry, slot } of moved) {
      const resumed = resumedFrom(entry as LedgerRow, slot, assignment, facts, house, now);
      if (resumed) change.resumed.push(resumed);
      else change.moved.push({ id: entry.id, row: rowOf(slot) });
    }
    const slotAt = new Map([...stepOf.keys()].map((slot) => [keyOf(slot), slot]));
    for (const entry of kept as LedgerRow[]) {
      const slot = slotAt.get(keyOf(entry));
      if (entry.state !== 'planned' || !slot || slot.missed || entry.attempts > 0) continue;
      const row = rowOf(slot);
      if (row.recipientId !== entry.recipientId || row.sentence !== entry.sentence) change.readdressed.push({ id: entry.id, row });
    }
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
  await resumeNotices(client, change.resumed);
  await readdressNotices(client, change.readdressed);
  await cancelNotices(client, change.dropped, now);
  await openUnits(client, facts, ids, now, (id) => isOver(facts.assignments.get(id)!, facts, now));
  return change;
}

const LOCK_ASSIGNMENTS = 'select id from assignments where id = any($1::bigint[]) order by id for no key update';

/** Takes waiting replan rows, one batch in one transaction. @returns how many assignments were planned */
export async function planWaiting(deps: Deps, limit = 2_000): Promise<number> {
  return transaction(deps.db, async (client) => {
    const claimed = await rows<{ assignment_id: string }>(client, CLAIM_REPLAN, [limit]);
    if (claimed.length === 0) return 0;
    // the facts cannot change while we plan, and two planners never work on one assignment
    const ids = [...new Set(claimed.map((row) => row.assignment_id))].sort((a, b) => Number(a) - Number(b));
    await client.query(LOCK_ASSIGNMENTS, [ids]);
    const house = await getHouse(client);
    await workApart(client, deps, 'plan', ids, (some, now) => replan(client, house, some, now));
    await announce(client, 'notices', 'work');
    return ids.length;
  });
}
