import type { Change } from '@nudrik/core';
import { insertAssignments } from '../assignments/assignments.repo.ts';
import { announce, rows, type Client } from '../db/db.ts';
import { requestReplan } from '../notices/plan.ts';

type Of<K extends Change['kind']> = Extract<Change, { kind: K }>;
const of = <K extends Change['kind']>(changes: readonly Change[], kind: K): Of<K>[] =>
  changes.filter((change): change is Of<K> => change.kind === kind);

const INSERT_REASONS = `
insert into assignment_reasons (assignment_id, requirement_id, since, due_at, words)
select r.assignment_id, r.requirement_id, $5::timestamptz, r.due_at, r.words
from unnest($1::bigint[], $2::bigint[], $3::timestamptz[], $4::text[]) as r (assignment_id, requirement_id, due_at, words)
on conflict (assignment_id, requirement_id) do update set since = excluded.since, due_at = excluded.due_at, words = excluded.words, out_since = null, kept_at = null
`;

const MOVE_DUE = `
update assignments a
set due_at = r.due_at
from unnest($1::bigint[], $2::timestamptz[]) as r (id, due_at)
where a.id = r.id
`;

/** Opens closed assignments again; the personal link stays the same one. */
export const REOPEN = `
update assignments a
set closed_by = null, closed_at = null, closed_reason = null, closed_because = null, waived_until = null, due_at = coalesce(r.due_at, a.due_at)
from unnest($1::bigint[], $2::timestamptz[]) as r (id, due_at)
where a.id = r.id
  and a.closed_by in ('waived', 'withdrawn')
  and not exists (select 1 from assignments o where o.person_id = a.person_id and o.course_id = a.course_id and o.closed_by is null)
returning a.id
`;

const CLOSE = `
update assignments a
set closed_by = 'withdrawn', closed_at = $4::timestamptz, closed_reason = r.words, closed_because = r.because
from unnest($1::bigint[], $2::text[], $3::text[]) as r (id, because, words)
where a.id = r.id
  and a.closed_by is null
returning a.id
`;

const INSERT_EVENTS = `
insert into assignment_events (assignment_id, type, at, data, by_whom)
select r.assignment_id, r.type, $4::timestamptz, r.data, $5::text
from unnest($1::bigint[], $2::text[], $3::jsonb[]) as r (assignment_id, type, data)
`;

export interface EventInsert {
  id: string;
  type: string;
  data: object | null;
}
export async function insertEvents(client: Client, events: readonly EventInsert[], now: number, byWhom: string): Promise<void> {
  if (events.length === 0) return;
  await client.query(INSERT_EVENTS, [events.map(({ id }) => id), events.map(({ type }) => type), events.map(({ data }) => data && JSON.stringify(data)), new Date(now), byWhom]); // prettier-ignore
}

const FLAGS: Record<'detach' | 'ask' | 'keep' | 'settle', string> = {
  detach: 'delete from assignment_reasons a using r where a.assignment_id = r.assignment_id and a.requirement_id = r.requirement_id',
  ask: 'update assignment_reasons a set out_since = $3::timestamptz from r where a.assignment_id = r.assignment_id and a.requirement_id = r.requirement_id',
  keep: 'update assignment_reasons a set out_since = null, kept_at = $3::timestamptz from r where a.assignment_id = r.assignment_id and a.requirement_id = r.requirement_id',
  settle:
    'update assignment_reasons a set out_since = null, kept_at = null from r where a.assignment_id = r.assignment_id and a.requirement_id = r.requirement_id and $3::timestamptz is not null',
};

/**
 * Does what reconciling asks for, set by set, and asks for the notices to be planned.
 * @param byWhom for the record: the requirement's own work, or whoever switched it
 * @returns the changes that took hold
 */
export async function applyChanges(client: Client, changes: readonly Change[], now: number, byWhom: string): Promise<Change[]> {
  if (changes.length === 0) return [];
  const at = new Date(now);
  const replan: string[] = [];
  const events: EventInsert[] = [];
  const reasons: { id: string; requirement: string; dueAt: number; words: string }[] = [];
  const done: Change[] = [];
  const reasonsFor = (id: string, change: Of<'assign' | 'attach' | 'take-up'>): void => {
    for (const { requirement, dueAt, because } of change.reasons) reasons.push({ id, requirement, dueAt, words: because });
  };

  const assigning = of(changes, 'assign');
  const stored = await insertAssignments(client, assigning, byWhom, false);
  const idOf = new Map(stored.map((row) => [`${row.person_id}/${row.course_id}`, row.id]));
  for (const change of assigning) {
    const id = idOf.get(`${change.person}/${change.course}`);
    if (!id) continue; // assigned by somebody else in this very moment: the next look attaches the reason
    reasonsFor(id, change);
    replan.push(id);
    done.push(change);
  }

  const taking = of(changes, 'take-up');
  if (taking.length > 0) {
    const taken = new Set((await rows<{ id: string }>(client, REOPEN, [taking.map((c) => c.assignment), taking.map((c) => new Date(c.dueAt))])).map((row) => row.id)); // prettier-ignore
    await client.query('delete from assignment_reasons where assignment_id = any($1::bigint[])', [[...taken]]);
    for (const change of taking.filter((c) => taken.has(c.assignment))) {
      reasonsFor(change.assignment, change);
      events.push({ id: change.assignment, type: 'reopened', data: { dueAt: new Date(change.dueAt).toISOString(), reason: change.words } });
      replan.push(change.assignment);
      done.push(change);
    }
  }

  const attaching = of(changes, 'attach');
  for (const change of attaching) reasonsFor(change.assignment, change);
  done.push(...attaching);
  const earlier = attaching.filter((change) => change.dueAt !== null);
  if (earlier.length > 0) {
    await client.query(MOVE_DUE, [earlier.map((c) => c.assignment), earlier.map((c) => new Date(c.dueAt!))]);
    for (const change of earlier) {
      events.push({ id: change.assignment, type: 'extended', data: { dueAt: new Date(change.dueAt!).toISOString(), reason: 'another requirement asks for it earlier' } }); // prettier-ignore
      replan.push(change.assignment);
    }
  }
  if (reasons.length > 0)
    await client.query(INSERT_REASONS, [reasons.map((r) => r.id), reasons.map((r) => r.requirement), reasons.map((r) => new Date(r.dueAt)), reasons.map((r) => r.words), at]); // prettier-ignore

  for (const kind of ['detach', 'ask', 'keep', 'settle'] as const) {
    const list = of(changes, kind);
    if (list.length === 0) continue;
    const values = [list.map((c) => c.assignment), list.map((c) => c.requirement)];
    const sql = FLAGS[kind];
    await client.query(`with r as (select * from unnest($1::bigint[], $2::bigint[]) as r (assignment_id, requirement_id)) ${sql}`, sql.includes('$3') ? [...values, at] : values); // prettier-ignore
    done.push(...list);
  }

  const closing = of(changes, 'withdraw');
  if (closing.length > 0) {
    const closed = new Set((await rows<{ id: string }>(client, CLOSE, [closing.map((c) => c.assignment), closing.map((c) => c.because), closing.map((c) => c.words), at])).map((row) => row.id)); // prettier-ignore
    for (const change of closing.filter((c) => closed.has(c.assignment))) {
      events.push({ id: change.assignment, type: 'withdrawn', data: { reason: change.words } });
      replan.push(change.assignment);
      done.push(change);
    }
  }
  await insertEvents(client, events, now, byWhom);
  await requestReplan(client, replan);
  await announce(client, 'assignments', 'requirements');
  return done;
}
