import {
  chooseGroups,
  matchColumns,
  plainHeader,
  previewRoster,
  shareOf,
  takenOf,
  type Groups,
  type PreviewOptions,
  type RosterColumn,
  type RosterPreview,
} from '@nudrik/core';
import type { ImportForesight, ImportOrder, ImportResult, RosterFacts } from '@nudrik/contract';
import { oneRow, rehearsed, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { insertFile } from '../files/files.repo.ts';
import { erasedLookup } from '../keeping/marks.ts';
import { readTableFile } from '../read-apart.ts';
import { Refused } from '../refusal.ts';
import { listFormerNames } from '../structure/former-names.repo.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { foreseeRequirements } from '../requirements/foresee.ts';
import { listRoster, listSiteNames, rosterMark } from './people.repo.ts';
import { houseToday } from './today.ts';
import { kindsIn, writeRoster } from './write-roster.ts';

const GET_CHANGE_SHARE = 'select change_share from settings';

export const getChangeShare = async (db: Queryable): Promise<number> =>
  Number((await oneRow<{ change_share: string }>(db, GET_CHANGE_SHARE)).change_share);

const LIST_COLUMN_MEMORY = 'select header, field from column_memory';
const LIST_DEPARTMENT_NAMES = 'select name from departments order by name';

/** Everything that a file is compared with: for the browser's worker. */
export async function rosterFacts(deps: Deps): Promise<RosterFacts> {
  const { db } = deps;
  const remembered = await rows<{ header: string; field: RosterColumn | null }>(db, LIST_COLUMN_MEMORY);
  return {
    mark: await rosterMark(db),
    people: await listRoster(db),
    sites: await listSiteNames(db),
    departments: (await rows<{ name: string }>(db, LIST_DEPARTMENT_NAMES)).map((row) => row.name),
    formerNames: await listFormerNames(db),
    remembered: Object.fromEntries(remembered.map(({ header, field }) => [header, field])),
    today: await houseToday(deps),
    changeShare: await getChangeShare(db),
  };
}

/** Compares cells with the roster as it stands under the lock. */
export async function previewCells(
  db: Queryable,
  cells: readonly (readonly string[])[],
  matching: { columns: (RosterColumn | null)[]; dateOrder: ImportOrder['dateOrder'] },
  options: PreviewOptions,
  groups: Groups,
): Promise<RosterPreview> {
  const roster = await listRoster(db);
  const known = { ...options, formerNames: await listFormerNames(db) };
  return chooseGroups(previewRoster(cells, matching, roster, await listSiteNames(db), known), groups, roster);
}

const INSERT_IMPORT = `
insert into imports (file_name, taken_at, taken_by, added, changed, returned, gone, rejected, file_id, source)
values ($1::text, $2::timestamptz, $3::text, $4::integer, $5::integer, $6::integer, $7::integer, $8::integer, $9::bigint, $10::text)
returning id
`;

interface Stored {
  result: ImportResult;
  /** whom the requirements have to be asked about */
  asked: string[];
}

/** Stores what a preview shows, as one import. @returns its id, null where there was nothing to take */
export const storePreview = async (...args: Parameters<typeof writePreview>): Promise<ImportResult> => (await writePreview(...args)).result;

const SET_DEPARTMENTS_MADE = 'update imports set departments_made = $2::bigint[] where id = $1::bigint';

async function writePreview(
  client: Client,
  preview: RosterPreview,
  groups: Groups,
  by: { at: number; byWhom: string; today: string; fileName: string; source: 'file' | 'feed'; file: Buffer | null },
): Promise<Stored> {
  const taken = takenOf(preview, groups);
  const result = {
    added: preview.added.length,
    changed: preview.changed.length,
    returned: preview.returned.length,
    left: preview.left.length,
    rejected: preview.rejected.length,
  };
  if (taken.length === 0) return { result: { id: null, ...result }, asked: [] };
  const type = by.fileName.toLowerCase().endsWith('.xlsx')
    ? 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet'
    : 'text/csv';
  const fileId = by.file === null ? null : (await insertFile(client, by.fileName, type, by.file)).id;
  const { id } = await oneRow<{ id: string }>(client, INSERT_IMPORT, [
    by.fileName,
    new Date(by.at),
    by.byWhom,
    result.added,
    result.changed,
    result.returned,
    result.left,
    result.rejected,
    fileId,
    by.source,
  ]);
  const { departmentsMade, asked } = await writeRoster(client, taken, kindsIn(preview, groups), { ...by, importId: id });
  await client.query(SET_DEPARTMENTS_MADE, [id, departmentsMade]);
  return { result: { id, ...result }, asked };
}

const LOCK_ROSTER = 'lock table people in share row exclusive mode';

/** Keeps others from changing the roster between the look at it and the writing. */
export const lockRoster = (client: Client): Promise<unknown> => client.query(LOCK_ROSTER);

/** Compares a file with the roster under its lock, if it is still the roster that the preview showed. */
async function previewUnderLock(
  { settings }: Deps,
  client: Client,
  cells: string[][],
  order: ImportOrder,
  today: string,
): Promise<RosterPreview> {
  await lockRoster(client);
  if ((await rosterMark(client)) !== order.mark)
    throw new Refused('stale', 'The roster was changed after this preview was made. Look at the preview again; nothing was taken.');
  const erasedOn = await erasedLookup(client, settings.key);
  return previewCells(client, cells, order, { ...order, today, erasedOn }, order.groups);
}

/**
 * Takes a file, asks the requirements about whoever it touches, plans the first of what comes of it, and takes all of it
 * back: what the preview says of requirements and mails is what taking it would do.
 */
export async function foreseeImport(deps: Deps, bytes: Buffer, order: ImportOrder, work: Work = AT_ONCE): Promise<ImportForesight> {
  await work.at(0, 3);
  const { cells } = await readTableFile(bytes, order.fileName);
  const today = await houseToday(deps);
  const now = deps.clock.now();
  return rehearsed(deps.db, async (client) => {
    await client.query("set local lock_timeout = '5s'");
    const preview = await previewUnderLock(deps, client, cells, order, today);
    await work.at(1, 3);
    const { asked } = await writePreview(client, preview, order.groups, {
      at: now,
      byWhom: 'nobody',
      today,
      fileName: order.fileName,
      source: 'file',
      file: null,
    });
    await work.at(2, 3);
    return foreseeRequirements(client, asked, now);
  });
}

/** Takes a file's changes in one transaction, if the roster is still the one that the preview showed. */
export async function takeImport(
  deps: Deps,
  bytes: Buffer,
  order: ImportOrder,
  byWhom: string,
  work: Work = AT_ONCE,
): Promise<ImportResult> {
  await work.at(0, 2);
  const { cells } = await readTableFile(bytes, order.fileName);
  const today = await houseToday(deps);
  return transaction(deps.db, async (client) => {
    const preview = await previewUnderLock(deps, client, cells, order, today);
    const share = await getChangeShare(client);
    if (shareOf(preview.left.length, preview) > share && order.confirmedLeft !== preview.left.length)
      throw new Refused(
        'conflict',
        `${preview.left.length} of ${preview.rosterSize} people would have left, ` +
          `which is more than ${share} %. Confirm that number, or leave the group out; nothing was taken.`,
      );
    await rememberColumns(client, cells[0] ?? [], order.columns);
    await work.at(1, 2);
    const result = await storePreview(client, preview, order.groups, {
      at: deps.clock.now(),
      byWhom,
      today,
      fileName: order.fileName,
      source: 'file',
      file: bytes,
    });
    await work.finish(client, result);
    return result;
  });
}

const REMEMBER = `
insert into column_memory (header, field)
select * from unnest($1::text[], $2::text[])
on conflict (header) do update set field = excluded.field
`;

const FORGET_COLUMNS = 'delete from column_memory where header = any($1::text[])';

/** Keeps what somebody corrected: columns that are matched otherwise than the file itself proposes. */
async function rememberColumns(client: Client, header: readonly string[], columns: readonly (RosterColumn | null)[]): Promise<void> {
  const proposed = matchColumns([header], { remembered: {}, sites: [], departments: [] }).columns;
  const own = new Map<string, RosterColumn | null>();
  header.forEach((text, index) => {
    const column = columns[index] ?? null;
    if (text.trim() !== '' && column !== proposed[index]) own.set(plainHeader(text), column);
  });
  await client.query(FORGET_COLUMNS, [header.map(plainHeader)]);
  await client.query(REMEMBER, [[...own.keys()], [...own.values()]]);
}
