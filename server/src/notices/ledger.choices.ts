import type { LedgerChoices } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';

/** More names than these are found by what they are called. */
const MOST = 300;

const LIST_STEPS = `
select step_name as name
from notices_of_all_days
where $1::bigint is null
  or course_id = $1::bigint
group by 1
having sum(count) > 0
order by sum(count) desc, 1
limit ${MOST}
`;

// from name to name by the index: a million messages come from a handful
const LIST_SENDERS = `
with recursive senders (name) as (
  (select from_name from messages where from_name is not null order by from_name limit 1)
  union all
  select (select m.from_name from messages m where m.from_name > s.name order by m.from_name limit 1)
  from senders s
  where s.name is not null
)
select name
from senders
where name is not null
limit ${MOST}
`;

/** What the ledger can be narrowed down to by name: steps of a course, or of all, and whom messages came from. */
export async function ledgerChoices(db: Queryable, course: string | null): Promise<LedgerChoices> {
  const names = async (sql: string, values: unknown[]): Promise<string[]> =>
    (await rows<{ name: string }>(db, sql, values)).map(({ name }) => name);
  return { steps: await names(LIST_STEPS, [course]), senders: await names(LIST_SENDERS, []) };
}
