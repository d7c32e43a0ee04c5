import { FINISH_ALL, unitKind, type Asks, type SessionRules, type SignOffSheet, type UnitKind, type Validity } from '@nudrik/core';
import type {
  CourseDraft,
  CourseInput,
  CourseRow,
  CourseState,
  CourseView,
  FormerFile,
  FinishRule,
  Quiz,
  Release,
  StoredFile,
  Survey,
  Video,
  UnitView,
} from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

const LIST_COURSES = `
select
  c.id, c.title, c.state, d.course_id is not null as has_draft, c.code, c.validity, o.name as owner,
  coalesce(c.needed, cardinality(c.required_units)) as units, f.open, f.due_soon, f.late,
    f.finished, f.current,
  f.asked, (select count(*)::integer from jsonb_array_elements(p.steps) s where (s ->> 'on')::boolean) as steps_on,
  jsonb_array_length(p.steps) as steps
from courses c
join course_figures($1::timestamptz, $2::date) f on f.course_id = c.id
left join people o on o.id = c.owner_id
join plans p on p.course_id = c.id
left join course_drafts d on d.course_id = c.id and c.state <> 'draft'
order by c.state = 'retired', c.title
`;

export async function listCourses(db: Queryable, now: number, today: string): Promise<CourseRow[]> {
  const found = await rows<Record<string, string | number | boolean | null>>(db, LIST_COURSES, [new Date(now), today]);
  return found.map((row) => ({
    id: row['id'] as string,
    title: row['title'] as string,
    state: row['state'] as CourseState,
    hasDraft: row['has_draft'] as boolean,
    code: row['code'] as string | null,
    validity: row['validity'] as Validity | null,
    owner: row['owner'] as string | null,
    units: row['units'] as number,
    current: row['current'] as number,
    asked: row['asked'] as number,
    open: row['open'] as number,
    dueSoon: row['due_soon'] as number,
    late: row['late'] as number,
    finished: row['finished'] as number,
    stepsOn: row['steps_on'] as number,
    steps: row['steps'] as number,
  }));
}

const FIND_COURSE = `
select c.id, c.title, c.code, c.summary, c.validity, c.certificate_design_id, c.owner_id, c.assistants, c.asks, o.name as owner_name, c.version, c.changed_at, c.changed_by,
  c.state, c.written, c.finish, c.certificate, c.live_at, c.live_by, c.retired_at, d.saved_at, d.saved_by,
  coalesce((select sum(f.count) from figures_now f where f.what in ('open', 'completed', 'excused') and f.of_id = c.id), 0)::integer as assigned
from courses c
left join people o on o.id = c.owner_id
left join course_drafts d on d.course_id = c.id and c.state <> 'draft'
where c.id = $1::bigint
`;

const LIST_UNITS = `
select s.id as section_id, s.title as section_title, u.id, u.kind, u.title, u.required, u.weight, u.release, u.body, u.url, u.file_id, u.content,
  case when f.id is not null then
    jsonb_build_object('id', f.id::text, 'name', f.name, 'bytes', f.size, 'type', f.type, 'about', f.about)
  end as file
from sections s
left join units u on u.section_id = s.id
left join files f on f.id = u.file_id
where s.course_id = $1::bigint
order by s.position, u.position
`;

interface UnitDbRow {
  section_id: string;
  section_title: string;
  id: string | null;
  kind: UnitKind;
  title: string;
  required: boolean;
  weight: number;
  release: Release | null;
  content: { quiz?: Quiz; video?: Video; survey?: Survey; signOff?: SignOffSheet; session?: SessionRules };
  body: string | null;
  url: string | null;
  file_id: string | null;
  file: StoredFile | null;
}

export async function listSections(db: Queryable, courseId: string): Promise<CourseView['sections']> {
  const sections: CourseView['sections'] = [];
  for (const row of await rows<UnitDbRow>(db, LIST_UNITS, [courseId])) {
    let section = sections.at(-1);
    if (section?.id !== row.section_id) {
      section = { id: row.section_id, title: row.section_title, units: [] };
      sections.push(section);
    }
    if (row.id === null) continue;
    const unit: UnitView = {
      id: row.id,
      kind: row.kind,
      title: row.title,
      required: row.required,
      weight: row.weight,
      release: row.release,
      body: row.body,
      url: row.url,
      fileId: row.file_id,
      quiz: row.content.quiz ?? null,
      video: row.content.video ?? null,
      survey: row.content.survey ?? null,
      signOff: row.content.signOff ?? null,
      session: row.content.session ?? null,
      file: row.file,
    };
    section!.units.push(unit);
  }
  return sections;
}

export async function findCourse(db: Queryable, id: string): Promise<CourseView | null> {
  const row = await maybeRow<{
    id: string;
    title: string;
    code: string | null;
    summary: string | null;
    validity: Validity | null;
    certificate_design_id: string | null;
    owner_id: string | null;
    assistants: string[];
    asks: Asks;
    owner_name: string | null;
    assigned: number;
    version: number;
    changed_at: Date | null;
    changed_by: string | null;
    state: CourseState;
    written: number;
    finish: FinishRule;
    certificate: 'issued' | 'none' | null;
    live_at: Date | null;
    live_by: string | null;
    retired_at: Date | null;
    saved_at: Date | null;
    saved_by: string | null;
  }>(db, FIND_COURSE, [id]);
  if (!row) return null;
  return {
    id: row.id,
    title: row.title,
    code: row.code,
    summary: row.summary,
    validity: row.validity,
    certificateDesignId: row.certificate_design_id,
    ownerId: row.owner_id,
    assistants: row.assistants,
    asks: row.asks,
    owner: row.owner_id === null ? null : { id: row.owner_id, name: row.owner_name! },
    sections: await listSections(db, id),
    assigned: row.assigned,
    version: row.version,
    changedAt: row.changed_at?.toISOString() ?? null,
    changedBy: row.changed_by,
    state: row.state,
    written: row.written,
    finish: row.finish,
    certificate: row.certificate,
    liveAt: row.live_at?.toISOString() ?? null,
    liveBy: row.live_by,
    retiredAt: row.retired_at?.toISOString() ?? null,
    draft: row.saved_at && { savedAt: row.saved_at.toISOString(), savedBy: row.saved_by! },
  };
}

const INSERT_COURSE = `
insert into courses (title, code, summary, owner_id, validity, assistants, certificate_design_id, asks, certificate, finish, state)
values (
  $1::text, $2::text, $3::text, $4::bigint, $5::jsonb, $6::bigint[], (select d.id from certificate_designs d where d.id = $7::bigint), $8::text,
  $9::text, $10::jsonb, $11::text
)
returning id
`;
const UPDATE_COURSE = `
update courses
set title = $2::text, code = $3::text, summary = $4::text, owner_id = $5::bigint, validity = $6::jsonb, assistants = $7::bigint[],
  certificate_design_id = (select d.id from certificate_designs d where d.id = $8::bigint), asks = $9::text, certificate = $10::text,
  finish = $11::jsonb
where id = $1::bigint
`;

const factsOf = (draft: CourseInput): unknown[] => [
  draft.title,
  draft.code || null,
  draft.summary || null,
  draft.ownerId ?? null,
  draft.validity ? JSON.stringify(draft.validity) : null,
  draft.assistants ?? [],
  draft.certificateDesignId ?? null,
  draft.asks ?? 'none',
];
const finishOf = (draft: CourseInput): string => JSON.stringify(draft.finish ?? FINISH_ALL);

export async function insertCourse(db: Client, draft: CourseInput, state: CourseState = 'live'): Promise<string> {
  const certificate = draft.certificate === undefined && state === 'live' ? 'issued' : (draft.certificate ?? null);
  return (await oneRow<{ id: string }>(db, INSERT_COURSE, [...factsOf(draft), certificate, finishOf(draft), state])).id;
}

export const updateCourse = (db: Client, id: string, draft: CourseDraft): Promise<unknown> =>
  db.query(UPDATE_COURSE, [id, ...factsOf(draft), draft.certificate, finishOf(draft)]);

const REFRESH_REQUIRED = `
update courses c
set
  required_units = coalesce((
    select array_agg(u.id order by s.position, u.position)
    from sections s
    join units u on u.section_id = s.id
    where s.course_id = c.id
      and u.required
  ), '{}'),
  needed = case when c.finish ->> 'kind' = 'some' then (c.finish ->> 'units')::integer end
where c.id = $1::bigint
`;

const CHANGE_SECTION = `
update sections
set position = $3::integer, title = $4::text
where id = $1::bigint
  and course_id = $2::bigint
returning id
`;
const INSERT_SECTION = `
insert into sections (course_id, position, title)
values ($1::bigint, $2::integer, $3::text)
returning id
`;
const CHANGE_UNIT = `
update units
set section_id = $1::bigint, position = $2::integer, kind = $3::text, title = $4::text, required = $5::boolean, body = $6::text,
  url = $7::text, file_id = $8::bigint, weight = $9::integer, release = $10::jsonb, content = $11::jsonb
where id = $12::bigint
  and section_id in (select id from sections where course_id = $13::bigint)
returning id
`;
const INSERT_UNIT = `
insert into units (id, section_id, position, kind, title, required, body, url, file_id, weight, release, content)
overriding system value
values (
  coalesce($12::bigint, nextval(pg_get_serial_sequence('units', 'id'))), $1::bigint, $2::integer, $3::text, $4::text, $5::boolean, $6::text,
  $7::text, $8::bigint, $9::integer, $10::jsonb, $11::jsonb
)
returning id
`;
const DELETE_OTHER_UNITS = `
delete
from units
where section_id in (select id from sections where course_id = $1::bigint)
  and id <> all($2::bigint[])
`;
const DELETE_OTHER_SECTIONS = 'delete from sections where course_id = $1::bigint and id <> all($2::bigint[])';

/** What a unit keeps in its content: the fields that belong to its kind. */
const contentOf = (unit: UnitInput): object =>
  Object.fromEntries((['quiz', 'video', 'survey', 'signOff', 'session'] as const).filter((field) => unitKind(unit.kind).keeps.includes(field) && unit[field]).map((field) => [field, unit[field]])); // prettier-ignore

/**
 * Writes sections and units in their order. A unit keeps its id, and so everyone's progress in it, wherever it is moved. One
 * that is not there yet gets the id that its draft was given, or one of its own.
 */
export async function saveSections(db: Client, courseId: string, sections: CourseInput['sections']): Promise<void> {
  const keptSections: string[] = [];
  const keptUnits: string[] = [];
  for (const [position, section] of sections.entries()) {
    const updated = section.id ? await maybeRow<{ id: string }>(db, CHANGE_SECTION, [section.id, courseId, position, section.title]) : null;
    const sectionId = (updated ?? (await oneRow<{ id: string }>(db, INSERT_SECTION, [courseId, position, section.title]))).id;
    keptSections.push(sectionId);
    for (const [place, unit] of section.units.entries()) {
      const values = [
        sectionId,
        place,
        unit.kind,
        unit.title,
        unit.required ?? true,
        ...(['body', 'url', 'fileId'] as const).map((field) => (unitKind(unit.kind).keeps.includes(field) ? (unit[field] ?? null) : null)),
        unit.weight ?? 1,
        unit.release ? JSON.stringify(unit.release) : null,
        JSON.stringify(contentOf(unit)),
      ];
      const kept = unit.id ? await maybeRow<{ id: string }>(db, CHANGE_UNIT, [...values, unit.id, courseId]) : null;
      const { id } = kept ?? (await oneRow<{ id: string }>(db, INSERT_UNIT, [...values, unit.id ?? null]));
      keptUnits.push(id);
    }
  }
  await db.query(DELETE_OTHER_UNITS, [courseId, keptUnits]);
  await db.query(DELETE_OTHER_SECTIONS, [courseId, keptSections]);
  await db.query(REFRESH_REQUIRED, [courseId]);
}

type UnitInput = CourseInput['sections'][number]['units'][number];

const KEEP_VERSION = `
with course as (
  update courses
  set
    version = (select coalesce(max(v.version), 0) + 1 from course_versions v where v.course_id = $1::bigint),
    changed_at = $2::timestamptz, changed_by = $3::text
  where id = $1::bigint
  returning id, version, title, required_units, needed, finish
)
insert into course_versions (course_id, version, at, by_whom, required_units, needed, content)
select
  c.id, c.version, $2::timestamptz, $3::text, c.required_units, c.needed,
  jsonb_build_object('title', c.title, 'finish', c.finish, 'sections', coalesce((
    select jsonb_agg(jsonb_build_object('title', s.title, 'units', coalesce((
      select jsonb_agg(jsonb_build_object('id', u.id::text, 'kind', u.kind, 'title', u.title, 'required', u.required, 'weight', u.weight, 'release', u.release, 'file', f.id::text)
        order by u.position)
      from units u
      left join files f on f.id = u.file_id
      where u.section_id = s.id
    ), '[]')) order by s.position)
    from sections s
    where s.course_id = c.id
  ), '[]'))
from course c
`;

/** Keeps the course as it stands now as its next version. */
export const keepVersion = (db: Client, courseId: string, at: number, byWhom: string | null): Promise<unknown> =>
  db.query(KEEP_VERSION, [courseId, new Date(at), byWhom]);

const FORMER_FILES = `
select f.id, f.name, f.type, f.size::float8 as bytes, f.about, max(v.version) as version, max(v.at) as at
from course_versions v
cross join jsonb_array_elements(v.content -> 'sections') s
cross join jsonb_array_elements(s -> 'units') u
join files f on f.id = (u ->> 'file')::bigint
where v.course_id = $1::bigint
  and u ->> 'id' = $2::text
  and f.purpose = 'course'
group by f.id
order by 6 desc
`;

/** The files that a unit has had in what was published, the newest first. */
export const formerFiles = (db: Queryable, courseId: string, unitId: string): Promise<FormerFile[]> => rows(db, FORMER_FILES, [courseId, unitId]); // prettier-ignore
