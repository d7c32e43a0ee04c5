import type { FormerName, Instant } from '@nudrik/core';
import { rows, type Client, type Queryable } from '../db/db.ts';

/** What is found by its name in the record of people. */
type Place = 'department' | 'site' | 'group';

const KEEP = 'insert into former_names (place, place_id, name, until) values ($1::text, $2::bigint, $3::text, $4::timestamptz)';
const FOLLOW = [
  'update sent_reports set of = jsonb_set(of, array[$1::text], to_jsonb($3::text)) where of ->> $1::text = $2::text',
  "update kept_views set params = jsonb_set(params, array[$1::text], to_jsonb($3::text)) where page <> 'ledger' and params ->> $1::text = $2::text",
];
/**
 * Something is called otherwise from now on: what the record says of it by the name before leads to it still, and what is narrowed down to
 * it by its name, reports that are sent and views that are kept, follows.
 */
export async function keepName(client: Client, place: Place, id: string, was: string, is: string, at: Instant): Promise<void> {
  if (was === is) return;
  await client.query(KEEP, [place, id, was, new Date(at)]);
  // the ledger, and everything of groups, goes by ids
  if (place === 'group') return;
  for (const follow of FOLLOW) await client.query(follow, [place, was, is]);
}

const LIST_REPORTS_OF = 'select name from sent_reports where of ->> $1::text = $2::text order by lower(name)';
/** The reports that are narrowed down to something. */
export const listReportsOf = async (client: Client, place: Place, name: string): Promise<string[]> =>
  (await rows<{ name: string }>(client, LIST_REPORTS_OF, [place, name])).map((row) => row.name);

const LIST = `
select f.place, f.name as was, coalesce(d.name, s.name) as name
from (
  select distinct on (place, lower(name)) place, place_id, name, is_gone from former_names order by place, lower(name), until desc, id desc
) f
left join departments d on f.place = 'department' and d.id = f.place_id
left join sites s on f.place = 'site' and s.id = f.place_id
where not f.is_gone
  and coalesce(d.name, s.name) is not null
  and not exists (select from departments n where f.place = 'department' and lower(n.name) = lower(f.name))
  and not exists (select from sites n where f.place = 'site' and lower(n.name) = lower(f.name))
order by f.place, lower(f.name)
`;
/** Names of departments and sites that are nobody's now, with what they are called since: what is gone is called nothing. */
export const listFormerNames = (db: Queryable): Promise<FormerName[]> => rows<FormerName>(db, LIST);

const LEAVE_TO = `
with earlier as (
  update former_names set place_id = $3::bigint, is_gone = true where place = $1::text and place_id = $2::bigint
)
insert into former_names (place, place_id, name, until, is_gone) values ($1::text, $3::bigint, $4::text, $5::timestamptz, true)
`;
const FORGET = 'delete from former_names where place = $1::text and place_id = $2::bigint';
/** Something is removed: whoever was there is told in its heir, such as the department that it stood below. */
export const leaveName = (client: Client, place: Place, id: string, heir: string | null, name: string, at: Instant): Promise<unknown> =>
  heir === null ? client.query(FORGET, [place, id]) : client.query(LEAVE_TO, [place, id, heir, name, new Date(at)]);
