import { dayOf, tellDate, tellMoment, Zone, type FieldChange } from '@nudrik/core';
import type { TimelineEntry } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';

const FIELD_WORDS: Record<string, string> = {
  personnelNumber: 'personnel number', name: 'name', email: 'e-mail', department: 'department', site: 'site', job: 'job', managerEmail: 'manager',
  joinedOn: 'date of joining', leftOn: 'date of leaving',
}; // prettier-ignore
const DATES = new Set(['joinedOn', 'leftOn']);

const LIST_ASSIGNED = `
select a.id, a.assigned_at as at, a.first_due_at, a.is_by_hand, a.assigned_by, a.round, a.completed_on, a.course_id, k.title, s.zone,
  (select string_agg('“' || q.name || '”', ' and ' order by r.since) from assignment_reasons r join requirements q on q.id = r.requirement_id where r.assignment_id = a.id) as reasons
from assignments a
join courses k on k.id = a.course_id
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
where a.person_id = $1::bigint
`;
const LIST_EVENTS = `
select e.at, e.type, e.data, e.by_whom, a.course_id, k.title, u.title as unit, s.zone, a.completed_on
from assignment_events e
join assignments a on a.id = e.assignment_id
join courses k on k.id = a.course_id
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
left join units u on u.id = case when e.data ->> 'unit' ~ '^[0-9]+$' then (e.data ->> 'unit')::bigint end
where a.person_id = $1::bigint
  and e.type <> 'link-opened'
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
from certificates c
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

interface EventRow {
  at: Date;
  type: string;
  data: { dueAt?: string; reason?: string; serial?: string; until?: string | null } | null;
  by_whom: string | null;
  course_id: string;
  title: string;
  unit: string | null;
  zone: string;
  completed_on: string | null;
}

const because = (reason: string | undefined): string => (reason ? `: ${reason}` : '');

function eventWords(row: EventRow): { what: TimelineEntry['what']; words: string } {
  const { data, title } = row;
  const due = data?.dueAt ? tellMoment(Date.parse(data.dueAt), Zone.of(row.zone)) : '';
  switch (row.type) {
    case 'started':
      return { what: 'assignment', words: `Began ${title}` };
    case 'unit-finished':
      return { what: 'assignment', words: `Finished ${row.unit ? `“${row.unit}”` : 'a unit'} of ${title}` };
    case 'finished':
      return { what: 'finish', words: row.completed_on ? `${title} recorded as finished on ${tellDate(dayOf(row.completed_on))}${because(data?.reason)}` : `Finished ${title}` }; // prettier-ignore
    case 'recorded':
      return { what: 'finish', words: `${title} recorded as finished on ${tellDate(dayOf(row.completed_on!))}${because(data?.reason)}` };
    case 'certificate-issued':
      return { what: 'certificate', words: `Certificate ${data?.serial ?? ''} for ${title}` };
    case 'extended':
      return { what: 'assignment', words: `${title} is due ${due} now${because(data?.reason)}` };
    case 'extension-undone':
      return { what: 'assignment', words: `The last due date of ${title} was taken back${because(data?.reason)}` };
    case 'reopened':
      return { what: 'assignment', words: `${title} taken up again${due ? `, due ${due}` : ''}${because(data?.reason)}` };
    case 'waived':
      return {
        what: 'assignment',
        words: `${title} waived${data?.until ? ` until ${tellDate(dayOf(data.until))}` : ''}${because(data?.reason)}`,
      };
    case 'withdrawn':
      return { what: 'assignment', words: `${title} withdrawn${because(data?.reason)}` };
    default:
      return { what: 'assignment', words: `${title}: ${row.type}` };
  }
}

const tellValue = (field: string, value: string | null): string => (value === null ? 'none' : DATES.has(field) ? tellDate(dayOf(value)) : value); // prettier-ignore

function changeWords(kind: string, changes: FieldChange[]): string {
  const [first] = changes as unknown as { from: string | null; to: string | null }[];
  if (kind === 'group') return first!.to ? `Put into the group ${first!.to}` : `Taken out of the group ${first!.from}`;
  if (kind === 'leave') return first!.to ? `Leave entered: ${first!.to}` : `Leave taken away: ${first!.from}`;
  if (kind === 'added') return 'Came onto the roster';
  const words = changes.map(
    ({ field, from, to }) => `${FIELD_WORDS[field] ?? field} from ${tellValue(field, from)} to ${tellValue(field, to)}`,
  );
  const head = { returned: 'Is back: ', left: 'Left: ' }[kind] ?? 'Changed ';
  return `${head}${words.join('; ')}`;
}

/** Everything that happened to a person, oldest first; what is planned or will run out stands last, marked as ahead. */
export async function timelineOf(db: Queryable, personId: string, now: number): Promise<TimelineEntry[]> {
  const list: TimelineEntry[] = [];
  const entry = (at: Date, what: TimelineEntry['what'], words: string, rest: Partial<TimelineEntry> = {}): void =>
    void list.push({ at: at.toISOString(), what, words, isAhead: at.getTime() > now, course: null, noticeId: null, kind: null, outcome: null, because: null, byWhom: null, ...rest }); // prettier-ignore
  const course = (row: { course_id: string; title: string }): { course: TimelineEntry['course'] } => ({
    course: { id: row.course_id, title: row.title },
  });
  for (const row of await rows<{ at: Date; first_due_at: Date; is_by_hand: boolean; assigned_by: string | null; round: number; completed_on: string | null; course_id: string; title: string; zone: string; reasons: string | null }>(db, LIST_ASSIGNED, [personId])) // prettier-ignore
    if (row.completed_on === null || row.first_due_at > row.at)
      entry(row.at, 'assignment', `${row.title} assigned${row.round > 1 ? `, round ${row.round}` : ''}, due ${tellMoment(row.first_due_at.getTime(), Zone.of(row.zone))}${row.reasons ? `, asked for by ${row.reasons}` : ''}`, { ...course(row), byWhom: row.is_by_hand ? row.assigned_by : null }); // prettier-ignore
  for (const row of await rows<EventRow>(db, LIST_EVENTS, [personId])) {
    const { what, words } = eventWords(row);
    entry(row.at, what, words, { ...course(row), byWhom: row.by_whom });
  }
  for (const row of await rows<{ id: string; at: Date; kind: string; step_name: string; state: string; because: string | null; course_id: string; title: string; recipient_id: string | null; recipient_name: string | null }>(db, LIST_NOTICES, [personId])) // prettier-ignore
    entry(row.at, 'notice', `${row.step_name}, ${row.title}${row.recipient_id === personId || !row.recipient_name ? '' : `, to ${row.recipient_name}`}`, { ...course(row), noticeId: row.id, kind: row.kind, outcome: row.state, because: row.because }); // prettier-ignore
  for (const row of await rows<{ serial: string; expires_on: string | null; revoked_at: Date | null; course_id: string; title: string; zone: string }>(db, LIST_CERTIFICATES, [personId])) {
    if (row.expires_on && !row.revoked_at)
      entry(new Date(Zone.of(row.zone).toInstant(dayOf(row.expires_on) + 1, 0)), 'certificate', `Certificate ${row.serial} for ${row.title} runs out`, course(row)); // prettier-ignore
    if (row.revoked_at) entry(row.revoked_at, 'certificate', `Certificate ${row.serial} for ${row.title} revoked`, course(row));
  } // prettier-ignore
  for (const row of await rows<{ at: Date; by_whom: string; kind: string; changes: FieldChange[] }>(db, LIST_CHANGES, [personId]))
    entry(row.at, 'change', changeWords(row.kind, row.changes), { byWhom: row.by_whom });
  // a stable sort: what happened in one moment stays in the order of its kinds
  return list.sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0));
}
