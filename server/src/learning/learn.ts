import {
  bestScores,
  effectiveEvents,
  openingsOf,
  playedShare,
  progressIn,
  tellFinish,
  tellOpening,
  tellQuiz,
  tellAmount,
  tellSeconds,
  tellSurvey,
  unitKind,
  Zone,
  type Asks,
  type AssignmentEvent,
  type Counted,
  type FinishRule,
  type Opening,
  type Released,
  type UnitKind,
} from '@nudrik/core';
import type { LearningUnit, LearningView, MyTraining, UnitView } from '@nudrik/contract';
import { signedToken } from '../access/personal-link.ts';
import { maybeRow, oneRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { listOutcomes } from '../sign-offs/sign-offs.repo.ts';
import { findIdByLink, lockAssignment, type LockedAssignment } from '../assignments/assignments.repo.ts';
import { record } from '../assignments/record.ts';
import { listSections } from '../courses/courses.repo.ts';
import { withPictures } from '../courses/page.ts';
import { replyReader, OWNER_COLUMNS, type OwnerFacts } from '../conversations/reply-reader.ts';
import { getHouse, houseDay } from '../house/house.ts';
import { reachView } from '../people/reach.ts';
import { listAssignmentFacts } from '../notices/facts.ts';
import { ASSIGNMENT_COLUMNS, certificateWord, finishedOf, progressOf, stateOf, type AssignmentDbRow } from '../people/people.repo.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';
import { finishAssignments } from './finish.ts';
import { calendarAddress } from './calendar.ts';
import { listWork, type UnitWork } from './work.repo.ts';

const FIND_LEARNING = `
select ${ASSIGNMENT_COLUMNS}, k.summary, a.units_done, a.closed_told, k.asks, p.name as person, s.zone,
  exists (
    select from conversations v where v.person_id = a.person_id and v.course_id = a.course_id and v.shown_to is not null
  ) as has_asked,
  ${OWNER_COLUMNS}
from assignments a
join courses k on k.id = a.course_id
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
left join people o on o.id = k.owner_id
left join plans l on l.course_id = k.id
left join standing_certificates c on c.assignment_id = a.id
where a.id = $1::bigint
`;

type LearningRow = AssignmentDbRow &
  OwnerFacts & {
    summary: string | null;
    units_done: string[];
    closed_told: string | null;
    asks: Asks;
    has_asked: boolean;
    person: string;
    zone: string;
  };

const LIST_DONE = `
select data ->> 'unit' as unit, min(at) as at
from assignment_events
where assignment_id = $1::bigint
  and type = 'unit-finished'
group by 1
`;

/** What an employee sees behind the personal link. */
export async function findLearning(deps: Deps, link: string): Promise<LearningView> {
  const id = await findIdByLink(deps.db, deps.settings.key, link, deps.clock.now());
  const now = deps.clock.now();
  const house = await getHouse(deps.db);
  const row = id && (await maybeRow<LearningRow>(deps.db, FIND_LEARNING, [id, houseDay(house, now)]));
  if (!row) throw new Refused('wrong-link');
  const doneAt = new Map((await rows<{ unit: string; at: Date }>(deps.db, LIST_DONE, [row.id])).map(({ unit, at }) => [unit, at]));
  const done = new Set(row.units_done);
  const sections = await listSections(deps.db, row.course_id);
  const work = await listWork(deps.db, row.id);
  const { finish, units } = await getRules(deps.db, row.course_id);
  const scores = finish.kind === 'score' ? await scoresOf(deps.db, row.id) : new Map<string, number>();
  const openings = row.closed_by === 'finished' ? new Map<string, Opening>() : await openingsFor(deps.db, units, row.id, now);
  const opensOf = (unit: string): string | null => {
    const opening = openings.get(unit);
    return opening ? tellOpening(opening, Zone.of(row.zone), now, titlesOf(units)) : null;
  };
  return {
    person: row.person,
    organisation: house.organisation,
    trainer: replyReader(house, row),
    course: { title: row.title, summary: row.summary },
    hasAsking: row.asks !== 'none' || row.has_asked,
    assignedAt: row.assigned_at.toISOString(),
    dueAt: row.due_at.toISOString(),
    zone: row.zone,
    state: stateOf(row, now),
    ...finishedOf(row),
    closedReason: row.closed_told,
    ...progressOf(row),
    percent: row.closed_by === 'finished' ? 100 : progressIn(finish, units, done, (unit) => scores.get(unit) ?? null).percent,
    finishWords: tellFinish(finish, units),
    sections: sectionsFor(
      deps.settings.key,
      sections,
      opensOf,
      work,
      (unit) => (done.has(unit) ? (doneAt.get(unit)?.toISOString() ?? row.assigned_at.toISOString()) : null),
      await listOutcomes(deps.db, row.id),
    ),
    certificate: row.serial ? { serial: row.serial, expiresOn: row.expires_on } : null,
  };
}

/** The sections of a course as somebody has them. What has nothing in it is nothing to an employee. */
export const sectionsFor = (
  key: string,
  sections: readonly { title: string; units: readonly UnitView[] }[],
  opensOf: (unit: string) => string | null,
  work: ReadonlyMap<string, Pick<UnitWork, 'place' | 'played'>>,
  doneAtOf: (unit: string) => string | null,
  signedAs: ReadonlyMap<string, string> = new Map(),
): LearningView['sections'] =>
  sections
    .filter(({ units }) => units.length > 0)
    .map(({ title, units }) => ({
      title,
      units: units.map((unit) => ({
        id: unit.id,
        kind: unit.kind,
        title: unit.title,
        required: unit.required,
        ...contentOf(key, unit, opensOf(unit.id), work.get(unit.id), signedAs.get(unit.id) ?? null),
        doneAt: doneAtOf(unit.id),
      })),
    }));

/** What a unit holds for somebody; of one that is not open nothing leaves the server. */
function contentOf(
  key: string,
  unit: UnitView,
  opens: string | null,
  work: Pick<UnitWork, 'place' | 'played'> | undefined,
  outcome: string | null,
): Content {
  const about =
    (unit.quiz && tellQuiz(unit.quiz)) ??
    (unit.survey && tellSurvey(unit.survey)) ??
    (unit.session && 'a session: you come on a day, and whoever leads it records it') ??
    (unit.signOff && `signed off by a supervisor, ${tellAmount(unit.signOff.criteria.length, 'criteria')}`) ??
    (unit.video?.seconds ? tellSeconds(unit.video.seconds) : null);
  if (opens !== null) return { opens, about, body: null, url: null, file: null, video: null, survey: null, signOff: null, place: null };
  const { file, video } = unit;
  return {
    opens,
    about,
    body: unit.body && withPictures(unit.body, key),
    url: unit.url,
    file: file && { name: file.name, bytes: file.bytes, type: file.type, pages: file.about.pages ?? null },
    video: video && {
      share: video.share,
      seconds: video.seconds ?? 0,
      percent: playedShare(work?.played ?? [], video.seconds ?? 0),
      captions: video.captions.map(({ language }) => ({ language })),
    },
    survey: unit.survey,
    signOff: unit.signOff && {
      guide: unit.signOff.guide,
      criteria: unit.signOff.criteria.map(({ words, isNeeded }) => ({ words, isNeeded })),
      outcome,
    },
    place: work?.place ?? null,
  };
}
type Content = Pick<LearningUnit, 'opens' | 'body' | 'url' | 'file' | 'about' | 'video' | 'survey' | 'signOff' | 'place'>;

/** Who it is that acts: somebody who is signed in, or whoever has the personal link. */
export const actor = (name: string, personId: string, signedIn: string | null): string =>
  signedIn === personId ? name : `${name}, by personal link`;

/** Notes that the course was opened; the first time it is "started". */
export async function startLearning(deps: Deps, link: string, signedIn: string | null = null): Promise<void> {
  await transaction(deps.db, async (client) => {
    const id = await findIdByLink(client, deps.settings.key, link, deps.clock.now());
    if (!id) throw new Refused('wrong-link');
    const assignment = (await lockAssignment(client, id))!;
    if (assignment.started_at || assignment.closed_by) return;
    const now = deps.clock.now();
    if (now < assignment.assigned_at.getTime()) return;
    await record(client, [{ assignment: id, event: { type: 'started', at: now } }], {
      byWhom: actor(assignment.person_name, assignment.person_id, signedIn),
    });
  });
}

const LIST_COUNTED = `
select u.id, u.title, u.kind, u.required, u.weight, u.release
from units u
join sections s on s.id = u.section_id
where s.course_id = $1::bigint
order by s.position, u.position
`;
const GET_FINISH = 'select finish from courses where id = $1::bigint';

export type UnitRow = Counted & Released;

/** What release and finishing look at of a course. */
export async function getRules(db: Queryable, courseId: string): Promise<{ finish: FinishRule; units: UnitRow[] }> {
  const { finish } = await oneRow<{ finish: FinishRule }>(db, GET_FINISH, [courseId]);
  return { finish, units: await rows<UnitRow>(db, LIST_COUNTED, [courseId]) };
}

/** When the units of a course open for an assignment, as it stands now. */
export async function openingsFor(
  db: Queryable,
  units: readonly UnitRow[],
  assignmentId: string,
  now: number,
): Promise<Map<string, Opening>> {
  if (units.every(({ release }) => release === null)) return new Map();
  const [assignment] = await listAssignmentFacts(db, [assignmentId]);
  const roster = await loadRoster(db, [assignment!.person], [], (await getHouse(db)).sending);
  return openingsOf(units, assignment!, roster.calendarOf(roster.getPerson(assignment!.person)), now);
}

const GET_COURSE_OF = `
select a.course_id, a.closed_by, s.zone
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
where a.id = $1::bigint
`;

/** @throws Refused where a unit is not open for an assignment yet */
export async function refuseClosed(db: Queryable, assignmentId: string, unitId: string, now: number): Promise<void> {
  const { course_id, closed_by, zone } = await oneRow<{ course_id: string; closed_by: string | null; zone: string }>(db, GET_COURSE_OF, [
    assignmentId,
  ]);
  if (closed_by === 'finished') return;
  const { units } = await getRules(db, course_id);
  const opening = (await openingsFor(db, units, assignmentId, now)).get(unitId);
  const closed = opening && tellOpening(opening, Zone.of(zone), now, titlesOf(units));
  if (closed) throw new Refused('conflict', `This unit is not open yet: it ${closed}. Nothing was changed.`);
}

/** Other ways of doing a unit than saying so. */
const DONE_BY: Readonly<Partial<Record<ReturnType<typeof unitKind>['doneBy'], string>>> = {
  passing: 'passing it',
  playing: 'playing it',
  package: 'going through it',
  answering: 'answering it',
  signing: 'a supervisor who signs it off',
};

/**
 * The assignment behind a link, locked, and one of its units that is open.
 * @throws Refused where the link opens nothing, the course is asked no more, or the unit is not there or not open
 */
export async function lockUnit(
  deps: Deps,
  client: Client,
  link: string,
  unitId: string,
): Promise<{ assignment: LockedAssignment; unit: UnitRow }> {
  const now = deps.clock.now();
  const id = await findIdByLink(client, deps.settings.key, link, now);
  if (!id) throw new Refused('wrong-link');
  const assignment = (await lockAssignment(client, id))!;
  if (assignment.closed_by && assignment.closed_by !== 'finished')
    throw new Refused('conflict', `This course is no longer asked of you: it was ${assignment.closed_by}.`);
  const unit = (await getRules(client, assignment.course_id)).units.find((one) => one.id === unitId);
  if (!unit) throw new Refused('not-found', 'This unit is no longer part of the course. Load the page again.');
  await refuseClosed(client, id, unitId, now);
  return { assignment, unit };
}

/**
 * Marks a unit done, where it is open. With what finishes the course the assignment is finished, certified, and what was
 * planned for it is cancelled, all in one transaction.
 */
export async function markUnitDone(
  deps: Deps,
  link: string,
  unitId: string,
  signedIn: string | null = null,
): Promise<{ finished: boolean }> {
  return transaction(deps.db, async (client) => {
    const { assignment, unit } = await lockUnit(deps, client, link, unitId);
    const how = DONE_BY[unitKind(unit.kind as UnitKind).doneBy];
    if (assignment.closed_by === 'finished' && (how || assignment.units_done.includes(unitId))) return { finished: true };
    if (how) throw new Refused('conflict', `“${unit.title}” is done by ${how}, and not by marking it done. Nothing was changed.`);
    const now = deps.clock.now();
    const isNew = !assignment.units_done.includes(unitId);
    const own: AssignmentEvent[] = isNew ? [{ type: 'unit-finished', at: now, unit: unitId }] : [];
    return { finished: await settle(deps, client, assignment, own, actor(assignment.person_name, assignment.person_id, signedIn)) };
  });
}

/**
 * Records what somebody did in a course, and that they finished it where they have by that. Of a locked, open assignment.
 * @returns whether it is finished
 */
export async function settle(
  deps: Deps,
  client: Client,
  assignment: LockedAssignment,
  events: readonly AssignmentEvent[],
  byWhom: string,
): Promise<boolean> {
  if (assignment.closed_by === 'finished') {
    await record(
      client,
      events.map((event) => ({ assignment: assignment.id, event })),
      { byWhom },
    );
    return true;
  }
  const { finish, units } = await getRules(client, assignment.course_id);
  const done = new Set([...assignment.units_done, ...events.flatMap((event) => (event.type === 'unit-finished' ? [event.unit] : []))]);
  const scores = finish.kind === 'score' ? await scoresOf(client, assignment.id, events) : new Map<string, number>();
  const { isFinished } = progressIn(finish, units, done, (unit) => scores.get(unit) ?? null);
  if (isFinished)
    await finishAssignments(deps, client, assignment.course_id, [{ id: assignment.id, zone: assignment.zone, with: events }], byWhom);
  else
    await record(
      client,
      events.map((event) => ({ assignment: assignment.id, event })),
      { byWhom },
    );
  return isFinished;
}

/** The best score in each quiz, with what is about to be recorded. */
async function scoresOf(db: Queryable, assignmentId: string, more: readonly AssignmentEvent[] = []): Promise<Map<string, number>> {
  const [assignment] = await listAssignmentFacts(db, [assignmentId]);
  return bestScores([...effectiveEvents(assignment!.events, Infinity), ...more]);
}

const titlesOf =
  (units: readonly UnitRow[]) =>
  (id: string): string | null =>
    units.find((unit) => unit.id === id)?.title ?? null;

const LIST_MINE = `
select ${ASSIGNMENT_COLUMNS}, a.token
from assignments a
join courses k on k.id = a.course_id
left join standing_certificates c on c.assignment_id = a.id
where a.person_id = $1::bigint
  and a.closed_by is distinct from 'withdrawn'
order by a.closed_by is not null, a.due_at
`;

const GET_PERSON = 'select p.name, s.zone from people p join sites s on s.id = p.site_id where p.id = $1::bigint';

/** What somebody who signed in has to learn and has learnt. */
export async function listMyTraining(deps: Deps, personId: string, today: string): Promise<MyTraining> {
  const { db, clock, settings } = deps;
  const person = await oneRow<{ name: string; zone: string }>(db, GET_PERSON, [personId]);
  const found = await rows<AssignmentDbRow & { token: string }>(db, LIST_MINE, [personId]);
  return {
    person: person.name,
    zone: person.zone,
    calendar: await calendarAddress(deps, personId),
    reach: await reachView(deps, personId),
    assignments: found.map((row) => ({
      id: row.id,
      token: signedToken(settings.key, 'go', row.token),
      course: row.title,
      assignedAt: row.assigned_at.toISOString(),
      dueAt: row.due_at.toISOString(),
      state: stateOf(row, clock.now()),
      ...finishedOf(row),
      ...progressOf(row),
      certificate: row.serial ? { serial: row.serial, state: certificateWord(row, today), expiresOn: row.expires_on } : null,
    })),
  };
}
