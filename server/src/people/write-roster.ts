import {
  byLevel,
  tellLeave,
  type Groups,
  type LocalDate,
  type RosterLeave,
  type RosterPreview,
  type RosterRow,
  type RowChange,
} from '@nudrik/core';
import { announce, rows, type Client } from '../db/db.ts';
import { requestReplan } from '../notices/queue.ts';
import { releaseAddress, releaseLeave, releaseValuesOf } from '../notices/release.repo.ts';
import { requestReconcile } from '../requirements/queue.ts';
import { listOpenAssignmentsAround, setManagers } from './people.repo.ts';

/** Rows written by one statement. */
const BATCH = 10_000;

function* batches<T>(list: readonly T[]): Generator<readonly T[]> {
  for (let from = 0; from < list.length; from += BATCH) yield list.slice(from, from + BATCH);
}

const PUT_DEPARTMENTS = `
insert into departments (name)
select distinct unnest($1::text[])
on conflict (name) do nothing
returning id
`;

const ADD_PEOPLE = `
insert into people (personnel_number, name, email, department_id, site_id, job, language, chat_name, joined_on, left_on, manager_id)
select r.personnel_number, r.name, r.email, d.id, s.id, r.job, r.language, r.chat_name, r.joined_on, r.left_on, m.id
from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[], $9::date[], $10::date[], $11::text[])
  as r (personnel_number, name, email, department, site, job, language, chat_name, joined_on, left_on, manager_email)
join departments d on d.name = r.department
join sites s on s.name = r.site
left join people m on m.email = r.manager_email
returning id, email
`;

const CHANGE_PEOPLE = `
update people p
set
  personnel_number = r.personnel_number, name = r.name, email = r.email, department_id = d.id, site_id = s.id, job = r.job,
    language = r.language, chat_name = r.chat_name, joined_on = r.joined_on, left_on = r.left_on,
  job_since = case when p.job is distinct from r.job then $12::date else p.job_since end,
  address_state = case when p.email <> r.email then 'ok' else p.address_state end,
  address_words = case when p.email <> r.email then null else p.address_words end,
  chat_state = case when p.chat_name is distinct from r.chat_name then 'ok' else p.chat_state end,
  chat_words = case when p.chat_name is distinct from r.chat_name then null else p.chat_words end
from unnest($1::bigint[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[], $9::text[], $10::date[], $11::date[])
  as r (id, personnel_number, name, email, department, site, job, language, chat_name, joined_on, left_on)
join departments d on d.name = r.department
join sites s on s.name = r.site
where p.id = r.id
`;

const INSERT_CHANGES = `
insert into person_changes (person_id, at, by_whom, kind, changes, import_id)
select r.person_id, $4::timestamptz, $5::text, r.kind, r.changes, $6::bigint
from unnest($1::bigint[], $2::text[], $3::jsonb[]) as r (person_id, kind, changes)
`;

// everyone below some people in the line of managers, they themselves included
const LIST_BELOW = `
select unnest($1::bigint[]) as id
union
select id from line_of($1::bigint[])
`;

export const listBelow = async (db: Client, ids: readonly string[]): Promise<string[]> =>
  ids.length === 0 ? [] : (await rows<{ id: string }>(db, LIST_BELOW, [ids])).map((row) => row.id);

export type ChangeKind = 'added' | 'changed' | 'returned' | 'left' | 'leave' | 'group';

/** Puts what happened to people on the record. */
export async function recordChanges(
  client: Client,
  list: readonly { id: string; kind: ChangeKind; changes: readonly object[] }[],
  by: { at: number; byWhom: string; importId?: string | null },
): Promise<void> {
  for (const part of batches(list))
    await client.query(INSERT_CHANGES, [
      part.map(({ id }) => id),
      part.map(({ kind }) => kind),
      part.map(({ changes }) => JSON.stringify(changes)),
      new Date(by.at),
      by.byWhom,
      by.importId ?? null,
    ]);
}

const columnsOf = (list: readonly RosterRow[]): unknown[][] => [
  list.map((p) => p.personnelNumber),
  list.map((p) => p.name),
  list.map((p) => p.email),
  list.map((p) => p.department),
  list.map((p) => p.site),
  list.map((p) => p.job),
  list.map((p) => p.language),
  list.map((p) => p.chatName),
  list.map((p) => p.joinedOn),
  list.map((p) => p.leftOn),
];

const ADD_LEAVES = `
insert into leaves (person_id, from_on, to_on, cover_id, import_id)
select r.person_id, r.from_on, r.to_on, c.id, $5::bigint
from unnest($1::bigint[], $2::date[], $3::date[], $4::text[]) as r (person_id, from_on, to_on, cover_email)
left join people c on c.email = r.cover_email
returning person_id, from_on, to_on, (select name from people where id = cover_id) as cover
`;

/** Enters the leave that comes with changes, and puts it on the record. @returns who has it */
async function addLeaves(
  client: Client,
  list: readonly { id: string; leave: RosterLeave }[],
  by: { at: number; byWhom: string; importId?: string | null },
): Promise<string[]> {
  const added = await rows<{ person_id: string; from_on: string; to_on: string | null; cover: string | null }>(client, ADD_LEAVES, [
    list.map(({ id }) => id),
    list.map(({ leave }) => leave.from),
    list.map(({ leave }) => leave.to),
    list.map(({ leave }) => leave.coverEmail),
    by.importId ?? null,
  ]);
  const record = added.map((row) => ({
    id: row.person_id,
    kind: 'leave' as const,
    changes: [{ field: 'leave', from: null, to: tellLeave({ from: row.from_on, to: row.to_on }, row.cover) }],
  }));
  await recordChanges(client, record, by);
  return added.map((row) => row.person_id);
}

/** Takes away the leave that an import entered, and puts that on the record. @returns whose it was */
export async function removeLeavesOf(client: Client, importId: string, by: { at: number; byWhom: string }): Promise<string[]> {
  const gone = await rows<{ person_id: string; from_on: string; to_on: string | null; cover: string | null }>(client, REMOVE_LEAVES_OF, [
    importId,
  ]);
  const record = gone.map((row) => ({
    id: row.person_id,
    kind: 'leave' as const,
    changes: [{ field: 'leave', from: tellLeave({ from: row.from_on, to: row.to_on }, row.cover), to: null }],
  }));
  await recordChanges(client, record, by);
  return gone.map((row) => row.person_id);
}

const REMOVE_LEAVES_OF = `
delete from leaves
where import_id = $1::bigint
returning person_id, from_on, to_on, (select name from people where id = cover_id) as cover
`;

export interface Written {
  departmentsMade: string[];
  /** the people that were written, in the order of the changes */
  ids: string[];
  /** whom the requirements have to be asked about: they, and everyone below a new manager */
  asked: string[];
}

/**
 * Writes changes of the roster, whoever they come from (a file, the feed, a hand), with their record, and asks for
 * everything that follows from them: planning, reconciling, releasing what waited.
 */
export async function writeRoster(
  client: Client,
  changes: readonly RowChange[],
  kindOf: (change: RowChange) => ChangeKind,
  by: { at: number; byWhom: string; today: LocalDate; importId?: string | null },
): Promise<Written> {
  if (changes.length === 0) return { departmentsMade: [], ids: [], asked: [] };
  const made = await rows<{ id: string }>(client, PUT_DEPARTMENTS, [changes.map(({ person }) => person.department)]);
  const known = changes.filter(({ id }) => id !== null);
  for (const part of batches(known))
    await client.query(CHANGE_PEOPLE, [part.map(({ id }) => id), ...columnsOf(part.map(({ person }) => person)), by.today]);
  const idOf = new Map<string, string>();
  for (const level of byLevel(changes.flatMap(({ id, person }) => (id === null ? [person] : []))))
    for (const part of batches(level))
      for (const row of await rows<{ id: string; email: string }>(client, ADD_PEOPLE, [
        ...columnsOf(part),
        part.map((p) => p.managerEmail),
      ]))
        idOf.set(row.email, row.id);
  const withManager = known.filter(({ changes: fields }) => fields.some(({ field }) => field === 'managerEmail'));
  for (const part of batches(withManager))
    await setManagers(
      client,
      part.map(({ person }) => person),
    );
  const ids = changes.map(({ id, person }) => id ?? idOf.get(person.email)!);
  await recordChanges(
    client,
    changes
      .map((change, index) => ({ id: ids[index]!, kind: kindOf(change), changes: change.changes.filter(({ field }) => field !== 'leave') }))
      // leave is on the record by itself
      .filter(({ kind, changes: fields }) => kind === 'added' || fields.length > 0),
    by,
  );
  const onLeave = await addLeaves(
    client,
    changes.flatMap(({ leave }, index) => (leave ? [{ id: ids[index]!, leave }] : [])),
    by,
  );
  if (onLeave.length > 0) await releaseLeave(client, onLeave, by.at);

  const has = (change: RowChange, field: string): boolean => change.changes.some((entry) => entry.field === field);
  for (const change of known) if (has(change, 'email') || has(change, 'chatName')) await releaseAddress(client, change.id!, by.at);
  const around = await listOpenAssignmentsAround(
    client,
    known.map(({ id }) => id!),
  );
  await releaseValuesOf(client, around, by.at);
  await requestReplan(client, around);
  // a new manager moves everyone below into another line; everything else concerns the person alone
  const moved = known.flatMap((change) => (has(change, 'managerEmail') ? [change.id!] : []));
  const asked = [...new Set([...ids, ...(await listBelow(client, moved))])];
  await requestReconcile(client, asked);
  await announce(client, 'people');
  return { departmentsMade: made.map(({ id }) => id), ids, asked };
}

/** Which group of a preview each change belongs to, for the record. */
export function kindsIn(preview: RosterPreview, groups: Groups): (change: RowChange) => ChangeKind {
  const kinds = new Map<RowChange, ChangeKind>();
  for (const kind of ['added', 'changed', 'returned', 'left'] as const)
    if (groups[kind]) for (const change of preview[kind]) kinds.set(change, kind);
  return (change) => kinds.get(change) ?? 'changed';
}
