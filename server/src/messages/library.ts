import type { LibraryMessage, LibraryVersion } from '@nudrik/contract';
import type { PlanStep } from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';

const LIST = `
select c.id, c.title, p.version, p.steps, p.follows is not null as is_followed,
  coalesce(
    (
      select jsonb_object_agg(n.step_id, n.count)
      from (
        select d.step_id, sum(d.count)::integer as count
        from notices_of_days d
        where d.course_id = c.id
          and d.on_day between $1::date and $1::date + 28
          and d.state in ('planned', 'held')
        group by d.step_id
      ) n
    ),
    '{}'
  ) as next28
from plans p
join courses c on c.id = p.course_id
where c.state <> 'retired'
order by c.title, c.id
`;

/** Every message that a plan in force has, with whether it goes and how often: what is set up, in one place. */
export async function messageLibrary(db: Queryable, today: string): Promise<LibraryMessage[]> {
  const found = await rows<{ id: string; title: string; version: number; steps: PlanStep[]; is_followed: boolean; next28: Record<string, number> }>(db, LIST, [today]); // prettier-ignore
  return found.flatMap(({ id, title, steps, is_followed, next28 }) =>
    steps.map((step) => ({
      course: { id, title },
      step: { id: step.id, name: step.name, kind: step.kind, on: step.on },
      message: step.message as LibraryMessage['message'],
      next28: next28[step.id] ?? 0,
      isFollowing: is_followed,
    })),
  );
}

const LIST_VERSIONS = `
select version, published_at as "publishedAt", published_by as "publishedBy", note, s as step
from plan_versions v
cross join lateral jsonb_array_elements(v.steps) s
where v.course_id = $1::bigint
  and s ->> 'id' = $2::text
order by version
`;

/** The texts that a step had, the newest first: each with the version that brought it. */
export async function messageVersions(db: Queryable, course: string, step: string): Promise<LibraryVersion[]> {
  const found = await rows<{ version: number; publishedAt: Date; publishedBy: string | null; note: string | null; step: PlanStep }>(db, LIST_VERSIONS, [course, step]); // prettier-ignore
  const changed = found.filter(
    ({ step: { message } }, i) => i === 0 || JSON.stringify(message) !== JSON.stringify(found[i - 1]!.step.message),
  );
  return changed.reverse().map(({ version, publishedAt, publishedBy, note, step: { message } }) => ({ version, publishedAt: publishedAt.toISOString(), publishedBy, note, message: message as LibraryVersion['message'] })); // prettier-ignore
}
