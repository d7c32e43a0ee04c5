import { tellMoment, Zone, type Check } from '@nudrik/core';
import type { NoticeRow, NoticeState } from '@nudrik/contract';

/** Columns of a notice with its course, its person and where its reader is. */
export const NOTICE_COLUMNS = `
  n.id, n.kind, n.step_id, n.step_name, n.occurrence, n.to_role, n.by_hand, n.course_id, c.title as course_title, n.person_id, p.name as person_name,
    n.recipient_id, n.recipient_name,
  n.state, n.because, n.held_because, n.sentence, n.trace, n.at, n.moment, n.anchor_at, n.known_at, n.revision, n.assignment_id,
    n.decided_at, n.sent_at, n.message_id, n.gathered,
  n.attempts, n.last_error, s.zone as person_zone, rs.zone as recipient_zone
`;
export const NOTICE_TABLES = `
from notices n
join courses c on c.id = n.course_id
join people p on p.id = n.person_id
join sites s on s.id = p.site_id
left join people r on r.id = n.recipient_id
left join sites rs on rs.id = r.site_id
`;

export interface NoticeDbRow {
  id: string;
  kind: string;
  step_id: string;
  step_name: string;
  occurrence: number;
  to_role: string;
  by_hand: { what: 'skip' | 'send' | 'restore'; by: string; at: string; reason: string | null } | null;
  course_id: string;
  course_title: string;
  person_id: string;
  person_name: string;
  recipient_id: string | null;
  recipient_name: string | null;
  state: NoticeState;
  because: string | null;
  held_because: string | null;
  sentence: string | null;
  trace: Check[] | null;
  at: Date;
  moment: Date;
  anchor_at: Date;
  known_at: Date;
  revision: number;
  assignment_id: string;
  decided_at: Date | null;
  sent_at: Date | null;
  message_id: string | null;
  gathered: boolean;
  attempts: number;
  last_error: string | null;
  person_zone: string;
  recipient_zone: string | null;
}

/** A line of the ledger. @param gathered how many others the same message told */
export function rowOf(row: NoticeDbRow, now: number, gathered = 0): NoticeRow {
  const zone = row.recipient_zone ?? row.person_zone;
  return {
    id: row.id,
    kind: row.kind,
    stepName: row.step_name,
    occurrence: row.occurrence,
    course: { id: row.course_id, title: row.course_title },
    person: { id: row.person_id, name: row.person_name },
    addressee: row.to_role === 'employee' ? null : { id: row.recipient_id, name: row.recipient_name ?? 'nobody' },
    state: row.state,
    because: row.because ?? (row.state === 'held' ? row.held_because : null),
    sentence: row.sentence,
    at: row.at.toISOString(),
    local: tellMoment(row.at.getTime(), Zone.of(zone), now),
    zone,
    gathered,
  };
}
