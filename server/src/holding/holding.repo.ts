import type { Hold, HoldScope } from '@nudrik/core';
import { maybeRow, rows, type Client, type Queryable } from '../db/db.ts';
import { inDepartment } from '../structure/below.sql.ts';
import { CLAIMED_COLUMNS, type ClaimedRow } from '../notices/ledger.repo.ts';

export interface HoldRow {
  id: string;
  scope: HoldScope;
  of_id: string | null;
  name: string;
  until_on: string | null;
  reason: string;
  made_at: Date;
  made_by: string;
  ended_at: Date | null;
  ended_by: string | null;
  ended_how: 'send' | 'let-pass' | 'changed' | 'passed' | null;
}

export const holdOf = (row: HoldRow): Hold => ({
  id: row.id,
  scope: row.scope,
  of: row.of_id,
  name: row.name,
  from: row.made_at.getTime(),
  until: row.until_on,
  by: row.made_by,
  reason: row.reason,
});

const COLUMNS = 'id, scope, of_id, name, until_on, reason, made_at, made_by, ended_at, ended_by, ended_how';

/** The holds that stand, or stood until their day came; few. */
export const listStanding = (db: Queryable): Promise<HoldRow[]> =>
  rows<HoldRow>(db, `select ${COLUMNS} from holds where ended_at is null order by made_at, id`);

export const listEnded = (db: Queryable, limit = 50): Promise<HoldRow[]> =>
  rows<HoldRow>(db, `select ${COLUMNS} from holds where ended_at is not null order by ended_at desc, id desc limit $1::integer`, [limit]);

export const lockHold = async (db: Client, id: string): Promise<HoldRow | null> =>
  (await rows<HoldRow>(db, `select ${COLUMNS} from holds where id = $1::bigint for update`, [id]))[0] ?? null;

const LIST_OVER = `
select ${COLUMNS}
from holds
where made_at < $4::timestamptz
  and ($3::timestamptz is null or ended_at is null or ended_at >= $3::timestamptz)
  and (
    scope = 'everything'
    or scope in ('plan', 'course') and of_id = any($2::bigint[])
    or scope = 'person' and of_id = any($1::bigint[])
    or scope = 'department' and exists (
      select
      from people p
      where p.id = any($1::bigint[])
        and p.department_id in (select departments_under(array[(select d.name from departments d where d.id = of_id)]))
    )
  )
order by made_at, id
`;
/** What held messages about these people, or of these courses, in a time; of departments those that they stand in now. */
export const listHoldsOver = (db: Queryable, people: readonly string[], courses: readonly string[], { from, until }: { from: Date | null; until: Date }): Promise<HoldRow[]> =>
  rows(db, LIST_OVER, [people, courses, from, until]); // prettier-ignore

const END =
  'update holds set ended_at = $2::timestamptz, ended_by = $3::text, ended_how = $4::text where id = $1::bigint and ended_at is null';

export const endHold = (db: Client, id: string, at: number, by: string | null, how: NonNullable<HoldRow['ended_how']>): Promise<unknown> =>
  db.query(END, [id, new Date(at), by, how]);

const INSERT = `
insert into holds (scope, of_id, name, until_on, reason, made_at, made_by)
values ($1::text, $2::bigint, $3::text, $4::date, $5::text, $6::timestamptz, $7::text)
returning id
`;

export async function insertHold(db: Client, { scope, of, name, until, reason, from, by }: Omit<Hold, 'id'>): Promise<string> {
  return (await rows<{ id: string }>(db, INSERT, [scope, of, name, until, reason, new Date(from), by]))[0]!.id;
}

// a day has come everywhere two days after it came anywhere
const END_PASSED = `
update holds
set ended_at = $1::timestamptz, ended_how = 'passed'
where ended_at is null
  and until_on < ($1::timestamptz at time zone 'UTC')::date - 2
`;

export const endPassed = (db: Queryable, now: number): Promise<unknown> => db.query(END_PASSED, [new Date(now)]);

const NAME_OF: Record<Exclude<HoldScope, 'everything'>, string> = {
  plan: 'select title as name from courses where id = $1::bigint',
  course: 'select title as name from courses where id = $1::bigint',
  department: 'select name from departments where id = $1::bigint',
  person: 'select name from people where id = $1::bigint',
};

/** What is held, by name; null where there is no such thing. */
export async function nameOfHeld(db: Queryable, scope: HoldScope, of: string | null): Promise<string | null> {
  if (scope === 'everything') return 'everything';
  return (await rows<{ name: string }>(db, NAME_OF[scope], [of]))[0]?.name ?? null;
}

const ABOUT: Record<HoldScope, string> = {
  everything: 'select null::bigint as course_id, null::bigint as person_id, null::bigint as department_id where $1::bigint is null',
  plan: 'select id as course_id, null::bigint as person_id, null::bigint as department_id from courses where id = $1::bigint',
  course: 'select id as course_id, null::bigint as person_id, null::bigint as department_id from courses where id = $1::bigint',
  department: 'select null::bigint as course_id, null::bigint as person_id, id as department_id from departments where id = $1::bigint',
  person: 'select null::bigint as course_id, id as person_id, department_id from people where id = $1::bigint',
};

/** What a message would be about that a page is about; null where there is no such thing. */
export const findAbout = (
  db: Queryable,
  scope: HoldScope,
  of: string | null,
): Promise<{ course_id: string | null; person_id: string | null; department_id: string | null } | null> => maybeRow(db, ABOUT[scope], [of]);

/** The department above each. */
export async function listParents(db: Queryable): Promise<Map<string, string | null>> {
  const found = await rows<{ id: string; parent_id: string | null }>(db, 'select id, parent_id from departments');
  return new Map(found.map(({ id, parent_id }) => [id, parent_id]));
}

const LIST_TOLD = `
select n.id, p.name as person, r.name as addressee, n.step_name, c.title, s.zone
from notices n
join people p on p.id = n.person_id
join sites s on s.id = p.site_id
join courses c on c.id = n.course_id
left join people r on r.id = n.recipient_id
where n.id = any($1::bigint[])
`;

/** What some notices are called and whom they are about. */
export const listTold = (
  db: Queryable,
  ids: readonly string[],
): Promise<{ id: string; person: string; addressee: string | null; step_name: string; title: string; zone: string }[]> =>
  rows(db, LIST_TOLD, [ids]);

/** What a hold covers, of the ledger `n`, in SQL as `covers` says it in core; $1 is what is held. */
const WITHIN: Record<HoldScope, string> = {
  everything: '$1::bigint is null',
  plan: "n.course_id = $1::bigint and n.step_id not like 'hand-%'",
  course: 'n.course_id = $1::bigint',
  department: `n.person_id in (${inDepartment('$1')})`,
  person: '(n.person_id = $1::bigint or n.recipient_id = $1::bigint)',
};

const ON_HOLD = "n.state = 'held' and n.held_because = 'on-hold'";

/** How many came to their moment and wait. */
export const countWaiting = async (db: Queryable, scope: HoldScope, of: string | null): Promise<number> =>
  (await rows<{ count: number }>(db, `select count(*)::integer as count from notices n where ${ON_HOLD} and ${WITHIN[scope]}`, [of]))[0]!
    .count;

/**
 * What waits, the oldest first, as the dispatcher takes it up.
 * @param isLocked whether it is about to be changed: then whoever has one of them in hand is waited for, so that none is passed over
 */
export const listWaiting = (db: Client, scope: HoldScope, of: string | null, limit: number, isLocked: boolean): Promise<ClaimedRow[]> =>
  rows<ClaimedRow>(
    db,
    `select ${CLAIMED_COLUMNS} from notices n where ${ON_HOLD} and ${WITHIN[scope]} order by moment, id limit $2::integer ${isLocked ? 'for update' : ''}`,
    [of, limit],
  );

/** What waits is decided again now: nobody has to look for what it waited for. */
export async function releaseWaiting(db: Client, scope: HoldScope, of: string | null, now: number, day: string): Promise<number> {
  const sql = `
    update notices n
    set at = $2::timestamptz, on_day = $3::date, try_at = $2::timestamptz
    where ${ON_HOLD} and ${WITHIN[scope]}
  `;
  return (await db.query(sql, [of, new Date(now), day])).rowCount ?? 0;
}

const LET_PASS = `
update notices
set state = 'skipped', because = 'let-pass', decided_at = $2::timestamptz, try_at = null, sentence = $3::text, trace = $4::jsonb
where id = any($1::bigint[])
`;

export const letPass = (db: Client, ids: readonly string[], now: number, sentence: string, trace: string): Promise<unknown> =>
  db.query(LET_PASS, [ids, new Date(now), sentence, trace]);

/** of more than these nobody counts further */
export const COUNTED = 20_000;

/** What is to come in a span of time, up to 20,000 of it: by step, with people; null where there is more. */
export async function countAhead(
  db: Queryable,
  scope: HoldScope,
  of: string | null,
  from: number,
  until: number,
): Promise<{ notices: number | null; people: number | null; steps: { name: string; course: string; count: number }[] }> {
  const ahead = `
    select n.step_name, n.course_id, n.person_id
    from notices n
    where n.state in ('planned', 'held')
      and n.at >= $2::timestamptz
      and n.at < $3::timestamptz
      and ${WITHIN[scope]}
    limit ${COUNTED + 1}
  `;
  const [found] = await rows<{ notices: number; people: number; steps: { name: string; course: string; count: number }[] | null }>(
    db,
    `with ahead as materialized (${ahead})
     select
       (select count(*)::integer from ahead) as notices,
       (select count(distinct person_id)::integer from ahead) as people,
       (
         select jsonb_agg(to_jsonb(s) order by s.count desc, s.name)
         from (
           select a.step_name as name, c.title as course, count(*)::integer as count
           from ahead a join courses c on c.id = a.course_id
           group by 1, 2 order by 3 desc, 1 limit 6
         ) s
       ) as steps`,
    [of, new Date(from), new Date(until)],
  );
  const isMore = found!.notices > COUNTED;
  return { notices: isMore ? null : found!.notices, people: isMore ? null : found!.people, steps: found!.steps ?? [] };
}

export const countOnTheWay = async (db: Queryable, scope: HoldScope, of: string | null): Promise<number> =>
  (
    await rows<{ count: number }>(db, `select count(*)::integer as count from notices n where n.state = 'sending' and ${WITHIN[scope]}`, [
      of,
    ])
  )[0]!.count;

// whoever decides notices shares it; a hold that is made or ended waits for what is being decided, so that none is decided beside it
const LOCK = { share: 'select pg_advisory_xact_lock_shared(7303)', alone: 'select pg_advisory_xact_lock(7303)' } as const;
export const lockHolds = (db: Client, how: keyof typeof LOCK): Promise<unknown> => db.query(LOCK[how]);
