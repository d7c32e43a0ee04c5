import type { Client } from '../db/db.ts';

// what waits for a value is decided again as soon as the text or the course around it changes
const RELEASE_VALUES = `
update notices
set try_at = greatest(at, $3::timestamptz)
where course_id = $1::bigint
  and ($2::text[] is null or step_id = any($2::text[]))
  and state = 'held'
  and held_because = 'missing-value'
  and try_at is null
`;

/** @param steps the steps whose text changed; null for all */
export const releaseValues = (db: Client, courseId: string, steps: readonly string[] | null, now: number): Promise<unknown> =>
  db.query(RELEASE_VALUES, [courseId, steps, new Date(now)]);

const RELEASE_VALUES_OF = `
update notices
set try_at = greatest(at, $2::timestamptz)
where assignment_id = any($1::bigint[])
  and state = 'held'
  and held_because = 'missing-value'
  and try_at is null
`;

/** The same for assignments whose people changed. */
export const releaseValuesOf = (db: Client, assignmentIds: readonly string[], now: number): Promise<unknown> =>
  db.query(RELEASE_VALUES_OF, [assignmentIds, new Date(now)]);

// what waits for this person's address, whoever it is about, and what came back from the old address
const RELEASE_ADDRESS = `
update notices n
set state = 'planned', try_at = $2::timestamptz, held_because = null, because = null, decided_at = null, attempts = 0
from assignments a
where a.id = n.assignment_id
  and n.recipient_id = $1::bigint
  and (
    (n.state = 'held' and n.held_because = 'unreachable')
    or (n.state = 'bounced' and n.at > $2::timestamptz - interval '14 days')
  )
`;

export const releaseAddress = (db: Client, personId: string, now: number): Promise<unknown> =>
  db.query(RELEASE_ADDRESS, [personId, new Date(now)]);

// what is held for somebody's leave is decided again: the leave was entered, moved or taken away
const RELEASE_LEAVE = `
update notices
set try_at = $2::timestamptz
where person_id = any($1::bigint[])
  and state = 'held'
  and held_because = 'leave'
`;

export const releaseLeave = (db: Client, personIds: readonly string[], now: number): Promise<unknown> =>
  db.query(RELEASE_LEAVE, [personIds, new Date(now)]);
