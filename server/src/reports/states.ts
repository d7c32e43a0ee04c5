import type { ReportQuery } from '@nudrik/contract';
import type { At } from './as-of.ts';

/** Nothing more is planned for an assignment: somebody late on it falls silent. */
export const NOTHING_PLANNED = `not exists (
  select 1 from notices n where n.assignment_id = a.id and n.state in ('planned', 'held', 'sending')
)`;

/**
 * The line of somebody late was told as many days ago as the house says, and no answer stands: a date moved since, a promised day
 * that passed no longer ago than that, a waiver that is asked for.
 * @param now the moment, as a parameter; `a` is the assignment
 */
export const isUnanswered = (now: string): string => `exists (
  select from notices n
  cross join (select unanswered_days as days, (${now}::timestamptz at time zone house_zone)::date as today from settings) h
  where n.assignment_id = a.id
    and n.kind = 'manager'
    and n.state in ('sent', 'delivered')
    and n.sent_at < ${now}::timestamptz - make_interval(days => h.days)
    and not exists (
      select from assignment_events e
      where e.assignment_id = n.assignment_id
        and e.at > n.sent_at
        and (e.type = 'extended' or e.type = 'taken-up' and (e.data ->> 'until')::date >= h.today - h.days)
        and not exists (select from assignment_events u where u.undoes = e.id)
    )
    and not exists (
      select from waiver_requests w
      where w.assignment_id = n.assignment_id
        and w.asked_at > n.sent_at
        and (w.answered_at is null or w.answered_at > ${now}::timestamptz - make_interval(days => h.days))
    )
)`;

/** The states of the report, as conditions on an assignment; `now` the parameter with the moment. Nobody knows of a day that has passed what was planned then. */
export const statesAt = (now: string): Record<Exclude<ReportQuery['state'], 'all'>, string> => ({
  open: 'a.closed_by is null',
  'not late': `a.closed_by is null and a.due_at >= ${now}::timestamptz`,
  'not started': `a.closed_by is null and a.started_at is null and a.due_at >= ${now}::timestamptz`,
  'in progress': `a.closed_by is null and a.started_at is not null and a.due_at >= ${now}::timestamptz`,
  late: `a.closed_by is null and a.due_at < ${now}::timestamptz`,
  silent: `a.closed_by is null and a.due_at < ${now}::timestamptz and ${NOTHING_PLANNED}`,
  unanswered: `a.closed_by is null and a.due_at < ${now}::timestamptz and ${isUnanswered(now)}`,
  finished: "a.closed_by = 'finished'",
  waived: "a.closed_by in ('waived', 'withdrawn')",
});

const STATES = statesAt('$1');
const FINISHED_LATE = `${STATES.finished} and a.closed_at > a.due_at`;
/** How assignments are counted by their states, and in which column of the sums of a day; $1 is the moment. */
export const ASKED = {
  inProgress: { column: 'in_progress', counts: `count(*) filter (where ${STATES['in progress']})` },
  notStarted: { column: 'not_started', counts: `count(*) filter (where ${STATES['not started']})` },
  late: { column: 'late', counts: `count(*) filter (where ${STATES.late})` },
  finished: { column: 'finished', counts: `count(*) filter (where ${STATES.finished})` },
  finishedPeople: { column: 'finished_people', counts: `count(distinct a.person_id) filter (where ${STATES.finished})` },
  finishedLate: { column: 'finished_late', counts: `count(*) filter (where ${FINISHED_LATE})` },
  waived: { column: 'waived', counts: `count(*) filter (where ${STATES.waived})` },
} as const;
/** The same of all or of some of them, as a page names them. */
export const selectAsked = (fields = Object.keys(ASKED) as (keyof typeof ASKED)[]): string =>
  fields.map((field) => `(${ASKED[field].counts})::integer as "${field}"`).join(', ');

/** What adds up to all who were asked. */
export const allAsked = (counts: Record<'inProgress' | 'notStarted' | 'late' | 'finished' | 'waived', number>): number =>
  counts.inProgress + counts.notStarted + counts.late + counts.finished + counts.waived;

/** A requirement asked for it: now, or at the end of a day that has passed; `r` are its times, $1 the moment. */
export const askedAt = ({ past }: At): string =>
  past === null ? 'r.to_at is null' : 'r.from_at < $1::timestamptz and (r.to_at is null or r.to_at >= $1::timestamptz)';
/** An assignment was asked for by a requirement. @param n a parameter with its id */
export const askedBy = (n: string, at: At): string => `exists (
  select from reason_times r where r.assignment_id = a.id and r.requirement_id = ${n}::bigint and ${askedAt(at)}
)`;
