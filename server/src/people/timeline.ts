import { dayOf, decodeEvent, tellDate, tellEvent, tellLanguage, Zone, type EventType, type FieldChange } from '@nudrik/core';
import type { TimelineEntry } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';

const FIELD_WORDS: Record<string, string> = {
  personnelNumber: 'personnel number',
  name: 'name',
  email: 'e-mail',
  department: 'department',
  site: 'site',
  job: 'job',
  language: 'language',
  chatName: 'chat name',
  by: 'way of being told',
  dailyAt: 'one mail a day, at',
  digest: 'all of their people at once,',
  declined: 'declined messages',
  managerEmail: 'manager',
  joinedOn: 'date of joining',
  leftOn: 'date of leaving',
};
const DATES = new Set(['joinedOn', 'leftOn']);

const EVENTS = `
select
  e.id, e.at, e.type, e.data, e.by_whom, e.assignment_id, o.unit_id as record_unit, a.course_id, a.round, a.is_by_hand, k.title, u.title as unit, s.zone,
  back.type as back_type, back.at as back_at, back.data as back_data,
  case when e.type = 'assigned' then (
    select string_agg('“' || q.name || '”', ' and ' order by r.since)
    from assignment_reasons r
    join requirements q on q.id = r.requirement_id
    where r.assignment_id = a.id
  ) end as reasons
from assignment_events e
join assignments a on a.id = e.assignment_id
join courses k on k.id = a.course_id
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
left join units u on u.id = case when e.data ->> 'unit' ~ '^[0-9]+$' then (e.data ->> 'unit')::bigint end
left join sign_offs o on o.event_id = e.id
left join assignment_events back on back.id = e.undoes
`;
const LIST_EVENTS = `
${EVENTS}
where a.person_id = $1::bigint
  and e.type <> 'link-opened'
order by e.at, e.id
`;
const LIST_EVENTS_OF = `
${EVENTS}
where e.assignment_id = any($1::bigint[])
  and e.at < $2::timestamptz
order by e.at, e.id
`;
const LIST_NOTICES = `
select n.id, n.at, n.kind, n.step_name, n.state, n.because, n.course_id, k.title, n.recipient_id, n.recipient_name
from notices n
join courses k on k.id = n.course_id
where n.person_id = $1::bigint
order by n.at
limit 2000
`;
const LIST_CERTIFICATES = `
select c.serial, c.expires_on, c.revoked_at, c.course_id, k.title, s.zone
from standing_certificates c
join courses k on k.id = c.course_id
join people p on p.id = c.person_id
join sites s on s.id = p.site_id
where c.person_id = $1::bigint
`;
const LIST_CHANGES = `
select c.at, c.by_whom, c.kind, c.changes, s.zone
from person_changes c
join people p on p.id = c.person_id
join sites s on s.id = p.site_id
where c.person_id = $1::bigint
order by c.at, c.id
`;

type Data = Record<string, unknown> | null;
export interface EventRow {
  id: string;
  at: Date;
  type: string;
  data: Data;
  by_whom: string | null;
  course_id: string;
  round: number;
  is_by_hand: boolean;
  title: string;
  unit: string | null;
  zone: string;
  back_type: string | null;
  back_at: Date | null;
  back_data: Data;
  reasons: string | null;
  assignment_id: string;
  record_unit: string | null;
}

const WHAT: Partial<Record<EventType, TimelineEntry['what']>> = { finished: 'finish', 'certificate-issued': 'certificate' };

/** An event in the words of the catalogue, with the round and the requirements behind a new assignment. */
export function eventWords(row: EventRow, now: number): { what: TimelineEntry['what']; words: string } | null {
  const event = decodeEvent({ id: row.id, type: row.type, at: row.at.getTime(), data: row.data });
  if (!event) return null;
  const facts = { course: row.title, unit: row.unit, zone: Zone.of(row.zone), now, takenBack: null };
  const back = row.back_type && decodeEvent({ id: '', type: row.back_type, at: row.back_at!.getTime(), data: row.back_data });
  const words = tellEvent(event, { ...facts, takenBack: back ? tellEvent(back, facts) : null });
  const made =
    event.type === 'assigned' ? `${row.round > 1 ? `, round ${row.round}` : ''}${row.reasons ? `, asked for by ${row.reasons}` : ''}` : '';
  return { what: WHAT[event.type] ?? 'assignment', words: words + made };
}

const tellValue = (field: string, value: string | null): string =>
  value === null ? 'none' : DATES.has(field) ? tellDate(dayOf(value)) : field === 'language' ? tellLanguage(value) : value;

export function changeWords(kind: string, changes: FieldChange[]): string {
  const [first] = changes as unknown as { from: string | null; to: string | null }[];
  if (kind === 'group') return first!.to ? `Put into the group ${first!.to}` : `Taken out of the group ${first!.from}`;
  if (kind === 'leave' && first!.from && first!.to) return `Leave changed: ${first!.to}; before: ${first!.from}`;
  if (kind === 'leave') return first!.to ? `Leave entered: ${first!.to}` : `Leave taken away: ${first!.from}`;
  if (kind === 'added') return 'Came onto the roster';
  if (kind === 'erased') return 'Erased: what they were called, and all that was theirs alone';
  const words = changes.map(
    ({ field, from, to }) => `${FIELD_WORDS[field] ?? field} from ${tellValue(field, from)} to ${tellValue(field, to)}`,
  );
  const head = { returned: 'Is back: ', left: 'Left: ' }[kind] ?? 'Changed ';
  return `${head}${words.join('; ')}`;
}

/** Everything that happened to assignments before a moment, oldest first. */
export const listEventsOf = (db: Queryable, assignments: readonly string[], before: Date): Promise<EventRow[]> =>
  rows(db, LIST_EVENTS_OF, [assignments, before]);

/** Everything that happened to a person, oldest first; what is planned or will run out stands last, marked as ahead. */
export async function timelineOf(db: Queryable, personId: string, now: number): Promise<TimelineEntry[]> {
  const list: TimelineEntry[] = [];
  const entry = (at: Date, what: TimelineEntry['what'], words: string, rest: Partial<TimelineEntry> = {}): void =>
    void list.push({
      at: at.toISOString(),
      what,
      words,
      isAhead: at.getTime() > now,
      course: null,
      noticeId: null,
      kind: null,
      outcome: null,
      because: null,
      byWhom: null,
      document: null,
      ...rest,
    });
  const course = (row: { course_id: string; title: string }): { course: TimelineEntry['course'] } => ({
    course: { id: row.course_id, title: row.title },
  });
  for (const row of await rows<EventRow>(db, LIST_EVENTS, [personId])) {
    const told = eventWords(row, now);
    const byWhom = row.type === 'assigned' && !row.is_by_hand ? null : row.by_whom;
    const document = row.record_unit && `/api/sign-off-records/${row.assignment_id}/${row.record_unit}`;
    if (told) entry(row.at, told.what, told.words, { ...course(row), byWhom, document });
  }
  for (const row of await rows<{
    id: string;
    at: Date;
    kind: string;
    step_name: string;
    state: string;
    because: string | null;
    course_id: string;
    title: string;
    recipient_id: string | null;
    recipient_name: string | null;
  }>(db, LIST_NOTICES, [personId]))
    entry(
      row.at,
      'notice',
      `${row.step_name}, ${row.title}${row.recipient_id === personId || !row.recipient_name ? '' : `, to ${row.recipient_name}`}`,
      { ...course(row), noticeId: row.id, kind: row.kind, outcome: row.state, because: row.because },
    );
  for (const row of await rows<{
    serial: string;
    expires_on: string | null;
    revoked_at: Date | null;
    course_id: string;
    title: string;
    zone: string;
  }>(db, LIST_CERTIFICATES, [personId])) {
    if (row.expires_on && !row.revoked_at)
      entry(
        new Date(Zone.of(row.zone).toInstant(dayOf(row.expires_on) + 1, 0)),
        'certificate',
        `Certificate ${row.serial} for ${row.title} runs out`,
        course(row),
      );
    if (row.revoked_at) entry(row.revoked_at, 'certificate', `Certificate ${row.serial} for ${row.title} revoked`, course(row));
  }
  for (const row of await rows<{ at: Date; by_whom: string; kind: string; changes: FieldChange[] }>(db, LIST_CHANGES, [personId]))
    entry(row.at, 'change', changeWords(row.kind, row.changes), { byWhom: row.by_whom });
  // a stable sort: what happened in one moment stays in the order of its kinds
  return list.sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0));
}
