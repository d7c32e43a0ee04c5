import {
  dateOf,
  entryFault,
  heldFrom,
  Zone,
  maySign,
  OUTCOME_WORDS,
  progressIn,
  signedOutcome,
  type AssignmentEvent,
  type PlanStep,
  type SignOffOutcome,
} from '@nudrik/core';
import type {
  MySignOff,
  NewSignOffLink,
  SignOffCorrection,
  SignOffEntryDraft,
  SignOffForeseen,
  SignOffLinkView,
  SignOffList,
  SignOffPerson,
  SignOffQuery,
  SignOffResult,
  SignOffRow,
  SignOffSend,
  SignOffView,
} from '@nudrik/contract';
import { newToken, readLink, signedToken } from '../access/personal-link.ts';
import { lockAssignment, lockAssignments, type LockedAssignment } from '../assignments/assignments.repo.ts';
import { record } from '../assignments/record.ts';
import { revokeIssuedBy } from '../certificates/revoke.ts';
import { announce, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { getRules, settle } from '../learning/learn.ts';
import { loadFacts } from '../notices/facts.ts';
import { foresee, messagesOf } from '../notices/foresee.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import {
  endLink,
  findLink,
  findLedSession,
  findSignOffUnit,
  hasOtherOpen,
  insertEntry,
  insertLink,
  listEntries,
  listFollowing,
  listLast,
  listLedSessions,
  listLinks,
  listMessages,
  listRecorded,
  listSignOffPeople,
  listSignOffUnits,
  lockEntry,
  markCorrected,
  useLink,
  type LedSession,
  type LinkRow,
  type SignOffDbRow,
  type SignOffPersonRow,
  type SignOffUnit,
} from './sign-offs.repo.ts';

const DAY_MS = 86_400_000;

/** Who signs off, and how they came. */
export interface Signer {
  personId: string;
  name: string;
  /** null by account */
  link: LinkRow | null;
}

/** Who made the links that messages give. */
export const BY_MESSAGE = 'a message of the plan';
const NO_UNIT = 'There is no such sign-off, or not any more.';
const LINK_OVER =
  'This link does not open anything any more: it was used, its time is over, or it was ended. Ask whoever sent it for another.';

async function unitOf(db: Queryable, courseId: string, unitId: string): Promise<SignOffUnit> {
  const unit = await findSignOffUnit(db, courseId, unitId);
  if (!unit) throw new Refused('not-found', NO_UNIT);
  return unit;
}

/** The supervisor whom a link lets in. @throws Refused where it opens nothing (any more) */
export async function signerBy(deps: Deps, link: string): Promise<Signer & { link: LinkRow }> {
  const { token } = readLink(deps.settings.key, 'sign-off', link);
  const found = token === null ? null : await findLink(deps.db, token, await houseToday(deps));
  if (!found || found.ended_at || found.until.getTime() <= deps.clock.now()) throw new Refused('wrong-link', LINK_OVER);
  return { personId: found.person_id, name: found.name, link: found };
}

const rowOf = (row: SignOffDbRow): SignOffRow => ({
  id: row.id,
  outcome: row.outcome,
  attended: row.attended,
  met: row.met,
  remarks: row.remarks,
  place: row.place,
  on: row.on_date,
  at: row.at.toISOString(),
  byWhom: row.by_whom,
  because: row.because,
  corrected: row.corrected_at && { at: row.corrected_at.toISOString(), byWhom: row.corrected_by!, reason: row.corrected_reason! },
});

/** What lets a signer sign off for somebody; null is nothing. Whoever leads a session does for all who came. */
const rightOver = (
  { sheet, trainers }: SignOffUnit,
  signer: string,
  person: SignOffPersonRow,
  session: LedSession | null = null,
): string | null =>
  session?.trainer_id === signer && signer !== person.id
    ? 'trainer of the session'
    : maySign(sheet.signers, signer, { id: person.id, site: person.site_id, line: person.line }, trainers);

/** The session that a list is of; a unit with sessions is signed off session by session. @throws Refused */
async function sessionOf(db: Queryable, unit: SignOffUnit, id: string | null): Promise<LedSession | null> {
  if (unit.kind !== 'session') return null;
  const found = id === null ? null : await findLedSession(db, unit.id, id);
  if (!found) throw new Refused('not-found', 'There is no such session, or it was cancelled: open the list of one that took place.');
  return found;
}

/** Whether somebody is named for a unit, whoever has it: its trainers, whoever leads the session, named people. */
const isNamed = ({ sheet: { signers }, trainers }: SignOffUnit, signer: string, session: LedSession | null): boolean =>
  session?.trainer_id === signer ||
  (signers.trainers && trainers.includes(signer)) ||
  signers.people.includes(signer) ||
  signers.sites.some(({ people }) => people.includes(signer));

/** The list of a supervisor: whoever they may sign off for, and how it stands with each. */
export async function signOffView(
  deps: Deps,
  courseId: string,
  unitId: string,
  signer: Signer,
  { session: sessionId, find }: SignOffQuery = { session: null, find: '' },
): Promise<SignOffView> {
  const { db } = deps;
  const unit = await unitOf(db, courseId, unitId);
  const session = await sessionOf(db, unit, sessionId);
  const today = await houseToday(deps);
  const people = await listSignOffPeople(
    db,
    unit,
    { today, now: deps.clock.now() },
    { session: session?.id ?? null, signer: signer.personId, isNamed: isNamed(unit, signer.personId, session), find },
  );
  const mine = people.flatMap((person) => {
    const because = rightOver(unit, signer.personId, person, session);
    return because === null ? [] : [{ person, because }];
  });
  // what is looked at there is nobody's business who signs off nobody
  if (mine.length === 0 && find !== '')
    return { ...(await signOffView(deps, courseId, unitId, signer, { session: sessionId, find: '' })), people: [], more: 0 };
  if (mine.length === 0 && !signer.link && !isNamed(unit, signer.personId, session))
    throw new Refused('not-found', 'There is nobody whom you may sign off there.');
  const last = await listLast(db, unitId, people.map(({ assignment_id }) => assignment_id)); // prettier-ignore
  return {
    course: { id: unit.course_id, title: unit.course },
    unit: { id: unit.id, title: unit.title },
    guide: unit.sheet.guide,
    criteria: unit.sheet.criteria,
    asksPlace: unit.sheet.asksPlace,
    signer: signer.name,
    today,
    until: signer.link?.until.toISOString() ?? null,
    more: (people[0]?.total ?? 0) - people.length,
    session: session && {
      id: session.id,
      title: session.title,
      startsAt: session.starts_at.toISOString(),
      on: dateOf(Zone.of(session.zone).dayAt(session.starts_at.getTime())),
      place: session.place ?? session.link,
    },
    people: mine.map(({ person, because }): SignOffPerson => {
      const entry = last.get(person.assignment_id);
      return {
        assignmentId: person.assignment_id,
        person: { id: person.id, name: person.name },
        department: person.department,
        site: person.site,
        because,
        last: entry ? rowOf(entry) : null,
      };
    }),
  };
}

/** Where somebody may sign off, and for how many who wait for it. */
export async function mySignOffs(deps: Deps, personId: string): Promise<MySignOff[]> {
  const mine: MySignOff[] = [];
  const today = await houseToday(deps);
  const now = deps.clock.now();
  for (const { course_id, id } of await listSignOffUnits(deps.db)) {
    const unit = (await findSignOffUnit(deps.db, course_id, id))!;
    for (const session of unit.kind === 'session' ? await listLedSessions(deps.db, id, now) : [null]) {
      const listed = await listSignOffPeople(
        deps.db,
        unit,
        { today, now },
        { session: session?.id ?? null, signer: personId, isNamed: isNamed(unit, personId, session), isWaiting: true },
      );
      const people = listed.filter((person) => rightOver(unit, personId, person, session) !== null);
      if (people.length > 0)
        mine.push({
          course: { id: unit.course_id, title: unit.course },
          unit: { id, title: unit.title },
          session: session && { id: session.id, title: session.title, startsAt: session.starts_at.toISOString() },
          waiting: people[0]!.total - (listed.length - people.length),
        });
    }
  }
  return mine;
}

interface Checked {
  entry: SignOffEntryDraft;
  outcome: SignOffOutcome;
  because: string;
  name: string;
}

/** Looks at what was entered, before any of it is recorded. @throws Refused with the person and what is wrong */
async function checked(
  deps: Deps,
  db: Queryable,
  unit: SignOffUnit,
  signer: Signer,
  session: LedSession | null,
  entries: readonly SignOffEntryDraft[],
): Promise<Checked[]> {
  const today = await houseToday(deps);
  const ids = entries.map(({ assignmentId }) => assignmentId);
  if (new Set(ids).size < ids.length) throw new Refused('wrong-input', 'Somebody stands in the list twice. Nothing was recorded.');
  const people = new Map(
    (
      await listSignOffPeople(
        db,
        unit,
        { today, now: deps.clock.now() },
        { session: session?.id ?? null, signer: signer.personId, assignments: ids },
      )
    ).map((person) => [person.assignment_id, person]),
  );
  return entries.map((entry) => {
    const person = people.get(entry.assignmentId);
    if (!person)
      throw new Refused('conflict', 'Somebody in the list does not have this course any more. Load the list again; nothing was recorded.');
    const because = rightOver(unit, signer.personId, person, session);
    if (because === null) throw new Refused('not-allowed', `${signer.name} may not sign off for ${person.name}: neither above them, nor named for this. Nothing was recorded.`); // prettier-ignore
    const fault = entryFault(unit.sheet, entry);
    if (fault) throw new Refused('wrong-input', `${person.name}: ${fault} Nothing was recorded.`);
    if (entry.on > today) throw new Refused('wrong-input', `${person.name}: that day has not come yet; expected one that has passed. Nothing was recorded.`); // prettier-ignore
    return { entry, outcome: signedOutcome(unit.sheet, entry), because, name: person.name };
  });
}

const eventsOf = (
  unitId: string,
  { attended }: SignOffEntryDraft,
  outcome: SignOffOutcome,
  isDone: boolean,
  at: number,
): AssignmentEvent[] => [
  { type: 'signed-off', at, unit: unitId, attended, met: outcome === 'met' },
  ...(outcome === 'met' && !isDone ? [{ type: 'unit-finished', at, unit: unitId } as const] : []),
];

const bySigner = ({ name, link }: Signer): string => (link ? `${name}, by personal link` : name);

/** Records a list. An answer that was lost may come again: what was recorded is not recorded twice. */
export async function recordSignOffs(
  deps: Deps,
  courseId: string,
  unitId: string,
  signer: Signer,
  { key, entries, session: sessionId }: SignOffSend,
): Promise<SignOffResult> {
  return transaction(deps.db, async (client) => {
    const unit = await unitOf(client, courseId, unitId);
    const session = await sessionOf(client, unit, sessionId);
    if (session && deps.clock.now() < heldFrom(session.starts_at.getTime())) throw new Refused('conflict', `“${session.title}” has not begun: who came is recorded on its day. Nothing was recorded.`); // prettier-ignore
    await lockAssignments(client, entries.map(({ assignmentId }) => assignmentId)); // prettier-ignore
    const known = await listRecorded(client, key, unitId);
    const fresh = entries.filter(({ assignmentId }) => !known.has(assignmentId));
    const list = await checked(deps, client, unit, signer, session, fresh);
    const at = deps.clock.now();
    const finished: string[] = [];
    for (const { entry, outcome, because, name } of list) {
      const assignment = (await lockAssignment(client, entry.assignmentId))!;
      const was = assignment.closed_by;
      await settle(
        deps,
        client,
        assignment,
        eventsOf(unitId, entry, outcome, assignment.units_done.includes(unitId), at),
        bySigner(signer),
      );
      if (was === null && (await isClosed(client, assignment.id))) finished.push(name);
      await insertEntry(client, {
        assignmentId: entry.assignmentId, unitId, criteria: unit.sheet.criteria, attended: entry.attended, met: entry.met, outcome, remarks: entry.remarks || null, place: entry.place || null,
        on: entry.on, at, byPerson: signer.personId, byWhom: signer.name, because, key, corrects: null, session: session?.id ?? null,
      }); // prettier-ignore
    }
    if (signer.link) await useLink(client, signer.link.id, at);
    await announce(client, 'sign-offs');
    return { recorded: entries.length, finished };
  });
}

const isClosed = async (client: Client, id: string): Promise<boolean> => (await lockAssignment(client, id))?.closed_by === 'finished';

/** Exactly who would get which message because of a list. Nothing is recorded. */
export async function foreseeSignOffs(
  deps: Deps,
  courseId: string,
  unitId: string,
  signer: Signer,
  entries: readonly SignOffEntryDraft[],
  sessionId: string | null = null,
): Promise<SignOffForeseen[]> {
  const { db } = deps;
  const unit = await unitOf(db, courseId, unitId);
  const list = await checked(deps, db, unit, signer, await sessionOf(db, unit, sessionId), entries);
  const now = deps.clock.now();
  const house = await getHouse(db);
  const facts = await loadFacts(db, house, list.map(({ entry }) => entry.assignmentId)); // prettier-ignore
  const { finish, units } = await getRules(db, courseId);
  const plan = facts.plans.get(courseId);
  const followed = new Map<string, boolean>();
  const assignments = list.map(({ entry, outcome }) => {
    const assignment = facts.assignments.get(entry.assignmentId)!;
    const done = new Set(assignment.events.flatMap((event) => (event.type === 'unit-finished' ? [event.unit] : [])));
    const events = eventsOf(unitId, entry, outcome, done.has(unitId), now);
    if (outcome === 'met') done.add(unitId);
    const isOpen = !assignment.events.some(({ type }) => type === 'finished');
    const finishes = isOpen && progressIn(finish, units, done, () => null).isFinished;
    followed.set(assignment.id, finishes);
    const all: AssignmentEvent[] = finishes ? [...events, { type: 'finished', at: now } as AssignmentEvent] : events;
    return {
      ...assignment,
      events: [...assignment.events, ...all.map((event, i) => ({ ...event, id: `foreseen-${i}` }) as AssignmentEvent)],
    };
  });
  const steps = (plan?.steps ?? []).filter((step) => step.on && hangsOn(step, unitId));
  const foreseen = foresee({ assignments, steps, publishedAt: plan?.publishedAt ?? now, facts, from: now });
  const byAssignment = new Map(foreseen.people.map((person) => [person.assignmentId, person]));
  return list.map(({ entry, outcome, name }) => ({
    assignmentId: entry.assignmentId,
    name,
    outcome,
    finishes: followed.get(entry.assignmentId)!,
    messages: byAssignment.has(entry.assignmentId) ? messagesOf(byAssignment.get(entry.assignmentId)!) : [],
  }));
}

/** Steps that a sign-off sets going: by its outcome, by the unit that is done, by the finish. */
const hangsOn = ({ anchor }: PlanStep, unitId: string): boolean =>
  (anchor.event === 'signed-off' && (!anchor.unit || anchor.unit === unitId)) ||
  anchor.event === 'finished' ||
  anchor.event === 'certificate-issued';

/**
 * Corrects an entry: the former stays, and says so. What came of it falls with it: the unit that was done, the finish, and the
 * certificate, which is revoked; or comes about now.
 */
export async function correctSignOff(
  deps: Deps,
  courseId: string,
  unitId: string,
  id: string,
  { entry, reason }: SignOffCorrection,
  byWhom: string,
): Promise<{ words: string }> {
  return transaction(deps.db, async (client) => {
    const unit = await unitOf(client, courseId, unitId);
    const former = await lockEntry(client, id);
    if (!former || former.unit_id !== unitId || former.assignment_id !== entry.assignmentId)
      throw new Refused('not-found', 'There is no such entry.');
    const refuse = (words: string): never => {
      throw new Refused('conflict', `${words} Nothing was changed.`);
    };
    if (former.corrected_at) refuse('This entry was corrected already: correct the newer one.');
    const last = (await listLast(client, unitId, [entry.assignmentId])).get(entry.assignmentId);
    if (last?.id !== id) refuse('There is a later entry of this person: correct that one.');
    const fault = entryFault(unit.sheet, entry);
    if (fault) throw new Refused('wrong-input', `${fault} Nothing was changed.`);
    const assignment = (await lockAssignment(client, entry.assignmentId))!;
    const outcome = signedOutcome(unit.sheet, entry);
    const at = deps.clock.now();
    const undone = await undoFormer(deps, client, assignment, former, outcome, at, byWhom, reason);
    const after = (await lockAssignment(client, assignment.id))!;
    await settle(deps, client, after, eventsOf(unitId, entry, outcome, after.units_done.includes(unitId), at), byWhom);
    await markCorrected(client, id, at, byWhom, reason);
    await insertEntry(client, {
      assignmentId: assignment.id, unitId, criteria: unit.sheet.criteria, attended: entry.attended, met: entry.met, outcome, remarks: entry.remarks || null, place: entry.place || null,
      on: entry.on, at, byPerson: null, byWhom, because: `corrects ${former.by_whom}`, key: `correction-${id}`, corrects: id, session: former.session_id,
    }); // prettier-ignore
    await announce(client, 'sign-offs');
    const parts = [
      `${assignment.person_name}: “${OUTCOME_WORDS[outcome]}” in place of “${OUTCOME_WORDS[former.outcome]}”.`,
      undone.includes('finished') ? 'The course is open again.' : '',
      undone.includes('certificate-issued') ? 'The certificate is revoked.' : '',
    ];
    return { words: parts.filter(Boolean).join(' ') };
  });
}

/** Takes back what a former entry set going, as far as the new one does not hold it up. @returns the types of what was taken back */
async function undoFormer(
  deps: Deps,
  client: Client,
  assignment: LockedAssignment,
  former: SignOffDbRow,
  outcome: SignOffOutcome,
  at: number,
  byWhom: string,
  reason: string,
): Promise<string[]> {
  const undo = [{ id: former.event_id, type: 'signed-off' }];
  if (former.outcome === 'met' && outcome !== 'met') {
    const following = await listFollowing(client, assignment.id, former.unit_id);
    undo.push(...following.filter(({ type }) => type === 'unit-finished'));
    const { finish, units } = await getRules(client, assignment.course_id);
    const done = new Set(assignment.units_done.filter((unit) => unit !== former.unit_id));
    if (assignment.closed_by === 'finished' && !progressIn(finish, units, done, () => null).isFinished) {
      if (await hasOtherOpen(client, assignment.id))
        throw new Refused('conflict', `${assignment.person_name} was assigned the course anew since, so its finish cannot be taken back. Nothing was changed.`); // prettier-ignore
      undo.push(...following.filter(({ type }) => type !== 'unit-finished'));
    }
  }
  await record(
    client,
    undo.map(({ id: event }) => ({ assignment: assignment.id, event: { type: 'undone', at, event, reason } as const })),
    { byWhom },
  );
  await revokeIssuedBy(
    client,
    undo.map(({ id }) => id),
    at,
    byWhom,
  );
  return undo.map(({ type }) => type);
}

/** All entries of a unit, the newest first, with what came of their messages; who waits; and the links that are out. @param mayHandOn whether the links themselves are told */
export async function signOffList(deps: Deps, courseId: string, unitId: string, mayHandOn: boolean): Promise<SignOffList> {
  const { db } = deps;
  const unit = await unitOf(db, courseId, unitId);
  const entries = await listEntries(db, unitId, courseId);
  const waiting = await listSignOffPeople(db, unit, { today: await houseToday(deps), now: deps.clock.now() }, { isWaiting: true });
  const ids = [...new Set(entries.map(({ assignment_id }) => assignment_id))];
  const house = await getHouse(db);
  const plan = (await loadFacts(db, house, [], null, [courseId])).plans.get(courseId);
  const steps = (plan?.steps ?? []).filter((step) => step.anchor.event === 'signed-off' && hangsOn(step, unitId));
  const sent = await listMessages(db, ids, steps.map(({ id }) => id)); // prettier-ignore
  return {
    course: { id: unit.course_id, title: unit.course },
    unit: { id: unit.id, title: unit.title },
    criteria: unit.sheet.criteria,
    hasSessions: unit.kind === 'session',
    rows: entries.map((row) => ({
      ...rowOf(row),
      assignmentId: row.assignment_id,
      person: { id: row.person_id, name: row.person },
      messages: sent
        // of the very event that the entry is
        .filter(({ assignment_id, anchor_at }) => assignment_id === row.assignment_id && anchor_at.getTime() === row.at.getTime())
        .map((one) => ({
          noticeId: one.id,
          step: one.step_name,
          to: one.recipient_name ?? '',
          state: one.state,
          at: one.at.toISOString(),
        })),
    })),
    waitingCount: waiting[0]?.total ?? 0,
    waiting: waiting.map(({ assignment_id, id, name }) => ({ assignmentId: assignment_id, person: { id, name } })),
    links: (await listLinks(db, unitId, deps.clock.now())).map((link) => ({
      ...linkView(deps, link),
      ...((!mayHandOn || link.made_by === BY_MESSAGE) && { url: null }),
    })),
  };
}

const linkView = ({ settings }: Deps, link: LinkRow): SignOffLinkView & { url: string } => ({
  id: link.id,
  person: { id: link.person_id, name: link.name },
  url: `${settings.baseUrl}/sign-off/${signedToken(settings.key, 'sign-off', link.token)}`,
  until: link.until.toISOString(),
  endsAfterUse: link.ends_after_use,
  usedAt: link.used_at?.toISOString() ?? null,
  madeBy: link.made_by,
});

/** Makes the way in for a supervisor. @throws Refused where they may sign off for nobody who has the course */
export async function makeSignOffLink(
  deps: Deps,
  courseId: string,
  unitId: string,
  { personId, days, endsAfterUse, session: sessionId }: NewSignOffLink,
  byWhom: string,
): Promise<SignOffLinkView & { url: string }> {
  const { db, clock } = deps;
  const unit = await unitOf(db, courseId, unitId);
  const session = await sessionOf(db, unit, sessionId);
  const people = await listSignOffPeople(
    db,
    unit,
    { today: await houseToday(deps), now: deps.clock.now() },
    { signer: personId, isNamed: isNamed(unit, personId, session) },
  );
  if (session?.trainer_id !== personId && !people.some((person) => rightOver(unit, personId, person) !== null))
    throw new Refused(
      'conflict',
      'They may sign off for nobody who has this course: they are above none of them, and not named for this. No link was made.',
    );
  const at = clock.now();
  const token = newToken();
  await transaction(db, (client) =>
    insertLink(client, {
      token,
      course: courseId,
      unit: unitId,
      person: personId,
      at,
      byWhom,
      until: at + days * DAY_MS,
      endsAfterUse,
      session: session?.id ?? null,
    }),
  );
  return linkView(deps, (await findLink(db, token, await houseToday(deps)))!);
}

export const endSignOffLink = (deps: Deps, id: string, unitId: string): Promise<unknown> => endLink(deps.db, id, unitId, deps.clock.now());

/** Whether somebody may sign off for one assignment on a list; without a session, by what they are to the employee alone. */
export async function hasRight(
  db: Queryable,
  at: { today: string; now: number },
  of: { course: string; unit: string; session: string | null },
  signer: string,
  assignmentId: string,
): Promise<boolean> {
  const unit = await unitOf(db, of.course, of.unit);
  const session = of.session === null ? null : await sessionOf(db, unit, of.session);
  const [person] = await listSignOffPeople(db, unit, at, { signer, assignments: [assignmentId], session: session?.id ?? null });
  return person !== undefined && rightOver(unit, signer, person, session) !== null;
}

/** Whether somebody may read what was recorded of an assignment: whoever may sign off for it. */
export const maySee = async (deps: Deps, assignmentId: string, course: string, unit: string, signer: string): Promise<boolean> =>
  hasRight(deps.db, { today: await houseToday(deps), now: deps.clock.now() }, { course, unit, session: null }, signer, assignmentId);
