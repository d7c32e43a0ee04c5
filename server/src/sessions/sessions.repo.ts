import type { SessionRules, SessionSpan, SignOffOutcome } from '@nudrik/core';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

const FIND_UNIT = `
select c.id as course_id, c.title as course, c.state, u.id, u.title, u.content -> 'session' as rules
from units u
join sections s on s.id = u.section_id
join courses c on c.id = s.course_id
where u.id = $1::bigint
  and u.kind = 'session'
`;
export interface SessionUnit {
  course_id: string;
  course: string;
  state: string;
  id: string;
  title: string;
  rules: SessionRules;
}
export const findSessionUnit = (db: Queryable, unitId: string): Promise<SessionUnit | null> => maybeRow(db, FIND_UNIT, [unitId]);

const COLUMNS = `
  s.id, s.course_id, s.unit_id, s.title, s.starts_at, s.ends_at, s.site_id, s.zone, s.place, s.link, s.seats, s.trainer_id, s.cancelled_at, s.cancelled_by, s.cancelled_because
`;
export interface SessionRow {
  id: string;
  course_id: string;
  unit_id: string;
  title: string;
  starts_at: Date;
  ends_at: Date;
  site_id: string;
  zone: string;
  place: string | null;
  link: string | null;
  seats: number;
  trainer_id: string | null;
  cancelled_at: Date | null;
  cancelled_by: string | null;
  cancelled_because: string | null;
}
export interface ShownSessionRow extends SessionRow {
  trainer: string | null;
  taken: number;
  waiting: number;
}
const LIST = `
select ${COLUMNS}, t.name as trainer, c.taken, c.waiting
from training_sessions s
left join people t on t.id = s.trainer_id
cross join lateral (
  select count(*) filter (where x.state = 'seat')::integer as taken, count(*) filter (where x.state = 'waiting')::integer as waiting
  from seats x
  where x.session_id = s.id
) c
where s.unit_id = $1::bigint
  and ($2::timestamptz is null or s.ends_at > $2::timestamptz and s.cancelled_at is null)
order by s.starts_at, s.id
limit 500
`;
/** The sessions of a unit. @param from only those that are still to come then, and not cancelled */
export const listSessions = (db: Queryable, unitId: string, from: number | null = null): Promise<ShownSessionRow[]> =>
  rows(db, LIST, [unitId, from === null ? null : new Date(from)]);

const FIND = `select ${COLUMNS} from training_sessions s where s.id = $1::bigint`;
export const findSession = (db: Queryable, id: string): Promise<SessionRow | null> => maybeRow(db, FIND, [id]);
const LOCK = `select ${COLUMNS} from training_sessions s where s.id = any($1::bigint[]) order by s.id for update`;
/** Sessions in the order of their ids, each locked: whoever takes or gives up a seat waits for whoever does. */
export const lockSessions = (db: Client, ids: readonly string[]): Promise<SessionRow[]> => rows(db, LOCK, [ids]);

const INSERT = `
insert into training_sessions (course_id, unit_id, title, starts_at, ends_at, zone, place, link, seats, trainer_id, made_at, made_by, save, site_id)
values (
  $1::bigint, $2::bigint, $3::text, $4::timestamptz, $5::timestamptz, $6::text, $7::text, $8::text, $9::integer, $10::bigint, $11::timestamptz, $12::text, $13::text, $14::bigint
)
on conflict (save) do nothing
returning id
`;
export interface SessionInsert {
  course: string;
  unit: string;
  title: string;
  startsAt: number;
  endsAt: number;
  site: string;
  zone: string;
  place: string | null;
  link: string | null;
  seats: number;
  trainer: string | null;
}
/** @returns null where it was made already, by the same save */
export const insertSession = async (db: Client, s: SessionInsert, at: number, byWhom: string, save: string): Promise<string | null> =>
  (await maybeRow<{ id: string }>(db, INSERT, [s.course, s.unit, s.title, new Date(s.startsAt), new Date(s.endsAt), s.zone, s.place, s.link, s.seats, s.trainer, new Date(at), byWhom, save, s.site]))?.id ?? null; // prettier-ignore
const UPDATE = `
update training_sessions
set title = $2::text, starts_at = $3::timestamptz, ends_at = $4::timestamptz, zone = $5::text, place = $6::text, link = $7::text, seats = $8::integer,
  trainer_id = $9::bigint, changed_at = $10::timestamptz, changed_by = $11::text, site_id = $12::bigint
where id = $1::bigint
`;
export const updateSession = (db: Client, id: string, s: SessionInsert, at: number, byWhom: string): Promise<unknown> =>
  db.query(UPDATE, [id, s.title, new Date(s.startsAt), new Date(s.endsAt), s.zone, s.place, s.link, s.seats, s.trainer, new Date(at), byWhom, s.site]); // prettier-ignore
const CANCEL = `
update training_sessions
set cancelled_at = $2::timestamptz, cancelled_by = $3::text, cancelled_because = $4::text
where id = $1::bigint
`;
export const markCancelled = (db: Client, id: string, at: number, byWhom: string, told: string | null): Promise<unknown> =>
  db.query(CANCEL, [id, new Date(at), byWhom, told]);

export interface SeatDbRow {
  session_id: string;
  assignment_id: string;
  state: 'seat' | 'waiting';
  since: Date;
  by_whom: string;
  person_id: string;
  person: string;
  department: string;
  site: string;
  zone: string;
  closed_by: string | null;
  outcome: SignOffOutcome | null;
}
const LIST_SEATS = `
select x.session_id, x.assignment_id, x.state, x.since, x.by_whom, p.id as person_id, p.name as person, d.name as department, i.name as site, i.zone,
  a.closed_by, (
    select o.outcome
    from sign_offs o
    where o.assignment_id = x.assignment_id
      and o.session_id = x.session_id
      and o.corrected_at is null
    order by o.id desc
    limit 1
  ) as outcome
from seats x
join assignments a on a.id = x.assignment_id
join people p on p.id = a.person_id
join departments d on d.id = p.department_id
join sites i on i.id = p.site_id
where x.session_id = any($1::bigint[])
  and x.state <> 'given-up'
order by x.state, case when x.state = 'waiting' then x.since end, p.name, x.id
`;
/** Who has a seat, and who waits for one, in the order in which they asked. */
export const listSeats = (db: Queryable, sessions: readonly string[]): Promise<SeatDbRow[]> => rows(db, LIST_SEATS, [sessions]);

const COUNT_SEATS = "select count(*)::integer as count from seats where session_id = $1::bigint and state = 'seat'";
export const countSeats = async (db: Queryable, session: string): Promise<number> => (await oneRow<{ count: number }>(db, COUNT_SEATS, [session])).count; // prettier-ignore

// the seat, or the place on a waiting list, in a session of a unit that is still to come
const FIND_SEAT = `
select x.session_id, x.state
from seats x
join training_sessions s on s.id = x.session_id
where x.assignment_id = $1::bigint
  and s.unit_id = $2::bigint
  and s.starts_at > $3::timestamptz
  and s.cancelled_at is null
  and x.state <> 'given-up'
`;
export const findSeat = (
  db: Queryable,
  assignment: string,
  unit: string,
  now: number,
): Promise<{ session_id: string; state: 'seat' | 'waiting' } | null> => maybeRow(db, FIND_SEAT, [assignment, unit, new Date(now)]);

const PUT_SEAT = `
insert into seats (session_id, assignment_id, state, since, by_whom)
values ($1::bigint, $2::bigint, $3::text, $4::timestamptz, $5::text)
on conflict (session_id, assignment_id) do update
set state = excluded.state, since = excluded.since, by_whom = excluded.by_whom
`;
export const putSeat = (
  db: Client,
  session: string,
  assignment: string,
  state: 'seat' | 'waiting' | 'given-up',
  at: number,
  byWhom: string,
): Promise<unknown> => db.query(PUT_SEAT, [session, assignment, state, new Date(at), byWhom]);

const LIST_WAITING = `
select x.assignment_id, a.person_id
from seats x
join assignments a on a.id = x.assignment_id
where x.session_id = $1::bigint
  and x.state = 'waiting'
  and a.closed_by is null
order by x.since, x.id
`;
export const listWaiting = (db: Queryable, session: string): Promise<{ assignment_id: string; person_id: string }[]> =>
  rows(db, LIST_WAITING, [session]);

const LIST_OTHERS = `
select a.person_id, s.id, s.title, s.starts_at, s.ends_at
from seats x
join training_sessions s on s.id = x.session_id
join assignments a on a.id = x.assignment_id
where a.person_id = any($1::bigint[])
  and x.state = 'seat'
  and s.cancelled_at is null
  and s.ends_at > $2::timestamptz
`;
/** When people are in other sessions, by person. */
export async function listTimesOf(db: Queryable, people: readonly string[], now: number): Promise<Map<string, SessionSpan[]>> {
  const found = new Map<string, SessionSpan[]>();
  for (const row of await rows<{ person_id: string; id: string; title: string; starts_at: Date; ends_at: Date }>(db, LIST_OTHERS, [people, new Date(now)])) {
    const list = found.get(row.person_id) ?? [];
    list.push({ id: row.id, title: row.title, startsAt: row.starts_at.getTime(), endsAt: row.ends_at.getTime() });
    found.set(row.person_id, list);
  } // prettier-ignore
  return found;
}

const UNSEATED = `
from assignments a
join people p on p.id = a.person_id
join departments d on d.id = p.department_id
join sites i on i.id = p.site_id
where a.course_id = $1::bigint
  and a.closed_by is null
  and a.assigned_at <= $3::timestamptz
  and not $2::bigint = any(a.units_done)
  and is_here(p.left_on, $4::date)
  and not exists (
    select from seats x
    join training_sessions s on s.id = x.session_id
    where x.assignment_id = a.id
      and s.unit_id = $2::bigint
      and s.starts_at > $3::timestamptz
      and s.cancelled_at is null
      and x.state <> 'given-up'
  )
`;
export interface UnseatedRow {
  assignment_id: string;
  id: string;
  name: string;
  department: string;
  site: string;
  due_at: Date;
}
/** Who has a course open, did not do a unit yet, and has no seat to come, the most urgent first. */
export const listUnseated = (
  db: Queryable,
  course: string,
  unit: string,
  now: number,
  today: string,
  most: number,
  line: readonly string[] | null = null,
): Promise<UnseatedRow[]> =>
  rows(
    db,
    `select a.id as assignment_id, p.id, p.name, d.name as department, i.name as site, a.due_at ${UNSEATED}
  and ($6::bigint[] is null or p.id = any($6::bigint[]))
order by a.due_at, p.name, a.id
limit $5::integer`,
    [course, unit, new Date(now), today, most, line],
  );
export const countUnseated = async (db: Queryable, course: string, unit: string, now: number, today: string): Promise<number> =>
  (await oneRow<{ count: number }>(db, `select count(*)::integer as count ${UNSEATED}`, [course, unit, new Date(now), today])).count;

const COUNT_PLANNED = `
select count(*)::integer as count
from notices
where assignment_id = any($1::bigint[])
  and step_id = any($2::text[])
  and state in ('planned', 'held')
`;
export const countPlanned = async (db: Queryable, assignments: readonly string[], steps: readonly string[]): Promise<number> =>
  (await oneRow<{ count: number }>(db, COUNT_PLANNED, [assignments, steps])).count;

// seats to come of whoever does not need them any more
const LIST_IDLE = `
select x.session_id, x.assignment_id
from seats x
join training_sessions s on s.id = x.session_id
join assignments a on a.id = x.assignment_id
join people p on p.id = a.person_id
where s.starts_at > $1::timestamptz
  and s.cancelled_at is null
  and x.state <> 'given-up'
  and (a.closed_by is not null or s.unit_id = any(a.units_done) or not is_here(p.left_on, $2::date))
order by x.session_id, x.assignment_id
limit 500
`;
export const listIdleSeats = (db: Queryable, now: number, today: string): Promise<{ session_id: string; assignment_id: string }[]> =>
  rows(db, LIST_IDLE, [new Date(now), today]);

// units whose people are seated by themselves, where there is room
const LIST_RULED = `
select distinct u.id
from training_sessions s
join units u on u.id = s.unit_id
join courses c on c.id = s.course_id
where s.starts_at > $1::timestamptz
  and s.cancelled_at is null
  and c.state = 'live'
  and u.kind = 'session'
  and (u.content -> 'session' ->> 'rule')::boolean
  and s.seats > (select count(*) from seats x where x.session_id = s.id and x.state = 'seat')
`;
export const listRuledUnits = (db: Queryable, now: number): Promise<{ id: string }[]> => rows(db, LIST_RULED, [new Date(now)]);
const LIST_GIVEN_UP = `
select x.assignment_id, x.session_id
from seats x
join training_sessions s on s.id = x.session_id
where x.assignment_id = any($1::bigint[])
  and s.unit_id = $2::bigint
  and x.state = 'given-up'
`;
/** Sessions that people gave up, by assignment: nobody is put into one of them again by a rule. */
export async function listGivenUp(db: Queryable, assignments: readonly string[], unit: string): Promise<Map<string, Set<string>>> {
  const found = new Map<string, Set<string>>();
  for (const row of await rows<{ assignment_id: string; session_id: string }>(db, LIST_GIVEN_UP, [assignments, unit]))
    found.set(row.assignment_id, (found.get(row.assignment_id) ?? new Set()).add(row.session_id));
  return found;
}

const ANY_AHEAD = 'select exists (select from training_sessions where starts_at > $1::timestamptz and cancelled_at is null) as is_any';
export const isAnyAhead = async (db: Queryable, now: number): Promise<boolean> => (await oneRow<{ is_any: boolean }>(db, ANY_AHEAD, [new Date(now)])).is_any; // prettier-ignore

const FIND_SITE = 'select id, name, zone from sites where id = $1::bigint';
export const findSite = (db: Queryable, id: string): Promise<{ id: string; name: string; zone: string } | null> => maybeRow(db, FIND_SITE, [id]); // prettier-ignore
const LIST_UNITS = `
select distinct s.unit_id as id
from training_sessions s
where s.ends_at > $1::timestamptz
  and s.cancelled_at is null
order by s.unit_id
`;
export const listUnitsAhead = (db: Queryable, now: number): Promise<{ id: string }[]> => rows(db, LIST_UNITS, [new Date(now)]);

const FIND_ASSIGNEE =
  'select a.person_id, a.course_id, p.name from assignments a join people p on p.id = a.person_id where a.id = $1::bigint';
/** Whose assignment it is, and of which course. */
export const findAssignee = (db: Queryable, assignment: string): Promise<{ person_id: string; course_id: string; name: string } | null> =>
  maybeRow(db, FIND_ASSIGNEE, [assignment]);
