import { speechOf, type Language } from '@nudrik/core';
import { newToken, readLink, signedToken } from '../access/personal-link.ts';
import { maybeRow, rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse, houseDay } from '../house/house.ts';
import { writeCalendar, type DueEvent, type SessionEvent } from '../messages/calendar.ts';
import { Refused } from '../refusal.ts';

const GET_TOKEN = 'select calendar_token as token from people where id = $1::bigint';
const SET_TOKEN = 'update people set calendar_token = $2::text where id = $1::bigint';

/** The address of somebody's calendar; null where they asked for none. */
export async function calendarAddress({ db, settings }: Deps, person: string): Promise<string | null> {
  const row = await maybeRow<{ token: string | null }>(db, GET_TOKEN, [person]);
  return row?.token ? `${settings.baseUrl}/api/calendars/${signedToken(settings.key, 'calendar', row.token)}.ics` : null;
}

/** Makes the address of somebody's calendar, or another: the one before ends. @param isOn ends it where it is false */
export async function setCalendar(deps: Deps, person: string, isOn: boolean): Promise<{ address: string | null }> {
  await deps.db.query(SET_TOKEN, [person, isOn ? newToken() : null]);
  return { address: await calendarAddress(deps, person) };
}

const FIND_PERSON = `
select id, language
from people
where calendar_token = $1::text
  and is_here(left_on, $2::date)
`;
// what is open, and what was taken away of late: calendars that have it take it out
const LIST_DUE = `
select
  a.id as assignment, c.title as course, a.due_at as "dueAt", a.closed_by is not null as "isCancelled",
  (select count(*)::integer from assignment_events e where e.assignment_id = a.id) as sequence
from assignments a
join courses c on c.id = a.course_id
where a.person_id = $1::bigint
  and (a.closed_by is null or a.closed_by in ('waived', 'withdrawn') and a.closed_at > $2::timestamptz - interval '60 days')
order by a.due_at, a.id
limit 1000
`;

// one entry for each unit of an assignment: the seat that stands, else what it last was, so that calendars take it out
const LIST_SESSIONS = `
select distinct on (a.id, s.unit_id)
  a.id as assignment, s.unit_id::text as unit, s.title, c.title as course, s.starts_at as "startsAt", s.ends_at as "endsAt",
  coalesce(s.place, s.link) as place, not x.is_there as "isCancelled",
  (select count(*)::integer from assignment_events e where e.assignment_id = a.id) as sequence
from assignments a
join courses c on c.id = a.course_id
join seats t on t.assignment_id = a.id
join training_sessions s on s.id = t.session_id
cross join lateral (
  select t.state = 'seat' and s.cancelled_at is null and coalesce(a.closed_by, 'finished') = 'finished' as is_there
) x
where a.person_id = $1::bigint
  and t.state <> 'waiting'
  and s.ends_at > $2::timestamptz - interval '60 days'
order by a.id, s.unit_id, x.is_there desc, t.since desc, t.id desc
limit 1000
`;

export const listDue = (db: Queryable, person: string, now: number): Promise<DueEvent[]> => rows(db, LIST_DUE, [person, new Date(now)]);

/** Somebody's due dates and sessions, by the address of their calendar. @throws Refused where it is nobody's, or ended */
export async function calendarOf(deps: Deps, link: string): Promise<string> {
  const { db, settings, clock } = deps;
  const now = clock.now();
  const house = await getHouse(db);
  const { token } = readLink(settings.key, 'calendar', link.replace(/\.ics$/, ''));
  const person =
    token === null ? null : await maybeRow<{ id: string; language: Language | null }>(db, FIND_PERSON, [token, houseDay(house, now)]);
  if (!person) throw new Refused('wrong-link', 'This is no calendar of anybody’s, or not any more.');
  const speech = speechOf(person.language ?? house.language);
  const sessions = await rows<SessionEvent>(db, LIST_SESSIONS, [person.id, new Date(now)]);
  return writeCalendar([...(await listDue(db, person.id, now)), ...sessions], {
    name: `${house.organisation}: ${speech.ownDates}`,
    speech,
    listId: house.listId,
    url: `${settings.baseUrl}/my-training`,
    now: new Date(now),
  });
}
