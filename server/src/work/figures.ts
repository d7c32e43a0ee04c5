import { oneRow, type Queryable } from '../db/db.ts';

const BATCH = 20_000;
const FOLD = 'select fold_figures($1::integer) as count';
/** Fewer, since each is looked at again. */
const TOLD_BATCH = 4_000;
const FOLD_TOLD = 'select fold_told($1::integer) as count';

/** Folds what changed into the kept figures, until little waits: whoever reads adds what waits, so nothing is ever late. */
export async function foldFigures(db: Queryable): Promise<void> {
  while ((await oneRow<{ count: number }>(db, FOLD, [BATCH])).count >= BATCH);
  while ((await oneRow<{ count: number }>(db, FOLD_TOLD, [TOLD_BATCH])).count >= TOLD_BATCH);
}
