import { tellList } from '@nudrik/core';
import {
  departmentWords,
  groupWords,
  holidayWords,
  siteWords,
  type HolidaysDraft,
  type SiteDraft,
  type SiteHoliday,
  type StructureView,
} from '@nudrik/contract';
import { announce, maybeRow, oneRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import { refuseStale, type Versioned } from '../db/versions.ts';
import type { Deps } from '../deps.ts';
import { recordHouse } from '../house/record.ts';
import { requestReplan } from '../notices/queue.ts';
import { Refused, refuseUnknownZone } from '../refusal.ts';
import { requestReconcile, requestReconcileAll } from '../requirements/queue.ts';
import { listOpenAssignmentsAround } from '../people/people.repo.ts';
import { recordChanges } from '../people/write-roster.ts';
import { keepName, leaveName, listReportsOf } from './former-names.repo.ts';

const LIST_DEPARTMENTS = `
select d.id, d.name, d.parent_id as "parentId", d.version, coalesce(w.people, 0) as people
from departments d
left join (select department_id, count(*)::integer as people from people where is_here(left_on, $1::date) group by 1) w on w.department_id = d.id
order by d.name
`;
const LIST_SITES = `
select
  s.id, s.name, s.zone, s.working_days as "workingDays", s.version, coalesce(w.people, 0) as people,
  (select coalesce(jsonb_agg(jsonb_build_object('on', h.on_date, 'name', h.name) order by h.on_date), '[]') from holidays h where h.site_id = s.id) as holidays
from sites s
left join (select site_id, count(*)::integer as people from people where is_here(left_on, $1::date) group by 1) w on w.site_id = s.id
order by s.name
`;
const LIST_GROUPS = `
select g.id, g.name, g.about, g.version, (coalesce(m.people, 0) - coalesce(l.people, 0))::integer as people
from groups g
left join (select group_id, count(*) as people from group_members group by 1) m on m.group_id = g.id
left join (
  select m.group_id, count(*) as people from people p join group_members m on m.person_id = p.id where p.left_on <= $1::date group by 1
) l on l.group_id = g.id
order by g.name
`;

export async function structureView(db: Queryable, today: string): Promise<StructureView> {
  const [departments, sites, groups] = await Promise.all([
    rows<StructureView['departments'][number]>(db, LIST_DEPARTMENTS, [today]),
    rows<StructureView['sites'][number]>(db, LIST_SITES, [today]),
    rows<StructureView['groups'][number]>(db, LIST_GROUPS, [today]),
  ]);
  return { departments, sites, groups };
}

const LIST_HOLIDAYS = `
select h.on_date::text as on, h.name, h.site_id::text as "siteId", s.name as site
from holidays h
join sites s on s.id = h.site_id
order by h.on_date, s.name
`;

/** The holidays of all sites, for calendars to mark. */
export const listHolidays = (db: Queryable): Promise<SiteHoliday[]> => rows<SiteHoliday>(db, LIST_HOLIDAYS);

/** Whether a requirement speaks of something: what it speaks of is not removed under it. */
async function refuseWhileAsked(client: Client, key: string, id: string, what: string): Promise<void> {
  const asking = await rows<{ name: string }>(
    client,
    'select name from requirements where jsonb_path_exists(audience, ' +
      `('$.**.${key}[*] ? (@ == $id)')::jsonpath, jsonb_build_object('id', $1::text)) order by name`,
    [id],
  );
  if (asking.length > 0)
    throw new Refused(
      'conflict',
      `${what} stands in the audience of ${tellList(asking.map(({ name }) => `“${name}”`))}. Take it out there first; nothing was changed.`,
    );
}

async function refuseTaken(client: Client, table: 'departments' | 'sites' | 'groups', name: string, id: string | null): Promise<void> {
  const other = await maybeRow(
    client,
    `select 1 from ${table} where lower(name) = lower($1::text) and id is distinct from $2::bigint limit 1`,
    [name, id],
  );
  if (other)
    throw new Refused('conflict', `There is a ${table.slice(0, -1)} “${name}” already; each needs a name of its own. Nothing was changed.`);
}

const TITLES = { departments: 'this department', sites: 'this site', groups: 'this group' } as const;

/** A save over a newer version is refused. */
async function refuseOlder(deps: Deps, client: Client, table: keyof typeof TITLES, id: string, version = 0): Promise<void> {
  const stored = await maybeRow<Versioned>(client, `select version from ${table} where id = $1::bigint for update`, [id]);
  if (!stored) throw new Refused('not-found');
  await refuseStale(deps, client, TITLES[table], stored, version);
}

const LIST_ABOVE = `
with recursive above (id, name, parent_id, depth) as (
  select id, name, parent_id, 1 from departments where id = $1::bigint
  union all
  select d.id, d.name, d.parent_id, a.depth + 1 from above a join departments d on d.id = a.parent_id where a.depth < 100
)
select id, name from above order by depth
`;

const LOCK_DEPARTMENTS = 'lock table departments in share row exclusive mode';
const INSERT_DEPARTMENT = 'insert into departments (name, parent_id) values ($1::text, $2::bigint) returning id';
const GET_DEPARTMENT = `
select d.name, p.name as below
from departments d
left join departments p on p.id = d.parent_id
where d.id = $1::bigint
`;
const CHANGE_DEPARTMENT = `
update departments
set name = $2::text, parent_id = $3::bigint, version = version + 1
where id = $1::bigint
`;

/** Makes a department, or renames and moves one; below itself it cannot stand. */
export async function saveDepartment(
  deps: Deps,
  id: string | null,
  draft: { name: string; parentId: string | null; version?: number },
  byWhom: string,
): Promise<string> {
  return transaction(deps.db, async (client) => {
    await client.query(LOCK_DEPARTMENTS);
    await refuseTaken(client, 'departments', draft.name, id);
    const by = { at: deps.clock.now(), byWhom };
    let below: string | null = null;
    if (draft.parentId) {
      const above = await rows<{ id: string; name: string }>(client, LIST_ABOVE, [draft.parentId]);
      if (above.length === 0) throw new Refused('wrong-input', `There is no department ${draft.parentId} to stand below.`);
      below = above[0]!.name;
      const at = above.findIndex((department) => department.id === id);
      if (at >= 0)
        throw new Refused(
          'conflict',
          `${draft.name} would stand below itself: ` +
            `${[...above.slice(0, at + 1).map(({ name }) => name)].reverse().concat(draft.name).join(' → ')}. ` +
            'Nothing was changed.',
        );
    }
    if (id === null) {
      const made = await oneRow<{ id: string }>(client, INSERT_DEPARTMENT, [draft.name, draft.parentId]);
      await recordHouse(client, 'structure', by, `The department ${draft.name}`, null, departmentWords({ name: draft.name, below }));
      await announce(client, 'people');
      return made.id;
    }
    await refuseOlder(deps, client, 'departments', id, draft.version);
    const before = await oneRow<{ name: string; below: string | null }>(client, GET_DEPARTMENT, [id]);
    await client.query(CHANGE_DEPARTMENT, [id, draft.name, draft.parentId]);
    await keepName(client, 'department', id, before.name, draft.name, by.at);
    await recordHouse(
      client,
      'structure',
      by,
      `The department ${before.name}`,
      departmentWords(before),
      departmentWords({ name: draft.name, below }),
    );
    // who stands below which department decides who is in which audience
    await requestReconcileAll(client);
    await announce(client, 'people');
    return id;
  });
}

const LOCK_DEPARTMENT = `
select d.name, d.parent_id as "parentId", (select count(*)::integer from people p where p.department_id = d.id) as people,
  (select count(*)::integer from departments c where c.parent_id = d.id) as below
from departments d
where d.id = $1::bigint
for update
`;
const DELETE_DEPARTMENT = 'delete from departments where id = $1::bigint';

export async function removeDepartment(deps: Deps, id: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const found = await maybeRow<{ name: string; parentId: string | null; people: number; below: number }>(client, LOCK_DEPARTMENT, [id]);
    if (!found) throw new Refused('not-found');
    if (found.people > 0 || found.below > 0)
      throw new Refused(
        'conflict',
        `${found.name} is not empty: it has ` +
          `${[found.people ? `${found.people} people` : '', found.below ? `${found.below} departments below it` : ''].filter(Boolean).join(' and ')}` +
          ', those who left among them. Nothing was changed.',
      );
    await refuseWhileAsked(client, 'department', id, found.name);
    const reports = await listReportsOf(client, 'department', found.name);
    if (reports.length > 0)
      throw new Refused(
        'conflict',
        `${found.name} is what ${tellList(reports.map((name) => `“${name}”`))} ${reports.length === 1 ? 'is' : 'are'} narrowed down to, ` +
          'which goes by mail. Change it there first; nothing was changed.',
      );
    const by = { at: deps.clock.now(), byWhom };
    await client.query(DELETE_DEPARTMENT, [id]);
    await leaveName(client, 'department', id, found.parentId, found.name, by.at);
    await recordHouse(client, 'structure', by, `The department ${found.name}`, {}, null);
    await announce(client, 'people');
  });
}

const INSERT_SITE = `
insert into sites (name, zone, working_days)
values ($1::text, $2::text, $3::integer[])
returning id
`;
const GET_SITE = 'select name, zone, working_days as "workingDays" from sites where id = $1::bigint';
const CHANGE_SITE = `
update sites
set name = $2::text, zone = $3::text, working_days = $4::integer[], version = version + 1
where id = $1::bigint
`;

/** Makes a site, or changes its name, zone and working days; what hangs on its calendar is planned again. */
export async function saveSite(deps: Deps, id: string | null, draft: SiteDraft & { version?: number }, byWhom: string): Promise<string> {
  refuseUnknownZone(draft.zone);
  const days = [...new Set(draft.workingDays)].sort();
  return transaction(deps.db, async (client) => {
    await refuseTaken(client, 'sites', draft.name, id);
    const by = { at: deps.clock.now(), byWhom };
    const after = siteWords({ ...draft, workingDays: days });
    if (id === null) {
      const made = await oneRow<{ id: string }>(client, INSERT_SITE, [draft.name, draft.zone, days]);
      await recordHouse(client, 'structure', by, `The site ${draft.name}`, null, after);
      await announce(client, 'people');
      return made.id;
    }
    await refuseOlder(deps, client, 'sites', id, draft.version);
    const before = await oneRow<{ name: string; zone: string; workingDays: number[] }>(client, GET_SITE, [id]);
    await client.query(CHANGE_SITE, [id, draft.name, draft.zone, days]);
    await keepName(client, 'site', id, before.name, draft.name, by.at);
    await recordHouse(client, 'structure', by, `The site ${before.name}`, siteWords(before), after);
    await replanSite(client, id);
    return id;
  });
}

const LIST_PEOPLE_AT = 'select id from people where site_id = $1::bigint';

/** Plans again for whoever lives by a site's calendar, and for those below them in the line. */
async function replanSite(client: Client, id: string): Promise<void> {
  const people = (await rows<{ id: string }>(client, LIST_PEOPLE_AT, [id])).map((row) => row.id);
  await requestReplan(client, await listOpenAssignmentsAround(client, people));
  await announce(client, 'people');
}

const RAISE_SITE_VERSION = 'update sites set version = version + 1 where id = $1::bigint';
const LIST_HOLIDAYS_OF_YEAR = `
select on_date as on, name
from holidays
where site_id = $1::bigint
  and on_date between make_date($2::integer, 1, 1) and make_date($2::integer, 12, 31)
`;
const DELETE_HOLIDAYS_OF_YEAR = `
delete
from holidays
where site_id = $1::bigint
  and on_date between make_date($2::integer, 1, 1) and make_date($2::integer, 12, 31)
`;
const INSERT_HOLIDAYS = `
insert into holidays (site_id, on_date, name) select $1::bigint, *
from unnest($2::date[], $3::text[])
`;

/** Sets the holidays of one year as they are to be. */
export async function saveHolidays(deps: Deps, siteId: string, draft: HolidaysDraft, byWhom: string): Promise<void> {
  const foreign = draft.holidays.find(({ on }) => !on.startsWith(`${draft.year}-`));
  if (foreign)
    throw new Refused('wrong-input', `The holiday ${foreign.name}, ${foreign.on}, is not in ${draft.year}. Nothing was changed.`);
  const byDate = new Map(draft.holidays.map((holiday) => [holiday.on, holiday.name]));
  if (byDate.size < draft.holidays.length)
    throw new Refused('wrong-input', 'A holiday stands there twice on one date; expected each date once. Nothing was changed.');
  await transaction(deps.db, async (client) => {
    await refuseOlder(deps, client, 'sites', siteId, draft.version);
    await client.query(RAISE_SITE_VERSION, [siteId]);
    const { name } = await oneRow<{ name: string }>(client, GET_SITE, [siteId]);
    const before = await rows<{ on: string; name: string }>(client, LIST_HOLIDAYS_OF_YEAR, [siteId, draft.year]);
    await client.query(DELETE_HOLIDAYS_OF_YEAR, [siteId, draft.year]);
    await client.query(INSERT_HOLIDAYS, [siteId, [...byDate.keys()], [...byDate.values()]]);
    await recordHouse(
      client,
      'structure',
      { at: deps.clock.now(), byWhom },
      `The site ${name}`,
      holidayWords(draft.year, before),
      holidayWords(draft.year, draft.holidays),
    );
    await replanSite(client, siteId);
  });
}

const INSERT_GROUP = 'insert into groups (name, about) values ($1::text, $2::text) returning id';
const GET_GROUP = 'select name, about from groups where id = $1::bigint';
const CHANGE_GROUP = 'update groups set name = $2::text, about = $3::text, version = version + 1 where id = $1::bigint';

export async function saveGroup(
  deps: Deps,
  id: string | null,
  draft: { name: string; about: string | null; version?: number },
  byWhom: string,
): Promise<string> {
  return transaction(deps.db, async (client) => {
    await refuseTaken(client, 'groups', draft.name, id);
    await announce(client, 'people');
    const by = { at: deps.clock.now(), byWhom };
    if (id === null) {
      const made = await oneRow<{ id: string }>(client, INSERT_GROUP, [draft.name, draft.about || null]);
      await recordHouse(client, 'structure', by, `The group ${draft.name}`, null, groupWords(draft));
      return made.id;
    }
    await refuseOlder(deps, client, 'groups', id, draft.version);
    const before = await oneRow<{ name: string; about: string | null }>(client, GET_GROUP, [id]);
    await client.query(CHANGE_GROUP, [id, draft.name, draft.about || null]);
    await keepName(client, 'group', id, before.name, draft.name, by.at);
    await recordHouse(client, 'structure', by, `The group ${before.name}`, groupWords(before), groupWords(draft));
    return id;
  });
}

const memberChange = (name: string, isIn: boolean): object => ({ field: 'group', from: isIn ? null : name, to: isIn ? name : null });

const LOCK_GROUP = 'select name from groups where id = $1::bigint for update';
const INSERT_MEMBERS = `
insert into group_members (group_id, person_id) select $1::bigint, id
from people
where id = any($2::bigint[])
on conflict do nothing
returning person_id
`;
const DELETE_MEMBERS = `
delete
from group_members
where group_id = $1::bigint
  and person_id = any($2::bigint[])
returning person_id
`;

/** Puts people into a group, or takes them out; who has it from a requirement is looked at again. */
export async function changeMembers(deps: Deps, id: string, change: { add: string[]; remove: string[] }, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const group = await maybeRow<{ name: string }>(client, LOCK_GROUP, [id]);
    if (!group) throw new Refused('not-found', 'There is no such group, or not any more.');
    const added = await rows<{ person_id: string }>(client, INSERT_MEMBERS, [id, change.add]);
    const removed = await rows<{ person_id: string }>(client, DELETE_MEMBERS, [id, change.remove]);
    await recordChanges(
      client,
      [
        ...added.map((row) => ({ id: row.person_id, kind: 'group' as const, changes: [memberChange(group.name, true)] })),
        ...removed.map((row) => ({ id: row.person_id, kind: 'group' as const, changes: [memberChange(group.name, false)] })),
      ],
      { at: deps.clock.now(), byWhom },
    );
    const ids = [...added, ...removed].map((row) => row.person_id);
    await requestReconcile(client, ids);
    // plans may ask for a group too
    await requestReplan(client, await listOpenAssignmentsAround(client, ids));
    await announce(client, 'people');
  });
}

const LIST_MEMBERS = 'select person_id from group_members where group_id = $1::bigint';
const DELETE_GROUP = 'delete from groups where id = $1::bigint';

export async function removeGroup(deps: Deps, id: string, byWhom: string): Promise<void> {
  const members = await rows<{ person_id: string }>(deps.db, LIST_MEMBERS, [id]);
  await transaction(deps.db, async (client) => {
    const group = await maybeRow<{ name: string }>(client, LOCK_GROUP, [id]);
    if (!group) throw new Refused('not-found');
    await refuseWhileAsked(client, 'group', id, group.name);
  });
  if (members.length > 0) await changeMembers(deps, id, { add: [], remove: members.map((row) => row.person_id) }, byWhom);
  await transaction(deps.db, async (client) => {
    const group = await maybeRow<{ name: string }>(client, LOCK_GROUP, [id]);
    if (!group) return; // somebody else removed it meanwhile
    await client.query(DELETE_GROUP, [id]);
    await leaveName(client, 'group', id, null, group.name, deps.clock.now());
    await recordHouse(client, 'structure', { at: deps.clock.now(), byWhom }, `The group ${group.name}`, {}, null);
    await announce(client, 'people');
  });
}
