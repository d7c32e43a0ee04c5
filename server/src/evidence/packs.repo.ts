import type { PackOf, PackRow } from '@nudrik/contract';
import { oneRow, rows, type Client, type Queryable } from '../db/db.ts';
import { SENT_COLUMNS, type SentRow } from '../messages/as-sent.ts';

/** Of when a pack is: from a moment on (null is from the beginning) and before another. */
export interface Span {
  from: Date | null;
  fromDay: string | null;
  until: Date;
}

// what was asked before its end and was open in it, or is what somebody held in it
const SCOPE = `
from assignments a
join people p on p.id = a.person_id
where a.assigned_at < $2::timestamptz
  and (
    $1::timestamptz is null
    or a.closed_at is null
    or a.closed_at >= $1::timestamptz
    or a.waived_until >= $3::date
    or exists (
      select
      from certificates k
      where k.assignment_id = a.id
        and (k.expires_on is null or k.expires_on >= $3::date)
        and (k.revoked_at is null or k.revoked_at >= $1::timestamptz)
    )
  )
`;
const OF: Readonly<Record<'people' | 'course' | 'requirement' | 'period', string>> = {
  people: 'and a.person_id = any($4::bigint[])',
  course: 'and a.course_id = any($4::bigint[])',
  requirement: `
    and (
      exists (
        select
        from reason_times r
        where r.assignment_id = a.id
          and r.requirement_id = any($4::bigint[])
          and r.from_at < $2::timestamptz
          and ($1::timestamptz is null or r.to_at is null or r.to_at >= $1::timestamptz)
      )
      or a.course_id = (select q.course_id from requirements q where q.id = any($4::bigint[])) and a.person_id = any($5::bigint[])
    )`,
  period: '',
};

export interface ScopeRow {
  id: string;
  person_id: string;
  course_id: string;
}
/** Assignments that a pack is about, by the names of their people. @param held of a requirement: who is asked by it now */
export function listScope(db: Queryable, of: keyof typeof OF, ids: readonly string[], held: readonly string[], { from, until, fromDay }: Span, most: number): Promise<ScopeRow[]> {
  const values: unknown[] = [from, until, fromDay, ...(of === 'period' ? [] : [ids]), ...(of === 'requirement' ? [held] : [])];
  return rows(db, `select a.id, a.person_id, a.course_id ${SCOPE} ${OF[of]} order by p.name, p.id, a.course_id, a.round limit ${most}`, values);
} // prettier-ignore

const COUNT = `
select
  (select count(*)::integer from notices n where n.assignment_id = any($1::bigint[]) and n.at < $2::timestamptz) as notices,
  (
    select count(distinct n.message_id)::integer
    from notices n
    where n.assignment_id = any($1::bigint[])
      and n.message_id is not null
      and n.at < $2::timestamptz
  ) as messages,
  (select count(*)::integer from certificates k where k.assignment_id = any($1::bigint[]) and k.issued_at < $2::timestamptz) as certificates,
  (
    select count(distinct (o.assignment_id, o.unit_id))::integer
    from sign_offs o
    where o.assignment_id = any($1::bigint[])
      and o.at < $2::timestamptz
  ) as "signOffs",
  (
    select count(distinct t.act_id)::integer
    from act_assignments t
    join acts c on c.id = t.act_id
    where t.assignment_id = any($1::bigint[])
      and c.at < $2::timestamptz
  ) as acts
`;
export interface PackCounts {
  notices: number;
  messages: number;
  certificates: number;
  signOffs: number;
  acts: number;
}
export const countInPack = (db: Queryable, ids: readonly string[], until: Date): Promise<PackCounts> => oneRow(db, COUNT, [ids, until]);

const LIST_PEOPLE = `
select p.id, p.name, p.personnel_number, p.email, d.name as department, s.name as site, p.job, m.name as manager, p.joined_on, p.left_on
from people p
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
left join people m on m.id = p.manager_id
where p.id = any($1::bigint[])
order by p.name, p.id
`;
export interface PackPerson {
  id: string;
  name: string;
  personnel_number: string | null;
  email: string;
  department: string;
  site: string;
  job: string | null;
  manager: string | null;
  joined_on: string | null;
  left_on: string | null;
}
export const listPackPeople = (db: Queryable, ids: readonly string[]): Promise<PackPerson[]> => rows(db, LIST_PEOPLE, [ids]);

// how each stood is told by the report of its course
const LIST_ASSIGNMENTS = `
select
  a.id, p.name as person, c.title as course, a.round, a.assigned_at, a.is_by_hand,
  (
    select string_agg(r.name, ', ' order by r.first)
    from (
      select q.name, min(r.from_at) as first
      from reason_times r
      join requirements q on q.id = r.requirement_id
      where r.assignment_id = a.id
        and r.from_at < $2::timestamptz
      group by q.name
    ) r
  ) as reasons,
  (
    select count(*)::integer
    from notices n
    where n.assignment_id = a.id
      and n.sent_at < $2::timestamptz
  ) as told
from assignments a
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
where a.id = any($1::bigint[])
order by p.name, p.id, c.title, a.round
`;
export interface PackAssignment {
  id: string;
  person: string;
  course: string;
  round: number;
  assigned_at: Date;
  is_by_hand: boolean;
  reasons: string | null;
  told: number;
}
export const listPackAssignments = (db: Queryable, ids: readonly string[], until: Date): Promise<PackAssignment[]> =>
  rows(db, LIST_ASSIGNMENTS, [ids, until]);

const LIST_NOTICES = `
select n.id, n.at, n.kind, n.step_name, c.title as course, p.name as person, coalesce(n.recipient_name, p.name) as recipient, n.state,
  coalesce(n.because, n.held_because) as because, n.sentence, n.sent_at, n.message_id, n.by_hand
from notices n
join courses c on c.id = n.course_id
join people p on p.id = n.person_id
where n.assignment_id = any($1::bigint[])
  and n.at < $2::timestamptz
order by p.name, p.id, n.at, n.id
`;
export interface PackNotice {
  id: string;
  at: Date;
  kind: string;
  step_name: string;
  course: string;
  person: string;
  recipient: string;
  state: string;
  because: string | null;
  sentence: string | null;
  sent_at: Date | null;
  message_id: string | null;
  by_hand: { what: 'skip' | 'send' | 'restore'; by: string; reason: string | null } | null;
}
export const listPackNotices = (db: Queryable, ids: readonly string[], until: Date): Promise<PackNotice[]> => rows(db, LIST_NOTICES, [ids, until]); // prettier-ignore

const LIST_MESSAGE_IDS = `
select distinct n.message_id as id
from notices n
where n.assignment_id = any($1::bigint[])
  and n.message_id is not null
  and n.at < $2::timestamptz
order by 1
`;
export const listMessageIds = async (db: Queryable, ids: readonly string[], until: Date): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_MESSAGE_IDS, [ids, until])).map(({ id }) => id);

const LIST_MESSAGES = `select ${SENT_COLUMNS} from messages m where m.id = any($1::bigint[]) order by m.id`;
export const listSentMessages = (db: Queryable, ids: readonly string[]): Promise<SentRow[]> => rows(db, LIST_MESSAGES, [ids]);

const LIST_DELIVERIES = `
select id, message_id, channel, address, attempt, handed_at, answered_at, outcome, answer, delivered_at, report
from deliveries
where message_id = any($1::bigint[])
order by message_id, attempt
`;
export interface PackDelivery {
  id: string;
  message_id: string;
  channel: string;
  address: string;
  attempt: number;
  handed_at: Date;
  answered_at: Date | null;
  outcome: string | null;
  answer: string | null;
  delivered_at: Date | null;
  report: string | null;
}
export const listDeliveries = (db: Queryable, ids: readonly string[]): Promise<PackDelivery[]> => rows(db, LIST_DELIVERIES, [ids]);

const LIST_CERTIFICATES = `
select k.id, k.serial, k.person_name, k.course_title, k.issued_on, k.expires_on, k.issued_by, k.issuer, k.their_number, k.proof_id, k.revoked_at, k.revoked_by,
  k.revoked_reason, k.replaced_at
from certificates k
where k.assignment_id = any($1::bigint[])
  and k.issued_at < $2::timestamptz
order by k.person_name, k.id
`;
export interface PackCertificate {
  id: string;
  serial: string;
  person_name: string;
  course_title: string;
  issued_on: string;
  expires_on: string | null;
  issued_by: string | null;
  issuer: string | null;
  their_number: string | null;
  proof_id: string | null;
  revoked_at: Date | null;
  revoked_by: string | null;
  revoked_reason: string | null;
  replaced_at: Date | null;
}
export const listPackCertificates = (db: Queryable, ids: readonly string[], until: Date): Promise<PackCertificate[]> =>
  rows(db, LIST_CERTIFICATES, [ids, until]);

const LIST_SIGN_OFFS = `
select o.id, o.assignment_id, o.unit_id, p.name as person, c.title as course, u.title as unit, o.on_date, o.at, o.outcome, o.by_whom, o.because, o.place,
  o.remarks, o.corrected_at, o.corrected_by, o.corrected_reason
from sign_offs o
join assignments a on a.id = o.assignment_id
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
join units u on u.id = o.unit_id
where o.assignment_id = any($1::bigint[])
  and o.at < $2::timestamptz
order by p.name, o.id
`;
export interface PackSignOff {
  id: string;
  assignment_id: string;
  unit_id: string;
  person: string;
  course: string;
  unit: string;
  on_date: string;
  at: Date;
  outcome: 'met' | 'not-met' | 'absent';
  by_whom: string;
  because: string;
  place: string | null;
  remarks: string | null;
  corrected_at: Date | null;
  corrected_by: string | null;
  corrected_reason: string | null;
}
export const listPackSignOffs = (db: Queryable, ids: readonly string[], until: Date): Promise<PackSignOff[]> => rows(db, LIST_SIGN_OFFS, [ids, until]); // prettier-ignore

const LIST_ACTS = `
select c.id, c.kind, c.at, c.by_whom, c.reason, c.words, c.undone_at, c.undone_by,
  string_agg(distinct p.name, ', ' order by p.name) as people
from act_assignments t
join acts c on c.id = t.act_id
join assignments a on a.id = t.assignment_id
join people p on p.id = a.person_id
where t.assignment_id = any($1::bigint[])
  and c.at < $2::timestamptz
group by c.id
order by c.id
`;
export interface PackAct {
  id: string;
  kind: string;
  at: Date;
  by_whom: string;
  reason: string | null;
  words: string;
  undone_at: Date | null;
  undone_by: string | null;
  people: string;
}
export const listPackActs = (db: Queryable, ids: readonly string[], until: Date): Promise<PackAct[]> => rows(db, LIST_ACTS, [ids, until]);

const LIST_CHANGES = `
select c.person_id, p.name as person, c.at, c.by_whom, c.kind, c.changes
from person_changes c
join people p on p.id = c.person_id
where c.person_id = any($1::bigint[])
  and c.at < $2::timestamptz
order by p.name, p.id, c.at, c.id
`;
export interface PackChange {
  person_id: string;
  person: string;
  at: Date;
  by_whom: string;
  kind: string;
  changes: never[];
}
export const listPackChanges = (db: Queryable, people: readonly string[], until: Date): Promise<PackChange[]> =>
  rows(db, LIST_CHANGES, [people, until]);

// of each course the versions of its plan that were in force in the span; of one that goes by another's plan, those of that one
const LIST_VERSIONS = `
select c.id as course_id, c.title as course, f.title as follows, v.version, v.published_at, v.published_by, v.note, v.steps, v.next_at
from courses c
join plans p on p.course_id = c.id
left join courses f on f.id = p.follows
join lateral (
  select w.*, lead(w.published_at) over (order by w.version) as next_at
  from plan_versions w
  where w.course_id = coalesce(p.follows, c.id)
) v on true
where c.id = any($1::bigint[])
  and v.published_at < $2::timestamptz
  and ($3::timestamptz is null or v.next_at is null or v.next_at > $3::timestamptz)
order by c.title, c.id, v.version
`;
export interface PackVersion {
  course_id: string;
  course: string;
  follows: string | null;
  version: number;
  published_at: Date;
  published_by: string | null;
  note: string | null;
  steps: never[];
  next_at: Date | null;
}
export const listPackVersions = (db: Queryable, courses: readonly string[], { from, until }: Span): Promise<PackVersion[]> =>
  rows(db, LIST_VERSIONS, [courses, until, from]);

const LIST_NAMES_OF_PARTS = `
select u.id, u.title
from units u
join sections s on s.id = u.section_id
where s.course_id = any($1::bigint[])
`;
const LIST_EVERYBODY_NAMED = 'select id, name from people where id = any($1::bigint[])';
export const listUnitNames = (db: Queryable, courses: readonly string[]): Promise<{ id: string; title: string }[]> =>
  rows(db, LIST_NAMES_OF_PARTS, [courses]);
export const listNamesOf = (db: Queryable, ids: readonly string[]): Promise<{ id: string; name: string }[]> =>
  rows(db, LIST_EVERYBODY_NAMED, [ids]);

const LIST_RULES = `
select q.id, q.name, c.title as course, q.is_on, q.switched_on_at,
  (
    select coalesce(jsonb_agg(jsonb_build_object('at', e.at, 'byWhom', e.by_whom, 'what', e.what, 'words', e.words, 'rules', e.rules) order by e.id), '[]')
    from requirement_events e
    where e.requirement_id = q.id
      and e.at < $2::timestamptz
  ) as events,
  exists (select from requirement_events e where e.requirement_id = q.id and e.what = 'changed') as was_changed
from requirements q
join courses c on c.id = q.course_id
where q.id in (
    select r.requirement_id
    from reason_times r
    where r.assignment_id = any($1::bigint[])
  )
  or q.id = any($3::bigint[])
order by q.name
`;
export interface PackRequirement {
  id: string;
  name: string;
  course: string;
  is_on: boolean;
  switched_on_at: Date | null;
  events: { at: string; byWhom: string; what: string; words: string; rules: string[] | null }[];
  was_changed: boolean;
}
export const listPackRequirements = (db: Queryable, assignments: readonly string[], until: Date, named: readonly string[]): Promise<PackRequirement[]> => rows(db, LIST_RULES, [assignments, until, named]); // prettier-ignore

const LIST_EVENT_IDS = 'select id from assignment_events where assignment_id = any($1::bigint[]) and at < $2::timestamptz order by id';
export const listEventIds = async (db: Queryable, ids: readonly string[], until: Date): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_EVENT_IDS, [ids, until])).map(({ id }) => id);

const GET_TITLE: Readonly<Record<'person' | 'course' | 'requirement', string>> = {
  person: 'select name as title from people where id = $1::bigint',
  course: 'select title from courses where id = $1::bigint',
  requirement: 'select name as title from requirements where id = $1::bigint',
};
export const findTitle = async (db: Queryable, kind: keyof typeof GET_TITLE, id: string): Promise<string | null> =>
  (await rows<{ title: string }>(db, GET_TITLE[kind], [id]))[0]?.title ?? null;

const KEEP = `
insert into evidence_packs (at, by_whom, title, whens, request, files, bytes, manifest, job_id)
select $1::timestamptz, $2::text, $3::text, $4::text, $5::jsonb, $6::integer, $7::bigint, $8::bytea, j.id
from (select (select id from jobs where result_file_id is not null and id = $9::bigint) as id) j
`;
export interface NewPack {
  at: number;
  byWhom: string;
  title: string;
  when: string;
  request: { of: PackOf };
  files: number;
  bytes: number;
  manifest: Buffer;
  job: string | null;
}
/** That a pack was made, by the hash of its manifest. */
export const insertPack = (client: Client, { at, byWhom, title, when, request, files, bytes, manifest, job }: NewPack): Promise<unknown> =>
  client.query(KEEP, [new Date(at), byWhom, title, when, JSON.stringify(request), files, bytes, manifest, job]);

const LIST_PACKS = `
select p.id, p.at, p.by_whom as "byWhom", p.title, p.whens as "when", p.files, p.bytes::float8 as bytes, encode(p.manifest, 'hex') as manifest,
  case when j.result_file_id is not null then '/api/evidence/packs/' || p.id || '/file' end as href
from evidence_packs p
left join jobs j on j.id = p.job_id
order by p.id desc
limit 100
`;
export const listPacks = (db: Queryable): Promise<PackRow[]> => rows<PackRow>(db, LIST_PACKS);

const GET_PACK_FILE = 'select j.result_file_id as id from evidence_packs p join jobs j on j.id = p.job_id where p.id = $1::bigint';
export const findPackFile = async (db: Queryable, id: string): Promise<string | null> =>
  (await rows<{ id: string | null }>(db, GET_PACK_FILE, [id]))[0]?.id ?? null;
