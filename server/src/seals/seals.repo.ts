import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

/** What is sealed: written once, and never changed. */
export const SEALED = ['event', 'act', 'certificate', 'sign-off', 'message', 'answer', 'report', 'erasure'] as const;
export type Sealed = (typeof SEALED)[number];

const moment = (column: string): string => `(extract(epoch from ${column}) * 1000000)::bigint`;

/** Of each kind: where it stands, which of the rows there are of it, and all that it says, in a form that is the same on every machine. */
const SOURCES: Readonly<Record<Sealed, { table: string; where: string; says: string }>> = {
  event: {
    table: 'assignment_events',
    where: 'true',
    says: `s.assignment_id, s.type, ${moment('s.at')}, s.data, s.by_whom, s.act_id, s.undoes`,
  },
  act: { table: 'acts', where: 'true', says: `s.kind, ${moment('s.at')}, s.by_whom, s.reason, s.words` },
  certificate: {
    table: 'certificates',
    where: 'true',
    says: 's.assignment_id, s.person_id, s.course_id, s.serial, s.person_name, s.course_title, s.issued_on::text, s.expires_on::text, s.issued_by, s.printed, s.issuer, s.their_number',
  },
  'sign-off': {
    table: 'sign_offs',
    where: 'true',
    says: `s.assignment_id, s.unit_id, s.criteria, s.attended, to_jsonb(s.met), s.outcome, s.remarks, s.place, s.on_date::text, ${moment('s.at')}, s.by_person_id, s.by_whom, s.because, s.event_id`,
  },
  message: {
    table: 'messages',
    where: 'true',
    says: `s.message_id, s.to_name, s.to_address, s.from_name, s.from_address, s.subject, s.html, s.body, s.calendar, ${moment('s.composed_at')}`,
  },
  answer: {
    table: 'deliveries',
    where: 's.outcome is not null',
    says: `s.message_id, s.channel, s.address, s.attempt, ${moment('s.handed_at')}, ${moment('s.answered_at')}, s.outcome, s.answer`,
  },
  report: { table: 'deliveries', where: 's.report is not null', says: `s.message_id, s.attempt, s.report, ${moment('s.delivered_at')}` },
  erasure: {
    table: 'erasures',
    where: 'true',
    says: `s.kind, s.person_id, s.pseudonym, s.what, s.before::text, ${moment('s.at')}, s.by_whom, s.reason, s.counts, s.entries`,
  },
};

/** The hash of what a row says. */
const hashOf = (kind: Sealed): string => `sha256(convert_to(jsonb_build_array('${kind}', s.id, ${SOURCES[kind].says})::text, 'UTF8'))`;

const QUEUE = 'insert into seal_queue (kind, of_id) select $1::text, unnest($2::bigint[])';
/** Has what was just written sealed, or what is taken away on purpose. */
export const sealLater = (client: Client, kind: Sealed, ids: readonly string[]): Promise<unknown> => client.query(QUEUE, [kind, ids]);

const QUEUE_ERASED = `
insert into seal_queue (kind, of_id, erasure_id)
select $1::text, s.id, $3::bigint
from unnest($2::bigint[]) as s (id)
order by s.id
`;
/** Has what says something else since an erasure sealed anew, as that. */
export const sealErased = (client: Client, kind: Sealed, ids: readonly string[], erasure: string): Promise<unknown> =>
  client.query(QUEUE_ERASED, [kind, ids, erasure]);

/** Of which of some rows of a table there are seals, by kind. */
export const sealedKindsOf = (table: string): { kind: Sealed; where: string }[] =>
  SEALED.filter((kind) => SOURCES[kind].table === table).map((kind) => ({ kind, where: SOURCES[kind].where }));

/** The same as a part of the statement that writes it: `made` returns ids. */
export const queueSealed = (kind: Sealed, made: string): string => `insert into seal_queue (kind, of_id) select '${kind}', id from ${made}`;

const TRY_LOCK = 'select pg_try_advisory_xact_lock(7305) as is_ours';
/** Whether nobody else seals: each step is made of the one before. */
export const trySealing = async (client: Client): Promise<boolean> => (await oneRow<{ is_ours: boolean }>(client, TRY_LOCK)).is_ours;

const LOOK_AT_ONCE = 'set transaction isolation level repeatable read read only';
/** All that this transaction reads is of one moment, and nothing is written by it. */
export const lookAtOnce = (client: Queryable): Promise<unknown> => client.query(LOOK_AT_ONCE);

const TAKE = `
with next as (
  select id
  from seal_queue
  order by id
  limit $1::integer
),
taken as (
  delete from seal_queue q
  using next n
  where q.id = n.id
  returning q.id, q.kind, q.of_id, q.erasure_id
)
select kind, of_id, erasure_id
from taken
order by id
`;
export interface Queued {
  kind: Sealed;
  of_id: string;
  /** by which erasure it says something else since; null of what was written */
  erasure_id: string | null;
}
export const takeQueued = (client: Client, most: number): Promise<Queued[]> => rows(client, TAKE, [most]);

/** What rows say now, as hashes; of what there is not, nothing. */
export const hashesOf = async (db: Queryable, kind: Sealed, ids: readonly string[]): Promise<Map<string, Buffer>> => {
  const { table, where } = SOURCES[kind];
  const found = await rows<{ id: string; hash: Buffer }>(
    db,
    `select s.id, ${hashOf(kind)} as hash from ${table} s where s.id = any($1::bigint[]) and ${where}`,
    [ids],
  );
  return new Map(found.map(({ id, hash }) => [id, hash]));
};

/** Rows with all that they say, the hash of it, and what they were sealed with the last time, on which day. */
export interface SaidRow {
  id: string;
  says: string;
  hash: Buffer;
  seal: Buffer | null;
  day: string | null;
}
export const listSaid = (db: Queryable, kind: Sealed, ids: readonly string[]): Promise<SaidRow[]> => {
  const { table, where, says } = SOURCES[kind];
  return rows<SaidRow>(
    db,
    `select s.id, jsonb_build_array('${kind}', s.id, ${says})::text as says, ${hashOf(kind)} as hash, l.hash as seal, t.day
     from ${table} s
     left join lateral (
       select step_id, hash from seals where kind = '${kind}' and of_id = s.id order by step_id desc, position desc limit 1
     ) l on true
     left join seal_steps t on t.id = l.step_id
     where s.id = any($1::bigint[]) and ${where}
     order by s.id`,
    [ids],
  );
};

const LAST_HEAD = 'select head from seal_steps order by id desc limit 1';
export const lastHead = async (client: Client): Promise<Buffer | null> =>
  (await maybeRow<{ head: Buffer }>(client, LAST_HEAD))?.head ?? null;

const INSERT_STEP = 'insert into seal_steps (day, at, count, head) values ($1::date, $2::timestamptz, $3::integer, $4::bytea) returning id';
const INSERT_SEALS = `
insert into seals (step_id, position, kind, of_id, hash, erasure_id)
select $1::bigint, r.position - 1, r.kind, r.of_id, r.hash, r.erasure_id
from unnest($2::text[], $3::bigint[], $4::bytea[], $5::bigint[]) with ordinality as r (kind, of_id, hash, erasure_id, position)
`;
export interface Leaf extends Queued {
  /** null of what was taken away on purpose */
  hash: Buffer | null;
}
export async function insertStep(client: Client, step: { day: string; at: number; head: Buffer }, leaves: readonly Leaf[]): Promise<void> {
  const { id } = await oneRow<{ id: string }>(client, INSERT_STEP, [step.day, new Date(step.at), leaves.length, step.head]);
  const columns = [leaves.map(({ kind }) => kind), leaves.map(({ of_id }) => of_id), leaves.map(({ hash }) => hash), leaves.map(({ erasure_id }) => erasure_id)]; // prettier-ignore
  await client.query(INSERT_SEALS, [id, ...columns]);
}

const LIST_STEPS = `
select id, day, count, head
from seal_steps
where id > $1::bigint
order by id
limit 200
`;
export interface StepRow {
  id: string;
  day: string;
  count: number;
  head: Buffer;
}
export const listSteps = (db: Queryable, after: string): Promise<StepRow[]> => rows(db, LIST_STEPS, [after]);

// whether a seal was followed by a later one of the same, or waits to be: what was taken away, a later report, or what was erased
const laterOf = (which: string): string => `
  exists (select from seal_queue l where l.kind = s.kind and l.of_id = s.of_id${which})
  or exists (
    select
    from seals l
    where l.kind = s.kind
      and l.of_id = s.of_id
      and (l.step_id, l.position) > (s.step_id, s.position)${which}
  )
`;
const LIST_LEAVES = `
select s.step_id, s.kind, s.of_id, s.hash, s.erasure_id, (${laterOf('')}) as is_former, (${laterOf(' and l.erasure_id is not null')}) as is_erased
from seals s
where s.step_id = any($1::bigint[])
order by s.step_id, s.position
`;
export interface LeafRow extends Leaf {
  step_id: string;
  is_former: boolean;
  /** it was erased since, and sealed anew */
  is_erased: boolean;
}
export const listLeaves = (db: Queryable, steps: readonly string[]): Promise<LeafRow[]> => rows(db, LIST_LEAVES, [steps]);

/** What stands in a table and was never sealed, nor waits for it: nobody of ours wrote it. */
export const listForeign = async (db: Queryable, kind: Sealed, most: number): Promise<{ ids: string[]; total: number }> => {
  const { table, where } = SOURCES[kind];
  const found = await rows<{ id: string; total: number }>(
    db,
    `select s.id, count(*) over ()::integer as total
     from ${table} s
     where ${where}
       and not exists (select from seals l where l.kind = '${kind}' and l.of_id = s.id)
       and not exists (select from seal_queue q where q.kind = '${kind}' and q.of_id = s.id)
     order by s.id
     limit $1::integer`,
    [most],
  );
  return { ids: found.map(({ id }) => id), total: found[0]?.total ?? 0 };
};

const LIST_ERASURES = `
select e.id, e.at, e.entries, (select count(*)::integer from seal_queue q where q.erasure_id = e.id) as waiting
from erasures e
order by e.id
`;
/** What erasing says of itself: how much was to be sealed anew by each. */
export const listErasureEntries = (db: Queryable): Promise<{ id: string; at: Date; entries: number; waiting: number }[]> =>
  rows(db, LIST_ERASURES);

const COUNT_WAITING = 'select count(*)::integer as count from seal_queue';
export const countWaiting = async (db: Queryable): Promise<number> => (await oneRow<{ count: number }>(db, COUNT_WAITING)).count;
const COUNT_SEALED = 'select coalesce(sum(count), 0)::bigint as count from seal_steps';
export const countSealed = async (db: Queryable): Promise<number> => Number((await oneRow<{ count: string }>(db, COUNT_SEALED)).count);

// of each day the head after its last step
const LIST_DAYS = `
select d.day, d.count, s.head
from (
  select day, sum(count)::integer as count, max(id) as last
  from seal_steps
  where $1::date is null or day < $1::date
  group by day
  order by day desc
  limit $2::integer
) d
join seal_steps s on s.id = d.last
order by d.day desc
`;
export const listSealDays = (db: Queryable, before: string | null, most: number): Promise<{ day: string; count: number; head: Buffer }[]> =>
  rows(db, LIST_DAYS, [before, most]);

const HEADS_OF = 'select id from seal_steps where day = $1::date and head = $2::bytea';
/** Whether a head that somebody kept was that of a day. */
export const wasHead = async (db: Queryable, day: string, head: Buffer): Promise<boolean> =>
  (await rows(db, HEADS_OF, [day, head])).length > 0;

const TELL_EVENT = `
select e.id, p.name || ', ' || c.title || ': ' || replace(e.type, '-', ' ') as words
from assignment_events e
join assignments a on a.id = e.assignment_id
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
where e.id = any($1::bigint[])
`;
const TELL_MESSAGE = 'select id, to_name || $2::text || subject || $3::text as words from messages where id = any($1::bigint[])';
/** What some of it is, for whoever reads that something is wrong with it. */
export async function tellSealed(db: Queryable, kind: Sealed, ids: readonly string[]): Promise<Map<string, string>> {
  const found =
    kind === 'event'
      ? await rows<{ id: string; words: string }>(db, TELL_EVENT, [ids])
      : kind === 'message'
        ? await rows<{ id: string; words: string }>(db, TELL_MESSAGE, [ids, ': “', '”'])
        : [];
  return new Map(found.map(({ id, words }) => [id, words]));
}
