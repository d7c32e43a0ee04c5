import { tellList, tellMoment, Zone, type FieldChange, type RosterRow, type RowChange } from '@nudrik/core';
import type { ImportRow } from '@nudrik/contract';
import { announce, maybeRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import { findFile } from '../files/files.repo.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/queue.ts';
import { releaseLeave } from '../notices/release.repo.ts';
import { Refused } from '../refusal.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { lockRoster } from './import.ts';
import { listOpenAssignmentsAround, listRoster } from './people.repo.ts';
import { getHouse } from '../house/house.ts';
import { houseToday } from './today.ts';
import { removeLeavesOf, writeRoster, type ChangeKind } from './write-roster.ts';

const LIST_IMPORTS = `
select
  id, file_name as "fileName", source, taken_at as "takenAt", taken_by as "takenBy", added, changed, returned, gone as "left", rejected,
    file_id is not null as "hasFile",
  undone_at as "undoneAt", undone_by as "undoneBy"
from imports
order by id desc
limit 200
`;

export const listImports = (db: Queryable): Promise<ImportRow[]> => rows<ImportRow>(db, LIST_IMPORTS);

const LIST_CHANGES_OF = `
select c.id, c.person_id, c.kind, c.changes, p.name
from person_changes c
join people p on p.id = c.person_id
where c.import_id = $1::bigint
order by c.id
`;

const LIST_ADDED = "select person_id as id from person_changes where import_id = $1::bigint and kind = 'added' order by person_id";

const LIST_LATER = `
select p.name, l.at, l.by_whom
from person_changes c
join person_changes l on l.person_id = c.person_id and l.id > c.id and l.kind in ('added', 'changed', 'returned', 'left')
join people p on p.id = c.person_id
where c.import_id = $1::bigint
order by l.at
`;

// what stands in the way of taking somebody away again
const LIST_TIES = `
with gone as (
  select person_id as id from person_changes where import_id = $1::bigint and kind = 'added'
)
select p.name, 'has begun ' || k.title as words
from gone g
join people p on p.id = g.id
join assignments a on a.person_id = g.id
join courses k on k.id = a.course_id
where a.started_at is not null or a.closed_by = 'finished'
union all
select p.name, 'was assigned ' || k.title || ' by hand'
from gone g
join people p on p.id = g.id
join assignments a on a.person_id = g.id and a.is_by_hand and a.closed_because is distinct from 'undone'
join courses k on k.id = a.course_id
union all
select p.name, 'was sent “' || n.step_name || '”'
from gone g
join people p on p.id = g.id
join notices n on n.person_id = g.id and (n.sent_at is not null or n.state = 'sending')
union all
select p.name, 'was sent “' || n.step_name || '”'
from gone g
join people p on p.id = g.id
join notices n on n.recipient_id = g.id and (n.sent_at is not null or n.state = 'sending')
union all
select p.name, 'is the manager of ' || q.name
from gone g
join people p on p.id = g.id
join people q on q.manager_id = g.id and q.id not in (select id from gone)
where not exists (
  select 1 from person_changes c where c.import_id = $1::bigint and c.person_id = q.id and c.changes @> '[{"field": "managerEmail"}]'
)
union all
select p.name, 'covers the leave of ' || q.name
from gone g
join people p on p.id = g.id
join leaves l on l.cover_id = g.id
join people q on q.id = l.person_id and q.id not in (select id from gone)
where l.import_id is distinct from $1::bigint
union all
select p.name, 'owns ' || k.title
from gone g
join people p on p.id = g.id
join courses k on k.owner_id = g.id
union all
select p.name, 'signed somebody off'
from gone g
join people p on p.id = g.id
where exists (select from sign_offs o where o.by_person_id = g.id)
union all
select p.name, 'leads “' || s.title || '”'
from gone g
join people p on p.id = g.id
join training_sessions s on s.trainer_id = g.id
union all
select p.name, 'has an account'
from gone g
join people p on p.id = g.id
join accounts c on c.person_id = g.id
`;

/** Sentences that say what depends on an import; none where it can be undone. */
async function whatDepends(client: Client, id: string, zone: Zone): Promise<string[]> {
  const later = await rows<{ name: string; at: Date; by_whom: string }>(client, LIST_LATER, [id]);
  const ties = await rows<{ name: string; words: string }>(client, LIST_TIES, [id]);
  return [
    ...new Set([
      ...later.map(({ name, at, by_whom }) => `${name} was changed again on ${tellMoment(at.getTime(), zone)} by ${by_whom}`),
      ...ties.map(({ name, words }) => `${name} ${words}`),
    ]),
  ];
}

// in the order of the worker, so that neither waits for the other with what the other needs: people, then assignments.
// People without their keys: a planner that holds an assignment still tells the ledger of its person
const LOCK_PEOPLE = [
  'select id from people where id = any($1::bigint[]) order by id for no key update',
  'select id from assignments where person_id = any($1::bigint[]) order by id for update',
];

const REMOVE_PEOPLE = [
  'delete from notices where person_id = any($1::bigint[])',
  'update notices set recipient_id = null where recipient_id = any($1::bigint[])',
  'delete from certificate_links where certificate_id in (select id from certificates where person_id = any($1::bigint[]))',
  'delete from certificates where person_id = any($1::bigint[])',
  'delete from assignments where person_id = any($1::bigint[])',
  'update people set manager_id = null where manager_id = any($1::bigint[]) and id <> all($1::bigint[])',
  'update leaves set cover_id = null where cover_id = any($1::bigint[])',
  'delete from people where id = any($1::bigint[])',
];

// what is taken away here is so on purpose: its seals say it
const SEALED_OF_PEOPLE = `
insert into seal_queue (kind, of_id)
select 'event', e.id from assignment_events e join assignments a on a.id = e.assignment_id where a.person_id = any($1::bigint[])
union all
select 'sign-off', o.id from sign_offs o join assignments a on a.id = o.assignment_id where a.person_id = any($1::bigint[])
union all
select 'certificate', c.id from certificates c where c.person_id = any($1::bigint[])
`;

const LIST_WRITTEN_TO = `
select distinct assignment_id as id
from notices
where recipient_id = any($1::bigint[])
  and person_id <> all($1::bigint[])
`;

const LOCK_IMPORT = 'select undone_at, file_name, departments_made from imports where id = $1::bigint for update';
const DELETE_EMPTY_DEPARTMENTS = `
delete
from departments d
where id = any($1::bigint[])
  and not exists (select 1 from people p where p.department_id = d.id)
  and not exists (select 1 from departments c where c.parent_id = d.id)
`;
const SET_UNDONE = 'update imports set undone_at = $2::timestamptz, undone_by = $3::text where id = $1::bigint';

/** Sets an import back, as long as nothing depends on it. */
export async function undoImport(deps: Deps, id: string, byWhom: string, work: Work = AT_ONCE): Promise<{ done: true }> {
  const today = await houseToday(deps);
  return transaction(deps.db, async (client) => {
    await lockRoster(client);
    const found = await maybeRow<{ undone_at: Date | null; file_name: string; departments_made: string[] }>(client, LOCK_IMPORT, [id]);
    if (!found) throw new Refused('not-found', 'There is no such import.');
    if (found.undone_at) throw new Refused('conflict', 'This import was undone already; nothing was changed.');
    const zone = Zone.of((await getHouse(client)).zone);
    const added = (await rows<{ id: string }>(client, LIST_ADDED, [id])).map((row) => row.id);
    for (const statement of LOCK_PEOPLE) await client.query(statement, [added]);
    const depends = await whatDepends(client, id, zone);
    if (depends.length > 0)
      throw new Refused(
        'conflict',
        `${found.file_name} cannot be undone, since later things depend on it: ` +
          `${tellList(depends.slice(0, 6))}${depends.length > 6 ? ` and ${depends.length - 6} more` : ''}. ` +
          'Nothing was changed.',
        depends.map((message) => ({ where: 'import', message })),
      );
    await work.at(1, 2);
    const changes = await rows<{ person_id: string; kind: ChangeKind; changes: FieldChange[] }>(client, LIST_CHANGES_OF, [id]);
    const roster = new Map((await listRoster(client)).map((person) => [person.id, person]));
    const back: RowChange[] = [];
    const kinds = new Map<RowChange, ChangeKind>();
    for (const { person_id, kind, changes: fields } of changes) {
      if (kind === 'added' || kind === 'leave') continue;
      const { id: _, ...now } = roster.get(person_id)!;
      const was = Object.fromEntries(fields.map(({ field, from }) => [field, from])) as Partial<RosterRow>;
      const change: RowChange = {
        row: null,
        id: person_id,
        person: { ...now, ...was },
        changes: fields.map(({ field, from, to }) => ({ field, from: to, to: from })),
      };
      kinds.set(change, kind === 'left' ? 'returned' : kind === 'returned' ? 'left' : 'changed');
      back.push(change);
    }
    await writeRoster(client, back, (change) => kinds.get(change)!, {
      at: deps.clock.now(),
      byWhom: `${byWhom}, undoing ${found.file_name}`,
      today,
    });
    const at = deps.clock.now();
    const rested = await removeLeavesOf(client, id, { at, byWhom: `${byWhom}, undoing ${found.file_name}` });
    await releaseLeave(client, rested, at);
    const about = (await rows<{ id: string }>(client, LIST_WRITTEN_TO, [added])).map((row) => row.id);
    await client.query(SEALED_OF_PEOPLE, [added]);
    for (const statement of REMOVE_PEOPLE) await client.query(statement, [added]);
    await client.query(DELETE_EMPTY_DEPARTMENTS, [found.departments_made]);
    await requestReplan(client, [...about, ...(await listOpenAssignmentsAround(client, rested))]);
    await client.query(SET_UNDONE, [id, new Date(deps.clock.now()), byWhom]);
    await announce(client, 'people');
    await work.finish(client, { done: true });
    return { done: true };
  });
}

const GET_FILE_ID = 'select file_id from imports where id = $1::bigint';

/** The file of an import, as it was taken. */
export async function getImportFile(db: Queryable, id: string): Promise<{ name: string; type: string; content: Buffer }> {
  const found = await maybeRow<{ file_id: string | null }>(db, GET_FILE_ID, [id]);
  if (!found?.file_id) throw new Refused('not-found', 'This import has no file.');
  return (await findFile(db, found.file_id))!;
}
