import sanitizeHtml from 'sanitize-html';
import type { CourseDraft } from '@nudrik/contract';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/plan.ts';
import { releaseHeld } from '../notices/release.repo.ts';
import { Refused } from '../refusal.ts';
import { rows } from '../db/db.ts';
import { findCourse, insertCourse, saveSections, updateCourse } from './courses.repo.ts';

/** What a page may hold: what the editor makes, and nothing that runs. */
export const cleanPage = (html: string): string =>
  sanitizeHtml(html, {
    allowedTags: ['p', 'br', 'strong', 'em', 's', 'u', 'h2', 'h3', 'ul', 'ol', 'li', 'blockquote', 'a', 'hr', 'code'],
    allowedAttributes: { a: ['href', 'rel', 'target'] },
    allowedSchemes: ['http', 'https', 'mailto'],
    transformTags: { a: sanitizeHtml.simpleTransform('a', { rel: 'noopener noreferrer', target: '_blank' }) },
  });

const clean = (draft: CourseDraft): CourseDraft => ({
  ...draft,
  sections: draft.sections.map((section) => ({
    ...section,
    units: section.units.map((unit) => ({ ...unit, body: unit.body === null ? null : cleanPage(unit.body) })),
  })),
});

/** Unique titles and codes are refused in a sentence, not by the name of a constraint. */
async function refuseTwins(db: Client, id: string | null, draft: CourseDraft): Promise<void> {
  const [twin] = await rows<{ title: string; code: string | null }>(
    db,
    'select title, code from courses where (title = $1::text or code = $2::text) and id is distinct from $3::bigint',
    [draft.title, draft.code || null, id],
  );
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
    await putPlan(client, id, 1, deps.clock.now(), byWhom, STANDARD_PLAN);
    return id;
  });
}

export async function changeCourse(deps: Deps, id: string, draft: CourseDraft): Promise<void> {
  await transaction(deps.db, async (client) => {
    if (!(await findCourse(client, id))) throw new Refused('not-found');
    await refuseTwins(client, id, draft);
    await updateCourse(client, id, draft);
    await saveSections(client, id, clean(draft).sections);
    const open = (
      await rows<{ id: string }>(client, 'select id from assignments where course_id = $1::bigint and closed_by is null', [id])
    ).map((row) => row.id);
    await releaseHeld(client, open, deps.clock.now());
    await requestReplan(client, open);
  });
}

const PUT_PLAN = `
with version as (
  insert into plan_versions (course_id, version, published_at, published_by, steps)
  values ($1::bigint, $2::integer, $3::timestamptz, $4::text, $5::jsonb)
)
insert into plans (course_id, version, published_at, published_by, steps)
values ($1::bigint, $2::integer, $3::timestamptz, $4::text, $5::jsonb)
on conflict (course_id) do update set version = excluded.version, published_at = excluded.published_at, published_by = excluded.published_by, steps = excluded.steps
`;

export const putPlan = (
  db: Client,
  courseId: string,
  version: number,
  now: number,
  byWhom: string | null,
  steps: readonly PlanStep[],
): Promise<unknown> => db.query(PUT_PLAN, [courseId, version, new Date(now), byWhom, JSON.stringify(steps)]);
