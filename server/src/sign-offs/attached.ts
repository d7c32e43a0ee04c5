import type { Assignment, PlanStep } from '@nudrik/core';
import { maybeRow, type Queryable } from '../db/db.ts';
import type { Letter } from '../messages/channel.ts';
import { signOffDocument } from './document.ts';

const FIND_UNIT = `
select unit_id
from sign_offs
where assignment_id = $1::bigint
  and ($2::bigint is null or unit_id = $2::bigint)
order by id desc
limit 1
`;

/** The records of sign-offs that come with a message, as PDFs: of the unit that a step names, else of the one that was recorded last. */
export async function attachedRecords(
  db: Queryable,
  notices: readonly { step: Pick<PlanStep, 'message' | 'anchor'>; assignment: Pick<Assignment, 'id'> }[],
): Promise<NonNullable<Letter['files']>> {
  const files = new Map<string, NonNullable<Letter['files']>[number]>();
  for (const { step, assignment } of notices) {
    if (!step.message.withRecord) continue;
    const found = await maybeRow<{ unit_id: string }>(db, FIND_UNIT, [assignment.id, step.anchor.unit ?? null]);
    if (!found) continue;
    const { name, content } = await signOffDocument(db, assignment.id, found.unit_id);
    files.set(`${assignment.id}/${found.unit_id}`, { name, type: 'application/pdf', content });
  }
  return [...files.values()];
}
