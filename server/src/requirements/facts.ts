import {
  Calendars,
  compileAudience,
  type Audience,
  type AudiencePerson,
  type CourseRecord,
  type DueRule,
  type Finish,
  type LiveRequirement,
  type Matcher,
  type Names,
  type Renewal,
  type Requirement,
  type RequirementPerson,
  type Structure,
  type WhenOut,
  type WithdrawnBecause,
} from '@nudrik/core';
import type { AudienceFacts } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';
import { listCalendars } from '../people/roster.repo.ts';

/** People by id, or everyone. */
export type Who = readonly string[] | null;

// what somebody holds is in their standings: of each course the last day on which it counts
const LIST_PEOPLE = `
select
  p.id, p.name, p.personnel_number as number, p.department_id as department, p.site_id as site, p.job, p.manager_id as manager,
  p.joined_on as "joinedOn", p.left_on as "leftOn", p.job_since as "jobSince",
  array(select g.group_id::text from group_members g where g.person_id = p.id order by g.group_id) as groups,
  array(select m.requirement_id::text from requirement_members m where m.person_id = p.id order by m.requirement_id) as "memberOf",
  coalesce((
    select jsonb_agg(jsonb_build_object('course', s.course_id::text, 'until', nullif(s.until, 'infinity')) order by s.course_id)
    from standings s
    where s.person_id = p.id
      and s.until is not null
  ), '[]') as held
from people p
where $1::bigint[] is null
  or p.id = any($1::bigint[])
order by p.id
`;

export const listRequirementPeople = (db: Queryable, who: Who): Promise<RequirementPerson[]> =>
  rows<RequirementPerson>(db, LIST_PEOPLE, [who]);

const LIST_MANAGERS = `
with recursive above (id) as (
  select id from people where $1::bigint[] is null or id = any($1::bigint[])
  union
  select p.manager_id from above a join people p on p.id = a.id where p.manager_id is not null
)
select p.id, p.manager_id from above a join people p on p.id = a.id
`;

const LIST_PARENTS = 'select id, parent_id from departments';

/** How departments stand below each other, and the managers above some people. */
export async function loadStructure(db: Queryable, who: Who): Promise<Structure> {
  const parents = new Map((await rows<{ id: string; parent_id: string | null }>(db, LIST_PARENTS)).map((row) => [row.id, row.parent_id]));
  const managers = new Map(
    (await rows<{ id: string; manager_id: string | null }>(db, LIST_MANAGERS, [who])).map((row) => [row.id, row.manager_id]),
  );
  return { parentOf: (id) => parents.get(id) ?? null, managerOf: (id) => managers.get(id) ?? null };
}

const LIST_RECORDS = `
select
  a.id, a.person_id, a.course_id, a.is_by_hand, a.assigned_at, a.due_at, a.closed_by, a.closed_at, a.closed_because, a.waived_until,
  coalesce(a.completed_on, (a.closed_at at time zone s.zone)::date) as finished_on, c.expires_on, c.revoked_at is not null as is_revoked,
  (
    select coalesce(jsonb_agg(jsonb_build_object('requirement', r.requirement_id::text, 'isOut', r.out_since is not null, 'isKept',
      r.kept_at is not null) order by r.requirement_id), '[]')
    from assignment_reasons r
    where r.assignment_id = a.id
  ) as reasons
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
left join standing_certificates c on c.assignment_id = a.id
where ($1::bigint[] is null or a.person_id = any($1::bigint[]))
  and ($2::bigint is null or a.course_id = $2::bigint)
  and a.closed_because is distinct from 'undone'
order by a.person_id, a.course_id, a.round
`;

interface RecordRow {
  id: string;
  person_id: string;
  course_id: string;
  is_by_hand: boolean;
  assigned_at: Date;
  due_at: Date;
  closed_by: 'finished' | 'waived' | 'withdrawn' | null;
  closed_at: Date | null;
  closed_because: WithdrawnBecause | null;
  waived_until: string | null;
  finished_on: string | null;
  expires_on: string | null;
  is_revoked: boolean;
  reasons: { requirement: string; isOut: boolean; isKept: boolean }[];
}

/** How people stand with courses: what they finished, what is open, how the newest was closed. */
export async function loadRecords(db: Queryable, who: Who, course: string | null = null): Promise<Map<string, Map<string, CourseRecord>>> {
  const all = new Map<string, Map<string, CourseRecord & { finishes: Finish[] }>>();
  for (const row of await rows<RecordRow>(db, LIST_RECORDS, [who, course])) {
    let own = all.get(row.person_id);
    if (!own) all.set(row.person_id, (own = new Map()));
    let record = own.get(row.course_id);
    if (!record) own.set(row.course_id, (record = { course: row.course_id, finishes: [], open: null, closed: null }));
    record.closed = null; // the newest counts, and rows come in the order of their rounds
    if (row.closed_by === null) record.open = { id: row.id, dueAt: row.due_at.getTime(), isByHand: row.is_by_hand, reasons: row.reasons };
    else if (row.closed_by === 'finished')
      record.finishes.push({ on: row.finished_on!, expiresOn: row.expires_on, isRevoked: row.is_revoked });
    else
      record.closed = {
        id: row.id,
        how: row.closed_by,
        because: row.closed_because,
        closedAt: row.closed_at!.getTime(),
        waivedUntil: row.waived_until,
        assignedAt: row.assigned_at.getTime(),
        dueAt: row.due_at.getTime(),
        isByHand: row.is_by_hand,
      };
  }
  return all;
}

export interface RequirementDbRow {
  id: string;
  name: string;
  course_id: string;
  audience: Audience;
  due: DueRule;
  due_time: string;
  grace_days: number;
  credit_months: number | null;
  renewal: Renewal | null;
  from_on: string | null;
  until_on: string | null;
  takes_joiners: boolean;
  when_out: WhenOut;
  is_on: boolean;
  /** it goes on with its course */
  on_with_course: boolean;
  switched_on_at: Date | null;
  version: number;
  changed_at: Date;
  changed_by: string;
  is_counted: boolean;
}
const COLUMNS =
  'id, name, course_id, audience, due, due_time, grace_days, credit_months, renewal, from_on, ' +
  'until_on, takes_joiners, when_out, is_on, on_with_course, switched_on_at, version, changed_at, changed_by, is_counted';

export const requirementOf = (row: RequirementDbRow): Requirement => ({
  id: row.id,
  name: row.name,
  course: row.course_id,
  audience: row.audience,
  due: row.due,
  dueTime: row.due_time,
  graceDays: row.grace_days,
  creditMonths: row.credit_months,
  renewal: row.renewal,
  from: row.from_on,
  until: row.until_on,
  takesJoiners: row.takes_joiners,
  whenOut: row.when_out,
  switchedOnAt: row.switched_on_at?.getTime() ?? null,
});

export const listRequirementRows = (db: Queryable): Promise<RequirementDbRow[]> =>
  rows<RequirementDbRow>(db, `select ${COLUMNS} from requirements order by is_on desc, name`);

export const listLive = async (db: Queryable): Promise<Requirement[]> =>
  (await rows<RequirementDbRow>(db, `select ${COLUMNS} from requirements where is_on order by id`)).map(requirementOf);

export async function findRequirementRow(db: Queryable, id: string, isLocked = false): Promise<RequirementDbRow | null> {
  return (
    (
      await rows<RequirementDbRow>(db, `select ${COLUMNS} from requirements where id = $1::bigint ${isLocked ? 'for no key update' : ''}`, [
        id,
      ])
    )[0] ?? null
  );
}

/** Requirements with their audiences made ready, once for each local date that it is somewhere. */
export class LiveSet {
  private readonly byDate = new Map<string, LiveRequirement[]>();
  constructor(
    private readonly requirements: readonly Requirement[],
    private readonly structure: Structure,
  ) {}

  on(date: string): LiveRequirement[] {
    let ready = this.byDate.get(date);
    if (!ready) {
      ready = this.requirements.map((requirement) => ({ requirement, matcher: this.matcher(requirement.audience, date) }));
      this.byDate.set(date, ready);
    }
    return ready;
  }

  private matcher(audience: Audience, date: string): Matcher {
    return compileAudience(audience, this.structure, date);
  }
}

/** Working calendars by site. */
export async function loadCalendars(db: Queryable): Promise<Calendars> {
  return new Calendars(await listCalendars(db));
}

interface NameLists {
  departments: AudienceFacts['departments'];
  sites: AudienceFacts['sites'];
  groups: AudienceFacts['groups'];
  courses: AudienceFacts['courses'];
}

const LIST_DEPARTMENTS = 'select id, name, parent_id as "parentId" from departments order by name';
const LIST_SITES = 'select id, name from sites order by name';
const LIST_GROUPS = 'select id, name from groups order by name';
const LIST_COURSES = 'select id, title from courses order by title';

export async function loadNameLists(db: Queryable): Promise<NameLists> {
  return {
    departments: await rows(db, LIST_DEPARTMENTS),
    sites: await rows(db, LIST_SITES),
    groups: await rows(db, LIST_GROUPS),
    courses: await rows(db, LIST_COURSES),
  };
}

const LIST_PEOPLE_NAMES = 'select id, name from people where id = any($1::bigint[])';

/** Names for telling audiences: of everything there is, and of the people that they speak of. */
export async function loadNames(db: Queryable, audiences: readonly Audience[]): Promise<Names> {
  const lists = await loadNameLists(db);
  const tops = [
    ...new Set(
      JSON.stringify(audiences)
        .match(/"line":\[[^\]]*\]/g)
        ?.flatMap((part) => part.match(/\d+/g) ?? []) ?? [],
    ),
  ];
  const people = tops.length ? await rows<{ id: string; name: string }>(db, LIST_PEOPLE_NAMES, [tops]) : [];
  const lookUp = (list: readonly { id: string; name: string }[], what: string): ((id: string) => string) => {
    const names = new Map(list.map(({ id, name }) => [id, name]));
    return (id) => names.get(id) ?? `a ${what} that is gone`;
  };
  return {
    department: lookUp(lists.departments, 'department'),
    site: lookUp(lists.sites, 'site'),
    group: lookUp(lists.groups, 'group'),
    person: lookUp(people, 'person'),
    course: lookUp(
      lists.courses.map(({ id, title }) => ({ id, name: title })),
      'course',
    ),
    // an audience asks of no unit, and of nothing that was sent
    unit: (id) => id,
    step: (id) => id,
  };
}

const LIST_JOBS = 'select distinct job from people where job is not null order by job';

const LIST_IDS = 'select id from people order by id';
const PART = 1_000;

/** Everyone as an audience asks for them, a part after the other. */
export async function* audiencePeople(db: Queryable): AsyncGenerator<AudiencePerson[]> {
  const ids = (await rows<{ id: string }>(db, LIST_IDS)).map(({ id }) => id);
  for (let from = 0; from < ids.length; from += PART)
    yield (await listRequirementPeople(db, ids.slice(from, from + PART))).map(
      ({ jobSince: _, memberOf: __, ...person }): AudiencePerson => person,
    );
}

/** What an audience may name. */
export const audienceNames = async (db: Queryable): Promise<Omit<AudienceFacts, 'today' | 'people'>> => ({
  ...(await loadNameLists(db)),
  jobs: (await rows<{ job: string }>(db, LIST_JOBS)).map(({ job }) => job),
});
