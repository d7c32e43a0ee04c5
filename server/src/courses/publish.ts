import { isDeepStrictEqual } from 'node:util';
import {
  ASK_WORDS,
  FINISH_ALL,
  openingsOf,
  progressIn,
  tellAmount,
  tellFinish,
  tellRelease,
  tellValidity,
  unitKind,
  type Counted,
  type FinishRule,
  type Progress,
} from '@nudrik/core';
import type { CourseDraft, CourseView, Published, PublishPreview } from '@nudrik/contract';
import { lockIds } from '../assignments/assignments.repo.ts';
import { announce, rows, transaction, type Client } from '../db/db.ts';
import { refuseStale } from '../db/versions.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { finishAssignments, type Finishing } from '../learning/finish.ts';
import { listAssignmentFacts } from '../notices/facts.ts';
import { requestReplan } from '../notices/queue.ts';
import { releaseValues } from '../notices/release.repo.ts';
import { keepToldSteps } from '../quizzes/told.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { findCourse, keepVersion, saveSections, updateCourse } from './courses.repo.ts';
import { faultsOf, NO_COURSE, readDraft } from './draft.ts';
import { countFinished, countWriting, deleteDraft, lockCourse, type CourseHead } from './draft.repo.ts';

const LIST_UNDER_WAY = `
select
  a.id, p.id as person_id, p.name, s.zone, a.units_done,
  (
    select coalesce(jsonb_object_agg(b.unit_id::text, b.best), '{}')
    from (
      select q.unit_id, max(q.percent) / 100 as best
      from quiz_attempts q
      where q.assignment_id = a.id
        and q.is_passed is not null
      group by q.unit_id
    ) b
  ) as scores
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
where a.course_id = $1::bigint
  and a.closed_by is null
order by p.name, a.id
`;

interface UnderWay {
  id: string;
  person_id: string;
  name: string;
  zone: string;
  units_done: string[];
  /** the best score in each quiz, 0 to 1 */
  scores: Record<string, number>;
}

interface Rules {
  finish: FinishRule;
  units: readonly (Counted & { title: string })[];
}
const rulesOf = ({ finish, sections }: Pick<CourseDraft | CourseView, 'finish' | 'sections'>): Rules => ({
  finish: finish ?? FINISH_ALL,
  units: sections.flatMap(({ units }) => units.map((unit) => ({ ...unit, id: unit.id! }))),
});

const progressOf = ({ finish, units }: Rules, { units_done, scores }: UnderWay): Progress =>
  progressIn(finish, units, new Set(units_done), (unit) => scores[unit] ?? null);

/** "3 of 5, 60 %" */
const tellProgress = ({ done, of, percent }: Progress): string => `${done} of ${tellAmount(of, 'units')}, ${percent} %`;

/** What is another in what is written than in what is published, in sentences. */
export function tellCourseChanges(was: CourseView, draft: CourseDraft): string[] {
  const words: string[] = [];
  const told = (what: string, from: string, to: string): void => {
    if (from !== to) words.push(`${what}: “${from}” becomes “${to}”.`);
  };
  const none = (text: string | number | null): string => (text === null || text === '' ? 'nothing' : String(text));
  told('Title', was.title, draft.title);
  told('Code', none(was.code), none(draft.code));
  told('Summary', none(was.summary), none(draft.summary));
  if (was.ownerId !== draft.ownerId) words.push('It has another owner.');
  if (was.assistants.join() !== draft.assistants.join()) words.push('It has other assistants.');
  told('Certificate', was.certificate === 'none' ? 'none' : 'issued', draft.certificate === 'none' ? 'none' : 'issued');
  told('Valid', tellValidity(was.validity), tellValidity(draft.validity));
  told('Questions are asked', ASK_WORDS[was.asks], ASK_WORDS[draft.asks]);
  if (was.certificateDesignId !== draft.certificateDesignId) words.push('Its certificate looks different.');
  const before = new Map(was.sections.flatMap(({ units }) => units.map((unit) => [unit.id, unit] as const)));
  const units = draft.sections.flatMap((section) => section.units);
  const now = new Map(units.map((unit) => [unit.id!, unit]));
  told('Finished when', tellFinish(was.finish, [...before.values()]), tellFinish(draft.finish, rulesOf(draft).units));
  const titleOf = (id: string): string | null => now.get(id)?.title ?? before.get(id)?.title ?? null;
  for (const unit of units) {
    const old = before.get(unit.id!);
    const name = `“${unit.title}”`;
    if (!old) {
      words.push(`${name}, a ${unitKind(unit.kind).words}, is new${unit.required ? '' : ', and optional'}.`);
      continue;
    }
    told('Unit', old.title, unit.title);
    if (old.required !== unit.required) words.push(`${name} is ${unit.required ? 'required' : 'optional'} now.`);
    if (old.weight !== unit.weight) words.push(`${name} weighs ${unit.weight} instead of ${old.weight}.`);
    if (JSON.stringify(old.release) !== JSON.stringify(unit.release))
      words.push(`${name} opens ${tellRelease(unit.release, titleOf)} instead of ${tellRelease(old.release, titleOf)}.`);
    if (old.body !== unit.body || old.url !== unit.url || old.kind !== unit.kind) words.push(`${name} says something else.`);
    if (unit.kind === 'quiz' && old.kind === 'quiz' && !isDeepStrictEqual(old.quiz, unit.quiz))
      words.push(`${name} asks something else, or otherwise.`);
    if (old.fileId !== unit.fileId) words.push(`${name} has another file.`);
  }
  for (const [id, { title }] of before) if (!now.has(id)) words.push(`“${title}” is taken out.`);
  const order = (list: readonly { units: readonly { id: string | null }[] }[]): string =>
    list.map((section) => section.units.flatMap(({ id }) => (before.has(id!) && now.has(id!) ? [id] : [])).join()).join('|');
  if (order(was.sections) !== order(draft.sections)) words.push('Units stand in another order.');
  return words;
}

/** What publishing what is written would mean for those who are under way. Nothing is stored. */
export async function previewPublish(deps: Deps, courseId: string): Promise<PublishPreview> {
  const { db } = deps;
  const { course, content, version } = await readDraft(db, courseId);
  const faults = await faultsOf(db, courseId, content);
  const list = await rows<UnderWay>(db, LIST_UNDER_WAY, [courseId]);
  const [was, will] = [rulesOf(course), rulesOf(content)];
  const all = list.map((row) => ({ row, before: progressOf(was, row), after: progressOf(will, row) }));
  const finishing = all.filter(({ after }) => after.isFinished);
  const share = (which: (before: number, after: number) => boolean): number =>
    all.filter(({ before, after }) => which(before.percent, after.percent)).length;
  // those for whom the most changes first
  const shown = [...all].sort((a, b) => Math.abs(b.after.percent - b.before.percent) - Math.abs(a.after.percent - a.before.percent));
  return {
    version,
    faults,
    changes: tellCourseChanges(course, content),
    underWay: all.length,
    more: share((before, after) => after > before),
    less: share((before, after) => after < before),
    same: share((before, after) => after === before),
    finishing: { count: finishing.length, people: finishing.slice(0, 5).map(({ row }) => row.name) },
    finished: await countFinished(db, courseId),
    closing: await countClosing(deps, course, content, list),
    people: shown
      .slice(0, 12)
      .map(({ row, before, after }) => ({ name: row.name, before: tellProgress(before), after: tellProgress(after) })),
  };
}

/** How many have a unit open now that would open later. */
async function countClosing({ db, clock }: Deps, course: CourseView, content: CourseDraft, list: readonly UnderWay[]): Promise<number> {
  const was = course.sections.flatMap(({ units }) => units);
  const will = content.sections.flatMap(({ units }) => units.map((unit) => ({ ...unit, id: unit.id! })));
  if (!will.some(({ release }) => release !== null) || list.length === 0) return 0;
  const now = clock.now();
  const assignments = await listAssignmentFacts(
    db,
    list.map(({ id }) => id),
  );
  const roster = await loadRoster(db, [...new Set(list.map(({ person_id }) => person_id))], [], (await getHouse(db)).sending);
  return assignments.filter((assignment) => {
    const calendar = roster.calendarOf(roster.getPerson(assignment.person));
    const before = openingsOf(was, assignment, calendar, now);
    const after = openingsOf(will, assignment, calendar, now);
    return was.some(
      ({ id }) => before.get(id)!.kind === 'open' && (after.get(id)?.kind ?? 'open') !== 'open' && !assignment.unitsDone.includes(id),
    );
  }).length;
}

const LIST_OPEN = `
select id
from assignments
where course_id = $1::bigint
  and closed_by is null
`;

/** Locks a course of which what is written is what somebody looked at. @throws Refused where it is not, or cannot go as it is */
export async function lockWritten(
  deps: Deps,
  client: Client,
  courseId: string,
  version: number,
): Promise<{ course: CourseHead; content: CourseDraft; was: CourseView }> {
  const course = await lockCourse(client, courseId);
  if (!course) throw new Refused('not-found', NO_COURSE);
  const { content, course: was } = await readDraft(client, courseId);
  await refuseStale(deps, client, `“${course.title}” as it is written`, { ...course, version: course.written }, version);
  const faults = await faultsOf(client, courseId, content);
  if (faults.length > 0)
    throw new Refused(
      'wrong-input',
      `${faults
        .slice(0, 5)
        .map(({ words }) => words)
        .join(' ')} Nothing was published.`,
      faults.map(({ unit, words }) => ({ where: unit ?? '', message: words })),
    );
  return { course, content, was };
}

/** Makes what is written what the course is. */
export async function applyDraft(deps: Deps, client: Client, courseId: string, content: CourseDraft, byWhom: string): Promise<void> {
  await updateCourse(client, courseId, content);
  await saveSections(client, courseId, content.sections);
  await keepToldSteps(deps, client, courseId, content, byWhom);
  await keepVersion(client, courseId, deps.clock.now(), byWhom);
  await deleteDraft(client, courseId);
  await countWriting(client, courseId);
  await announce(client, 'courses');
}

/** Who has done all that the course asks for now, and has not finished it; of assignments that are locked. */
async function listFinishing(client: Client, courseId: string, rules: Rules): Promise<Finishing[]> {
  const list = await rows<UnderWay>(client, LIST_UNDER_WAY, [courseId]);
  return list.filter((row) => progressOf(rules, row).isFinished).map(({ id, zone }) => ({ id, zone }));
}

/**
 * Publishes what is written of a live course as its next version: what is unsent is worked out again, and who has done all
 * that it asks for now has finished it.
 */
export async function publishCourse(
  deps: Deps,
  courseId: string,
  version: number,
  byWhom: string,
  work: Work = AT_ONCE,
): Promise<Published> {
  await work.at(0, 3);
  return transaction(deps.db, async (client) => {
    const { course, content } = await lockWritten(deps, client, courseId, version);
    if (course.state !== 'live')
      throw new Refused(
        'conflict',
        `${course.title} is ${course.state === 'draft' ? 'not live yet' : 'retired'}: there is nobody to publish it for. Nothing was published.`,
      );
    const now = deps.clock.now();
    const open = (await rows<{ id: string }>(client, LIST_OPEN, [courseId])).map((row) => row.id);
    // nobody finishes a unit meanwhile
    await lockIds(client, open);
    await applyDraft(deps, client, courseId, content, byWhom);
    await work.at(1, 3);
    const finishing = await listFinishing(client, courseId, rulesOf(content));
    await finishAssignments(deps, client, courseId, finishing, 'Nudrik');
    await work.at(2, 3);
    await releaseValues(client, courseId, null, now);
    await requestReplan(client, open);
    const published = { version: (await findCourse(client, courseId))!.version, finished: finishing.length };
    await work.finish(client, published);
    return published;
  });
}
