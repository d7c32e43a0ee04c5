import { announce, type Client } from '../db/db.ts';

const INSERT_REPLAN = 'insert into replan (assignment_id) select distinct unnest($1::bigint[])';

/** Asks for the plan of some assignments to be worked out again; the worker takes it up. */
export async function requestReplan(db: Client, assignmentIds: readonly string[]): Promise<void> {
  if (assignmentIds.length === 0) return;
  await db.query(INSERT_REPLAN, [assignmentIds]);
  await announce(db, 'work');
}
