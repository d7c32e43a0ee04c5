import type { ActRow } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';
import { queueSealed } from '../seals/seals.repo.ts';

const INSERT_ACT = `
with made as (
  insert into acts (kind, at, by_whom, reason, words, last_message_id)
  values ($1::text, $2::timestamptz, $3::text, $4::text, $5::text, (select coalesce(max(id), 0) from messages))
  returning id
),
queued as (
  ${queueSealed('act', 'made')}
)
select id
from made
`;

export interface NewAct {
  kind: ActRow['kind'];
  at: number;
  byWhom: string;
  reason: string | null;
  words: string;
}

/** Puts what is being done by hand on the record; its events name it. @returns the act's id */
export async function insertAct(client: Client, act: NewAct): Promise<string> {
  return (await oneRow<{ id: string }>(client, INSERT_ACT, [act.kind, new Date(act.at), act.byWhom, act.reason, act.words])).id;
}

const INSERT_TOUCHED = `
insert into act_assignments (act_id, assignment_id, was_open)
select $1::bigint, unnest($2::bigint[]), $3::boolean
`;

/** Names the assignments that an act touched. @param wasOpen they were there, and open, before */
export const touch = (client: Client, act: string, assignments: readonly string[], wasOpen: boolean): Promise<unknown> =>
  client.query(INSERT_TOUCHED, [act, assignments, wasOpen]);

// something went out, or is going out, because of an act
const SENT_SINCE = `
  select p.name, n.step_name
  from act_assignments x
  join notices n on n.assignment_id = x.assignment_id
  join people p on p.id = n.person_id
  where x.act_id = a.id
    and (n.state = 'sending' or n.message_id > a.last_message_id)
    -- of a reminder only its own letter counts
    and (a.kind <> 'remind' or n.step_id in (select 'hand-' || l.id from hand_letters l where l.act_id = a.id))
`;

// something was done to the same assignments later, and stands. What somebody learnt stands in the way of taking the
// assignment itself back, and in nobody's way otherwise
const CHANGED_SINCE = `
  select p.name, e.type
  from act_assignments x
  join assignments s on s.id = x.assignment_id
  join people p on p.id = s.person_id
  join assignment_events e on e.assignment_id = x.assignment_id
  where x.act_id = a.id
    and e.id > (select max(own.id) from assignment_events own where own.act_id = a.id and own.type <> 'undone')
    and e.act_id is distinct from a.id
    and (e.act_id is not null or a.kind in ('assign', 'record'))
    and a.kind <> 'remind'
    and e.type not in ('undone', 'link-opened', 'reminded')
    and not exists (select 1 from assignment_events u where u.undoes = e.id)
`;

// the place of what would be opened again is taken: somebody was assigned the course anew
const TAKEN_SINCE = `
  select p.name
  from act_assignments x
  join assignments s on s.id = x.assignment_id
  join people p on p.id = s.person_id
  join assignments o on o.person_id = s.person_id and o.course_id = s.course_id and o.id <> s.id and o.closed_by is null
  where x.act_id = a.id
    and x.was_open
    and s.closed_by is not null
`;

export interface StoredAct {
  id: string;
  kind: ActRow['kind'];
  at: Date;
  undone_at: Date | null;
}

const LIST_ACTS = `
select
  a.id, a.kind, a.at, a.by_whom as "byWhom", a.reason, a.words, a.undone_at as "undoneAt", a.undone_by as "undoneBy",
  case
    when a.undone_at is null
      and a.at > $1::timestamptz - $2::interval
      and exists (select 1 from assignment_events e where e.act_id = a.id)
      and not exists (${SENT_SINCE})
      and not exists (${CHANGED_SINCE})
      and not exists (${TAKEN_SINCE})
    then a.at + $2::interval
  end as "undoUntil",
  case
    when a.undone_at is null and a.at > $1::timestamptz - $3::interval and a.kind in ('assign', 'extend', 'remind')
    then a.at + $3::interval
  end as "settlesAt"
from acts a
order by a.id desc
limit 200
`;

const interval = (ms: number): string => `${ms / 1000} seconds`;

/** The record of acts, newest first. @param undo how long one can be taken back @param settle how long it settles, in ms */
export const listActRows = (db: Queryable, now: number, undo: number, settle: number): Promise<ActRow[]> =>
  rows<ActRow>(db, LIST_ACTS, [new Date(now), interval(undo), interval(settle)]);

const LOCK_ACT = 'select id, kind, at, undone_at from acts where id = $1::bigint for update';
const LOCK_TOUCHED = `
select a.id
from act_assignments x
join assignments a on a.id = x.assignment_id
where x.act_id = $1::bigint
order by a.id
for update of a
`;

/** Locks an act, and then what it touched. */
export async function lockAct(client: Client, id: string): Promise<StoredAct | null> {
  const found = await maybeRow<StoredAct>(client, LOCK_ACT, [id]);
  if (found) await client.query(LOCK_TOUCHED, [id]);
  return found;
}

const findSince = <T>(client: Client, id: string, what: string): Promise<T | null> =>
  maybeRow<T>(client, `select found.* from acts a, lateral (${what} limit 1) found where a.id = $1::bigint`, [id]);

/** What stands in the way of taking an act back: one example of each kind, or null. */
export const findSentSince = (client: Client, id: string): Promise<{ name: string; step_name: string } | null> =>
  findSince(client, id, SENT_SINCE);
export const findChangedSince = (client: Client, id: string): Promise<{ name: string; type: string } | null> =>
  findSince(client, id, CHANGED_SINCE);
export const findTakenSince = (client: Client, id: string): Promise<{ name: string } | null> => findSince(client, id, TAKEN_SINCE);

const LIST_OWN_EVENTS = `
select e.id, e.assignment_id
from assignment_events e
where e.act_id = $1::bigint
  and e.type <> 'undone'
  and not exists (select 1 from assignment_events u where u.undoes = e.id)
order by e.id desc
`;

/** The events of an act that stand, last first. */
export const listOwnEvents = (client: Client, id: string): Promise<{ id: string; assignment_id: string }[]> =>
  rows(client, LIST_OWN_EVENTS, [id]);

const MARK_UNDONE = 'update acts set undone_at = $2::timestamptz, undone_by = $3::text where id = $1::bigint';

export const markUndone = (client: Client, id: string, at: number, byWhom: string): Promise<unknown> =>
  client.query(MARK_UNDONE, [id, new Date(at), byWhom]);

const LIST_TOUCHED = 'select assignment_id as id from act_assignments where act_id = $1::bigint';

/** The assignments that an act touched. */
export const listTouched = async (db: Queryable, act: string): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_TOUCHED, [act])).map(({ id }) => id);

const FIND_DOER = 'select by_whom, kind from acts where id = $1::bigint';

/** Who did something by hand, and of what kind it was; null where nothing is known of it. */
export const findDoer = (db: Queryable, act: string): Promise<{ by_whom: string; kind: ActRow['kind'] } | null> =>
  maybeRow(db, FIND_DOER, [act]);
