import {
  DAY_MS,
  dayOf,
  foreseeLetter,
  handStep,
  MINUTE,
  tellAmount,
  tellDate,
  tellMoment,
  templateFault,
  Zone,
  type AssignmentEvent,
  type PlanStep,
} from '@nudrik/core';
import type { RemindPreview, RemindRequest, RemindResult, RemindWhom } from '@nudrik/contract';
import { transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { frameOf, getHouse, type House } from '../house/house.ts';
import { loadFacts, type AssignmentFacts, type Facts } from '../notices/facts.ts';
import { foresee, missingByStep } from '../notices/foresee.ts';
import { listUnderWay } from '../reports/under-way.ts';
import { Refused } from '../refusal.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { insertAct, touch, type NewAct } from './acts.repo.ts';
import { tellAct } from './acts.ts';
import { lockAssignments } from './assignments.repo.ts';
import { tellTouched } from './change.ts';
import { groupIds } from './group-letters.ts';
import { insertGroupLetter } from './group-letters.repo.ts';
import { houseToday } from '../people/today.ts';
import { record } from './record.ts';
import { findByKey, insertLetter, listOpen, listToldLately, lockKey, type ToldLately } from './remind.repo.ts';

/** How many of those who are left out a page names. */
const NAMED = 250;
/** The letter while it is looked at: it has no id yet. */
const UNWRITTEN = '0';

/** Whom a request means: named one by one, or everybody of a course who is found by what is the matter with them. */
export const remindedIds = async (db: Queryable, { assignmentIds, underWay, group }: RemindWhom, now: number): Promise<string[]> =>
  underWay ? listUnderWay(db, underWay, now) : group ? groupIds(db, group, now) : [...new Set(assignmentIds)];

/** Those who get it, and those who are left alone since they were told a short while ago. */
async function chosenOf(
  db: Queryable,
  ids: readonly string[],
  alsoTold: boolean,
  now: number,
): Promise<{ chosen: string[]; told: ToldLately[]; closed: number }> {
  const open = await listOpen(db, ids);
  const told = await listToldLately(db, open, now);
  const leftOut = new Set(alsoTold ? [] : told.map(({ id }) => id));
  return { chosen: open.filter((id) => !leftOut.has(id)), told, closed: ids.length - open.length };
}

const tellHow = (name: string, byWhom: string): string => `${name}, by ${byWhom}`;

/** What reminding people now would do, worked out by what sends it; nothing is stored. */
export async function previewRemind(deps: Deps, request: RemindRequest, byWhom: string): Promise<RemindPreview> {
  const now = deps.clock.now();
  const ids = await remindedIds(deps.db, request, now);
  const { chosen, told, closed } = await chosenOf(deps.db, ids, request.alsoTold, now);
  const house = await getHouse(deps.db);
  const facts = await loadFacts(deps.db, house, [...new Set([...chosen, ...told.map(({ id }) => id)])]);
  const step = handStep({ id: UNWRITTEN, name: tellHow(request.name, byWhom), message: request.message });
  const reminded: AssignmentEvent = { id: UNWRITTEN, type: 'reminded', at: now, letter: UNWRITTEN, byHand: true };
  const nameOf = ({ person }: AssignmentFacts): string => facts.roster.getPerson(person).name;
  const assignments = chosen
    .map((id) => facts.assignments.get(id)!)
    .map((assignment) => ({ ...assignment, events: [...assignment.events, reminded] }))
    .sort((a, b) => nameOf(a).localeCompare(nameOf(b)) || Number(a.id) - Number(b.id));
  const fault = templateFault(request.message);
  const zone = Zone.of(house.zone);
  const foreseen = foresee({ assignments, steps: [step], publishedAt: now, facts, from: now });
  const tally = (outcome: 'hold' | 'skip'): { words: string; count: number }[] => {
    const counts = new Map<string, number>();
    for (const line of foreseen.lines)
      if (line.outcome === outcome) counts.set(line.reason ?? outcome, (counts.get(line.reason ?? outcome) ?? 0) + 1);
    return [...counts].map(([words, count]) => ({ words, count }));
  };
  return {
    count: assignments.length,
    closed,
    toldLately: told.length,
    told: told.slice(0, NAMED).map(({ id, name, at }) => {
      const assignment = facts.assignments.get(id)!;
      return { assignmentId: id, person: nameOf(assignment), words: `“${name}” ${tellMoment(at.getTime(), zone, now)}` };
    }),
    people: foreseen.people,
    byDay: foreseen.byDay,
    held: tally('hold'),
    skipped: tally('skip'),
    missing: fault ? [] : missingByStep(assignments, [step], facts, now),
    fault,
    settles: house.sending.settle / MINUTE,
    letter: fault ? null : letterTo(assignments, request.as, step, facts, now),
  };
}

/** The letter as one of its readers will have it, with a mark where a value is missing; what leads somebody in by name is made when it goes. */
function letterTo(
  assignments: readonly AssignmentFacts[],
  as: string | null,
  step: PlanStep,
  facts: Facts,
  now: number,
): RemindPreview['letter'] {
  const assignment = assignments.find(({ id }) => id === as) ?? assignments[0];
  if (!assignment) return null;
  const person = facts.roster.getPerson(assignment.person);
  const recipient = { person, address: person.email, path: [] };
  const notice = { assignment, course: facts.courses.get(assignment.course)!, revision: 0 };
  const { subject, html, text } = foreseeLetter(step, recipient, [notice], { roster: facts.roster, organisation: facts.house.organisation, house: facts.house, frame: frameOf(facts.house, '') }, now).rendered; // prettier-ignore
  return { assignmentId: assignment.id, to: person.name, subject, html, text };
}

/** How long a request that may come again is remembered. */
const REMEMBERED_MS = DAY_MS;

/**
 * Reminds people by hand: each whose assignment is open and who was not told within 48 hours, or all of them on purpose. It is an
 * act that can be taken back until it has settled; what comes of it is planned and sent like everything else.
 * The same request that comes again (its key) is done once.
 */
export async function remind(deps: Deps, request: RemindRequest, byWhom: string, work: Work = AT_ONCE): Promise<RemindResult> {
  const fault = templateFault(request.message);
  if (fault) throw new Refused('wrong-input', `${fault} Nobody was reminded.`);
  await work.at(0, 2);
  return transaction(deps.db, async (client) => {
    await lockKey(client, request.key);
    const house = await getHouse(client);
    const now = deps.clock.now();
    const before = await findByKey(client, request.key);
    if (before) return again(before, house, byWhom, now);
    const ids = await remindedIds(client, request, now);
    // nobody finishes, and nobody is reminded by somebody else, while it is looked who gets it
    const locked = await lockAssignments(client, ids);
    const { chosen, told, closed } = await chosenOf(client, ids, request.alsoTold, now);
    // a request that was put down as long work before there were groups names none
    const { group = null, joinersUntil = null } = request;
    if (joinersUntil !== null && joinersUntil < (await houseToday(deps)))
      throw new Refused('wrong-input', `joinersUntil: ${tellDate(dayOf(joinersUntil))} has passed; expected today or later. Nobody was written to.`); // prettier-ignore
    if (chosen.length === 0 && joinersUntil === null)
      throw new Refused('conflict', `${nobody(ids.length, told.length, closed)} Nobody was reminded.`);
    await work.at(1, 2);
    const chosenIds = new Set(chosen);
    const list = locked.filter(({ id }) => chosenIds.has(id));
    const words = `Reminded by hand: ${list.length > 0 ? tellTouched(list) : 'nobody yet'}${joinersUntil === null ? '' : `, and whoever joins until ${tellDate(dayOf(joinersUntil))}`}.`; // prettier-ignore
    const made: NewAct = { kind: 'remind', at: now, byWhom, reason: request.message.subject, words };
    const act = await insertAct(client, made);
    const letter = await insertLetter(client, { key: request.key, act, name: tellHow(request.name, byWhom), message: request.message });
    if (group && joinersUntil !== null)
      await insertGroupLetter(client, { letter, course: group.courseId, onlyIf: group.onlyIf, until: joinersUntil, at: now, byWhom });
    await touch(client, act, chosen, true);
    await record(
      client,
      chosen.map((assignment) => ({ assignment, event: { type: 'reminded', at: now, letter } })),
      { byWhom, act },
    );
    const leftOut = request.alsoTold ? 0 : told.length;
    const result: RemindResult = { ...tellAct(house, made, act), reminded: chosen.length, leftOut };
    await work.finish(client, result);
    return result;
  });
}

/** What a request answers that was done before. */
function again(
  before: { id: string; at: Date; by_whom: string; words: string; count: number },
  house: House,
  byWhom: string,
  now: number,
): RemindResult {
  const at = before.at.getTime();
  if (before.by_whom !== byWhom || now - at > REMEMBERED_MS)
    throw new Refused('conflict', 'This reminder went already. Load the page again to write another; nobody was reminded.');
  const made: NewAct = { kind: 'remind', at, byWhom, reason: null, words: before.words };
  return { ...tellAct(house, made, before.id), reminded: before.count, leftOut: 0 };
}

function nobody(all: number, told: number, closed: number): string {
  if (all === 0) return 'There is nobody to remind.';
  return [
    closed > 0 ? `${tellAmount(closed, 'assignments')} of ${all} ${closed === 1 ? 'is' : 'are'} closed.` : '',
    told > 0 ? `${tellAmount(told, 'people')} ${told === 1 ? 'was' : 'were'} told within the last 48 hours, and left out.` : '',
  ]
    .filter(Boolean)
    .join(' ');
}
