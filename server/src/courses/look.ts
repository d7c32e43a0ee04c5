import {
  bestScores,
  msOfTime,
  openingsOf,
  pendingOpenings,
  progressIn,
  rehearse,
  type Roster,
  standingAt,
  tellFinish,
  tellOpening,
  DAY_MS,
  type AssignmentEvent,
  type Instant,
  type Person,
  type Quiz,
  type Released,
  type ScormEdition,
  previewLine,
} from '@nudrik/core';
import type { CourseDraft, LookNotice, LookRequest, LookView, StoredFile, UnitView } from '@nudrik/contract';
import { maybeRow, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { listFiles } from '../files/files.repo.ts';
import { getHouse, type House } from '../house/house.ts';
import { sectionsFor } from '../learning/learn.ts';
import { addressIn } from '../learning/work.ts';
import { handoutsFor } from '../handouts/files.ts';
import { compose, missingIn } from '../messages/compose.ts';
import { listCourseFacts, listPlanFacts, type AssignmentFacts, type Facts } from '../notices/facts.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';
import { draftOf, readDraft } from './draft.ts';
import { withPictures } from './page.ts';

/** Days that one has where nothing else is said. */
const DUE_DAYS = 14;
const DUE_TIME = '17:00';
/** How far ahead its messages are looked at. */
const HORIZON_MS = 200 * DAY_MS;
const NOBODY = 'made-up';
const SERIAL = 'AB12-CD34-E';

const GET_SITE = 'select id, name from sites where $1::bigint is null or id = $1::bigint order by id limit 1';

/** Who looks: somebody of the roster, or somebody who is made up, at a site. */
async function personOf(
  db: Queryable,
  house: House,
  request: LookRequest['person'],
  courses: Facts['courses'],
): Promise<{ person: Person; roster: Roster }> {
  const isReal = request !== null && 'id' in request;
  const loaded = await loadRoster(db, isReal ? [request.id] : [], [...courses.values()], house.sending);
  if (isReal) {
    const person = loaded.person(request.id);
    if (!person) throw new Refused('not-found', 'There is no such person, or not any more.');
    return { person, roster: loaded };
  }
  const site = await maybeRow<{ id: string; name: string }>(db, GET_SITE, [request?.siteId ?? null]);
  if (!site) throw new Refused('not-found', 'There is no such site, or not any more.');
  const person: Person = {
    id: NOBODY,
    name: request?.name ?? 'Somebody New',
    email: 'somebody@example.invalid',
    calendar: site.id,
    manager: null,
    leave: [],
    department: null,
    site: site.name,
    siteId: site.id,
    departmentId: null,
    groups: [],
    groupIds: [],
    number: null,
    job: null,
    joinedOn: null,
    leftOn: null,
    isReachable: true,
  } as unknown as Person;
  return { person, roster: loaded.with(person) };
}

/**
 * A course as an employee would have it, at a moment, after what they did: worked out by the functions that show it to
 * employees, and by those that send. Nothing is stored.
 * @param invited the name of a colleague without an account: nobody of the roster, and no messages, which would name people
 */
export async function lookAtCourse(deps: Deps, courseId: string, request: LookRequest, invited: string | null = null): Promise<LookView> {
  const { db, settings } = deps;
  const house = await getHouse(db);
  const { course: live, content: written } = await readDraft(db, courseId);
  const content: CourseDraft = request.of === 'live' ? draftOf(live) : written;
  const [course] = await listCourseFacts(db, [courseId]);
  const [plan] = await listPlanFacts(db, [courseId]);
  const handouts = await handoutsFor(db, plan?.steps ?? []);
  const courses = new Map([[courseId, course!]]);
  const { person, roster } = await personOf(db, house, invited === null ? request.person : null, courses);
  const calendar = roster.calendarOf(person);

  const assignedAt = request.assignedAt === null ? deps.clock.now() : Date.parse(request.assignedAt);
  const now = Math.max(assignedAt, request.at === null ? deps.clock.now() : Date.parse(request.at));
  const dueAt =
    request.dueAt === null
      ? calendar.zone.toInstant(calendar.zone.dayAt(assignedAt) + DUE_DAYS, msOfTime(DUE_TIME))
      : Date.parse(request.dueAt);
  const sections = content.sections.map((section) => ({
    ...section,
    units: section.units.map((unit, i) => ({ ...unit, id: unit.id ?? `${section.title} ${i}` })),
  }));
  const units = sections.flatMap((section) => section.units);
  const events = finishedBy(content, units, request.done, now);
  const { events: done, unitsDone, finishedAt } = events;
  const assignment: AssignmentFacts = {
    id: 'look',
    person: person.id,
    course: courseId,
    assignedAt,
    dueAt,
    events: done,
    token: 'look',
    unitsDone,
    isClosed: finishedAt !== null,
    openings: pendingOpenings(units, { assignedAt, dueAt, events: done }, calendar),
  };
  const openings = openingsOf(units, assignment, calendar, now);
  const titleOf = (id: string): string | null => units.find((unit) => unit.id === id)?.title ?? null;
  const doneAt = new Map(done.flatMap((event) => (event.type === 'unit-finished' ? [[event.unit, event.at] as const] : [])));
  const scores = bestScores(done);
  const progress = progressIn(content.finish, units, new Set(unitsDone), (unit) => scores.get(unit) ?? null);
  const files = await listFiles(db, units.flatMap(({ fileId, video }) => [...(fileId === null ? [] : [fileId]), ...(video?.captions.map(({ fileId: id }) => id) ?? [])])); // prettier-ignore
  const opensOf = (unit: string): string | null => {
    const opening = finishedAt === null ? openings.get(unit) : undefined;
    return opening ? tellOpening(opening, calendar.zone, now, titleOf) : null;
  };
  const standing = standingAt(assignment, now);
  const name = invited ?? person.name;
  return {
    now: new Date(now).toISOString(),
    person: { id: person.id === NOBODY ? null : person.id, name, site: person.site ?? '', zone: calendar.zone.name },
    view: {
      person: name,
      organisation: house.organisation,
      trainer: roster.person(content.ownerId)?.name ?? (content.ownerId === live.ownerId ? (live.owner?.name ?? null) : null),
      course: { title: content.title, summary: content.summary },
      hasAsking: content.asks !== 'none',
      assignedAt: new Date(assignedAt).toISOString(),
      dueAt: new Date(dueAt).toISOString(),
      zone: calendar.zone.name,
      state: standing.state,
      finishedAt: finishedAt === null ? null : new Date(finishedAt).toISOString(),
      finishedOn: null,
      closedReason: null,
      unitsDone: progress.done,
      unitsRequired: progress.of,
      percent: progress.percent,
      finishWords: tellFinish(content.finish, units),
      sections: sectionsFor(
        settings.key,
        sections.map((section) => ({ ...section, units: section.units.map((unit): UnitView => ({ ...unit, file: (unit.fileId && files.get(unit.fileId)) || null })) })), // prettier-ignore
        opensOf,
        new Map(),
        (unit) => (doneAt.has(unit) ? new Date(doneAt.get(unit)!).toISOString() : null),
      ),
      certificate: null,
    },
    quizzes: Object.fromEntries(units.flatMap(({ id, quiz }) => (quiz && opensOf(id) === null ? [[id, shown(quiz)]] : []))),
    files: Object.fromEntries(
      units.flatMap((unit) => {
        const file = unit.fileId === null || opensOf(unit.id) !== null ? undefined : files.get(unit.fileId);
        if (!file) return [];
        return [[unit.id, { id: file.id, captions: unit.video?.captions ?? [], package: packageOf(file) }]];
      }),
    ),
    notices: invited !== null || !plan ? [] : noticesOf(),
  };

  function shown(quiz: Quiz): Quiz {
    return { ...quiz, questions: quiz.questions.map((question) => ({ ...question, text: withPictures(question.text, settings.key) })) };
  }

  function packageOf({ id, about }: StoredFile): { address: string; edition: ScormEdition } | null {
    return about.package ? { address: addressIn(settings.key, id, about.package), edition: about.package.edition } : null;
  }

  function noticesOf(): LookNotice[] {
    const steps = plan!.steps.filter(({ on }) => on);
    const facts: Facts = {
      house,
      roster,
      assignments: new Map([[assignment.id, assignment]]),
      courses,
      plans: new Map(),
      handouts,
      told: new Map(),
      went: new Map(),
    };
    const extras = {
      baseUrl: settings.baseUrl,
      certificates: finishedAt === null ? new Map<string, never>() : new Map([[assignment.id, { serial: SERIAL, expiresOn: null }]]),
      told: new Map<string, never>(),
    };
    const lines = rehearse({
      from: assignedAt,
      until: assignedAt + HORIZON_MS,
      roster,
      assignments: [assignment],
      plans: [{ course: courseId, publishedAt: 0, steps }],
      withHeld: true,
      // what would have a gap is held, here too
      missingOf: missingIn(facts, extras),
    });
    return lines
      .map((line): LookNotice => {
        const step = steps.find(({ id }) => id === line.step)!;
        const notice = previewLine(line, step, person, roster, now);
        const recipient = { person: roster.person(line.person), address: '', path: [] };
        const letter = line.outcome === 'send' && recipient.person ? compose({ step, recipient, assignments: [assignment] }, facts, extras, line.at ?? now) : null; // prettier-ignore
        return { ...notice, hasGone: line.at !== null && line.at <= now, letter: letter && { subject: letter.subject, html: letter.html, text: letter.text } }; // prettier-ignore
      })
      .sort((a, b) => (a.at ?? '9').localeCompare(b.at ?? '9'));
  }
}

/** What was done in its order, with the finish where it comes to that. */
function finishedBy(
  content: CourseDraft,
  units: readonly (Released & { id: string; required: boolean; weight: number })[],
  done: LookRequest['done'],
  now: Instant,
): { events: AssignmentEvent[]; unitsDone: string[]; finishedAt: Instant | null } {
  const events: AssignmentEvent[] = [];
  const known = new Set(units.map(({ id }) => id));
  const unitsDone = new Set<string>();
  let finishedAt: Instant | null = null;
  const inOrder = done
    .map((event) => ({ ...event, at: Date.parse(event.at) }))
    .filter((event) => event.at <= now && (event.type === 'started' || known.has(event.unit)))
    .sort((a, b) => a.at - b.at);
  for (const [i, event] of inOrder.entries()) {
    events.push({ ...event, id: String(i + 1) } as AssignmentEvent);
    if (event.type === 'unit-finished') unitsDone.add(event.unit);
    const scores = bestScores(events);
    if (finishedAt === null && progressIn(content.finish, units, unitsDone, (unit) => scores.get(unit) ?? null).isFinished) {
      finishedAt = event.at;
      events.push({ type: 'finished', at: finishedAt } as AssignmentEvent);
      if (content.certificate !== 'none') events.push({ type: 'certificate-issued', at: finishedAt, serial: SERIAL, expiresAt: null } as AssignmentEvent); // prettier-ignore
    }
  }
  return { events, unitsDone: [...unitsDone], finishedAt };
}
