import type { Account, KeptView, KeptViewDraft } from '@nudrik/contract';
import { maybeRow, rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';

const LIST = `
select id, name, params, made_by as "madeBy", roles, account_id = $2::bigint or $3::text = 'administrator' as "isMine"
from kept_views
where page = $1::text
  and (account_id = $2::bigint or $3::text = any(roles))
order by lower(name)
`;

/** The named filters of a page that somebody sees: their own, and those that are shared with their role. */
export const listViews = async (db: Queryable, page: string, { id, role }: Pick<Account, 'id' | 'role'>): Promise<KeptView[]> =>
  (await rows<KeptView & { isMine: boolean | null }>(db, LIST, [page, id, role])).map((view) => ({
    ...view,
    isMine: view.isMine ?? false,
  }));

const INSERT = `
insert into kept_views (page, name, params, made_by, made_at, roles, account_id)
values ($1::text, $2::text, $3::jsonb, $4::text, $5::timestamptz, $6::text[], $7::bigint)
on conflict do nothing
returning id
`;

/** Keeps a filter under a name. @throws Refused where another one is called that */
export async function keepView(
  { db, clock }: Deps,
  { page, name, params, roles }: KeptViewDraft,
  account: Pick<Account, 'id' | 'name' | 'role'>,
): Promise<{ id: string }> {
  if (account.role === 'auditor' && roles.length > 0)
    throw new Refused('not-allowed', 'An auditor keeps views for themself alone. Nothing was changed.');
  const made = await maybeRow<{ id: string }>(db, INSERT, [
    page,
    name,
    JSON.stringify(params),
    account.name,
    new Date(clock.now()),
    roles,
    account.id,
  ]);
  if (!made) throw new Refused('conflict', `Another view is called “${name}” already. Nothing was changed.`);
  return made;
}

const DROP =
  "delete from kept_views where id = $1::bigint and (account_id = $2::bigint or $3::text = 'administrator' or account_id is null and $3::text = 'trainer') returning id";
const EXISTS = 'select made_by from kept_views where id = $1::bigint';

/** Forgets a named filter; what it showed stays. @throws Refused where somebody else made it */
export async function dropView(db: Queryable, id: string, { id: account, role }: Pick<Account, 'id' | 'role'>): Promise<void> {
  if (await maybeRow(db, DROP, [id, account, role])) return;
  const found = await maybeRow<{ made_by: string }>(db, EXISTS, [id]);
  if (found)
    throw new Refused('not-allowed', `${found.made_by} made this view: they take it away, or an administrator does. Nothing was changed.`);
}
