import sanitizeHtml from 'sanitize-html';
import type { CourseChange, CourseDraft } from '@nudrik/contract';
import { STANDARD_PLAN } from '@nudrik/core';
import { announce, maybeRow, rows, transaction, type Client } from '../db/db.ts';
import { refuseStale, type Versioned } from '../db/versions.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/queue.ts';
import { releaseValues } from '../notices/release.repo.ts';
import { putPlan } from '../plans/plans.repo.ts';
import { Refused } from '../refusal.ts';
import { insertCourse, keepVersion, saveSections, updateCourse } from './courses.repo.ts';

/** What a page may hold: what the editor makes, and nothing that runs. */
export const cleanPage = (html: string): string =>
  sanitizeHtml(html, {
    allowedTags: ['p', 'br', 'strong', 'em', 's', 'u', 'h2', 'h3', 'ul', 'ol', 'li', 'blockquote', 'a', 'hr', 'code'],
    allowedAttributes: { a: ['href', 'rel', 'target'] },
    allowedSchemes: ['http', 'https', 'mailto'],
    transformTags: { a: sanitizeHtml.simpleTransform('a', { rel: 'noopener noreferrer', target: '_blank' }) },
  });

const clean = <D extends CourseDraft>(draft: D): D => ({
  ...draft,
  sections: draft.sections.map((section) => ({
    ...section,
    units: section.units.map((unit) => ({ ...unit, body: unit.body === null ? null : cleanPage(unit.body) })),
  })),
});

const LIST_NAMESAKES = `
select title, code
from courses
where (title = $1::text or code = $2::text)
  and id is distinct
from $3::bigint
`;

/** Unique titles and codes are refused in a sentence, not by the name of a constraint. */
async function refuseTwins(db: Client, id: string | null, draft: CourseDraft): Promise<void> {
  const [twin] = await rows<{ title: string; code: string | null }>(db, LIST_NAMESAKES, [draft.title, draft.code || null, id]);
  if (!twin) return;
  if (twin.title === draft.title)
    throw new Refused('conflict', `There is a course called "${draft.title}" already; a name of its own keeps them apart in every list.`);
  throw new Refused('conflict', `The code ${draft.code} belongs to "${twin.title}".`);
}

/** A new course comes with the standard plan, as data of its own. */
export async function createCourse(deps: Deps, draft: CourseDraft, byWhom: string): Promise<string> {
  return transaction(deps.db, async (client) => {
    await refuseTwins(client, null, draft);
    const id = await insertCourse(client, draft);
    await saveSections(client, id, clean(draft).sections);
    await keepVersion(client, id, deps.clock.now(), byWhom);
    await putPlan(client, id, 1, deps.clock.now(), byWhom, STANDARD_PLAN);
    return id;
  });
}

const LOCK_COURSE = `
select version, changed_at, changed_by
from courses
where id = $1::bigint
for update
`;
const LIST_OPEN = `
select id
from assignments
where course_id = $1::bigint
  and closed_by is null
`;

/** Saves a course as its next version. @throws Refused `stale` where a newer one was saved meanwhile */
export async function changeCourse(deps: Deps, id: string, draft: CourseChange, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const stored = await maybeRow<Versioned>(client, LOCK_COURSE, [id]);
    if (!stored) throw new Refused('not-found');
    await refuseStale(deps, client, 'this course', stored, draft.version);
    await refuseTwins(client, id, draft);
    await updateCourse(client, id, draft);
    await saveSections(client, id, clean(draft).sections);
    await keepVersion(client, id, deps.clock.now(), byWhom);
    const open = (await rows<{ id: string }>(client, LIST_OPEN, [id])).map((row) => row.id);
    await releaseValues(client, id, null, deps.clock.now());
    await requestReplan(client, open);
    await announce(client, 'courses');
  });
}
