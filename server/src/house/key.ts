import { createHash, randomBytes } from 'node:crypto';
import { linkSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { forgetAllFactors } from '../access/second-factor.repo.ts';
import { maybeRow, type Queryable } from '../db/db.ts';

/**
 * The key of the house where none is set: kept in a file of its own beside the database, made at the first start. Processes that
 * start at one moment end up with the same one.
 */
export function openKey(path: string): string {
  const found = readKey(path);
  if (found) return found;
  try {
    makeKey(path);
  } catch (error) {
    throw new Error(
      `The key file ${path} cannot be made (${(error as Error).message}). Set NUDRIK_KEY, or let NUDRIK_KEY_FILE name another place.`,
    );
  }
  const made = readKey(path);
  if (!made) throw new Error(`The key file ${path} is empty: expected at least 32 characters. Put the key of this house into it.`);
  return made;
}

function makeKey(path: string): void {
  mkdirSync(dirname(path), { recursive: true });
  const own = `${path}.${process.pid}`;
  writeFileSync(own, `${randomBytes(32).toString('base64url')}\n`, { mode: 0o600 });
  try {
    linkSync(own, path); // whole, or not at all; where another was faster, theirs it is
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
  } finally {
    rmSync(own);
  }
}

function readKey(path: string): string | null {
  let text: string;
  try {
    text = readFileSync(path, 'utf8').trim();
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return null;
    throw new Error(
      `The key file ${path} cannot be read (${(error as Error).message}). Set NUDRIK_KEY, or let NUDRIK_KEY_FILE name another place.`,
    );
  }
  if (text.length < 32)
    throw new Error(`The key file ${path} has ${text.length} characters: expected at least 32. Put the key of this house into it.`);
  return text;
}

const PUT_PRINT = 'update settings set key_print = $1::text where key_print is null';
const GET_PRINT = 'select key_print from settings where key_print is not null';
const SET_PRINT = 'update settings set key_print = $1::text';

/** By which two processes tell that they have the same key, without telling it. */
export const printOfKey = (key: string): string => createHash('sha256').update(`print of ${key}`).digest('base64url').slice(0, 16);

/**
 * Every process of a house has one key: one with another would refuse the links that the others sent.
 * @throws Error with a sentence where this is not the key of the house
 */
export async function agreeOnKey(db: Queryable, key: string): Promise<void> {
  await db.query(PUT_PRINT, [printOfKey(key)]);
  const row = await maybeRow<{ key_print: string }>(db, GET_PRINT);
  if (row && row.key_print !== printOfKey(key))
    throw new Error(
      'This house has another key than this process: personal links that were sent would open nothing. ' +
        'Set NUDRIK_KEY, or put the file that NUDRIK_KEY_FILE names in its place (data/nudrik.key where none is named). ' +
        'Where the key is lost, take the present one by `npx nudrik new-key`: links that were sent end, and second factors are asked anew.',
    );
}

/** Takes another key: links that were sent before end, and second factors, which cannot be read any more, are set up anew. */
export async function takeKey(db: Queryable, key: string): Promise<void> {
  await db.query(SET_PRINT, [printOfKey(key)]);
  await forgetAllFactors(db);
}
