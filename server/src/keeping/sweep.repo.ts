import { rows, type Client } from '../db/db.ts';
import type { Trace } from './traces.ts';

/** Where nothing is looked for: keys and hashes, and what other parts of a sweep do. */
const LEFT_ALONE = new Set(['migrations', 'seals', 'seal_steps', 'seal_queue', 'file_parts', 'package_files', 'figures', 'figures_now']);
/** What the house wrote itself: nobody's name is taken out of a text that somebody else has to answer for. Who wrote it is. */
const WRITTEN = new Set([
  'settings',
  'courses',
  'course_versions',
  'course_drafts',
  'sections',
  'units',
  'plans',
  'plan_versions',
  'plan_drafts',
  'certificate_designs',
  'certificate_design_versions',
  'requirements',
  'requirement_events',
  'departments',
  'groups',
  'sites',
  'holidays',
  'group_letters',
]);

export interface Swept {
  table: string;
  columns: { name: string; type: 'text' | 'jsonb' | 'text[]' }[];
  hasId: boolean;
}

const LIST_COLUMNS = `
select
  c.relname as "table",
  jsonb_agg(jsonb_build_object('name', a.attname, 'type', format_type(a.atttypid, null)) order by a.attnum)
    filter (where format_type(a.atttypid, null) in ('text', 'jsonb', 'text[]')) as columns,
  bool_or(a.attname = 'id' and format_type(a.atttypid, null) = 'bigint') as "hasId"
from pg_class c
join pg_attribute a on a.attrelid = c.oid
where c.relnamespace = 'public'::regnamespace
  and c.relkind = 'r'
  and a.attnum > 0
  and not a.attisdropped
  and a.attgenerated = ''
group by c.relname
having count(*) filter (where format_type(a.atttypid, null) in ('text', 'jsonb', 'text[]')) > 0
order by c.relname
`;

/** Every table and column that can hold words: one that is made tomorrow is in it. */
export async function listSwept(client: Client): Promise<Swept[]> {
  const found = await rows<Swept>(client, LIST_COLUMNS);
  return found.flatMap((one) => {
    if (LEFT_ALONE.has(one.table)) return [];
    const columns = WRITTEN.has(one.table) ? one.columns.filter(({ name }) => /_by$|^by_whom$/.test(name)) : one.columns;
    return columns.length === 0 ? [] : [{ ...one, columns }];
  });
}

/** The last id of a table. */
const findLast = async (client: Client, { table }: Swept): Promise<number> =>
  Number((await client.query<{ id: string | null }>(`select max(id) as id from "${table}"`)).rows[0]!.id ?? 0);

const replaced = (column: Swept['columns'][number], traces: readonly Trace[]): string =>
  traces.reduce((sql, _, at) => `regexp_replace(${sql}, $${2 * at + 3}::text, $${2 * at + 4}::text, 'gi')`, `"${column.name}"::text`) +
  `::${column.type}`;

/** $1 is any of the patterns, $2 any of their cores. */
const hasTrace = (column: string): string => `("${column}"::text ilike any($2::text[]) and "${column}"::text ~* $1::text)`;
const coresOf = (traces: readonly Trace[]): string[] => [...new Set(traces.map(({ core }) => `%${core}%`))];

/**
 * Puts other words in place of traces, in every row of a table that has one.
 * @param where which rows of it, in SQL; ids are put in by whoever writes it
 * @returns ids of rows that say something else since, where the table has ids; how many
 */
export async function sweep(
  client: Client,
  { table, columns, hasId }: Swept,
  traces: readonly Trace[],
  where = 'true',
): Promise<{ ids: string[]; count: number }> {
  if (traces.length === 0) return { ids: [], count: 0 };
  // what a pattern begins with may say how it is to be read
  const any = traces.length === 1 ? traces[0]!.pattern : traces.map(({ pattern }) => `(?:${pattern})`).join('|');
  const found = await client.query<{ id: string }>(
    `update "${table}"
     set ${columns.map((column) => `"${column.name}" = ${replaced(column, traces)}`).join(', ')}
     where ${where}
       and (${columns.map(({ name }) => hasTrace(name)).join(' or ')})
     ${hasId ? 'returning id' : ''}`,
    [any, coresOf(traces), ...traces.flatMap(({ pattern, instead }) => [pattern, instead.replace(/\\/g, '\\\\')])],
  );
  return { ids: hasId ? found.rows.map(({ id }) => id) : [], count: found.rowCount ?? 0 };
}

/** Texts of the house in which a name stands: they stay, and are told. */
export async function listWritten(client: Client, trace: Trace): Promise<{ table: string; count: number }[]> {
  const found: { table: string; count: number }[] = [];
  for (const { table, columns } of (await rows<Swept>(client, LIST_COLUMNS)).filter(({ table }) => WRITTEN.has(table))) {
    const texts = columns.filter(({ name }) => !/_by$|^by_whom$/.test(name));
    if (texts.length === 0) continue;
    const { rows: counted } = await client.query<{ count: number }>(
      `select count(*)::integer as count from "${table}" where ${texts.map(({ name }) => hasTrace(name)).join(' or ')}`,
      [trace.pattern, coresOf([trace])],
    );
    if (counted[0]!.count > 0) found.push({ table, count: counted[0]!.count });
  }
  return found;
}

/** Of some tables not all: work that goes on is told of by others, and is not waited for. */
const ROWS: Readonly<Record<string, string>> = { jobs: 'ended_at is not null' };

/** So many rows at once: each statement ends well before it would be taken to hang. */
const PART = 20_000;
/** A table, part after part, as conditions. */
export async function partsOf(client: Client, table: Swept): Promise<{ table: Swept; where: string }[]> {
  const extra = ROWS[table.table] ?? 'true';
  if (!table.hasId) return [{ table, where: extra }];
  const most = await findLast(client, table);
  return Array.from({ length: Math.ceil(most / PART) }, (_, at) => ({
    table,
    where: `id > ${at * PART} and id <= ${(at + 1) * PART} and ${extra}`,
  }));
}

/** Rows that are about them, or that they read, by table; ids are numbers. */
export const theirRows = (id: string): Readonly<Record<string, string>> => {
  const notices = `select message_id from notices where person_id = ${id} or recipient_id = ${id}`;
  const assignments = `select id from assignments where person_id = ${id}`;
  return {
    notices: `(person_id = ${id} or recipient_id = ${id})`,
    messages: `id in (${notices})`,
    deliveries: `message_id in (${notices})`,
    copies: `message_id in (${notices})`,
    chat_posts: `message_id in (${notices})`,
    assignment_events: `assignment_id in (${assignments})`,
    assignments: `person_id = ${id}`,
    acts: `id in (select act_id from act_assignments where assignment_id in (${assignments}))`,
    certificates: `person_id = ${id}`,
    sign_offs: `(assignment_id in (${assignments}) or by_person_id = ${id})`,
    waiver_requests: `(assignment_id in (${assignments}) or person_id = ${id})`,
  };
};

/** Those of some rows of which there is a seal of a kind. */
export async function thatAre(client: Client, table: string, where: string, ids: readonly string[]): Promise<string[]> {
  const { rows } = await client.query<{ id: string }>(
    `select s.id from "${table}" s where s.id = any($1::bigint[]) and ${where} order by s.id`,
    [[...new Set(ids)]],
  );
  return rows.map(({ id }) => id);
}
