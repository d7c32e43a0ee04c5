import {
  NAMES_THEMSELVES,
  Roster,
  type CalendarFacts,
  type Course,
  type Hold,
  type Leave,
  type Names,
  type Person,
  type Settings,
  type Way,
} from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';
import { holdOf, listStanding } from '../holding/holding.repo.ts';

const LIST_CALENDARS = `
select s.id, s.zone, s.working_days, coalesce(array_agg(h.on_date::text order by h.on_date) filter (where h.on_date is not null), '{}') as holidays
from sites s
left join holidays h on h.site_id = s.id
group by s.id
`;

export async function listCalendars(db: Queryable): Promise<CalendarFacts[]> {
  const found = await rows<{ id: string; zone: string; working_days: number[]; holidays: string[] }>(db, LIST_CALENDARS);
  return found.map((row) => ({ id: row.id, zone: row.zone, workingDays: row.working_days, holidays: row.holidays }));
}

// the people asked for, everyone above them, and everyone who covers one of these
const LIST_PEOPLE_AROUND = `
with recursive wanted (id) as (
  select unnest($1::bigint[])
  union
  select next.id
  from wanted w
  join people p on p.id = w.id
  cross join lateral (
    select p.manager_id as id
    union all
    select l.cover_id from leaves l where l.person_id = p.id
  ) next
  where next.id is not null
)
select
  p.id, p.name, p.email, p.site_id, p.department_id, p.personnel_number, p.manager_id, d.name as department, s.name as site, p.job,
    p.language, p.chat_name, p.chat_state, p.reached_by, p.daily_at, p.digest_at, p.digest_on, p.joined_on, p.left_on, p.address_state,
  (
    select coalesce(jsonb_agg(jsonb_build_object('from', l.from_on, 'to', l.to_on, 'cover', l.cover_id::text) order by l.from_on), '[]')
    from leaves l
    where l.person_id = p.id
  ) as leave,
  (
    select coalesce(jsonb_agg(jsonb_build_object('id', g.id::text, 'name', g.name) order by g.name), '[]')
    from group_members m
    join groups g on g.id = m.group_id
    where m.person_id = p.id
  ) as groups,
  (select array_agg(x.course_id || '/' || x.step_id) from declines x where x.person_id = p.id and x.ended_at is null) as declined,
  case when $2::boolean then (
    select coalesce(jsonb_agg(jsonb_build_object('course', s.course_id::text, 'until', nullif(s.until, 'infinity'))), '[]')
    from standings s
    where s.person_id = p.id
      and s.until is not null
  ) end as held
from wanted w
join people p on p.id = w.id
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
`;

interface PersonFactsRow {
  id: string;
  name: string;
  email: string;
  site_id: string;
  manager_id: string | null;
  department: string;
  site: string;
  job: string | null;
  language: string | null;
  chat_name: string | null;
  chat_state: string;
  reached_by: Way | null;
  daily_at: string | null;
  digest_at: string | null;
  digest_on: number | null;
  joined_on: string | null;
  left_on: string | null;
  address_state: string;
  leave: Leave[];
  groups: { id: string; name: string }[];
  department_id: string;
  personnel_number: string | null;
  declined: string[] | null;
  held: { course: string; until: string | null }[] | null;
}

export async function listPeopleAround(db: Queryable, ids: readonly string[], withHeld = false): Promise<Person[]> {
  const found = await rows<PersonFactsRow>(db, LIST_PEOPLE_AROUND, [ids, withHeld]);
  return found.map((row) => ({
    id: row.id,
    name: row.name,
    email: row.email,
    calendar: row.site_id,
    manager: row.manager_id,
    leave: row.leave,
    department: row.department,
    site: row.site,
    groups: row.groups.map(({ name }) => name),
    departmentId: row.department_id,
    siteId: row.site_id,
    groupIds: row.groups.map(({ id }) => id),
    number: row.personnel_number,
    job: row.job,
    language: row.language,
    joinedOn: row.joined_on,
    leftOn: row.left_on,
    isReachable: row.address_state === 'ok',
    chatName: row.chat_name,
    isChatReachable: row.chat_state === 'ok',
    by: row.reached_by,
    dailyAt: row.daily_at,
    ...(row.digest_at !== null && { digest: { at: row.digest_at, on: row.digest_on } }),
    ...(row.declined && { declined: row.declined }),
    ...(row.held && { held: row.held }),
  }));
}

// sites, groups and courses are few; a condition names them by id, and tells them by name
const LIST_NAMES = `
select 'site' as kind, id::text, name from sites
union all
select 'group', id::text, name from groups
union all
select 'course', id::text, title from courses
`;

type NamedCourse = Course & { titles?: Readonly<Record<string, string>>; stepNames?: Readonly<Record<string, string>> };
export type NameRecords = Record<keyof Names, Record<string, string>>;

/** What the ids in conditions are called, by kind. */
async function nameRecords(
  db: Queryable,
  departments: readonly { id: string; name: string }[],
  courses: readonly NamedCourse[],
): Promise<NameRecords> {
  const names: NameRecords = { department: {}, site: {}, group: {}, person: {}, course: {}, unit: {}, step: {} };
  for (const { id, name } of departments) names.department[id] = name;
  for (const { id, title, titles = {}, stepNames = {} } of courses) {
    names.course[id] = title;
    for (const [unit, name] of Object.entries(titles)) names.unit[unit] = `“${name}”`;
    Object.assign(names.step, stepNames);
  }
  for (const { kind, id, name } of await rows<{ kind: 'site' | 'group' | 'course'; id: string; name: string }>(db, LIST_NAMES))
    names[kind][id] = name;
  return names;
}

const GONE: Partial<Record<keyof Names, string>> = { unit: 'a unit that is gone', step: 'a step that is gone' };

const namesOf = (records: NameRecords): Names => {
  const say =
    (kind: keyof Names) =>
    (id: string): string =>
      records[kind][id] ?? GONE[kind] ?? id;
  return { ...NAMES_THEMSELVES, department: say('department'), site: say('site'), group: say('group'), course: say('course'), unit: say('unit'), step: say('step') }; // prettier-ignore
};

const LIST_DEPARTMENTS = 'select id, name, parent_id from departments';

type AskedCourse = NamedCourse & { named?: readonly string[]; asksHeld?: boolean };

/** What planning looks up for some people and courses, as plain data: they, those above, covers, owners, assistants, whom steps name, calendars, holds. */
export async function loadRosterFacts(
  db: Queryable,
  personIds: readonly string[],
  courses: readonly AskedCourse[],
): Promise<{ people: Person[]; calendars: CalendarFacts[]; parents: Record<string, string | null>; names: NameRecords; holds: Hold[] }> {
  const told = courses.flatMap(({ owner, assistants = [], named = [] }) => [...(owner ? [owner] : []), ...assistants, ...named]);
  const calendars = await listCalendars(db);
  const people = await listPeopleAround(
    db,
    [...new Set([...personIds, ...told])],
    courses.some(({ asksHeld }) => asksHeld),
  );
  const departments = await rows<{ id: string; name: string; parent_id: string | null }>(db, LIST_DEPARTMENTS);
  return {
    people,
    calendars,
    parents: Object.fromEntries(departments.map(({ id, parent_id }) => [id, parent_id])),
    names: await nameRecords(db, departments, courses),
    holds: (await listStanding(db)).map(holdOf),
  };
}

/** A roster of what was loaded for it. */
export const rosterOf = (
  { parents, names, ...facts }: Awaited<ReturnType<typeof loadRosterFacts>>,
  courses: readonly Course[],
  sending: Settings,
): Roster => new Roster({ ...facts, courses, settings: sending, parentOf: (id) => parents[id] ?? null, names: namesOf(names) });

/** The roster that planning needs for some people and courses. */
export const loadRoster = async (
  db: Queryable,
  personIds: readonly string[],
  courses: readonly AskedCourse[],
  sending: Settings,
): Promise<Roster> => rosterOf(await loadRosterFacts(db, personIds, courses), courses, sending);
