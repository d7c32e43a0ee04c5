import type { Deps } from '../deps.ts';
import { printOfKey } from '../house/key.ts';
import { Refused } from '../refusal.ts';
import { erasePerson } from './erase.ts';
import { keepList, readLines } from './erased-list.ts';
import { findErasable, findHouseId, listNamed } from './erase.repo.ts';
import { marksOf } from './marks.ts';

/**
 * Erases again whom a restored backup brought back: before anything is shown or sent. Whom the list names, and who stands there by
 * another address and another number, is somebody else, and is left as they are. Of two processes that start at one moment one does it.
 * @returns how many were erased again
 */
export async function eraseAgain(deps: Deps): Promise<number> {
  const { db, settings } = deps;
  const house = settings.erasedFile ? await findHouseId(db) : null;
  if (house === null) return 0;
  let count = 0;
  for (const { person, pseudonym, at, by, reason, marks, key } of readLines(settings.erasedFile, house).lines) {
    const found = await findErasable(db, person);
    if (!found || found.erased_at !== null) continue;
    const own = marksOf(settings.key, found, await listNamed(db, person));
    if (key !== printOfKey(settings.key) || !own.some((mark) => marks.includes(mark.toString('hex')))) {
      deps.log.warn({ person }, 'The list of who was erased names somebody who cannot be told to be the same: nobody was erased.');
      continue;
    }
    try {
      await erasePerson(deps, person, reason, by, undefined, { at: new Date(at), byWhom: by, reason, pseudonym });
      count += 1;
    } catch (error) {
      // another process was faster
      if (!(error instanceof Refused)) throw error;
    }
  }
  await keepList(deps);
  return count;
}
