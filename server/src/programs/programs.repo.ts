import type { z } from 'zod';
import type { RESOURCES, Resource, TokenRow } from '@nudrik/contract';
import { maybeRow, rows, type Client, type Queryable } from '../db/db.ts';

const LIST = `
select id, name, scopes, made_by as "madeBy", made_at as "madeAt", until_on as until, last_used_at as "lastUsedAt", ended_at as "endedAt", ended_by as "endedBy"
from api_tokens
order by ended_at is not null, id desc
limit 200
`;
export const listTokens = (db: Queryable): Promise<TokenRow[]> => rows(db, LIST);

const INSERT = `
insert into api_tokens (name, hash, scopes, made_by, made_at, until_on)
values ($1::text, $2::bytea, $3::text[], $4::text, $5::timestamptz, $6::date)
returning id
`;
export const insertToken = async (
  db: Client,
  { name, hash, scopes, byWhom, at, until }: { name: string; hash: Buffer; scopes: readonly string[]; byWhom: string; at: number; until: string | null },
): Promise<string> => (await rows<{ id: string }>(db, INSERT, [name, hash, scopes, byWhom, new Date(at), until]))[0]!.id; // prettier-ignore

const END =
  'update api_tokens set ended_at = $2::timestamptz, ended_by = $3::text where id = $1::bigint and ended_at is null returning name';
export const endToken = (db: Client, id: string, at: number, byWhom: string): Promise<{ name: string } | null> => maybeRow(db, END, [id, new Date(at), byWhom]); // prettier-ignore
export const findToken = (db: Queryable, id: string): Promise<{ name: string } | null> =>
  maybeRow(db, 'select name from api_tokens where id = $1::bigint', [id]);

const FIND = `
select id, name, scopes
from api_tokens
where hash = $1::bytea
  and ended_at is null
  and (until_on is null or until_on >= $2::date)
`;
export const findByHash = (db: Queryable, hash: Buffer, today: string): Promise<{ id: string; name: string; scopes: string[] } | null> =>
  maybeRow(db, FIND, [hash, today]);

// not with each request: a minute is near enough
const SEE = `
update api_tokens
set last_used_at = $2::timestamptz
where id = $1::bigint
  and (last_used_at is null or last_used_at < $2::timestamptz - interval '1 minute')
`;
export const seeToken = (db: Queryable, id: string, at: number): Promise<unknown> => db.query(SEE, [id, new Date(at)]);

const iso = (column: string): string => `to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"')`;

/** What each resource reads: its columns, where from, and which filter is which condition. Pages go by the id of rows. */
const SOURCES: Readonly<Record<Resource, { sql: string; filters: Readonly<Record<string, string>> }>> = {
  people: {
    sql: `
      select p.id, p.personnel_number as number, p.name, p.email, d.name as department, s.name as site, s.zone, p.job, p.manager_id as "managerId",
        p.joined_on as "joinedOn", p.left_on as "leftOn"
      from people p
      join departments d on d.id = p.department_id
      join sites s on s.id = p.site_id
      where p.id > $1::bigint`,
    filters: { email: 'lower(p.email) = lower(@::text)', number: 'p.personnel_number = @::text' },
  },
  courses: { sql: 'select p.id, p.title, p.state, cardinality(p.required_units) as units from courses p where p.id > $1::bigint', filters: {} },
  requirements: { sql: 'select p.id, p.name, p.course_id as "courseId", p.is_on as "isOn" from requirements p where p.id > $1::bigint', filters: {} },
  assignments: {
    sql: `
      select p.id, p.person_id as "personId", p.course_id as "courseId", p.round, ${iso('p.assigned_at')} as "assignedAt", ${iso('p.due_at')} as "dueAt",
        case when p.closed_by is not null then p.closed_by when p.due_at < $3::timestamptz then 'late' else 'open' end as state,
        cardinality(p.units_done) as "unitsDone", ${iso('p.closed_at')} as "closedAt", p.completed_on as "finishedOn",
        array(select r.requirement_id::text from assignment_reasons r where r.assignment_id = p.id order by r.requirement_id) as "requirementIds"
      from assignments p
      where p.id > $1::bigint`,
    filters: { person: 'p.person_id = @::bigint', course: 'p.course_id = @::bigint', state: "(@::text = 'all' or (p.closed_by is null) = (@::text = 'open'))" },
  },
  notices: {
    sql: `
      select p.id, p.assignment_id as "assignmentId", p.person_id as "personId", p.course_id as "courseId", p.recipient_id as "recipientId", p.step_name as step,
        p.kind, ${iso('p.at')} as at, p.state, coalesce(p.because, p.held_because) as because, ${iso('p.sent_at')} as "sentAt"
      from notices p
      where p.id > $1::bigint`,
    filters: { person: 'p.person_id = @::bigint', course: 'p.course_id = @::bigint', from: 'p.on_day >= @::date', to: 'p.on_day <= @::date' },
  },
  certificates: {
    sql: `
      select p.id, p.serial, p.assignment_id as "assignmentId", p.person_id as "personId", p.course_id as "courseId", p.issued_on as "issuedOn",
        p.expires_on as "expiresOn", ${iso('p.revoked_at')} as "revokedAt", ${iso('p.replaced_at')} as "replacedAt", p.issuer
      from certificates p
      where p.id > $1::bigint`,
    filters: { person: 'p.person_id = @::bigint', course: 'p.course_id = @::bigint' },
  },
}; // prettier-ignore

/** A page of rows, in the order of their ids. */
export async function listResource(
  db: Queryable,
  resource: Resource,
  query: z.infer<(typeof RESOURCES)[Resource]['query']>,
  now: number,
): Promise<{ rows: Record<string, unknown>[]; next: string | null }> {
  const { sql, filters } = SOURCES[resource];
  const values: unknown[] = [query.after ?? '0', query.limit + 1, new Date(now)];
  const where = Object.entries(filters).flatMap(([name, condition]) => {
    const value = (query as Record<string, unknown>)[name];
    if (value === undefined) return [];
    values.push(value);
    return [`and ${condition.replaceAll('@', `$${values.length}`)}`];
  });
  // every value is named, so that its type is known
  const found = await rows<Record<string, unknown> & { id: string }>(db, `${sql} and $3::timestamptz is not null ${where.join(' ')} order by p.id limit $2::integer`, values); // prettier-ignore
  const page = found.slice(0, query.limit);
  return { rows: page, next: found.length > query.limit ? page.at(-1)!.id : null };
}
