import { accessSync, appendFileSync, constants, existsSync, fsyncSync, mkdirSync, openSync, closeSync, readFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { z } from 'zod';
import type { Deps } from '../deps.ts';
import { printOfKey } from '../house/key.ts';
import { findHouseId, listErasedPeople } from './erase.repo.ts';

/** One line of the list: who was erased, without a word of who that was. */
const Line = z.object({
  house: z.uuid(),
  person: z.string().regex(/^\d+$/),
  pseudonym: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  reason: z.string(),
  /** keyed hashes of what they were called, and the print of the key */
  marks: z.array(z.string()),
  key: z.string(),
});
type Line = z.infer<typeof Line>;

/** Its folder, and none above it: one that is mistyped is told, and not made. */
function makeFolder(path: string): void {
  if (!existsSync(dirname(path))) mkdirSync(dirname(path));
}

/** Why the list cannot be written, or null. Without it a backup would bring back whoever was erased. */
export function listFault(path: string): string | null {
  if (!path) return null;
  try {
    makeFolder(path);
    accessSync(existsSync(path) ? path : dirname(path), constants.W_OK);
    return null;
  } catch (error) {
    return `The list of who was erased, ${path}, cannot be written (${(error as NodeJS.ErrnoException).code}): a backup would bring them back. Let NUDRIK_ERASED_FILE name a place that can.`;
  }
}

/** The lines of this house; what is no line is passed over, so that a torn one costs nothing but itself. */
export function readLines(path: string, house: string): { lines: Line[]; endsWhole: boolean } {
  let text: string;
  try {
    text = readFileSync(path, 'utf8');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return { lines: [], endsWhole: true };
    throw error;
  }
  const lines = text.split('\n').flatMap((row) => {
    try {
      const read = Line.safeParse(JSON.parse(row));
      return read.success && read.data.house === house ? [read.data] : [];
    } catch {
      return [];
    }
  });
  return { lines, endsWhole: text === '' || text.endsWith('\n') };
}

/** Writes into the list whoever was erased and does not stand there yet: after an erasure, and where the list was lost. */
export async function keepList(deps: Deps): Promise<void> {
  const { erasedFile: path, key } = deps.settings;
  if (!path) return;
  const house = await findHouseId(deps.db);
  if (house === null) return;
  const { lines, endsWhole } = readLines(path, house);
  const known = new Set(lines.map(({ person }) => person));
  const missing = (await listErasedPeople(deps.db)).filter(({ person }) => !known.has(person));
  if (missing.length === 0) return;
  const rows = missing.map(({ person, pseudonym, at, by_whom, reason, marks }) =>
    JSON.stringify({ house, person, pseudonym, at: at.toISOString(), by: by_whom, reason, marks: marks.map((mark) => mark.toString('hex')), key: printOfKey(key) } satisfies Line),
  ); // prettier-ignore
  makeFolder(path);
  const file = openSync(path, 'a', 0o600);
  try {
    appendFileSync(file, `${endsWhole ? '' : '\n'}${rows.join('\n')}\n`);
    fsyncSync(file);
  } finally {
    closeSync(file);
  }
}
