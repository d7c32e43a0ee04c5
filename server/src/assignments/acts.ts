import { MINUTE, tellAmount, tellMoment, Zone } from '@nudrik/core';
import type { ActRow } from '@nudrik/contract';
import { announce, maybeRow, oneRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/plan.ts';
import { getHouse } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';
import { insertEvents, REOPEN, type EventInsert } from '../requirements/apply.ts';
import { requestReconcile } from '../requirements/queue.ts';

/** How long something that was done by hand can be taken back. */
export const UNDO_MS = 10 * MINUTE;

const INSERT_ACT = `
insert into acts (kind, at, by_whom, reason, words, last_event_id, last_mail_id)
values (
  $1::text, $2::timestamptz, $3::text, $4::text, $5::text,
  (select coalesce(max(id), 0) from assignment_events where assignment_id = any($6::bigint[])), (select coalesce(max(id), 0) from mails)
)
returning id
`;

/** Puts what was done by hand on the record, with the assignments that it touched. @returns the act's id */
export async function recordAct(
  client: Client,
  act: { kind: ActRow['kind']; at: number; byWhom: string; reason: string | null; words: string; assignments: readonly { id: string; wasOpen: boolean }[] }, // prettier-ignore
): Promise<string> {
  const { id } = await oneRow<{ id: string }>(client, INSERT_ACT, [act.kind, new Date(act.at), act.byWhom, act.reason, act.words, act.assignments.map((a) => a.id)]); // prettier-ignore
  await client.query('insert into act_assignments (act_id, assignment_id, was_open) select $1::bigint, * from unnest($2::bigint[], $3::boolean[])', [id, act.assignments.map((a) => a.id), act.assignments.map((a) => a.wasOpen)]); // prettier-ignore
  return id;
}

// something went out, or is going out, because of an act
const SENT_SINCE = `
select p.name, n.step_name
from act_assignments x
join notices n on n.assignment_id = x.assignment_id
join people p on p.id = n.person_id
where x.act_id = $1::bigint
  and (n.state = 'sending' or n.mail_id > $2::bigint)
order by n.mail_id
limit 1
`;
// something was done to the same assignments later
const CHANGED_SINCE = `
select p.name, e.type
from act_assignments x
join assignments a on a.id = x.assignment_id
join people p on p.id = a.person_id
join assignment_events e on e.assignment_id = x.assignment_id
where x.act_id = $1::bigint
  and e.id > $2::bigint
order by e.id
limit 1
`;

interface StoredAct {
  id: string;
  kind: ActRow['kind'];
  at: Date;
  by_whom: string;
  words: string;
  last_event_id: string;
  last_mail_id: string;
  undone_at: Date | null;
}

const LIST_ACTS = `
select
  a.id, a.kind, a.at, a.by_whom as "byWhom", a.reason, a.words, a.undone_at as "undoneAt", a.undone_by as "undoneBy",
  case
    when a.undone_at is null
      and a.at > $1::timestamptz - interval '10 minutes'
      and not exists (
        select 1
        from act_assignments x
        join notices n on n.assignment_id = x.assignment_id
        where x.act_id = a.id
          and (n.state = 'sending' or n.mail_id > a.last_mail_id)
      )
    then a.at + interval '10 minutes'
  end as "undoUntil"
from acts a
order by a.id desc
limit 200
`;

/** What was done by hand, newest first. */
export const listActs = (db: Queryable, now: number): Promise<ActRow[]> => rows<ActRow>(db, LIST_ACTS, [new Date(now)]);

/** Takes an act back: within ten minutes, and where nothing was sent because of it. The record keeps both. */
export async function undoAct(deps: Deps, id: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const act = await maybeRow<StoredAct>(client, 'select id, kind, at, by_whom, words, last_event_id, last_mail_id, undone_at from acts where id = $1::bigint for update', [id]); // prettier-ignore
    if (!act) throw new Refused('not-found', 'This is not on the record.');
    if (act.undone_at) throw new Refused('conflict', 'This was taken back already; nothing was changed.');
    const now = deps.clock.now();
    const zone = Zone.of((await getHouse(client)).zone);
    const at = act.at.getTime();
    if (now - at > UNDO_MS)
      throw new Refused('conflict', `This was done on ${tellMoment(at, zone)}, ${tellAmount(Math.floor((now - at) / MINUTE), 'minutes')} ago; it could be taken back for ten minutes. Nothing was changed.`); // prettier-ignore
    const touched = await rows<{ id: string; was_open: boolean; person_id: string }>(
      client,
      'select a.id, x.was_open, a.person_id from act_assignments x join assignments a on a.id = x.assignment_id where x.act_id = $1::bigint order by a.id for update of a',
      [id],
    );
    const sent = await maybeRow<{ name: string; step_name: string }>(client, SENT_SINCE, [id, act.last_mail_id]);
    if (sent)
      throw new Refused('conflict', `“${sent.step_name}” to ${sent.name} went out because of this, so it cannot be taken back. Nothing was changed.`); // prettier-ignore
    const later = await maybeRow<{ name: string; type: string }>(client, CHANGED_SINCE, [id, act.last_event_id]);
    if (later)
      throw new Refused('conflict', `The assignment of ${later.name} was changed after this (${later.type}), so it cannot be taken back. Nothing was changed.`); // prettier-ignore
    await takeBack(client, act, touched, now, byWhom);
    await client.query('update acts set undone_at = $2::timestamptz, undone_by = $3::text where id = $1::bigint', [id, new Date(now), byWhom]); // prettier-ignore
    await requestReplan(client, touched.map((a) => a.id)); // prettier-ignore
    await requestReconcile(client, touched.map((a) => a.person_id)); // prettier-ignore
    await announce(client, 'assignments');
  });
}

const CLOSE_UNDONE = `
update assignments
set closed_by = 'withdrawn', closed_because = 'undone', closed_at = $2::timestamptz, closed_reason = 'taken back'
where id = any($1::bigint[])
`;
// the due date before the last extension
const RESTORE_DUE = `
update assignments a
set due_at = coalesce((
  select (e.data ->> 'dueAt')::timestamptz
  from assignment_events e
  where e.assignment_id = a.id
    and (e.type = 'extended' or e.type = 'reopened' and e.data ->> 'dueAt' is not null)
  order by e.at desc, e.id desc
  offset 1
  limit 1
), a.first_due_at)
where a.id = any($1::bigint[])
`;

async function takeBack(
  client: Client,
  act: StoredAct,
  touched: readonly { id: string; was_open: boolean }[],
  now: number,
  byWhom: string,
): Promise<void> {
  const ids = touched.map((a) => a.id);
  const event = (type: string, list: readonly string[]): EventInsert[] => list.map((id) => ({ id, type, data: { reason: `taken back by ${byWhom}` } })); // prettier-ignore
  if (act.kind === 'extend') {
    await client.query(RESTORE_DUE, [ids]);
    return insertEvents(client, event('extension-undone', ids), now, byWhom);
  }
  const reopened = touched.filter((a) => a.was_open).map((a) => a.id);
  const removed = touched.filter((a) => !a.was_open).map((a) => a.id);
  if (act.kind === 'record' && reopened.length > 0)
    // a recorded completion closed them as finished: they are open as they were
    await client.query("update assignments set closed_by = 'withdrawn', completed_on = null, proof_id = null where id = any($1::bigint[])", [reopened]); // prettier-ignore
  await client.query(REOPEN, [reopened, reopened.map(() => null)]);
  await insertEvents(client, event('reopened', reopened), now, byWhom);
  if (removed.length > 0) {
    await client.query(CLOSE_UNDONE, [removed, new Date(now)]);
    await insertEvents(client, event('withdrawn', removed), now, byWhom);
  }
}
