import { newToken, readLink } from '../access/personal-link.ts';
import { maybeRow, rows, type Client, type Queryable } from '../db/db.ts';

const LIST_KNOWN = `
select p.id, p.team_token as token
from people p
where p.id = any($1::bigint[])
  and not exists (select 1 from accounts a where a.person_id = p.id)
`;
// the sender holds assignments and never waits for people: who is being changed right now gets a key with the next message
const GIVE = `
with free as (
  select id
  from people
  where id = any($1::bigint[])
    and team_token is null
  order by id
  for no key update skip locked
)
update people p
set team_token = r.token
from unnest($1::bigint[], $2::text[]) as r (id, token)
join free f on f.id = r.id
where p.id = r.id
returning p.id, p.team_token as token
`;

/** The tokens of personal links of managers who have no account; whoever has one signs in. */
export async function teamLinksOf(client: Client, personIds: readonly string[]): Promise<Map<string, string>> {
  if (personIds.length === 0) return new Map();
  const known = await rows<{ id: string; token: string | null }>(client, LIST_KNOWN, [personIds]);
  const without = known.flatMap(({ id, token }) => (token === null ? [id] : [])).sort((a, b) => Number(a) - Number(b));
  const given = without.length === 0 ? [] : await rows<{ id: string; token: string }>(client, GIVE, [without, without.map(newToken)]);
  return new Map([...known, ...given].flatMap(({ id, token }) => (token === null ? [] : [[id, token] as const])));
}

const GET_BY_LINK = `
select id
from people
where (team_token = $1::text or former_team_link = $3::bytea)
  and is_here(left_on, $2::date)
`;

/** Whose page a link opens; nobody's where they have left. @param key the key of the house */
export async function findByTeamLink(db: Queryable, key: string, link: string, today: string): Promise<string | null> {
  const { token, digest } = readLink(key, 'team', link);
  return (await maybeRow<{ id: string }>(db, GET_BY_LINK, [token, today, digest]))?.id ?? null;
}
