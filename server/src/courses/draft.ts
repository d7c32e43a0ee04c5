import type { Account, CourseDraft, CourseView, DraftSave, DraftSaved, DraftView, Editor, StoredFile } from '@nudrik/contract';
import { courseFaults, namedPerson, STANDARD_PLAN, type CourseFault } from '@nudrik/core';
import { announce, maybeRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import { refuseStale } from '../db/versions.ts';
import type { Deps } from '../deps.ts';
import { putPlan } from '../plans/plans.repo.ts';
import { keepToldSteps } from '../quizzes/told.ts';
import { Refused } from '../refusal.ts';
import { listFiles } from '../files/files.repo.ts';
import { findCourse, insertCourse, keepVersion, saveSections, updateCourse } from './courses.repo.ts';
import {
  countWriting,
  deleteDraft,
  findDraft,
  findWriting,
  listSectionIds,
  listUnitIds,
  lockCourse,
  nextUnitIds,
  putDraft,
  seeEditor,
} from './draft.repo.ts';
import { cleanPages } from './page.ts';

export const NO_COURSE = 'There is no such course, or not any more.';

const LIST_NAMESAKES = `
select title, code
from courses
where (lower(title) = lower($1::text) or code = $2::text)
  and id is distinct
from $3::bigint
`;

/** Titles and codes are unique: told in a sentence, not by the name of a constraint. */
export async function twinFault(db: Queryable, id: string | null, draft: { title: string; code: string | null }): Promise<string | null> {
  const [twin] = await rows<{ title: string; code: string | null }>(db, LIST_NAMESAKES, [draft.title, draft.code || null, id]);
  if (!twin) return null;
  return twin.title.toLowerCase() === draft.title.toLowerCase()
    ? `There is a course called “${twin.title}” already; a name of its own keeps them apart in every list.`
    : `The code ${draft.code} belongs to “${twin.title}”.`;
}

/** A new course is a draft, with the standard plan as data of its own. */
export const createCourse = (deps: Deps, draft: CourseDraft, byWhom: string): Promise<string> =>
  transaction(deps.db, (client) => createCourseIn(deps, client, draft, byWhom));

/** The same in the caller's transaction. */
export async function createCourseIn(deps: Deps, client: Client, draft: CourseDraft, byWhom: string): Promise<string> {
  const twin = await twinFault(client, null, draft);
  if (twin) throw new Refused('conflict', twin);
  const id = await insertCourse(client, draft, 'draft');
  const at = deps.clock.now();
  const { content } = await withIds(client, id, cleanPages(draft), null);
  await saveSections(client, id, content.sections);
  await keepVersion(client, id, at, byWhom);
  await putPlan(client, id, 1, at, byWhom, STANDARD_PLAN);
  await announce(client, 'courses');
  return id;
}

/** What is published, as somebody begins to change it. */
export function draftOf(course: CourseView): CourseDraft {
  const { title, code, summary, ownerId, assistants, validity, certificateDesignId, certificate, asks, finish, sections } = course;
  return {
    title,
    code,
    summary,
    ownerId,
    assistants,
    validity,
    certificateDesignId,
    certificate,
    asks,
    finish,
    sections: sections.map((section) => ({ ...section, units: section.units.map(({ file: _, ...unit }) => unit) })),
  };
}

/** What is written of a course, whether it is published or not. */
export async function readDraft(db: Queryable, courseId: string): Promise<{ course: CourseView; content: CourseDraft; version: number }> {
  const course = await findCourse(db, courseId);
  if (!course) throw new Refused('not-found', NO_COURSE);
  const draft = await findDraft(db, courseId);
  // a draft of an earlier version of Nudrik says nothing of assistants, nor of asking
  return {
    course,
    content: draft
      ? { ...draft.content, assistants: draft.content.assistants ?? course.assistants, asks: draft.content.asks ?? course.asks }
      : draftOf(course),
    version: course.written,
  };
}

/** Everything that keeps a draft from being published. */
export async function faultsOf(db: Queryable, courseId: string, content: CourseDraft): Promise<CourseFault[]> {
  const twin = await twinFault(db, courseId, content);
  const files = await listFiles(db, fileIdsOf(content));
  return [...(twin ? [{ unit: null, section: null, words: twin }] : []), ...courseFaults(asFacts(content, files))];
}

const fileIdsOf = ({ sections }: CourseDraft): string[] => sections.flatMap(({ units }) => units.flatMap(({ fileId }) => (fileId === null ? [] : [fileId]))); // prettier-ignore

const asFacts = (content: CourseDraft, files: ReadonlyMap<string, StoredFile>): Parameters<typeof courseFaults>[0] => ({
  ...content,
  sections: content.sections.map((section) => ({
    title: section.title,
    units: section.units.map((unit, i) => {
      const file = unit.fileId === null ? undefined : files.get(unit.fileId);
      return { ...unit, id: unit.id ?? `unit ${i}`, fileId: file?.id ?? null, fileType: file?.type ?? null };
    }),
  })),
});

const LIST_NAMED = 'select id, name from people where id = any($1::bigint[]) order by name, id';

/** Who is named in what is written beside its owner: assistants, and people whom quizzes tell. */
const namedIn = ({ assistants, sections }: CourseDraft): string[] => [
  ...assistants,
  ...sections.flatMap(({ units }) =>
    units.flatMap(({ signOff }) => (signOff ? [...signOff.signers.people, ...signOff.signers.sites.flatMap(({ people }) => people)] : [])),
  ),
  ...sections.flatMap(({ units }) => units.flatMap(({ quiz }) => (quiz?.told.to ?? []).flatMap((role) => namedPerson(role) ?? []))),
];

const GET_OWNER = 'select id, name from people where id = $1::bigint';

export async function draftView(deps: Deps, courseId: string, account: Account): Promise<DraftView> {
  const { db } = deps;
  const { course, content, version } = await readDraft(db, courseId);
  const draft = await findDraft(db, courseId);
  const files = await listFiles(db, fileIdsOf(content));
  return {
    content: {
      ...content,
      sections: content.sections.map((section) => ({
        ...section,
        units: section.units.map((unit) => ({ ...unit, id: unit.id!, file: (unit.fileId && files.get(unit.fileId)) || null })),
      })),
    },
    owner: content.ownerId === null ? null : await maybeRow(db, GET_OWNER, [content.ownerId]),
    people: await rows(db, LIST_NAMED, [namedIn(content)]),
    state: course.state,
    version,
    savedAt: draft?.saved_at.toISOString() ?? null,
    savedBy: draft?.saved_by ?? null,
    faults: await faultsOf(db, courseId, content),
    others: await seeEditor(db, courseId, account.id),
  };
}

/** Whoever has the course open to write in it, beside the one who asks. */
export async function here(deps: Deps, courseId: string, account: Account): Promise<{ version: number; others: Editor[] }> {
  const version = await findWriting(deps.db, courseId);
  if (version === null) throw new Refused('not-found', NO_COURSE);
  return { version, others: await seeEditor(deps.db, courseId, account.id) };
}

/**
 * Gives an id to each unit that has none: from then on steps of a plan, releases and remarks can name it. An id that belongs
 * to another course stands for none, so that nobody's progress is moved there.
 */
async function withIds(
  client: Client,
  courseId: string,
  content: CourseDraft,
  before: CourseDraft | null,
): Promise<{ content: CourseDraft; ids: Record<string, string> }> {
  const mine = new Set([
    ...(await listUnitIds(client, courseId)),
    ...(before?.sections ?? []).flatMap(({ units }) => units.flatMap(({ id }) => (id === null ? [] : [id]))),
  ]);
  const sections = new Set(await listSectionIds(client, courseId));
  const seen = new Set<string>();
  const isKept = (id: string | null): id is string => {
    if (id === null || !mine.has(id) || seen.has(id)) return false;
    seen.add(id);
    return true;
  };
  const units = content.sections.flatMap((section) => section.units);
  const isNew = units.map(({ id }) => !isKept(id));
  const fresh = await nextUnitIds(client, isNew.filter(Boolean).length);
  const ids: Record<string, string> = {};
  const given = units.map(({ id }, i) => {
    if (!isNew[i]) return id!;
    const made = fresh.shift()!;
    if (id !== null && !seen.has(id)) ids[id] = made;
    return made;
  });
  const seenSections = new Set<string>();
  let at = 0;
  return {
    ids,
    content: {
      ...content,
      sections: content.sections.map((section) => {
        const isMine = section.id !== null && sections.has(section.id) && !seenSections.has(section.id);
        if (isMine) seenSections.add(section.id!);
        return {
          ...section,
          id: isMine ? section.id : null,
          units: section.units.map((unit) => {
            const { release } = unit;
            const isWaiting = release?.kind === 'finished' || release?.kind === 'passed';
            return { ...unit, id: given[at++]!, release: isWaiting ? { ...release, unit: ids[release.unit] ?? release.unit } : release };
          }),
        };
      }),
    },
  };
}

/** What is answered to a save, and again to one whose answer was lost. */
const saved = async (db: Queryable, courseId: string, version: number, ids: Record<string, string>): Promise<DraftSaved> => {
  const draft = (await findDraft(db, courseId))!;
  return { version, savedAt: draft.saved_at.toISOString(), ids, faults: await faultsOf(db, courseId, draft.content) };
};

/**
 * Keeps what is written. Of a course that is not live it is what the course is; of one that is, it waits to be published.
 * @throws Refused `stale` where a newer one was kept meanwhile
 */
export async function saveDraft(
  deps: Deps,
  courseId: string,
  { version, save, content: sent }: DraftSave,
  byWhom: string,
): Promise<DraftSaved> {
  return transaction(deps.db, async (client) => {
    const course = await lockCourse(client, courseId);
    if (!course) throw new Refused('not-found', NO_COURSE);
    if (course.state === 'retired')
      throw new Refused(
        'conflict',
        `${course.title} is retired, and nobody new is asked for it. Take it up again to change it; nothing was changed.`,
      );
    const stored = await findDraft(client, courseId);
    // the units of a lost answer are found again by their place
    if (stored?.save === save) return saved(client, courseId, course.written, idsAgain(sent, stored.content));
    await refuseStale(
      deps,
      client,
      `“${course.title}” as it is written`,
      {
        version: course.written,
        changed_at: stored?.saved_at ?? course.changed_at,
        changed_by: stored?.saved_by ?? course.changed_by,
      },
      version,
    );
    const before = stored?.content ?? draftOf((await findCourse(client, courseId))!);
    const { content, ids } = await withIds(client, courseId, cleanPages(sent, before), stored?.content ?? null);
    await putDraft(client, courseId, { content, save, at: deps.clock.now(), byWhom });
    if (course.state === 'draft') await writeThrough(deps, client, courseId, course.title, content, byWhom);
    await announce(client, 'courses');
    return saved(client, courseId, await countWriting(client, courseId), ids);
  });
}

function idsAgain(sent: CourseDraft, stored: CourseDraft): Record<string, string> {
  const kept = stored.sections.flatMap(({ units }) => units.map(({ id }) => id!));
  const ids: Record<string, string> = {};
  sent.sections
    .flatMap(({ units }) => units)
    .forEach(({ id }, i) => {
      if (id !== null && id !== kept[i]) ids[id] ??= kept[i]!;
    });
  return ids;
}

/** A course that is not live yet is what is written of it: its plan and what would be asked for look at that. */
async function writeThrough(
  deps: Deps,
  client: Client,
  courseId: string,
  title: string,
  content: CourseDraft,
  byWhom: string,
): Promise<void> {
  const isFree = content.title !== '' && (await twinFault(client, courseId, content)) === null;
  await updateCourse(client, courseId, isFree ? content : { ...content, title, code: null });
  await saveSections(client, courseId, content.sections);
  await keepToldSteps(deps, client, courseId, content, byWhom);
}

/** Forgets what is written and not published. */
export async function dropDraft(deps: Deps, courseId: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const course = await lockCourse(client, courseId);
    if (!course) throw new Refused('not-found', NO_COURSE);
    if (course.state === 'draft')
      throw new Refused('conflict', `${course.title} is not live: what is written of it is all there is. Nothing was changed.`);
    await deleteDraft(client, courseId);
    await countWriting(client, courseId);
    await announce(client, 'courses');
  });
}

/** A copy of what is written, as a draft with a name of its own. */
export async function copyCourse(deps: Deps, courseId: string, title: string, byWhom: string): Promise<string> {
  const { content } = await readDraft(deps.db, courseId);
  const key = new Map<string, string>();
  const ref = (id: string): string => {
    if (!key.has(id)) key.set(id, `new-${key.size + 1}`);
    return key.get(id)!;
  };
  return createCourse(
    deps,
    {
      ...content,
      title,
      code: null,
      sections: content.sections.map((section) => ({
        ...section,
        id: null,
        units: section.units.map((unit) => ({
          ...unit,
          id: ref(unit.id!),
          release:
            unit.release?.kind === 'finished' || unit.release?.kind === 'passed'
              ? { ...unit.release, unit: ref(unit.release.unit) }
              : unit.release,
        })),
      })),
    },
    byWhom,
  );
}
