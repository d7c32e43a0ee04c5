import { stateWord, type ClosedBy, type RosterLeave, type RosterPerson, type RosterRow, type StateWord } from '@nudrik/core';
import type { AssignmentLine, FinishedFact, PeopleFacets, PeoplePage, PeopleQuery, PersonRow, PersonSheet } from '@nudrik/contract';
import { missingLetters } from '../certificates/fonts.ts';
import { containing, maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

const LIST_ROSTER = `
select p.id, p.personnel_number, p.name, p.email, d.name as department, s.name as site, p.job, p.language, p.chat_name, m.email as manager_email, p.joined_on, p.left_on,
  coalesce(l.leaves, '[]') as leaves
from people p
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
left join people m on m.id = p.manager_id
left join (
  select v.person_id, jsonb_agg(jsonb_build_object('from', v.from_on, 'to', v.to_on, 'coverEmail', c.email) order by v.from_on) as leaves
  from leaves v
  left join people c on c.id = v.cover_id
  group by v.person_id
) l on l.person_id = p.id
where $1::bigint is null
  or p.id = $1::bigint
order by p.id
`;

/** Everyone, or one person, as a roster file writes them. */
export async function listRoster(db: Queryable, id: string | null = null): Promise<RosterPerson[]> {
  const found = await rows<Record<string, string | null> & { leaves: RosterLeave[] }>(db, LIST_ROSTER, [id]);
  return found.map((row) => ({
    id: row['id']!,
    personnelNumber: row['personnel_number']!,
    name: row['name']!,
    email: row['email']!,
    department: row['department']!,
    site: row['site']!,
    job: row['job']!,
    language: row['language']!,
    chatName: row['chat_name']!,
    managerEmail: row['manager_email']!,
    joinedOn: row['joined_on']!,
    leftOn: row['left_on']!,
    leaves: row.leaves,
  }));
}

const LIST_SITE_NAMES = 'select name from sites order by name';

export async function listSiteNames(db: Queryable): Promise<string[]> {
  return (await rows<{ name: string }>(db, LIST_SITE_NAMES)).map((row) => row.name);
}

const ROSTER_MARK = `
select md5(
  (select coalesce(string_agg(p::text, '|' order by p.id), '') from (
    select id, personnel_number, name, email, department_id, site_id, job, language, chat_name, manager_id, joined_on, left_on from people
  ) p)
  || (select coalesce(string_agg(l::text, '|' order by l.id), '') from (select id, person_id, from_on, to_on, cover_id from leaves) l)
) as mark
`;

/** A mark that changes whenever the roster does: a preview is taken only against the roster it was made from. */
export async function rosterMark(db: Queryable): Promise<string> {
  return (await oneRow<{ mark: string }>(db, ROSTER_MARK)).mark;
}

const PUT_DEPARTMENTS = `
insert into departments (name)
select distinct unnest($1::text[])
on conflict (name) do nothing
`;

const PUT_PEOPLE = `
insert into people (personnel_number, name, email, department_id, site_id, job, language, chat_name, joined_on, left_on)
select r.personnel_number, r.name, r.email, d.id, s.id, r.job, r.language, r.chat_name, r.joined_on, r.left_on
from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[], $9::date[], $10::date[])
  as r (personnel_number, name, email, department, site, job, language, chat_name, joined_on, left_on)
join departments d on d.name = r.department
join sites s on s.name = r.site
on conflict (email) do update set
  personnel_number = excluded.personnel_number, name = excluded.name, department_id = excluded.department_id, site_id = excluded.site_id,
  job = excluded.job, language = excluded.language, chat_name = excluded.chat_name, joined_on = excluded.joined_on, left_on = excluded.left_on
`;

const SET_MANAGERS = `
update people p
set manager_id = m.id
from unnest($1::text[], $2::text[]) as r (email, manager_email)
left join people m on m.email = r.manager_email
where p.email = r.email
  and p.manager_id is distinct from m.id
`;

/** Stores people as a roster file writes them: new ones are added, known ones (by e-mail) changed. */
export async function putPeople(db: Client, people: readonly RosterRow[]): Promise<void> {
  await db.query(PUT_DEPARTMENTS, [people.map((p) => p.department)]);
  await db.query(PUT_PEOPLE, [
    people.map((p) => p.personnelNumber),
    people.map((p) => p.name),
    people.map((p) => p.email),
    people.map((p) => p.department),
    people.map((p) => p.site),
    people.map((p) => p.job),
    people.map((p) => p.language),
    people.map((p) => p.chatName),
    people.map((p) => p.joinedOn),
    people.map((p) => p.leftOn),
  ]);
  await setManagers(db, people);
}

/** Puts everyone below the manager that they name by address. */
export async function setManagers(db: Client, people: readonly RosterRow[]): Promise<void> {
  await db.query(SET_MANAGERS, [people.map((p) => p.email), people.map((p) => p.managerEmail)]);
}

// assignments whose plan looks at one of these people: their own, and those of everyone below them in the line
const LIST_OPEN_AROUND = `
select id
from assignments
where closed_by is null
  and (person_id = any($1::bigint[]) or person_id in (select line.id from line_of($1::bigint[]) line))
`;

export async function listOpenAssignmentsAround(db: Queryable, personIds: readonly string[]): Promise<string[]> {
  if (personIds.length === 0) return [];
  return (await rows<{ id: string }>(db, LIST_OPEN_AROUND, [personIds])).map((row) => row.id);
}

const SORTS: Record<Exclude<PeopleQuery['sort'], 'fit'>, string> = {
  name: 'lower(p.name)',
  department: 'd.name',
  site: 's.name',
  job: 'p.job',
  manager: 'm.name',
  joined: 'p.joined_on',
  late: 'late.late',
};

const PERSON_COLUMNS = `
  p.id, p.personnel_number, p.name, p.email, d.name as department, s.id as site_id, s.name as site, s.zone, p.job, p.language, p.chat_name, p.chat_state, p.chat_words, p.manager_id,
    m.name as manager_name, p.joined_on, p.left_on,
  p.address_state, p.address_words, p.erased_at, coalesce(late.open, 0)::integer as open, coalesce(late.late, 0)::integer as late
`;
const PERSON_TABLES = `
from people p
join departments d on d.id = p.department_id
join sites s on s.id = p.site_id
left join people m on m.id = p.manager_id
left join lateral (
  select count(*) as open, nullif(count(*) filter (where due_at < $1::timestamptz), 0) as late
  from assignments
  where person_id = p.id
    and closed_by is null
) late on true
`;

/** What filters ask. */
const FOUND_BY = 'from people p';

const LATE = `
left join (
  select person_id, count(*) as late
  from standings
  where open_id is not null
    and due_at < $1::timestamptz
  group by person_id
) late on late.person_id = p.id
`;
/** What an order asks beyond that. */
const SORTED_BY: Partial<Record<PeopleQuery['sort'], string>> = {
  department: 'join departments d on d.id = p.department_id',
  site: 'join sites s on s.id = p.site_id',
  manager: 'left join people m on m.id = p.manager_id',
  late: LATE,
};

interface PersonDbRow {
  id: string;
  personnel_number: string | null;
  name: string;
  email: string;
  department: string;
  site_id: string;
  site: string;
  zone: string;
  job: string | null;
  language: string | null;
  chat_name: string | null;
  chat_state: 'ok' | 'refused';
  chat_words: string | null;
  manager_id: string | null;
  manager_name: string | null;
  joined_on: string | null;
  left_on: string | null;
  address_state: 'ok' | 'bounced';
  address_words: string | null;
  erased_at: Date | null;
  open: number;
  late: number;
}

const personOf = (row: PersonDbRow): PersonRow => ({
  id: row.id,
  personnelNumber: row.personnel_number,
  name: row.name,
  email: row.email,
  department: row.department,
  site: row.site,
  job: row.job,
  manager: row.manager_id === null ? null : { id: row.manager_id, name: row.manager_name! },
  joinedOn: row.joined_on,
  leftOn: row.left_on,
  open: row.open,
  late: row.late,
  addressState: row.address_state,
});

/** Whose name begins with what is looked for, then whose last name does, who has it in the name, and all others. */
function byFit(find: string, values: unknown[]): string {
  const text = containing(find).slice(1);
  const n = values.push(text, `% ${text}`, `%${text}`);
  const like = (at: number): string => `p.name ilike $${at}::text`;
  return `case when ${like(n - 2)} then 0 when ${like(n - 1)} then 1 when ${like(n)} then 2 else 3 end, lower(p.name)`;
}

export async function listPeople(db: Queryable, query: PeopleQuery, now: number, today: string): Promise<PeoplePage> {
  const values: unknown[] = [new Date(now)];
  const where: string[] = [];
  const add = (clause: (n: string) => string, value: unknown): void => {
    values.push(value);
    where.push(clause(`$${values.length}`));
  };
  if (query.find) add((n) => `p.find_text ilike ${n}::text`, containing(query.find));
  if (query.department) add((n) => `p.department_id in (select departments_under(array[${n}::text]))`, query.department);
  if (query.group) add((n) => `exists (select 1 from group_members g where g.person_id = p.id and g.group_id = ${n}::bigint)`, query.group);
  if (query.from) {
    values.push(query.from);
    const from = values.length;
    add(
      (n) =>
        `exists (select 1 from notices w where w.recipient_id = p.id and w.state not in ('skipped', ` +
        `'cancelled') and w.on_day between $${from}::date and ${n}::date)`,
      query.to ?? query.from,
    );
  }
  if (query.site) add((n) => `p.site_id in (select id from sites where name = ${n}::text)`, query.site);
  if (query.show === 'left') add((n) => `p.left_on <= ${n}::date`, today);
  if (query.show === 'here' || query.show === 'no-manager' || query.show === 'unreachable')
    add((n) => `is_here(p.left_on, ${n}::date)`, today);
  if (query.show === 'no-manager') where.push('p.manager_id is null');
  if (query.show === 'unreachable') where.push("p.address_state <> 'ok'");
  const filter = `where ${['true', ...where].join(' and ')}`;
  const bound = values.length;
  const sort = query.sort === 'fit' ? byFit(query.find ?? '', values) : SORTS[query.sort];
  // counted and put in order by what that takes; only the page is read whole
  const order = `order by ${sort} ${query.order} nulls last, p.id`;
  const page = `${SORTED_BY[query.sort] ?? ''} ${filter} ${order} limit ${query.size} offset ${query.page * query.size}`;
  const counting = oneRow<{ total: number }>(
    db,
    `select count(*)::integer as total ${FOUND_BY} ${filter} and $1::timestamptz is not null`,
    values.slice(0, bound),
  );
  const finding = rows<PersonDbRow>(
    db,
    `select ${PERSON_COLUMNS} ${PERSON_TABLES} where p.id in (select p.id ${FOUND_BY} ${page}) and $1::timestamptz is not null ${order}`,
    values,
  );
  const [{ total }, found] = await Promise.all([counting, finding]);
  return { rows: found.map(personOf), total };
}

const COUNT_DEPARTMENTS = `
with recursive under (top, id) as (
  select id, id from departments
  union
  select u.top, d.id from under u join departments d on d.parent_id = u.id
),
own as (
  select department_id as id, count(*) as people from people where is_here(left_on, $1::date) group by 1
)
select d.name, coalesce(sum(o.people), 0)::integer as people
from departments d
join under u on u.top = d.id
left join own o on o.id = u.id
group by d.id
order by d.name
`;
const COUNT_GROUPS = `
select g.id, g.name, (coalesce(m.people, 0) - coalesce(l.people, 0))::integer as people
from groups g
left join (select group_id, count(*) as people from group_members group by 1) m on m.group_id = g.id
left join (
  select m.group_id, count(*) as people from people p join group_members m on m.person_id = p.id where p.left_on <= $1::date group by 1
) l on l.group_id = g.id
order by g.name
`;
const COUNT_SITES = `
select s.id, s.name, s.zone, count(p.id)::integer as people
from sites s
left join people p on p.site_id = s.id and is_here(p.left_on, $1::date)
group by s.id
order by s.name
`;

/** Departments, groups and sites with who is here: the people that choosing one of them chooses. */
export async function peopleFacets(db: Queryable, today: string): Promise<PeopleFacets> {
  const [departments, groups, sites] = await Promise.all([
    rows<PeopleFacets['departments'][number]>(db, COUNT_DEPARTMENTS, [today]),
    rows<PeopleFacets['groups'][number]>(db, COUNT_GROUPS, [today]),
    rows<PeopleFacets['sites'][number]>(db, COUNT_SITES, [today]),
  ]);
  return { departments, groups, sites };
}

/** Columns of one assignment with its course and certificate, for every list that shows a state. */
/** Required units that are done, as many as it takes. */
export const UNITS_DONE = '(select least(count(*), k.needed)::integer from unnest(a.units_done) u where u = any(k.required_units))';

export const ASSIGNMENT_COLUMNS = `
  a.id, a.course_id, k.title, a.round, a.assigned_at, a.due_at, a.closed_by, a.closed_at, a.completed_on, a.started_at, c.serial, c.expires_on,
  c.revoked_at, ${UNITS_DONE} as done, coalesce(k.needed, cardinality(k.required_units)) as required,
  (
    select coalesce(v.needed, cardinality(v.required_units))
    from course_versions v
    where v.course_id = a.course_id
      and v.version = a.finished_version
  ) as required_then
`;

const LIST_ASSIGNMENTS_OF = `
select
  ${ASSIGNMENT_COLUMNS}, a.is_by_hand, a.waived_until, a.proof_id, f.name as proof_name,
  (
    select coalesce(jsonb_agg(jsonb_build_object('id', q.id::text, 'name', q.name, 'isOut', r.out_since is not null) order by r.since), '[]')
    from assignment_reasons r
    join requirements q on q.id = r.requirement_id
    where r.assignment_id = a.id
  ) as reasons
from assignments a
join courses k on k.id = a.course_id
left join standing_certificates c on c.assignment_id = a.id
left join files f on f.id = a.proof_id
where a.person_id = $1::bigint
  and a.closed_because is distinct from 'undone'
order by a.closed_by is not null, a.due_at desc
`;

export interface AssignmentDbRow {
  id: string;
  course_id: string;
  title: string;
  round: number;
  assigned_at: Date;
  due_at: Date;
  closed_by: string | null;
  closed_at: Date | null;
  started_at: Date | null;
  serial: string | null;
  expires_on: string | null;
  revoked_at: Date | null;
  /** the day of a completion that was recorded */
  completed_on: string | null;
  done: number;
  required: number;
  /** units that finishing asked for when it was finished */
  required_then: number | null;
}

interface StateColumns {
  closed_by: string | null;
  closed_at: Date | null;
  due_at: Date;
  started_at: Date | null;
}

/** The state of an assignment in words, from its columns. */
export const stateOf = (row: StateColumns, now: number): StateWord =>
  stateWord(
    {
      closedBy: row.closed_by as ClosedBy | null,
      finishedAt: row.closed_at?.getTime() ?? null,
      dueAt: row.due_at.getTime(),
      startedAt: row.started_at?.getTime() ?? null,
    },
    now,
  );

/** When it was finished: a moment, or the day of a completion that was recorded, whose hour nobody knows. */
export const finishedOf = (row: Pick<AssignmentDbRow, 'closed_by' | 'closed_at' | 'completed_on'>): FinishedFact => ({
  finishedAt: row.closed_by === 'finished' ? row.closed_at!.toISOString() : null,
  finishedOn: row.closed_by === 'finished' ? row.completed_on : null,
});

/** How much is done. What was finished was finished whole, whatever the course asks for since. */
export function progressOf(row: AssignmentDbRow): { unitsDone: number; unitsRequired: number } {
  if (row.closed_by !== 'finished') return { unitsDone: row.done, unitsRequired: row.required };
  const required = row.required_then ?? row.required;
  return { unitsDone: required, unitsRequired: required };
}

export const certificateWord = (row: { expires_on: string | null; revoked_at: Date | null }, today: string): string =>
  row.revoked_at ? 'revoked' : row.expires_on !== null && row.expires_on < today ? 'expired' : 'current';

export async function listAssignmentLines(db: Queryable, personId: string, now: number, today: string): Promise<AssignmentLine[]> {
  const found = await rows<
    AssignmentDbRow &
      Pick<AssignmentLine, 'reasons'> & { is_by_hand: boolean; waived_until: string | null; proof_id: string | null; proof_name: string }
  >(db, LIST_ASSIGNMENTS_OF, [personId]);
  return found.map((row) => ({
    id: row.id,
    course: { id: row.course_id, title: row.title },
    round: row.round,
    assignedAt: row.assigned_at.toISOString(),
    dueAt: row.due_at.toISOString(),
    state: stateOf(row, now),
    ...finishedOf(row),
    ...progressOf(row),
    certificate: row.serial ? { serial: row.serial, state: certificateWord(row, today) } : null,
    reasons: row.reasons,
    isByHand: row.is_by_hand,
    waivedUntil: row.waived_until,
    proof: row.proof_id === null ? null : { fileId: row.proof_id, name: row.proof_name },
  }));
}

const LIST_LEAVES_OF = `
select l.id, l.from_on as "from", l.to_on as "to", c.name as cover
from leaves l
left join people c on c.id = l.cover_id
where l.person_id = $1::bigint
order by l.from_on
`;

const COUNT_LINE = `
select count(*)::integer as team from line_here($1::bigint, $2::date)
`;

const LIST_GROUPS_OF = `
select g.id, g.name
from group_members m
join groups g on g.id = m.group_id
where m.person_id = $1::bigint
order by g.name
`;

/** A person's sheet, but for how they are told. */
type KnownPerson = Omit<PersonSheet, 'person'> & { person: Omit<PersonSheet['person'], 'reach'> };

export async function findPersonSheet(db: Queryable, id: string, now: number, today: string): Promise<KnownPerson | null> {
  const row = await maybeRow<PersonDbRow>(db, `select ${PERSON_COLUMNS} ${PERSON_TABLES} where p.id = $2::bigint`, [new Date(now), id]);
  if (!row) return null;
  const leave = await rows<{ id: string; from: string; to: string | null; cover: string | null }>(db, LIST_LEAVES_OF, [id]);
  const groups = await rows<{ id: string; name: string }>(db, LIST_GROUPS_OF, [id]);
  const { team } = await oneRow<{ team: number }>(db, COUNT_LINE, [id, today]);
  return {
    person: {
      ...personOf(row),
      zone: row.zone,
      language: row.language,
      chatName: row.chat_name,
      chatWords: row.chat_state === 'refused' ? row.chat_words : null,
      addressWords: row.address_words,
      erasedAt: row.erased_at?.toISOString() ?? null,
      unprintable: missingLetters(row.name),
      leave,
      team,
      siteId: row.site_id,
      groups,
    },
    assignments: await listAssignmentLines(db, id, now, today),
  };
}
