import { previewRoster, type RosterPreview } from '@nudrik/core';
import { announce, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/plan.ts';
import { releaseHeld } from '../notices/release.repo.ts';
import { Refused } from '../refusal.ts';
import { listOpenAssignmentsAround, listRoster, listSiteNames, putPeople, rosterMark } from './people.repo.ts';
import { readRosterFile } from './roster-file.ts';

export interface ImportPreview extends RosterPreview {
  /** sent back with "take": the roster that this preview was made against */
  mark: string;
}

/** Compares a file with the roster; nothing is stored. */
export async function previewImport(deps: Deps, bytes: Buffer, fileName: string): Promise<ImportPreview> {
  const table = readRosterFile(bytes, fileName);
  const preview = previewRoster(table, await listRoster(deps.db), await listSiteNames(deps.db));
  return { ...preview, mark: await rosterMark(deps.db) };
}

const INSERT_IMPORT = `
insert into imports (file_name, taken_at, taken_by, added, changed, rejected)
values ($1::text, $2::timestamptz, $3::text, $4::integer, $5::integer, $6::integer)
`;

/** Takes a file's changes in one transaction, if the roster is still the one that the preview showed. */
export async function takeImport(
  deps: Deps,
  bytes: Buffer,
  fileName: string,
  mark: string,
  byWhom: string,
): Promise<{ added: number; changed: number; rejected: number }> {
  return transaction(deps.db, async (client) => {
    await client.query('lock table people in share row exclusive mode');
    if ((await rosterMark(client)) !== mark)
      throw new Refused('stale', 'The roster was changed after this preview was made. Look at the preview again; nothing was taken.');
    const preview = previewRoster(readRosterFile(bytes, fileName), await listRoster(client), await listSiteNames(client));
    const people = [...preview.added, ...preview.changed].map(({ person }) => person);
    const counts = { added: preview.added.length, changed: preview.changed.length, rejected: preview.rejected.length };
    if (people.length === 0) return counts;
    await putPeople(client, people);
    const emails = preview.changed.map(({ person }) => person.email);
    const around = await listOpenAssignmentsAround(client, emails);
    await releaseHeld(client, around, deps.clock.now());
    await requestReplan(client, around);
    await client.query(INSERT_IMPORT, [fileName, new Date(deps.clock.now()), byWhom, counts.added, counts.changed, counts.rejected]);
    await announce(client, 'people');
    return counts;
  });
}
