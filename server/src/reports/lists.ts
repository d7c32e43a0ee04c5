import type {
  FinishedQuery,
  FinishedRow,
  FinishedView,
  NotifiedQuery,
  NotifiedRow,
  CoverageView,
  NotifiedView,
  ReportQuery,
  ReportRow,
} from '@nudrik/contract';
import { capital, dayOf, tellDate, tellMoment, tellUntold, Zone } from '@nudrik/core';
import { oneRow, rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { tellUnmade } from '../notices/ledger.query.ts';
import { atOf, type At } from './as-of.ts';
import { countAsked, countedReport, courseTitle, filterOf, narrowed } from './course-report.ts';
import { tellAsOf } from './differing.ts';
import { allAsked } from './states.ts';
import {
  countFinishedLate,
  coverage,
  listClosings,
  listNotified,
  listUntold,
  listWent,
  notifiedSql,
  stepsOf,
  tellBest,
  type ClosingRow,
  type Fitting,
  type NotifiedDbRow,
} from './lists.repo.ts';

/** What a list of a course is asked about: which rows fit, and of when. */
export async function scopeOf(
  db: Queryable,
  courseId: string,
  query: Pick<NotifiedQuery, 'find' | 'department' | 'site' | 'requirement' | 'on' | 'known'>,
  now: number,
): Promise<{ course: { id: string; title: string }; at: At; zone: Zone; fitting: { where: string; values: unknown[] } }> {
  const course = await courseTitle(db, courseId);
  const zone = Zone.of((await getHouse(db)).zone);
  const at = atOf(query, now, zone);
  return { course, at, zone, fitting: filterOf({ ...narrowed(query), state: 'all' }, courseId, at) };
}

/** Some rows of who was notified, with what went to each, or why nothing did. */
export async function notifiedRows(
  deps: Deps,
  found: readonly NotifiedDbRow[],
  at: At,
  step: string | null,
  zone: Zone,
): Promise<NotifiedRow[]> {
  const ids = found.map(({ id }) => id);
  const sent = await listWent(deps.db, ids, at, step);
  const told = found.map((row) => ({ row, ...tellBest(row.best) }));
  const untold = new Map((await listUntold(deps.db, told.filter((one) => one.told !== 'told').map(({ row }) => row.id), at, step)).map((row) => [row.assignment_id, row])); // prettier-ignore
  const unmade =
    step === null || at.past !== null ? new Map<string, string>() : await tellUnmade(deps, told.filter((one) => one.told === 'none').map(({ row }) => row.id), step); // prettier-ignore
  const notices = new Map<string, typeof sent>();
  for (const one of sent) notices.set(one.assignment_id, [...(notices.get(one.assignment_id) ?? []), one]);
  const why = ({ row, told: what, because }: (typeof told)[number]): NotifiedRow['why'] => {
    if (what === 'told') return null;
    const notice = untold.get(row.id);
    const words =
      what === 'ahead'
        ? at.past === null
          ? // it may be planned anew this very moment
            `Still to come${notice ? `: ${tellMoment(notice.at.getTime(), zone, at.now)}` : ''}.`
          : 'Nothing had gone yet.'
        : what === 'none'
          ? (unmade.get(row.id) ?? `${capital(tellUntold(what, because))}.`)
          : (notice?.sentence ?? `${capital(tellUntold(what, because))}.`);
    return { notice: notice?.id ?? null, words };
  };
  return told.map((one) => ({
    assignmentId: one.row.id,
    person: { id: one.row.person_id, name: one.row.person },
    department: one.row.department,
    site: one.row.site,
    assignedAt: one.row.assigned_at.toISOString(),
    told: one.told,
    notices: (notices.get(one.row.id) ?? []).map(({ id, step_name, sent_at, channel, address, outcome }) => ({
      id,
      step: step_name,
      at: sent_at.toISOString(),
      where: `${channel === 'chat' ? 'in the chat to ' : ''}${address ?? ''}`,
      outcome,
    })),
    sent: notices.get(one.row.id)?.[0]?.count ?? 0,
    why: why(one),
  }));
}

/** How many of a list are meant: everybody who was asked is counted without looking at what became of each. */
export async function countNotified(
  db: Queryable,
  courseId: string,
  query: Omit<NotifiedQuery, 'page' | 'size'>,
  fitting: Fitting,
  at: At,
): Promise<number> {
  if (query.who === 'all') return allAsked(await countAsked(db, courseId, narrowed(query), at));
  const { sql, values } = notifiedSql(fitting, at, query.step ?? null, query.who);
  return (await oneRow<{ count: number }>(db, `select count(*)::integer as count from (${sql}) w`, values)).count;
}

async function pageOfNotified(
  db: Queryable,
  courseId: string,
  query: NotifiedQuery,
  fitting: Fitting,
  at: At,
): Promise<{ total: number; found: NotifiedDbRow[] }> {
  const total = (): Promise<number> => countNotified(db, courseId, query, fitting, at);
  if (query.who !== 'all') {
    const found = await listNotified(db, fitting, at, query);
    return { total: found[0]?.total ?? (query.page === 0 ? 0 : await total()), found };
  }
  // everybody is counted already, and found by name
  const { sql, values } = notifiedSql(fitting, at, query.step ?? null, 'all');
  const [all, found] = await Promise.all([
    total(),
    rows<NotifiedDbRow>(db, `${sql} limit ${query.size} offset ${query.page * query.size}`, values),
  ]);
  return { total: all, found };
}

/** Who was notified of a course: nobody is missing. */
export async function notifiedView(deps: Deps, courseId: string, query: NotifiedQuery): Promise<NotifiedView> {
  const { db } = deps;
  const { course, at, zone, fitting } = await scopeOf(db, courseId, query, deps.clock.now());
  const step = query.step ?? null;
  const [{ total, found }, asOf] = await Promise.all([
    pageOfNotified(db, courseId, query, fitting, at),
    at.past === null ? null : tellAsOf(db, narrowed(query), at, courseId),
  ]);
  return { course, asOf, rows: await notifiedRows(deps, found, at, step, zone), total };
}

/** What share was told at each step: told and explained add up to who was asked. */
export async function coverageView(deps: Deps, courseId: string, query: NotifiedQuery): Promise<CoverageView> {
  const { at, fitting } = await scopeOf(deps.db, courseId, query, deps.clock.now());
  return coverage(
    deps.db,
    courseId,
    query,
    fitting,
    at,
    (await stepsOf(deps.db, courseId)).filter(({ on }) => on),
  );
}

const STATE_OF: Record<FinishedQuery['who'], ReportQuery['state']> = { all: 'all', finished: 'finished', late: 'late', open: 'not late', closed: 'waived' }; // prettier-ignore
export const reportQueryOf = ({ who, ...query }: FinishedQuery): ReportQuery => ({
  ...query,
  state: STATE_OF[who],
  sort: 'name',
  order: 'asc',
});

const because = (reason: unknown): string => (typeof reason === 'string' && reason !== '' ? `: ${reason}` : '');
/** In which way somebody finished, or why they did not. */
function tellHow(row: ReportRow, closing: ClosingRow | undefined): string {
  const data = closing?.data ?? {};
  switch (row.state) {
    case 'finished':
    case 'finished late':
      if (row.finishedOn !== null)
        return `${closing?.issuer ? `certificate of ${closing.issuer}, ` : ''}recorded by ${closing?.by_whom ?? 'somebody'}${because(data['reason'])}${closing?.proof ? `, with ${closing.proof}` : ''}`;
      return closing?.signed_by ? `signed off by ${closing.signed_by}` : 'in the course';
    case 'waived':
      return `waived by ${closing?.by_whom ?? 'Nudrik'}${typeof data['until'] === 'string' ? ` until ${tellDate(dayOf(data['until']))}` : ''}${because(data['reason'])}`;
    case 'withdrawn':
      return data['because'] === 'left' ? 'withdrawn: has left' : data['because'] === 'out' ? 'withdrawn: no requirement asks for it any more' : `withdrawn by ${closing?.by_whom ?? 'Nudrik'}${because(data['reason'])}`; // prettier-ignore
    default:
      return row.state === 'overdue'
        ? row.unitsDone > 0
          ? `late, ${row.unitsDone} of ${row.unitsRequired} units done`
          : 'late, not begun'
        : `${row.state}, due later`;
  }
}

/** Rows of who finished, from those of the report. @param zone in which a day after the due date begins */
export async function finishedRows(db: Queryable, list: readonly ReportRow[], at: At, zone: Zone): Promise<FinishedRow[]> {
  const closing = new Map((await listClosings(db, list.map(({ assignmentId }) => assignmentId), at)).map((row) => [row.id, row])); // prettier-ignore
  return list.map((row) => {
    const due = zone.dayAt(Date.parse(row.dueAt));
    const ended = row.finishedOn !== null ? dayOf(row.finishedOn) : row.finishedAt !== null ? zone.dayAt(Date.parse(row.finishedAt)) : zone.dayAt(at.past === null ? at.now : at.now - 1); // prettier-ignore
    const isLate = row.state === 'finished late' || row.state === 'overdue';
    return {
      assignmentId: row.assignmentId,
      person: { id: row.person.id, name: row.person.name },
      department: row.department,
      site: row.site,
      round: row.round,
      assignedAt: row.assignedAt,
      dueAt: row.dueAt,
      state: row.state,
      finishedAt: row.finishedAt,
      finishedOn: row.finishedOn,
      how: tellHow(row, closing.get(row.assignmentId)),
      lateDays: isLate ? Math.max(0, ended - due) : null,
      certificate: row.certificate,
    };
  });
}

/** Who finished a course, when and how; and of everybody else why not. */
export async function finishedView(deps: Deps, courseId: string, query: FinishedQuery): Promise<FinishedView> {
  const { db } = deps;
  const { at, zone, fitting } = await scopeOf(db, courseId, query, deps.clock.now());
  const [{ report, finishedLate }, lateNow] = await Promise.all([
    countedReport(db, courseId, reportQueryOf(query), deps.clock.now()),
    at.past === null ? countFinishedLate(db, fitting, at) : 0,
  ]);
  const { finished, late, inProgress, notStarted, waived } = report.counts;
  return {
    course: report.course,
    asOf: report.asOf,
    counts: {
      required: allAsked(report.counts),
      finished,
      finishedLate: finishedLate ?? lateNow,
      late,
      open: inProgress + notStarted,
      closed: waived,
    },
    rows: await finishedRows(db, report.rows, at, zone),
    total: report.total,
  };
}
