import type { FigureCell, FigureLink, FigureName, FigureQuery, FigureView } from '@nudrik/contract';
import { dateOf, dayOf, tellDate, tellDaySpan, Zone } from '@nudrik/core';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { atOf } from './as-of.ts';
import { overTime } from './course-report.ts';
import {
  LATE_BANDS,
  listAgeing,
  listDurations,
  listFollowed,
  listMail,
  listManagers,
  TOOK_BANDS,
  type CourseCounts,
  type Span,
} from './figures.repo.ts';
import { paramsOf } from './params.ts';

const cell = (value: number | null, link: FigureLink | null = null): FigureCell => ({ value, link: value ? link : null });
const leads = (path: string[], query: Record<string, string> = {}): FigureLink => ({ path, query });
const percent = (part: number, whole: number): number | null => (whole === 0 ? null : Math.round((1000 * part) / whole) / 10);
const tenth = (value: number | null | undefined): number | null => (value == null ? null : Math.round(value * 10) / 10);

/** The period: the last 26 weeks where none is chosen. A day that has not come is as good as today. */
const WEEKS = 26;

export async function figureView(deps: Deps, name: FigureName, query: FigureQuery): Promise<FigureView> {
  const house = await getHouse(deps.db);
  const zone = Zone.of(house.zone);
  const now = deps.clock.now();
  const today = dateOf(zone.dayAt(now));
  const to = query.to && query.to < today ? query.to : today;
  const from = query.from ?? dateOf(dayOf(to) - 7 * WEEKS + 1);
  if (from > to) throw new Refused('wrong-input', `The period begins on ${tellDate(dayOf(from))} and ends on ${tellDate(dayOf(to))}; expected a beginning that is not after its end.`); // prettier-ignore
  const day = atOf({ on: to, known: 'now' }, now, zone);
  // what happens this very moment is within the period
  const at = day.past === null ? { ...day, now: now + 1 } : day;
  const span: Span = { at, from: new Date(zone.toInstant(dayOf(from), 0)) };
  const { db } = deps;
  const narrowed = paramsOf({ department: query.department, site: query.site, ...(at.past === null ? {} : { on: to, known: 'now' }) });
  const head = { name, from, to };
  const toCourse = ({ id }: Pick<CourseCounts, 'id'>, more: Record<string, string>): FigureLink => ({ path: ['/matrix', id, 'finished'], query: { ...narrowed, ...more } }); // prettier-ignore
  const ofDay = (day: string): Record<string, string> => (day === today ? {} : { on: day, known: 'now' });
  switch (name) {
    case 'weeks': {
      const { points } = await overTime(db, query.course ?? null, now);
      return {
        ...head,
        rowsAre: 'Week that ended',
        columns: ['finished', 'in progress', 'not started', 'late'].map((words) => ({ head: words, unit: 'assignments' as const })),
        rows: points
          .filter(({ day }) => day >= from && day <= to)
          .map(({ day, finished, started, waiting, late }) => ({
            label: tellDate(dayOf(day)),
            link: query.course ? leads(['/matrix', query.course, 'finished'], ofDay(day)) : leads(['/matrix'], { by: 'course', ...ofDay(day) }),
            cells: [finished, started, waiting, late].map((value) => cell(value)),
          })),
        chart: { kind: 'lines', columns: [0, 1, 2, 3] },
      }; // prettier-ignore
    }
    case 'ageing': {
      const found = await listAgeing(db, query, span);
      return {
        ...head,
        rowsAre: 'Course',
        columns: [...LATE_BANDS.map((each) => ({ head: tellDaySpan(each), unit: 'assignments' as const })), { head: 'all', unit: 'assignments' as const }],
        rows: found.map((row) => ({
          label: row.title,
          link: toCourse(row, { who: 'late' }),
          cells: [...row.counts, row.counts.reduce((sum, count) => sum + count, 0)].map((value, i) => cell(value, toCourse(row, { who: 'late', days: i < LATE_BANDS.length ? `${LATE_BANDS[i]![0]}-${LATE_BANDS[i]![1] ?? ''}` : '0-' }))),
        })),
        chart: { kind: 'stacked', columns: [0, 1, 2, 3] },
      }; // prettier-ignore
    }
    case 'duration': {
      const found = await listDurations(db, query, span);
      return {
        ...head,
        rowsAre: 'Course',
        columns: [
          ...TOOK_BANDS.map((each) => ({ head: tellDaySpan(each), unit: 'assignments' as const })),
          { head: 'median', unit: 'days' as const },
          { head: 'nine of ten', unit: 'days' as const },
        ],
        rows: found.map((row) => ({
          label: row.title,
          link: toCourse(row, { who: 'finished', since: from }),
          cells: [...row.counts.map((value, i) => cell(value, toCourse(row, { who: 'finished', days: `${TOOK_BANDS[i]![0]}-${TOOK_BANDS[i]![1] ?? ''}`, since: from }))), cell(tenth(row.parts[0])), cell(tenth(row.parts[1]))],
        })),
        chart: { kind: 'stacked', columns: TOOK_BANDS.map((_, i) => i) },
      }; // prettier-ignore
    }
    case 'after': {
      const found = await listFollowed(db, query, span);
      const steps = found.filter(({ id }) => id !== null).sort((a, b) => b.sent - a.sent);
      const all = found.find(({ id }) => id === null)?.finished ?? 0;
      const none = all - steps.reduce((sum, { finished }) => sum + finished, 0);
      return {
        ...head,
        rowsAre: 'Last notice before finishing',
        columns: [
          { head: 'went', unit: 'notices' },
          { head: `finished within ${query.days} days`, unit: 'assignments' },
          { head: 'of those that went', unit: 'percent' },
          { head: 'of all that finished', unit: 'percent' },
        ],
        rows: [
          ...steps.map(({ id, name: step, sent, finished }) => ({
            label: step!,
            link: query.course ? leads(['/matrix', query.course, 'notified'], { step: id!, who: 'told' }) : leads(['/ledger'], { step: step! }),
            cells: [cell(sent), cell(finished), cell(percent(finished, sent)), cell(percent(finished, all))],
          })),
          { label: `no notice in the ${query.days} days before`, link: null, cells: [cell(null), cell(Math.max(0, none)), cell(null), cell(percent(Math.max(0, none), all))] },
        ],
        chart: { kind: 'bars', columns: [2] },
      }; // prettier-ignore
    }
    case 'managers': {
      const found = await listManagers(db, query, span);
      return {
        ...head,
        rowsAre: 'Manager',
        columns: [
          { head: 'late now', unit: 'assignments' },
          { head: 'people late', unit: 'people' },
          { head: 'told of', unit: 'assignments' },
          { head: 'answered', unit: 'assignments' },
          { head: 'finished since', unit: 'assignments' },
          { head: 'median until an answer', unit: 'hours' },
        ],
        rows: found.map((row) => {
          const late = leads(['/matrix'], { ...narrowed, ...(query.course ? { course: query.course } : {}), manager: row.id, state: 'late' });
          return {
            label: row.name,
            link: { path: ['/people', row.id], query: {} },
            cells: [cell(row.late, late), cell(row.people, late), cell(row.told), cell(row.answered), cell(row.finished), cell(tenth(row.hours))],
          };
        }),
        chart: { kind: 'bars', columns: [0, 2, 3] },
      }; // prettier-ignore
    }
    case 'mail': {
      const found = await listMail(db, from, to, query.course ?? null, house.zone);
      return {
        ...head,
        rowsAre: 'Week from',
        columns: [
          { head: 'went', unit: 'notices' },
          { head: 'came back', unit: 'notices' },
          { head: 'of those that went', unit: 'percent' },
          { head: 'written back', unit: 'replies' },
        ],
        rows: found.map(({ week, sent, bounced, replies }) => {
          const days = { from: week < from ? from : week, to: dateOf(Math.min(dayOf(week) + 6, dayOf(to))), ...(query.course ? { course: query.course } : {}) };
          return {
            label: tellDate(dayOf(week)),
            link: leads(['/ledger'], days),
            cells: [cell(sent, leads(['/ledger'], { ...days, outcome: 'went' })), cell(bounced, leads(['/ledger'], { ...days, outcome: 'bounced' })), cell(percent(bounced, sent)), cell(replies, { path: ['/replies'], query: {} })],
          };
        }),
        chart: { kind: 'lines', columns: [1, 3] },
      }; // prettier-ignore
    }
  }
}
