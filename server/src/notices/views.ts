import type { KeptView, KeptViewDraft } from '@nudrik/contract';
import { maybeRow, rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';

const LIST = 'select id, name, params, made_by as "madeBy" from kept_views where page = $1::text order by lower(name)';

/** The named filters of a page. */
export const listViews = (db: Queryable, page: string): Promise<KeptView[]> => rows<KeptView>(db, LIST, [page]);

const INSERT = `
insert into kept_views (page, name, params, made_by, made_at)
values ($1::text, $2::text, $3::jsonb, $4::text, $5::timestamptz)
on conflict (page, lower(name)) do nothing
returning id
`;

/** Keeps a filter under a name. @throws Refused where another one is called that */
export async function keepView({ db, clock }: Deps, { page, name, params }: KeptViewDraft, byWhom: string): Promise<{ id: string }> {
  const made = await maybeRow<{ id: string }>(db, INSERT, [page, name, JSON.stringify(params), byWhom, new Date(clock.now())]);
  if (!made) throw new Refused('conflict', `Another view is called “${name}” already. Nothing was changed.`);
  return made;
}

/** Forgets a named filter; what it showed stays. */
export const dropView = (db: Queryable, id: string): Promise<unknown> => db.query('delete from kept_views where id = $1::bigint', [id]);
