import { DAY_MS, dayOf, HELD_BEFORE, OUTCOME_WORDS, tellDate, type Criterion, type SignOffOutcome, type SignOffSheet } from '@nudrik/core';
import { containing, maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';
import { queueSealed } from '../seals/seals.repo.ts';

const FIND_UNIT = `
select c.id as course_id, c.title as course, c.state, u.id, u.title, u.kind, u.content -> 'signOff' as sheet,
  array_remove(c.assistants || c.owner_id, null) as trainers
from units u
join sections s on s.id = u.section_id
join courses c on c.id = s.course_id
where u.id = $2::bigint
  and c.id = $1::bigint
  and u.kind in ('sign-off', 'session')
`;
export interface SignOffUnit {
  kind: 'sign-off' | 'session';
  course_id: string;
  course: string;
  state: string;
  id: string;
  title: string;
  sheet: SignOffSheet;
  trainers: string[];
}
export const findSignOffUnit = (db: Queryable, courseId: string, unitId: string): Promise<SignOffUnit | null> =>
  maybeRow(db, FIND_UNIT, [courseId, unitId]);

// whoever has the course open, or finished it by this very unit; `line` is as much of it as tells where the signer stands: asked of
// the signer once, and not of each of 50,000
const LIST_PEOPLE = `
with mine as materialized (
  select id from line_here($7::bigint, $3::date)
)
select a.id as assignment_id, p.id, p.name, d.name as department, s.name as site, p.site_id, a.closed_by, $2::bigint = any(a.units_done) as is_done, count(*) over ()::integer as total,
  case
    when p.manager_id = $7::bigint then array[$7::text]
    when p.id in (select id from mine) then array[p.manager_id::text, $7::text]
    else '{}'
  end as line
from assignments a
join people p on p.id = a.person_id
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
where a.course_id = $1::bigint
  and is_here(p.left_on, $3::date)
  and (a.closed_by is null or a.closed_by = 'finished' and exists (select from sign_offs o where o.assignment_id = a.id and o.unit_id = $2::bigint))
  and a.closed_because is distinct from 'undone'
  and a.assigned_at <= $5::timestamptz
  and ($6::bigint is null or exists (select from seats x where x.session_id = $6::bigint and x.assignment_id = a.id and x.state = 'seat'))
  and ($4::bigint[] is null or a.id = any($4::bigint[]))
  and ($8::boolean or p.id in (select id from mine))
  and ($9::text is null or p.name ilike $9::text)
  and (not $10::boolean or a.closed_by is null and not $2::bigint = any(a.units_done))
order by p.name, a.id
limit $11::integer
`;
export interface SignOffPersonRow {
  assignment_id: string;
  id: string;
  name: string;
  department: string;
  site: string;
  site_id: string;
  closed_by: string | null;
  is_done: boolean;
  /** of all that fit, also beyond those that are listed */
  total: number;
  line: string[];
}
/** Of a large course so many are listed at once; the others are found by name. */
export const LISTED = 300;

export interface WhichSignOffs {
  session?: string | null;
  /** of whom it is asked where they stand */
  signer?: string | null;
  /** they may sign for others than their line too */
  isNamed?: boolean;
  assignments?: readonly string[] | null;
  find?: string;
  /** only who has not met it yet */
  isWaiting?: boolean;
}
/** Who may be signed off. */
export const listSignOffPeople = (
  db: Queryable,
  { id: unitId, course_id: courseId }: Pick<SignOffUnit, 'id' | 'course_id'>,
  { today, now }: { today: string; now: number },
  { session = null, signer = null, isNamed = true, assignments = null, find = '', isWaiting = false }: WhichSignOffs = {},
): Promise<SignOffPersonRow[]> =>
  rows(db, LIST_PEOPLE, [courseId, unitId, today, assignments, new Date(now), session, signer, isNamed, find === '' ? null : containing(find), isWaiting, assignments?.length ?? LISTED]); // prettier-ignore

export interface SignOffDbRow {
  id: string;
  assignment_id: string;
  unit_id: string;
  criteria: Criterion[];
  attended: boolean;
  met: string[];
  outcome: SignOffOutcome;
  remarks: string | null;
  place: string | null;
  on_date: string;
  at: Date;
  by_whom: string;
  because: string;
  event_id: string;
  session_id: string | null;
  corrected_at: Date | null;
  corrected_by: string | null;
  corrected_reason: string | null;
}
const COLUMNS = `
  o.id, o.assignment_id, o.unit_id, o.criteria, o.attended, o.met, o.outcome, o.remarks, o.place, o.on_date, o.at, o.by_whom, o.because, o.event_id, o.session_id,
  o.corrected_at, o.corrected_by, o.corrected_reason
`;
const LIST_LAST = `
select distinct on (o.assignment_id) ${COLUMNS}
from sign_offs o
where o.unit_id = $1::bigint
  and o.assignment_id = any($2::bigint[])
  and o.corrected_at is null
order by o.assignment_id, o.id desc
`;
/** The entry that stands of each assignment, where there is one. */
export const listLast = async (db: Queryable, unitId: string, assignments: readonly string[]): Promise<Map<string, SignOffDbRow>> =>
  new Map((await rows<SignOffDbRow>(db, LIST_LAST, [unitId, assignments])).map((row) => [row.assignment_id, row]));

const LOCK_ENTRY = `select ${COLUMNS} from sign_offs o where o.id = $1::bigint for update`;
export const lockEntry = (db: Client, id: string): Promise<SignOffDbRow | null> => maybeRow(db, LOCK_ENTRY, [id]);

const LIST_ENTRIES = `
select ${COLUMNS}, p.id as person_id, p.name as person
from sign_offs o
join assignments a on a.id = o.assignment_id
join people p on p.id = a.person_id
where o.unit_id = $1::bigint
  and a.course_id = $2::bigint
order by o.id desc
limit 1000
`;
export const listEntries = (
  db: Queryable,
  unitId: string,
  courseId: string,
): Promise<(SignOffDbRow & { person_id: string; person: string })[]> => rows(db, LIST_ENTRIES, [unitId, courseId]);

const INSERT = `
with made as (
insert into sign_offs (
  assignment_id, unit_id, criteria, attended, met, outcome, remarks, place, on_date, at, by_person_id, by_whom, because, event_id, list_key, corrects_id,
  session_id
)
select $1::bigint, $2::bigint, $3::jsonb, $4::boolean, $5::text[], $6::text, $7::text, $8::text, $9::date, $10::timestamptz, $11::bigint, $12::text,
  $13::text, (
    select max(e.id)
    from assignment_events e
    where e.assignment_id = $1::bigint
      and e.type = 'signed-off'
      and e.data ->> 'unit' = $2::text
  ), $14::text, $15::bigint, $16::bigint
returning id
),
queued as (
  ${queueSealed('sign-off', 'made')}
)
select id
from made
`;
export interface NewEntry {
  assignmentId: string;
  unitId: string;
  criteria: readonly Criterion[];
  attended: boolean;
  met: readonly string[];
  outcome: SignOffOutcome;
  remarks: string | null;
  place: string | null;
  on: string;
  at: number;
  byPerson: string | null;
  byWhom: string;
  because: string;
  key: string;
  corrects: string | null;
  session: string | null;
}
/** Keeps an entry, with the event that was recorded for it just before. */
export const insertEntry = async (db: Client, e: NewEntry): Promise<string> =>
  (await oneRow<{ id: string }>(db, INSERT, [e.assignmentId, e.unitId, JSON.stringify(e.criteria), e.attended, e.met, e.outcome, e.remarks, e.place, e.on, new Date(e.at), e.byPerson, e.byWhom, e.because, e.key, e.corrects, e.session])).id; // prettier-ignore

const LIST_KNOWN = 'select assignment_id from sign_offs where list_key = $1::text and unit_id = $2::bigint';
/** Assignments whose entry of this list was recorded already. */
export const listRecorded = async (db: Queryable, key: string, unitId: string): Promise<Set<string>> =>
  new Set((await rows<{ assignment_id: string }>(db, LIST_KNOWN, [key, unitId])).map((row) => row.assignment_id));

const CORRECT = `
update sign_offs
set corrected_at = $2::timestamptz, corrected_by = $3::text, corrected_reason = $4::text
where id = $1::bigint
`;
export const markCorrected = (db: Client, id: string, at: number, byWhom: string, reason: string): Promise<unknown> =>
  db.query(CORRECT, [id, new Date(at), byWhom, reason]);

// what an entry set going: the unit that was done by it, the finish that came of that, and its certificate
const LIST_FOLLOWING = `
select e.id, e.type, e.data ->> 'serial' as serial
from assignment_events e
where e.assignment_id = $1::bigint
  and not exists (select from assignment_events u where u.undoes = e.id)
  and (e.type in ('finished', 'certificate-issued') or e.type = 'unit-finished' and e.data ->> 'unit' = $2::text)
order by e.id
`;
export const listFollowing = (db: Client, assignmentId: string, unitId: string): Promise<{ id: string; type: string }[]> =>
  rows(db, LIST_FOLLOWING, [assignmentId, unitId]);

const FIND_OTHER_OPEN = `
select o.id
from assignments a
join assignments o on o.person_id = a.person_id and o.course_id = a.course_id and o.id <> a.id and o.closed_by is null
where a.id = $1::bigint
`;
export const hasOtherOpen = async (db: Client, assignmentId: string): Promise<boolean> =>
  (await maybeRow(db, FIND_OTHER_OPEN, [assignmentId])) !== null;

const LIST_MESSAGES = `
select n.id, n.assignment_id, n.step_name, n.recipient_name, n.state, coalesce(n.sent_at, n.at) as at, n.anchor_at
from notices n
where n.assignment_id = any($1::bigint[])
  and n.step_id = any($2::text[])
  and n.state <> 'cancelled'
order by n.at, n.id
`;
export interface SentRow {
  id: string;
  assignment_id: string;
  step_name: string;
  recipient_name: string | null;
  state: string;
  at: Date;
  anchor_at: Date;
}
/** Notices of some steps, of some assignments. */
export const listMessages = (db: Queryable, assignments: readonly string[], steps: readonly string[]): Promise<SentRow[]> =>
  rows(db, LIST_MESSAGES, [assignments, steps]);

const INSERT_LINK = `
insert into sign_off_links (token, course_id, unit_id, person_id, made_at, made_by, until, ends_after_use, session_id)
values ($1::text, $2::bigint, $3::bigint, $4::bigint, $5::timestamptz, $6::text, $7::timestamptz, $8::boolean, $9::bigint)
`;
export const insertLink = (
  db: Client,
  link: { token: string; course: string; unit: string; person: string; at: number; byWhom: string; until: number; endsAfterUse: boolean; session: string | null },
): Promise<unknown> =>
  db.query(INSERT_LINK, [link.token, link.course, link.unit, link.person, new Date(link.at), link.byWhom, new Date(link.until), link.endsAfterUse, link.session]); // prettier-ignore

const EXTEND_LINK = `
update sign_off_links
set until = greatest(until, $5::timestamptz)
where id = (
  select max(id)
  from sign_off_links
  where unit_id = $1::bigint
    and person_id = $2::bigint
    and session_id is not distinct from $3::bigint
    and made_by = $4::text
    and ended_at is null
)
returning token
`;
/** Lets the link work longer that somebody made for a reader and list. @returns its token; null where there is none */
export const extendLink = async (
  client: Client,
  { unit, person, session, byWhom, until }: { unit: string; person: string; session: string | null; byWhom: string; until: number },
): Promise<string | null> =>
  (await maybeRow<{ token: string }>(client, EXTEND_LINK, [unit, person, session, byWhom, new Date(until)]))?.token ?? null;

// of a course's lists the one that the step hangs on, else the first; of a unit with sessions the one that the employee came to last
const FIND_WAYS = `
select k.key, k.course, u.id as unit, x.session, k.assignment, k.person,
  exists (select from accounts c where c.person_id = k.person) as has_account
from unnest($1::text[], $2::bigint[], $3::bigint[], $4::bigint[], $5::bigint[]) as k (key, course, unit, assignment, person)
cross join lateral (
  select u.id, u.kind
  from units u
  join sections s on s.id = u.section_id
  where s.course_id = k.course
    and u.kind in ('sign-off', 'session')
  order by u.id is not distinct from k.unit desc, u.kind = 'session', s.position, u.position
  limit 1
) u
left join lateral (
  select t.id as session
  from seats e
  join training_sessions t on t.id = e.session_id
  where e.assignment_id = k.assignment
    and t.unit_id = u.id
    and e.state = 'seat'
  order by t.starts_at desc
  limit 1
) x on u.kind = 'session'
where u.kind = 'sign-off' or x.session is not null
`;
export interface WayRow {
  key: string;
  course: string;
  unit: string;
  session: string | null;
  assignment: string;
  person: string;
  has_account: boolean;
}
export const findWays = (
  client: Client,
  asked: readonly { key: string; course: string; unit: string | null; assignment: string; person: string }[],
): Promise<WayRow[]> =>
  rows(client, FIND_WAYS, [
    asked.map(({ key }) => key),
    asked.map(({ course }) => course),
    asked.map(({ unit }) => unit),
    asked.map(({ assignment }) => assignment),
    asked.map(({ person }) => person),
  ]);

export interface LinkRow {
  id: string;
  token: string;
  course_id: string;
  unit_id: string;
  session_id: string | null;
  person_id: string;
  name: string;
  until: Date;
  ends_after_use: boolean;
  used_at: Date | null;
  ended_at: Date | null;
  made_by: string;
}
const LINK_COLUMNS =
  'l.id, l.made_by, l.token, l.course_id, l.unit_id, l.session_id, l.person_id, p.name, l.until, l.ends_after_use, l.used_at, l.ended_at';
const FIND_LINK = `
select ${LINK_COLUMNS}
from sign_off_links l
join people p on p.id = l.person_id
where l.token = $1::text
  and is_here(p.left_on, $2::date)
`;
export const findLink = (db: Queryable, token: string, today: string): Promise<LinkRow | null> => maybeRow(db, FIND_LINK, [token, today]);
const LIST_LINKS = `
select ${LINK_COLUMNS}
from sign_off_links l
join people p on p.id = l.person_id
where l.unit_id = $1::bigint
  and l.ended_at is null
  and l.until > $2::timestamptz
order by l.id desc
`;
export const listLinks = (db: Queryable, unitId: string, now: number): Promise<LinkRow[]> => rows(db, LIST_LINKS, [unitId, new Date(now)]);
const USE_LINK = `
update sign_off_links
set used_at = coalesce(used_at, $2::timestamptz), ended_at = case when ends_after_use then $2::timestamptz else ended_at end
where id = $1::bigint
`;
export const useLink = (db: Client, id: string, at: number): Promise<unknown> => db.query(USE_LINK, [id, new Date(at)]);
const END_LINK = 'update sign_off_links set ended_at = $3::timestamptz where id = $1::bigint and unit_id = $2::bigint and ended_at is null';
export const endLink = (db: Queryable, id: string, unitId: string, at: number): Promise<unknown> => db.query(END_LINK, [id, unitId, new Date(at)]); // prettier-ignore

const LIST_UNITS = `
select c.id as course_id, u.id
from units u
join sections s on s.id = u.section_id
join courses c on c.id = s.course_id
where u.kind in ('sign-off', 'session')
  and c.state <> 'draft'
order by c.title, s.position, u.position
`;
export const listSignOffUnits = (db: Queryable): Promise<{ course_id: string; id: string }[]> => rows(db, LIST_UNITS);

const LIST_OUTCOMES = `
select distinct on (unit_id) unit_id, outcome, on_date
from sign_offs
where assignment_id = $1::bigint
  and corrected_at is null
order by unit_id, id desc
`;
/** How the sign-offs of an assignment came out, in words, by unit. */
export const listOutcomes = async (db: Queryable, assignmentId: string): Promise<Map<string, string>> =>
  new Map(
    (await rows<{ unit_id: string; outcome: SignOffOutcome; on_date: string }>(db, LIST_OUTCOMES, [assignmentId])).map((row) => [
      row.unit_id,
      `${OUTCOME_WORDS[row.outcome]} on ${tellDate(dayOf(row.on_date))}`,
    ]),
  );

const LIST_SESSIONS = `
select s.id, s.title, s.starts_at, s.zone, s.place, s.link, s.trainer_id
from training_sessions s
where s.unit_id = $1::bigint
  and s.cancelled_at is null
  and ($2::bigint is null or s.id = $2::bigint)
  and ($3::timestamptz is null or s.starts_at <= $3::timestamptz and s.ends_at > $4::timestamptz)
order by s.starts_at, s.id
`;
export interface LedSession {
  id: string;
  title: string;
  starts_at: Date;
  zone: string;
  place: string | null;
  link: string | null;
  trainer_id: string | null;
}
const HELD_DAYS = 30;
/** Sessions of a unit that are held about now: from when who came can be recorded, until thirty days after. */
export const listLedSessions = (db: Queryable, unitId: string, now: number): Promise<LedSession[]> =>
  rows(db, LIST_SESSIONS, [unitId, null, new Date(now + HELD_BEFORE), new Date(now - HELD_DAYS * DAY_MS)]);
export const findLedSession = (db: Queryable, unitId: string, id: string): Promise<LedSession | null> =>
  maybeRow(db, LIST_SESSIONS, [unitId, id, null, null]);

const FIND_SIGNER = 'select name from people where id = $1::bigint';
export const findSigner = (db: Queryable, person: string): Promise<{ name: string } | null> => maybeRow(db, FIND_SIGNER, [person]);
