import type { AssignmentEvent, Change, Instant } from '@nudrik/core';
import { makeAssignments, record, type Happening } from '../assignments/record.ts';
import { announce, rows, type Client } from '../db/db.ts';

type Of<K extends Change['kind']> = Extract<Change, { kind: K }>;
const of = <K extends Change['kind']>(changes: readonly Change[], kind: K): Of<K>[] =>
  changes.filter((change): change is Of<K> => change.kind === kind);

const INSERT_REASONS = `
insert into assignment_reasons (assignment_id, requirement_id, since, due_at, words)
select r.assignment_id, r.requirement_id, $5::timestamptz, r.due_at, r.words
from unnest($1::bigint[], $2::bigint[], $3::timestamptz[], $4::text[]) as r (assignment_id, requirement_id, due_at, words)
on conflict (assignment_id, requirement_id) do update set since = excluded.since, due_at = excluded.due_at, words = excluded.words,
  out_since = null, kept_at = null
`;

/** Closed assignments that can be taken up again: nobody has the course open otherwise. */
const LIST_REOPENABLE = `
select a.id
from assignments a
where a.id = any($1::bigint[])
  and a.closed_by in ('waived', 'withdrawn')
  and not exists (select 1 from assignments o where o.person_id = a.person_id and o.course_id = a.course_id and o.closed_by is null)
order by a.id
for update of a
`;

const LIST_OPEN = `
select id
from assignments
where id = any($1::bigint[])
  and closed_by is null
order by id
for update
`;

const idsOf = async (client: Client, sql: string, ids: readonly string[]): Promise<Set<string>> =>
  new Set((await rows<{ id: string }>(client, sql, [ids])).map(({ id }) => id));

// each is run with the pairs of assignment and requirement as `r`, and the moment as $3
const OF_PAIRS = 'where a.assignment_id = r.assignment_id and a.requirement_id = r.requirement_id';
const FLAGS: Record<'detach' | 'ask' | 'keep' | 'settle', string> = {
  detach: `, ended as (update reason_times a set to_at = $3::timestamptz from r ${OF_PAIRS} and a.to_at is null) delete from assignment_reasons a using r ${OF_PAIRS}`,
  ask: `update assignment_reasons a set out_since = $3::timestamptz from r ${OF_PAIRS}`,
  keep: `update assignment_reasons a set out_since = null, kept_at = $3::timestamptz from r ${OF_PAIRS}`,
  settle: `update assignment_reasons a set out_since = null, kept_at = null from r ${OF_PAIRS} and $3::timestamptz is not null`,
};

const DELETE_ASSIGNMENT_REASONS = `
with ended as (update reason_times set to_at = $2::timestamptz where assignment_id = any($1::bigint[]) and to_at is null)
delete from assignment_reasons where assignment_id = any($1::bigint[])
`;

/** What a change comes to as an event of its assignment; null where it is none, or makes the assignment. */
export function eventOf(change: Change, at: Instant): AssignmentEvent | null {
  switch (change.kind) {
    case 'take-up':
      return { type: 'reopened', at, dueAt: change.dueAt, reason: change.words };
    case 'attach':
      return change.dueAt === null
        ? null
        : { type: 'extended', at, dueAt: change.dueAt, reason: 'another requirement asks for it earlier' };
    case 'withdraw':
      return { type: 'withdrawn', at, because: change.because, reason: change.words };
    default:
      return null;
  }
}

/**
 * Does what reconciling asks for, set by set, and asks for the notices to be planned.
 * @param byWhom for the record: the requirement's own work, or whoever switched it
 * @returns the changes that took hold
 */
export async function applyChanges(client: Client, changes: readonly Change[], now: number, byWhom: string): Promise<Change[]> {
  if (changes.length === 0) return [];
  const at = new Date(now);
  const happenings: Happening[] = [];
  const happen = (change: Exclude<Change, { kind: 'assign' }>): void => {
    const event = eventOf(change, now);
    if (event) happenings.push({ assignment: change.assignment, event });
  };
  const by = { byWhom, isReconciling: true };
  const reasons: { id: string; requirement: string; dueAt: number; words: string }[] = [];
  const done: Change[] = [];
  const reasonsFor = (id: string, change: Of<'assign' | 'attach' | 'take-up'>): void => {
    for (const { requirement, dueAt, because } of change.reasons) reasons.push({ id, requirement, dueAt, words: because });
  };

  const assigning = of(changes, 'assign');
  const stored = await makeAssignments(client, assigning, now, by);
  const idOf = new Map(stored.map((row) => [`${row.person_id}/${row.course_id}`, row.id]));
  for (const change of assigning) {
    const id = idOf.get(`${change.person}/${change.course}`);
    if (!id) continue; // assigned by somebody else in this very moment: the next look attaches the reason
    reasonsFor(id, change);
    done.push(change);
  }

  const taking = of(changes, 'take-up');
  if (taking.length > 0) {
    const free = await idsOf(
      client,
      LIST_REOPENABLE,
      taking.map((c) => c.assignment),
    );
    await client.query(DELETE_ASSIGNMENT_REASONS, [[...free], at]);
    for (const change of taking.filter((c) => free.has(c.assignment))) {
      reasonsFor(change.assignment, change);
      happen(change);
      done.push(change);
    }
  }

  const attaching = of(changes, 'attach');
  for (const change of attaching) reasonsFor(change.assignment, change);
  done.push(...attaching);
  attaching.forEach(happen);
  if (reasons.length > 0)
    await client.query(INSERT_REASONS, [
      reasons.map((r) => r.id),
      reasons.map((r) => r.requirement),
      reasons.map((r) => new Date(r.dueAt)),
      reasons.map((r) => r.words),
      at,
    ]);

  for (const kind of ['detach', 'ask', 'keep', 'settle'] as const) {
    const list = of(changes, kind);
    if (list.length === 0) continue;
    const values = [list.map((c) => c.assignment), list.map((c) => c.requirement)];
    const sql = FLAGS[kind];
    await client.query(
      `with r as (select * from unnest($1::bigint[], $2::bigint[]) as r (assignment_id, requirement_id)) ${sql}`,
      sql.includes('$3') ? [...values, at] : values,
    );
    done.push(...list);
  }

  const closing = of(changes, 'withdraw');
  if (closing.length > 0) {
    const open = await idsOf(
      client,
      LIST_OPEN,
      closing.map((c) => c.assignment),
    );
    const still = closing.filter((c) => open.has(c.assignment));
    still.forEach(happen);
    done.push(...still);
  }
  await record(client, happenings, by);
  await announce(client, 'assignments', 'requirements');
  return done;
}
