import { cellOf, dateOf, dayOf, DUE_SOON, EXPIRING_DAYS, type Cell, type Zone } from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';
import { standingsAt, type At } from './as-of.ts';

/** Of a standing `s` the last assignment, whether it was waived and that holds still; $2 is the day. */
const LAST_WAIVED = `
  select a.closed_by = 'waived' and (a.waived_until is null or a.waived_until >= $2::date) as is_waived, a.waived_until
  from assignments a
  where a.person_id = s.person_id
    and a.course_id = s.course_id
    and a.closed_because is distinct from 'undone'
  order by a.id desc
  limit 1
`;
const NOT_HELD = 's.open_id is null and (s.until is null or s.until < $2::date)';
const IS_WAIVED = `coalesce((select w.is_waived from (${LAST_WAIVED}) w), false)`;
const SOON = `interval '${DUE_SOON / 1_000} seconds'`;

const conditions = (isWaived: string): Readonly<Record<Cell, string>> => ({
  late: 's.open_id is not null and s.due_at < $1::timestamptz',
  due: `s.open_id is not null and s.due_at >= $1::timestamptz and s.due_at < $1::timestamptz + ${SOON}`,
  open: `s.open_id is not null and s.due_at >= $1::timestamptz + ${SOON}`,
  expiring: `s.open_id is null and s.until between $2::date and $2::date + ${EXPIRING_DAYS}`,
  held: `s.open_id is null and s.until > $2::date + ${EXPIRING_DAYS}`,
  lapsed: `${NOT_HELD} and (s.finished or s.until is not null) and not ${isWaived}`,
  waived: `${NOT_HELD} and ${isWaived}`,
});

const [NOW, PAST] = [conditions(IS_WAIVED), conditions('s.is_waived')];
/** Core's cells as conditions on a standing; $1 is the moment, $2 the day. A property holds both against each other. */
export const cellConditions = ({ past }: Pick<At, 'past'>): Readonly<Record<Cell, string>> => (past === null ? NOW : PAST);

const LIST_PAST_PAIRS = (at: At): string => `
select s.person_id, s.course_id, s.open_id, s.due_at, s.until, s.finished, s.is_waived, s.waived_until
from ${standingsAt(at)} s
where s.person_id = any($3::bigint[])
`;

// the last assignment of a pair is asked for only where neither anything is open nor held
const LIST_PAIRS = `
select s.person_id, s.course_id, s.open_id, case when s.open_id is not null then s.due_at end as due_at, s.until, s.finished,
  coalesce(w.is_waived, false) as is_waived, w.waived_until
from standings s
left join lateral (${LAST_WAIVED}) w on ${NOT_HELD}
where s.person_id = any($3::bigint[])
  and $1::timestamptz is not null
`;

export interface CellRow {
  course: string;
  state: Cell;
  /** the day of it: when it is due, until when it is held, when it ran out, until when it is waived */
  on: string | null;
  /** what is open of it */
  open: string | null;
}

/** How people stand with each course that they were ever asked for, by person. @param zone in which days are told */
export async function listCells(db: Queryable, people: readonly string[], at: At, zone: Zone): Promise<Map<string, CellRow[]>> {
  const today = dayOf(at.today);
  const found = await rows<{
    person_id: string;
    course_id: string;
    open_id: string | null;
    due_at: Date | null;
    until: string | null;
    finished: boolean;
    is_waived: boolean;
    waived_until: string | null;
  }>(db, at.past === null ? LIST_PAIRS : LIST_PAST_PAIRS(at), [new Date(at.now), at.today, people]);
  const cells = new Map<string, CellRow[]>();
  for (const row of found) {
    const until = row.until === null ? null : row.until === 'infinity' ? 'ever' : dayOf(row.until);
    const state = cellOf(
      { dueAt: row.due_at?.getTime() ?? null, until, hasFinished: row.finished, isWaived: row.is_waived },
      at.now,
      today,
    );
    if (state === null) continue;
    const on =
      row.due_at !== null ? dateOf(zone.dayAt(row.due_at.getTime())) : state === 'waived' ? row.waived_until : until === 'ever' ? null : row.until; // prettier-ignore
    const list = cells.get(row.person_id);
    const cell = { course: row.course_id, state, on, open: row.open_id };
    if (list) list.push(cell);
    else cells.set(row.person_id, [cell]);
  }
  return cells;
}
