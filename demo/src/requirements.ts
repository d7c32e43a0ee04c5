import type { DueRule, Renewal } from '@nudrik/core';
import { oneRow, rows, type Client } from 'nudrik';
import { CAST } from './orlasund.ts';

interface DemoRequirement {
  name: string;
  code: string;
  /** departments by name, with those below; empty is everyone */
  departments: readonly string[];
  due: DueRule;
  renewal: Renewal | null;
  /** days before the start on which it was switched on; null: written and never switched on */
  onSince: number | null;
  takesJoiners: boolean;
  joinedWithin?: number;
}

/** Standing rules of the ferry line. What was assigned in the past was asked for by them. */
const REQUIREMENTS: readonly DemoRequirement[] = [
  {
    name: 'Muster, everyone, every year',
    code: 'SAF-01',
    departments: [],
    due: { kind: 'after', amount: 28, unit: 'days', event: 'assigned' },
    renewal: { months: 12, leadDays: 30 },
    onSince: 330,
    takesJoiners: false,
  },
  {
    name: 'Fire teams for deck and engine',
    code: 'SAF-02',
    departments: ['Deck', 'Engine'],
    due: { kind: 'after', amount: 15, unit: 'working days', event: 'assigned' },
    renewal: { months: 12, leadDays: 30 },
    onSince: 210,
    takesJoiners: false,
  },
  {
    name: 'Muster for the summer intake',
    code: 'SAF-01',
    departments: [],
    joinedWithin: 60,
    due: { kind: 'after', amount: 14, unit: 'working days', event: 'joined' },
    renewal: null,
    onSince: 20,
    takesJoiners: true,
  },
  {
    name: 'Lines and gangway, deck',
    code: 'DCK-03',
    departments: ['Deck'],
    due: { kind: 'month-end', months: 1, event: 'joined' },
    renewal: { months: 24, leadDays: 60 },
    onSince: null,
    takesJoiners: true,
  },
];

const INSERT = `
insert into requirements (name, course_id, audience, due, grace_days, renewal, takes_joiners, is_on, switched_on_at, changed_at, changed_by)
values ($1::text, $2::bigint, $3::jsonb, $4::jsonb, 14, $5::jsonb, $6::boolean, $7::boolean, $8::timestamptz, $9::timestamptz, $10::text)
returning id
`;
// who has the course from one of the rounds since: the three whose certificate ran out were never asked again
const INSERT_MEMBERS = `
insert into requirement_members (requirement_id, person_id)
select distinct $1::bigint, a.person_id
from assignment_reasons r
join assignments a on a.id = r.assignment_id
where r.requirement_id = $1::bigint
`;

const INSERT_REASONS = `
insert into assignment_reasons (assignment_id, requirement_id, since, due_at, words)
select a.id, $1::bigint, greatest(a.assigned_at, $3::timestamptz), a.due_at, 'due ' || to_char(a.due_at at time zone s.zone, 'FMDy FMDD Mon HH24:MI')
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
where a.course_id = $2::bigint
  and p.joined_on <= $5::date
  and a.assigned_at >= $3::timestamptz - interval '1 day'
  and ($4::bigint[] is null or p.department_id = any($4::bigint[]))
on conflict do nothing
`;

/** @param start the demo's first moment */
export async function makeRequirements(db: Client, start: number): Promise<void> {
  const departments = new Map(
    (await rows<{ id: string; name: string }>(db, 'select id, name from departments')).map((row) => [row.name, row.id]),
  );
  for (const wanted of REQUIREMENTS) {
    const { id: course } = await oneRow<{ id: string }>(db, 'select id from courses where code = $1::text', [wanted.code]);
    const ids = wanted.departments.map((name) => departments.get(name)!);
    const parts = [
      ...(ids.length ? [{ department: ids, below: true }] : []),
      ...(wanted.joinedWithin ? [{ joinedWithin: wanted.joinedWithin }] : []),
    ];
    const since = new Date(start - (wanted.onSince ?? 2) * 86_400_000);
    const isOn = wanted.onSince !== null;
    const { id } = await oneRow<{ id: string }>(db, INSERT, [
      wanted.name,
      course,
      JSON.stringify({ all: parts }),
      JSON.stringify(wanted.due),
      wanted.renewal && JSON.stringify(wanted.renewal),
      wanted.takesJoiners,
      isOn,
      isOn ? since : null,
      since,
      CAST.administrator,
    ]);
    const record =
      'insert into requirement_events (requirement_id, at, by_whom, what, words) values ($1::bigint, $2::timestamptz, $3::text, $4::text, $5::text)';
    await db.query(record, [id, since, CAST.administrator, 'written', 'Written, and not switched on yet.']);
    if (!isOn) continue;
    await db.query(record, [id, since, CAST.administrator, 'switched on', 'Switched on.']);
    if (wanted.joinedWithin) continue; // whom it asks has the course by hand already: the first look attaches the reason
    await db.query(INSERT_REASONS, [id, course, since, ids.length ? ids : null, new Date(start).toISOString().slice(0, 10)]);
    await db.query(INSERT_MEMBERS, [id]);
  }
  await db.query(
    "update assignments a set is_by_hand = false, assigned_by = 'Nudrik' where exists (select 1 from assignment_reasons r where r.assignment_id = a.id)",
  );
}
