import {
  clashOf,
  heldFrom,
  isTooLate,
  tellClash,
  nextSession,
  dateOf,
  dayOf,
  msOfTime,
  sessionFault,
  tellAmount,
  tellMoment,
  tellTime,
  Zone,
  type AssignmentEvent,
  type PlanStep,
  type SessionSpan,
} from '@nudrik/core';
import type {
  LearningSessions,
  MySessions,
  NewSession,
  SeatAnswer,
  SessionChange,
  SessionChangeForeseen,
  SessionDraft,
  SessionsView,
  SessionView,
} from '@nudrik/contract';
import { lockAssignment } from '../assignments/assignments.repo.ts';
import { record } from '../assignments/record.ts';
import { announce, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { loadFacts, type Facts } from '../notices/facts.ts';
import { foresee, messagesOf } from '../notices/foresee.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import {
  countPlanned,
  countSeats,
  countUnseated,
  findSeat,
  findSession,
  findSessionUnit,
  findSite,
  insertSession,
  isAnyAhead,
  listGivenUp,
  listIdleSeats,
  listRuledUnits,
  listSeats,
  listSessions,
  listTimesOf,
  listUnitsAhead,
  listUnseated,
  listWaiting,
  lockSessions,
  markCancelled,
  putSeat,
  updateSession,
  type SeatDbRow,
  type SessionInsert,
  type SessionRow,
  type SessionUnit,
  type ShownSessionRow,
} from './sessions.repo.ts';

/** How many of those without a seat are shown, and seated at once by a rule. */
const MOST = 500;
/** By which right somebody is seated. */
export type SeatRight = 'employees' | 'managers' | 'office';

const refuse = (words: string): never => {
  throw new Refused('conflict', `${words} Nothing was changed.`);
};

export async function sessionUnit(db: Queryable, unitId: string, courseId?: string): Promise<SessionUnit> {
  const unit = await findSessionUnit(db, unitId);
  if (!unit || (courseId !== undefined && unit.course_id !== courseId))
    throw new Refused('not-found', 'There is no such unit with sessions, or not any more.');
  return unit;
}
async function sessionOf(db: Queryable, id: string): Promise<SessionRow> {
  const found = await findSession(db, id);
  if (!found) throw new Refused('not-found', 'There is no such session.');
  return found;
}

const spanOf = ({ id, title, starts_at, ends_at }: SessionRow): SessionSpan => ({ id, title, startsAt: starts_at.getTime(), endsAt: ends_at.getTime() }); // prettier-ignore

/** A session and its time, as it is said: “Drill on the quay”, Fri 8 May 09:00. */
const tellSession = ({ title, starts_at, zone }: SessionRow, now: number): string => `“${title}”, ${tellMoment(starts_at.getTime(), Zone.of(zone), now)}`; // prettier-ignore

/** What keeps people from being somewhere, asked for many at once. */
class Clashes {
  private constructor(
    private readonly facts: Facts,
    private readonly times: ReadonlyMap<string, readonly SessionSpan[]>,
    private readonly now: number,
  ) {}

  static async of(deps: Deps, db: Queryable, assignments: readonly string[]): Promise<Clashes> {
    const now = deps.clock.now();
    const facts = await loadFacts(db, await getHouse(db), assignments);
    const people = [...facts.assignments.values()].map(({ person }) => person);
    return new Clashes(facts, await listTimesOf(db, [...new Set(people)], now), now);
  }

  private about(assignment: string) {
    const person = this.facts.roster.getPerson(this.facts.assignments.get(assignment)!.person);
    return { leave: person.leave, others: this.times.get(person.id) ?? [], zone: this.facts.roster.calendarOf(person).zone, person };
  }

  /** @param instead the session whose seat would be given up for it */
  tell(assignment: string, span: SessionSpan, instead: string | null = null): string | null {
    const { leave, others, zone } = this.about(assignment);
    const clash = clashOf(span, leave, others.filter(({ id }) => id !== instead), zone); // prettier-ignore
    return clash && tellClash(clash, zone, this.now);
  }

  next<T extends SessionSpan & { free: number }>(assignment: string, sessions: readonly T[]): T | null {
    const { leave, others, zone } = this.about(assignment);
    return nextSession(sessions, leave, others, zone);
  }

  /** Somebody got a seat meanwhile. */
  with(assignment: string, span: SessionSpan): void {
    const { person, others } = this.about(assignment);
    (this.times as Map<string, SessionSpan[]>).set(person.id, [...others, span]);
  }
}

const setEvent = (session: SessionRow, at: number, rest: { reason?: string; told?: string | null } = {}): AssignmentEvent => ({
  type: 'session-set',
  at,
  unit: session.unit_id,
  of: session.id,
  session: session.title,
  startsAt: session.starts_at.getTime(),
  endsAt: session.ends_at.getTime(),
  place: session.place ?? session.link,
  ...(rest.reason && { reason: rest.reason }),
  ...(rest.told && { told: rest.told }),
});
const lostEvent = (session: SessionRow, at: number, rest: { reason?: string; told?: string | null; isWaiting?: boolean } = {}): AssignmentEvent => ({
  type: 'session-set',
  at,
  unit: session.unit_id,
  of: session.id,
  session: session.title,
  ...(rest.isWaiting && { isWaiting: true }),
  ...(rest.reason && { reason: rest.reason }),
  ...(rest.told && { told: rest.told }),
}); // prettier-ignore

/** Gives free seats to those who wait, in the order in which they asked; who cannot come then goes on waiting. Of a locked session. */
async function moveUp(deps: Deps, client: Client, session: SessionRow, byWhom: string): Promise<number> {
  const at = deps.clock.now();
  if (session.cancelled_at || session.starts_at.getTime() <= at) return 0;
  let free = session.seats - (await countSeats(client, session.id));
  if (free <= 0) return 0;
  const waiting = await listWaiting(client, session.id);
  if (waiting.length === 0) return 0;
  const clashes = await Clashes.of(deps, client, waiting.map(({ assignment_id }) => assignment_id)); // prettier-ignore
  let moved = 0;
  for (const { assignment_id } of waiting) {
    if (free === 0) break;
    if (clashes.tell(assignment_id, spanOf(session))) continue;
    await putSeat(client, session.id, assignment_id, 'seat', at, byWhom);
    await record(client, [{ assignment: assignment_id, event: setEvent(session, at, { reason: 'moved up from the waiting list' }) }], { byWhom }); // prettier-ignore
    free -= 1;
    moved += 1;
  }
  return moved;
}

interface Seating {
  assignmentId: string;
  byWhom: string;
  right: SeatRight;
  /** although it clashes with something */
  anyway: boolean;
}

/** Takes a seat for somebody, or a place on the waiting list; one that they had in another session of the unit is given up. */
export function takeSeat(deps: Deps, sessionId: string, { assignmentId, byWhom, right, anyway }: Seating): Promise<SeatAnswer> {
  return transaction(deps.db, async (client) => {
    const now = deps.clock.now();
    const asked = await sessionOf(client, sessionId);
    const unit = await sessionUnit(client, asked.unit_id);
    const before = await findSeat(client, assignmentId, unit.id, now);
    const locked = await lockSessions(client, [...new Set([sessionId, ...(before ? [before.session_id] : [])])]);
    const session = locked.find(({ id }) => id === sessionId)!;
    const seat = await findSeat(client, assignmentId, unit.id, now);
    if (seat?.session_id !== before?.session_id) refuse('The seat was changed meanwhile: load the page again.');
    if (right !== 'office' && !unit.rules[right]) throw new Refused('not-allowed', `${right === 'employees' ? 'Employees do' : 'Managers do'} not choose sessions here; the training office does. Nothing was changed.`); // prettier-ignore
    if (session.cancelled_at) refuse(`${tellSession(session, now)}, was cancelled.`);
    if (session.starts_at.getTime() <= now) refuse(`${tellSession(session, now)}, has started.`);
    if (right !== 'office' && isTooLate(unit.rules, session.starts_at.getTime(), now)) refuse(`Seats in ${tellSession(session, now)}, are taken until ${tellAmount(unit.rules.closes, 'hours')} before it starts.`); // prettier-ignore
    const assignment = await lockAssignment(client, assignmentId);
    if (assignment?.course_id !== unit.course_id) throw new Refused('not-found', 'There is no such assignment of this course.');
    if (assignment.closed_by !== null) refuse(`${assignment.person_name} does not have this course open any more.`);
    if (assignment.units_done.includes(unit.id)) refuse(`${assignment.person_name} has done “${unit.title}” already.`);
    if (seat?.session_id === sessionId) return { state: seat.state, words: wordsOf(assignment.person_name, seat.state, session, now) };
    const clashes = await Clashes.of(deps, client, [assignmentId]);
    const clash = clashes.tell(assignmentId, spanOf(session), seat?.session_id ?? null);
    if (clash && !anyway) throw new Refused('clash', `${assignment.person_name} ${clash}. Nothing was changed.`);
    const former = seat && locked.find(({ id }) => id === seat.session_id)!;
    if (former) await putSeat(client, former.id, assignmentId, 'given-up', now, byWhom);
    const hasRoom = session.seats > (await countSeats(client, session.id)) && (right === 'office' || (await listWaiting(client, session.id)).length === 0); // prettier-ignore
    const state = hasRoom ? 'seat' : 'waiting';
    await putSeat(client, session.id, assignmentId, state, now, byWhom);
    await record(client, [{ assignment: assignmentId, event: hasRoom ? setEvent(session, now) : lostEvent(session, now, { isWaiting: true }) }], { byWhom }); // prettier-ignore
    if (former) await moveUp(deps, client, former, 'Nudrik');
    await announce(client, 'sessions');
    return { state, words: wordsOf(assignment.person_name, state, session, now) };
  });
}

const wordsOf = (name: string, state: 'seat' | 'waiting', session: SessionRow, now: number): string =>
  state === 'seat'
    ? `${name} has a seat in ${tellSession(session, now)}.`
    : `${tellSession(session, now)}, is full: ${name} waits for a seat, and is told when there is one.`;

/** Gives up a seat, or a place on the waiting list; whoever waits first moves up. */
export function giveUpSeat(
  deps: Deps,
  sessionId: string,
  { assignmentId, byWhom, right, reason }: Omit<Seating, 'anyway'> & { reason?: string },
): Promise<SeatAnswer> {
  return transaction(deps.db, async (client) => {
    const now = deps.clock.now();
    const unit = await sessionUnit(client, (await sessionOf(client, sessionId)).unit_id);
    const [session] = await lockSessions(client, [sessionId]);
    if (right !== 'office' && !unit.rules[right]) throw new Refused('not-allowed', `${right === 'employees' ? 'Employees do' : 'Managers do'} not change seats here; the training office does. Nothing was changed.`); // prettier-ignore
    if (session!.starts_at.getTime() <= now) refuse(`${tellSession(session!, now)}, has started.`);
    if (right !== 'office' && isTooLate(unit.rules, session!.starts_at.getTime(), now)) refuse(`Seats in ${tellSession(session!, now)}, are given up until ${tellAmount(unit.rules.closes, 'hours')} before it starts: tell the training office.`); // prettier-ignore
    const seat = await findSeat(client, assignmentId, unit.id, now);
    const words = `The seat in ${tellSession(session!, now)}, is given up.`;
    if (seat?.session_id !== sessionId) {
      if (!(await listGivenUp(client, [assignmentId], unit.id)).get(assignmentId)?.has(sessionId)) throw new Refused('not-found', 'There is no such seat.'); // prettier-ignore
      return { state: 'given-up', words };
    }
    await putSeat(client, sessionId, assignmentId, 'given-up', now, byWhom);
    await record(client, [{ assignment: assignmentId, event: lostEvent(session!, now, reason ? { reason } : {}) }], { byWhom });
    await moveUp(deps, client, session!, 'Nudrik');
    await announce(client, 'sessions');
    return { state: 'given-up', words };
  });
}

/** A session as it is written, on the clock of its site. @throws Refused with what is wrong */
async function written(db: Queryable, unit: SessionUnit, draft: SessionDraft, now: number, taken: number): Promise<SessionInsert> {
  const site = await findSite(db, draft.site);
  if (!site) throw new Refused('wrong-input', 'There is no such site: expected the one whose clock the session goes by. Nothing was changed.'); // prettier-ignore
  const zone = Zone.of(site.zone);
  const startsAt = zone.toInstant(dayOf(draft.on), msOfTime(draft.starts));
  const endsAt = zone.toInstant(dayOf(draft.endsOn), msOfTime(draft.ends));
  const fault = sessionFault({ startsAt, endsAt, seats: draft.seats }, now, taken);
  if (fault) throw new Refused('wrong-input', `${fault} Nothing was changed.`);
  return { course: unit.course_id, unit: unit.id, title: draft.title, startsAt, endsAt, site: site.id, zone: site.zone, place: draft.place || null, link: draft.link || null, seats: draft.seats, trainer: draft.trainerId }; // prettier-ignore
}

/** Makes a session. An answer that was lost may be asked for again. */
export async function makeSession(
  deps: Deps,
  courseId: string,
  unitId: string,
  { save, ...draft }: NewSession,
  byWhom: string,
): Promise<{ id: string | null }> {
  // prettier-ignore
  const id = await transaction(deps.db, async (client) => {
    const unit = await sessionUnit(client, unitId, courseId);
    const now = deps.clock.now();
    const made = await insertSession(client, await written(client, unit, draft, now, 0), now, byWhom, save);
    await announce(client, 'sessions');
    return made;
  });
  await seatByRule(deps);
  return { id };
}

const asRow = (session: SessionRow, s: SessionInsert): SessionRow => ({
  ...session,
  title: s.title,
  starts_at: new Date(s.startsAt),
  ends_at: new Date(s.endsAt),
  site_id: s.site,
  zone: s.zone,
  place: s.place,
  link: s.link,
  seats: s.seats,
  trainer_id: s.trainer,
});

/** Whether those who have a seat are to hear of a change. */
const isTold = (before: SessionRow, after: SessionRow): boolean =>
  before.title !== after.title ||
  before.starts_at.getTime() !== after.starts_at.getTime() ||
  before.ends_at.getTime() !== after.ends_at.getTime() ||
  (before.place ?? before.link) !== (after.place ?? after.link);

const refuseOver = (session: SessionRow, now: number): void => {
  if (session.cancelled_at) refuse(`${tellSession(session, now)}, was cancelled already.`);
  if (session.starts_at.getTime() <= now) refuse(`${tellSession(session, now)}, has started: what took place is not moved.`);
};

/** Moves a session, or says something else of it: whoever has a seat keeps it, and is told by the plan's steps. */
export async function changeSession(deps: Deps, id: string, { told, ...draft }: SessionChange, byWhom: string): Promise<{ words: string }> {
  return transaction(deps.db, async (client) => {
    const now = deps.clock.now();
    const [session] = await lockSessions(client, [id]);
    if (!session) throw new Refused('not-found', 'There is no such session.');
    refuseOver(session, now);
    const unit = await sessionUnit(client, session.unit_id);
    const next = await written(client, unit, draft, now, await countSeats(client, id));
    const after = asRow(session, next);
    await updateSession(client, id, next, now, byWhom);
    const people = (await listSeats(client, [id])).filter(({ state }) => state === 'seat');
    const isMoved = isTold(session, after);
    if (isMoved) await record(client, people.map(({ assignment_id }) => ({ assignment: assignment_id, event: setEvent(after, now, { told }) })), { byWhom }); // prettier-ignore
    const moved = await moveUp(deps, client, after, 'Nudrik');
    await announce(client, 'sessions');
    const parts = [
      `${tellSession(after, now)}, is changed.`,
      isMoved && people.length > 0 ? `It is news for ${tellAmount(people.length, 'people')}.` : '',
      moved > 0 ? `${tellAmount(moved, 'people')} moved up from the waiting list.` : '',
    ];
    return { words: parts.filter(Boolean).join(' ') };
  });
}

/** Cancels a session: nobody has a seat in it any more, and nobody waits for one. */
export async function cancelSession(deps: Deps, id: string, told: string | null, byWhom: string): Promise<{ words: string }> {
  const words = await transaction(deps.db, async (client) => {
    const now = deps.clock.now();
    const [session] = await lockSessions(client, [id]);
    if (!session) throw new Refused('not-found', 'There is no such session.');
    refuseOver(session, now);
    const people = await listSeats(client, [id]);
    await markCancelled(client, id, now, byWhom, told);
    await record(client, people.map(({ assignment_id }) => ({ assignment: assignment_id, event: lostEvent(session, now, { reason: 'the session was cancelled', told }) })), { byWhom }); // prettier-ignore
    await announce(client, 'sessions');
    const seated = people.filter(({ state }) => state === 'seat').length;
    return `${tellSession(session, now)}, is cancelled. ${seated === 0 ? 'Nobody had a seat in it.' : `${tellAmount(seated, 'people')} had a seat in it.`}`;
  });
  await seatByRule(deps);
  return { words };
}

/** Steps that a session sets going or moves. */
const ofSessions = ({ anchor }: PlanStep, unit: string): boolean =>
  /^(session|seat)-/.test(anchor.event) && (!anchor.unit || anchor.unit === unit);

/** Who would hear what, were a session moved, or cancelled. Nothing is changed. */
export async function foreseeChange(deps: Deps, id: string, change: SessionChange | null): Promise<SessionChangeForeseen> {
  const { db } = deps;
  const now = deps.clock.now();
  const session = await sessionOf(db, id);
  refuseOver(session, now);
  const unit = await sessionUnit(db, session.unit_id);
  const people = (await listSeats(db, [id])).filter(({ state }) => change === null || state === 'seat');
  const after = change && asRow(session, await written(db, unit, change, now, people.length));
  if (after && !isTold(session, after)) return { people: [], falls: 0 };
  const ids = people.map(({ assignment_id }) => assignment_id);
  const facts = await loadFacts(db, await getHouse(db), ids);
  const plan = facts.plans.get(unit.course_id);
  const steps = (plan?.steps ?? []).filter((step) => step.on && ofSessions(step, unit.id));
  const event = { ...(after ? setEvent(after, now) : lostEvent(session, now)), id: 'foreseen' } as AssignmentEvent;
  const foreseen = foresee({
    assignments: ids.map((one) => ({ ...facts.assignments.get(one)!, events: [...facts.assignments.get(one)!.events, event] })),
    steps,
    publishedAt: plan?.publishedAt ?? now,
    facts,
    from: now,
  });
  const clashes = await Clashes.of(deps, db, ids);
  const starts = steps.filter(({ anchor }) => anchor.event === 'session-starts').map((step) => step.id);
  return {
    falls: await countPlanned(db, ids, starts),
    people: people.map(({ assignment_id, person }) => {
      const told = foreseen.people.find((one) => one.assignmentId === assignment_id);
      return { person, clash: after && clashes.tell(assignment_id, spanOf(after)), messages: told ? messagesOf(told) : [] };
    }),
  };
}

const viewOf = (row: ShownSessionRow, now: number): SessionView => ({
  id: row.id,
  title: row.title,
  startsAt: row.starts_at.toISOString(),
  endsAt: row.ends_at.toISOString(),
  zone: row.zone,
  place: row.place,
  link: row.link,
  seats: row.seats,
  taken: row.taken,
  waiting: row.waiting,
  trainer: row.trainer_id === null ? null : { id: row.trainer_id, name: row.trainer! },
  isHeld: now >= heldFrom(row.starts_at.getTime()),
  cancelled: row.cancelled_at && { at: row.cancelled_at.toISOString(), byWhom: row.cancelled_by!, told: row.cancelled_because },
});

function draftOf({ title, starts_at, ends_at, zone: name, site_id, place, link, seats, trainer_id }: ShownSessionRow): SessionDraft {
  const zone = Zone.of(name);
  const [from, to] = [starts_at.getTime(), ends_at.getTime()];
  return { title, on: dateOf(zone.dayAt(from)), starts: tellTime(from, zone), endsOn: dateOf(zone.dayAt(to)), ends: tellTime(to, zone), site: site_id, place, link, seats, trainerId: trainer_id }; // prettier-ignore
}

/** All sessions of a unit with who has a seat and who waits, and who has none: for the office. */
export async function sessionsView(deps: Deps, courseId: string, unitId: string): Promise<SessionsView> {
  const { db } = deps;
  const now = deps.clock.now();
  const unit = await sessionUnit(db, unitId, courseId);
  const sessions = await listSessions(db, unitId);
  const seats = await listSeats(db, sessions.map(({ id }) => id)); // prettier-ignore
  const today = await houseToday(deps);
  const unseated = await listUnseated(db, courseId, unitId, now, today, MOST);
  const ahead = new Map(sessions.filter((one) => !one.cancelled_at && one.starts_at.getTime() > now).map((one) => [one.id, one]));
  const clashes = await Clashes.of(deps, db, seats.flatMap(({ session_id, assignment_id }) => (ahead.has(session_id) ? [assignment_id] : []))); // prettier-ignore
  const rowOf = ({ session_id, ...seat }: SeatDbRow) => ({
    assignmentId: seat.assignment_id,
    person: { id: seat.person_id, name: seat.person },
    department: seat.department,
    site: seat.site,
    state: seat.state,
    since: seat.since.toISOString(),
    byWhom: seat.by_whom,
    clash: ahead.has(session_id) ? clashes.tell(seat.assignment_id, spanOf(ahead.get(session_id)!)) : null,
    outcome: seat.outcome,
  });
  return {
    course: { id: unit.course_id, title: unit.course },
    unit: { id: unit.id, title: unit.title },
    rules: unit.rules,
    now: new Date(now).toISOString(),
    sessions: sessions.map((row) => ({
      ...viewOf(row, now),
      draft: draftOf(row),
      people: seats.filter(({ session_id }) => session_id === row.id).map(rowOf),
    })),
    unseated: unseated.map((row) => ({
      assignmentId: row.assignment_id,
      person: { id: row.id, name: row.name },
      department: row.department,
      site: row.site,
      dueAt: row.due_at.toISOString(),
    })),
    unseatedCount: await countUnseated(db, courseId, unitId, now, today),
  };
}

/** What an employee sees of the sessions of a unit: those to come, and where they have a seat. */
export async function learningSessions(deps: Deps, unitId: string, assignmentId: string): Promise<LearningSessions> {
  const { db } = deps;
  const now = deps.clock.now();
  const unit = await sessionUnit(db, unitId);
  const sessions = await listSessions(db, unitId, now);
  const seat = await findSeat(db, assignmentId, unitId, now);
  const clashes = await Clashes.of(deps, db, [assignmentId]);
  return {
    mayChoose: unit.rules.employees,
    closes: unit.rules.closes,
    sessions: sessions.map((row) => ({
      ...viewOf(row, now),
      mine: seat?.session_id === row.id ? seat.state : null,
      isClosed: isTooLate(unit.rules, row.starts_at.getTime(), now),
      clash: seat?.session_id === row.id ? null : clashes.tell(assignmentId, spanOf(row)),
    })),
  };
}

/** Sessions to come, with the people down somebody's line who need a seat or have one. */
export async function mySessions(deps: Deps, line: readonly string[]): Promise<MySessions[]> {
  const { db } = deps;
  const now = deps.clock.now();
  const today = await houseToday(deps);
  const mine = new Set(line);
  const found: MySessions[] = [];
  for (const { id } of await listUnitsAhead(db, now)) {
    const unit = await findSessionUnit(db, id);
    if (!unit?.rules.managers) continue;
    const sessions = await listSessions(db, id, now);
    const seats = (await listSeats(db, sessions.map((one) => one.id))).filter(({ person_id }) => mine.has(person_id)); // prettier-ignore
    const without = await listUnseated(db, unit.course_id, id, now, today, MOST, line);
    if (seats.length + without.length === 0) continue;
    found.push({
      course: { id: unit.course_id, title: unit.course },
      unit: { id, title: unit.title },
      closes: unit.rules.closes,
      sessions: sessions.map((row) => viewOf(row, now)),
      people: [
        ...without.map((row) => ({ assignmentId: row.assignment_id, person: { id: row.id, name: row.name }, session: null, state: null })),
        ...seats.map((row) => ({ assignmentId: row.assignment_id, person: { id: row.person_id, name: row.person }, session: row.session_id, state: row.state })),
      ],
    }); // prettier-ignore
  }
  return found;
}

/** Frees the seats of those who do not need them any more, and seats by rule. @returns how many seats changed */
export async function tendSessions(deps: Deps): Promise<number> {
  if (!(await isAnyAhead(deps.db, deps.clock.now()))) return 0;
  const idle = await listIdleSeats(deps.db, deps.clock.now(), await houseToday(deps));
  for (const { session_id, assignment_id } of idle)
    await giveUpSeat(deps, session_id, {
      assignmentId: assignment_id,
      byWhom: 'Nudrik',
      right: 'office',
      reason: 'it is not needed any more',
    });
  return idle.length + (await seatByRule(deps));
}

/** Seats whoever has the course and no seat, where the rule of the unit says so: the most urgent first, in the next session that does not clash. */
export async function seatByRule(deps: Deps): Promise<number> {
  const { db } = deps;
  const now = deps.clock.now();
  let seated = 0;
  for (const { id } of await listRuledUnits(db, now)) {
    const unit = (await findSessionUnit(db, id))!;
    const sessions = (await listSessions(db, id, now))
      .filter((row) => !isTooLate(unit.rules, row.starts_at.getTime(), now))
      .map((row) => ({ ...spanOf(row), free: row.seats - row.taken - row.waiting }));
    const people = await listUnseated(db, unit.course_id, id, now, await houseToday(deps), MOST);
    const ids = people.map(({ assignment_id }) => assignment_id);
    if (ids.length === 0 || sessions.every(({ free }) => free <= 0)) continue;
    const givenUp = await listGivenUp(db, ids, id);
    const clashes = await Clashes.of(deps, db, ids);
    for (const assignmentId of ids) {
      const session = clashes.next(assignmentId, sessions.filter((one) => !givenUp.get(assignmentId)?.has(one.id))); // prettier-ignore
      if (!session) continue;
      session.free -= 1;
      try {
        await takeSeat(deps, session.id, { assignmentId, byWhom: 'Nudrik', right: 'office', anyway: false });
        clashes.with(assignmentId, session);
        seated += 1;
      } catch (error) {
        // somebody was quicker: the next round looks again
        if (!(error instanceof Refused)) throw error;
      }
    }
  }
  return seated;
}
