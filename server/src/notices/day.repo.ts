import type { Instant } from '@nudrik/core';
import { rows, type Client } from '../db/db.ts';
import { CLAIMED_COLUMNS, type ClaimedRow } from './ledger.repo.ts';

// a person's day is locked while it is counted, so that two workers do not give its last place twice
const LOCK_PEOPLE = `
select pg_advisory_xact_lock(7302, (id % 2147483647)::integer)
from (select distinct unnest($1::bigint[]) as id order by 1) people
`;

export const lockDays = (client: Client, people: readonly string[]): Promise<unknown> => client.query(LOCK_PEOPLE, [people]);

// what went that day, and all that is still to go, however long ago it was due
const LIST_DAY = `
select ${CLAIMED_COLUMNS}, decided_at
from notices
where recipient_id = any($1::bigint[])
  and kind not in ('invitation', 'certificate')
  and (
    state in ('planned', 'held') and at <= $3::timestamptz
    or state in ('sending', 'sent', 'delivered', 'bounced', 'failed')
      and (at between $2::timestamptz and $3::timestamptz or decided_at between $2::timestamptz and $3::timestamptz)
  )
`;

export type DayRow = ClaimedRow & { recipient_id: string; state: string; decided_at: Date | null };

/** What counts against the days of some people around a moment. */
export const listDays = (client: Client, people: readonly string[], from: Instant, to: Instant): Promise<DayRow[]> =>
  rows<DayRow>(client, LIST_DAY, [people, new Date(from), new Date(to)]);

// what went a moment ago counts too: a round is decided in batches
const LIST_OVERDUE = `
select ${CLAIMED_COLUMNS}
from notices
where assignment_id = any($1::bigint[])
  and kind not in ('invitation', 'certificate')
  and (
    state in ('planned', 'held') and coalesce(held_because, 'on-hold') = 'on-hold' and at <= $2::timestamptz
    or state in ('sending', 'sent', 'delivered') and decided_at between $2::timestamptz - interval '10 minutes' and $2::timestamptz
  )
`;

/** What is overdue of some assignments, and what went in this very round. */
export const listOverdue = (client: Client, assignments: readonly string[], now: Instant): Promise<(ClaimedRow & { state: string })[]> =>
  rows(client, LIST_OVERDUE, [assignments, new Date(now)]);
