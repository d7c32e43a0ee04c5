import { DEFAULT_SETTINGS, MINUTE, Roster, type CalendarFacts, type Course, type Leave, type Person, type Settings } from '@nudrik/core';
import { oneRow, rows, type Queryable } from '../db/db.ts';

/** What the organisation set: sender, house zone, sending rules. */
export interface House {
  organisation: string;
  zone: string;
  place: string;
  senderName: string;
  senderAddress: string;
  replyTo: string;
  listId: string;
  isDemo: boolean;
  sending: Settings;
}

const GET_SETTINGS = `
select organisation, house_zone, house_place, sender_name, sender_address, reply_to, list_id, is_demo, window_from, window_to, daily_limit, tolerance_minutes
from settings
`;

export async function getHouse(db: Queryable): Promise<House> {
  const row = await oneRow<Record<string, string> & { is_demo: boolean; daily_limit: number | null; tolerance_minutes: number }>(
    db,
    GET_SETTINGS,
  );
  return {
    organisation: row['organisation']!,
    zone: row['house_zone']!,
    place: row['house_place']!,
    senderName: row['sender_name']!,
    senderAddress: row['sender_address']!,
    replyTo: row['reply_to']!,
    listId: row['list_id']!,
    isDemo: row.is_demo,
    sending: {
      ...DEFAULT_SETTINGS,
      sendWindow: { from: row['window_from']!, to: row['window_to']! },
      dailyLimit: row.daily_limit,
      tolerance: row.tolerance_minutes * MINUTE,
    },
  };
}

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
  p.id, p.name, p.email, p.site_id, p.manager_id, d.name as department, s.name as site, p.job, p.joined_on, p.left_on, p.address_state,
  (
    select coalesce(jsonb_agg(jsonb_build_object('from', l.from_on, 'to', l.to_on, 'cover', l.cover_id::text) order by l.from_on), '[]')
    from leaves l
    where l.person_id = p.id
  ) as leave
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
  joined_on: string | null;
  left_on: string | null;
  address_state: string;
  leave: Leave[];
}

export async function listPeopleAround(db: Queryable, ids: readonly string[]): Promise<Person[]> {
  const found = await rows<PersonFactsRow>(db, LIST_PEOPLE_AROUND, [ids]);
  return found.map((row) => ({
    id: row.id,
    name: row.name,
    email: row.email,
    calendar: row.site_id,
    manager: row.manager_id,
    leave: row.leave,
    department: row.department,
    site: row.site,
    groups: [],
    job: row.job,
    joinedOn: row.joined_on,
    leftOn: row.left_on,
    isReachable: row.address_state === 'ok',
  }));
}

/** The roster that planning needs for some people and courses: they, those above, covers, owners, calendars, settings. */
export async function loadRoster(
  db: Queryable,
  personIds: readonly string[],
  courses: readonly Course[],
  sending: Settings,
): Promise<Roster> {
  const owners = courses.flatMap((course) => (course.owner ? [course.owner] : []));
  const calendars = await listCalendars(db);
  const people = await listPeopleAround(db, [...new Set([...personIds, ...owners])]);
  return new Roster({ people, calendars, courses, settings: sending });
}
