import type { PlanChoices, PlanRow, PlanVersion, PlanView } from '@nudrik/contract';
import { leavesOfStep, namedPerson, type PlanStep } from '@nudrik/core';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

const LIST_PLANS = `
select
  c.id, c.title, p.version, p.published_at, p.published_by, p.steps,
  coalesce((select sum(f.count) from figures_now f where f.what = 'open' and f.of_id = c.id), 0)::integer as open,
  coalesce(w.count, 0)::integer as next28, d.saved_at, d.saved_by, f.id as follows_id, f.title as follows_title
from plans p
join courses c on c.id = p.course_id
left join courses f on f.id = p.follows
left join plan_drafts d on d.course_id = p.course_id
left join (
  select course_id, sum(count) as count
  from notices_of_days
  where on_day between $1::date and $1::date + 28
    and state in ('planned', 'held')
  group by course_id
) w on w.course_id = c.id
order by c.title
`;

interface PlanDbRow {
  id: string;
  title: string;
  version: number;
  published_at: Date;
  published_by: string | null;
  steps: PlanStep[];
  open: number;
  next28: number;
  saved_at: Date | null;
  saved_by: string | null;
  follows_id?: string | null;
  follows_title?: string | null;
  draft?: PlanStep[] | null;
  draft_version?: number;
  written?: number;
}

export async function listPlans(db: Queryable, today: string): Promise<PlanRow[]> {
  return (await rows<PlanDbRow>(db, LIST_PLANS, [today])).map((row) => ({
    course: { id: row.id, title: row.title },
    version: row.version,
    publishedAt: row.published_at.toISOString(),
    publishedBy: row.published_by,
    open: row.open,
    next28: row.next28,
    steps: row.steps.map(({ kind, name, on }) => ({ kind, name, on })),
    draft: row.saved_at && { savedAt: row.saved_at.toISOString(), savedBy: row.saved_by! },
    follows: row.follows_id ? { id: row.follows_id, title: row.follows_title! } : null,
  }));
}

const FIND_PLAN = `
select c.id, c.title, p.version, p.published_at, p.published_by, p.steps,
  coalesce((select sum(f.count) from figures_now f where f.what = 'open' and f.of_id = c.id), 0)::integer as open, 0 as next28,
  d.steps as draft, d.version as draft_version, d.written, d.saved_at, d.saved_by, p.sender
from plans p
join courses c on c.id = p.course_id
left join plan_drafts d on d.course_id = p.course_id
where c.id = $1::bigint
`;

/** Who is named in a step: to whom it goes, and whose line its conditions ask for. */
const namedIn = (step: PlanStep): string[] => [
  ...[...step.to, ...(step.copies?.to ?? [])].flatMap((role) => namedPerson(role) ?? []),
  ...leavesOfStep(step).flatMap((leaf) => ('line' in leaf ? leaf.line : [])),
];

const LIST_NAMED = 'select id, name from people where id::text = any($1::text[]) order by name, id';

const COUNT_NEXT = `
select step_id, sum(count)::integer as count
from notices_of_days
where course_id = $1::bigint
  and on_day between $2::date and $2::date + 28
  and state in ('planned', 'held')
group by step_id
`;

export async function findPlan(
  db: Queryable,
  courseId: string,
  today: string,
): Promise<Omit<PlanView, 'follows' | 'followers' | 'senders' | 'chat'> | null> {
  const row = await maybeRow<PlanDbRow & { sender: PlanView['sender'] }>(db, FIND_PLAN, [courseId]);
  if (!row) return null;
  const next = await rows<{ step_id: string; count: number }>(db, COUNT_NEXT, [courseId, today]);
  return {
    course: { id: row.id, title: row.title },
    version: row.version,
    publishedAt: row.published_at.toISOString(),
    publishedBy: row.published_by,
    steps: row.steps as PlanView['steps'],
    next28: Object.fromEntries(next.map(({ step_id, count }) => [step_id, count])),
    open: row.open,
    sender: row.sender,
    people: await rows(db, LIST_NAMED, [[...row.steps, ...(row.draft ?? [])].flatMap(namedIn)]),
    draft: row.draft
      ? {
          version: row.draft_version!,
          written: row.written!,
          steps: row.draft as PlanView['steps'],
          savedAt: row.saved_at!.toISOString(),
          savedBy: row.saved_by!,
        }
      : null,
  };
}

const COUNT_OPEN = "select coalesce(sum(count), 0)::integer as open from figures_now where what = 'open' and of_id = $1::bigint";

/** How many have a course open. */
export const countOpen = async (db: Queryable, courseId: string): Promise<number> =>
  (await oneRow<{ open: number }>(db, COUNT_OPEN, [courseId])).open;

const LIST_OPEN = 'select id from assignments where course_id = $1::bigint and closed_by is null order by id';

/** The open assignments of a course. */
export const listOpen = async (db: Queryable, courseId: string): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_OPEN, [courseId])).map(({ id }) => id);

const HAS_PLAN = 'select 1 from plans where course_id = $1::bigint';

export const hasPlan = async (db: Queryable, courseId: string): Promise<boolean> => (await maybeRow(db, HAS_PLAN, [courseId])) !== null;

const LOCK_PLAN = 'select version, steps from plans where course_id = $1::bigint for update';

export const lockPlan = (db: Client, courseId: string): Promise<{ version: number; steps: PlanStep[] } | null> =>
  maybeRow(db, LOCK_PLAN, [courseId]);

const PUT_PLAN = `
with version as (
  insert into plan_versions (course_id, version, published_at, published_by, steps, note)
  values ($1::bigint, $2::integer, $3::timestamptz, $4::text, $5::jsonb, $6::text)
)
insert into plans (course_id, version, published_at, published_by, steps)
values ($1::bigint, $2::integer, $3::timestamptz, $4::text, $5::jsonb)
on conflict (course_id) do update
set version = excluded.version, published_at = excluded.published_at, published_by = excluded.published_by, steps = excluded.steps
`;

export const putPlan = (
  db: Client,
  courseId: string,
  version: number,
  now: number,
  byWhom: string | null,
  steps: readonly PlanStep[],
  note: string | null = null,
): Promise<unknown> => db.query(PUT_PLAN, [courseId, version, new Date(now), byWhom, JSON.stringify(steps), note]);

const LIST_CHOICES = `
select
  (select coalesce(jsonb_agg(jsonb_build_object('id', d.id::text, 'name', d.name) order by d.name), '[]') from departments d) as departments,
  (select coalesce(jsonb_agg(jsonb_build_object('id', s.id::text, 'name', s.name) order by s.name), '[]') from sites s) as sites,
  (select coalesce(jsonb_agg(jsonb_build_object('id', g.id::text, 'name', g.name) order by g.name), '[]') from groups g) as groups,
  array(select distinct p.job from people p where p.job is not null order by p.job) as jobs,
  (select coalesce(jsonb_agg(jsonb_build_object('id', c.id::text, 'title', c.title) order by c.title), '[]') from courses c) as courses,
  (
    select coalesce(jsonb_agg(jsonb_build_object('id', x.id::text, 'title', x.title) order by x.position), '[]')
    from sections x
    where x.course_id = $1::bigint
  ) as sections,
  (
    select coalesce(jsonb_agg(jsonb_build_object('id', u.id::text, 'title', u.title, 'kind', u.kind) order by x.position, u.position), '[]')
    from sections x
    join units u on u.section_id = x.id
    where x.course_id = $1::bigint
  ) as units
`;

export const listChoices = (db: Queryable, courseId: string): Promise<PlanChoices> => oneRow<PlanChoices>(db, LIST_CHOICES, [courseId]);

const LIST_VERSIONS = `
select v.version, v.published_at as "publishedAt", v.published_by as "publishedBy", v.note, jsonb_array_length(v.steps) as steps,
  (select count(*)::integer from jsonb_array_elements(v.steps) s where (s ->> 'on')::boolean) as "on"
from plan_versions v
where v.course_id = $1::bigint
order by v.version desc
limit 500
`;

export const listVersions = (db: Queryable, courseId: string): Promise<PlanVersion[]> => rows<PlanVersion>(db, LIST_VERSIONS, [courseId]);

const GET_VERSION = 'select steps from plan_versions where course_id = $1::bigint and version = $2::integer';

/** The steps of a version as it was published, or null. */
export const findVersion = async (db: Queryable, courseId: string, version: number): Promise<PlanStep[] | null> =>
  (await maybeRow<{ steps: PlanStep[] }>(db, GET_VERSION, [courseId, version]))?.steps ?? null;
