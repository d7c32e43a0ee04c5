import { statesOf, type NoticeGroups, type NoticeRow, type NoticesPage, type NoticesQuery, type NoticeState } from '@nudrik/contract';
import { containing, rows, type Queryable } from '../db/db.ts';
import { NOTICE_COLUMNS, NOTICE_TABLES, rowOf, type NoticeDbRow } from './ledger.rows.ts';
import type { Work } from '../work/jobs.ts';
import { inDepartment } from '../structure/below.sql.ts';
import { isMissingAhead, LACKS } from './lacks.sql.ts';

/** What is counted where no kept figure answers: more than these are "many". */
const COUNTED = 10_000;
/** People that are looked for by their ids; of more than these nearly every page of the ledger has some. */
const FEW = 500;

/** Conditions on notices n (and p, c where `joins` says so), with the values that they name. */
class Filter {
  readonly values: unknown[] = [];
  readonly where: string[] = [];
  joins = '';
  /** what was looked for does not exist, so nothing fits */
  isNothing = false;

  /** The number of a value. */
  put(value: unknown): string {
    this.values.push(value);
    return `$${this.values.length}`;
  }
  add(clause: (n: string) => string, value: unknown): void {
    this.where.push(clause(this.put(value)));
  }
  sql(...more: string[]): string {
    const all = [...this.where, ...more];
    return all.length ? `where ${all.join(' and ')}` : '';
  }
}

const FIND_COURSES = 'select id from courses where title ilike $1::text';
const FIND_STEPS = 'select distinct step_name as name from notices_of_all_days where step_name ilike $1::text';
const FIND_PEOPLE = 'select id from people where find_text ilike $1::text and name ilike $1::text limit $2::integer';
const FIND_OTHERS = `
select distinct recipient_name as name
from notices
where recipient_id is null
  and recipient_name ilike $1::text
limit 100
`;

/** Narrows to what is looked for: first which courses, steps and people are called that, then their notices. */
async function find(db: Queryable, filter: Filter, text: string): Promise<void> {
  const like = containing(text);
  const courses = (await rows<{ id: string }>(db, FIND_COURSES, [like])).map(({ id }) => id);
  const steps = (await rows<{ name: string }>(db, FIND_STEPS, [like])).map(({ name }) => name);
  const people = (await rows<{ id: string }>(db, FIND_PEOPLE, [like, FEW + 1])).map(({ id }) => id);
  const others = (await rows<{ name: string }>(db, FIND_OTHERS, [like])).map(({ name }) => name);
  const any: string[] = [];
  if (courses.length > 0) any.push(`n.course_id = any(${filter.put(courses)}::bigint[])`);
  if (steps.length > 0) any.push(`n.step_name = any(${filter.put(steps)}::text[])`);
  if (others.length > 0) any.push(`n.recipient_id is null and n.recipient_name = any(${filter.put(others)}::text[])`);
  if (people.length > FEW) {
    const n = filter.put(like);
    filter.joins ||= 'join people p on p.id = n.person_id';
    any.push(`p.name ilike ${n}::text`, `n.recipient_name ilike ${n}::text`);
  } else if (people.length > 0) {
    const n = filter.put(people);
    any.push(`n.person_id = any(${n}::bigint[])`, `n.recipient_id = any(${n}::bigint[])`);
  }
  if (any.length === 0) filter.isNothing = true;
  else filter.where.push(`(${any.join(' or ')})`);
}

/** What notices and kept counts have in common: days, course, step, what holds. */
function narrow(filter: Filter, table: 'n' | 'f', { from, to, course, step, held }: NoticesQuery): void {
  if (from) filter.add((n) => `${table}.on_day >= ${n}::date`, from);
  if (to) filter.add((n) => `${table}.on_day <= ${n}::date`, to);
  if (course) filter.add((n) => `${table}.course_id = ${n}::bigint`, course);
  if (step) filter.add((n) => `${table}.step_name = ${n}::text`, step);
  if (held) filter.add((n) => `${table}.held_because = ${n}::text`, held);
}

async function filterOf(db: Queryable, query: NoticesQuery, now: number, today: string): Promise<Filter> {
  const filter = new Filter();
  narrow(filter, 'n', query);
  if (query.person) filter.add((n) => `(n.person_id = ${n}::bigint or n.recipient_id = ${n}::bigint)`, query.person);
  if (query.when) {
    const isPast = query.when === 'past';
    filter.add((n) => `n.on_day ${isPast ? '<=' : '>='} ${n}::date`, today);
    filter.add((n) => `n.at ${isPast ? '<=' : '>'} ${n}::timestamptz`, new Date(now));
  }
  const lacks = query.lacks === undefined ? undefined : LACKS[query.lacks];
  if (lacks) {
    filter.joins = 'join people p on p.id = n.person_id join courses c on c.id = n.course_id';
    const day = filter.put(today);
    filter.add((n) => isMissingAhead(lacks, day, n), query.lacks);
  }
  if (query.because) filter.add((n) => `n.because = ${n}::text`, query.because);
  if (query.kind) filter.add((n) => `n.kind = ${n}::text`, query.kind);
  if (query.by) filter.where.push(`n.step_id ${query.by === 'hand' ? '' : 'not '}like 'hand-%'`);
  if (query.sender) filter.add((n) => `n.message_id in (select m.id from messages m where m.from_name = ${n}::text)`, query.sender);
  if (query.department) filter.add((n) => `n.person_id in (${inDepartment(n)})`, query.department);
  if (query.find) await find(db, filter, query.find);
  return filter;
}

/** Whether kept counts know of everything that is asked. */
const hasKeptCounts = ({ person, lacks, find: text, because, kind, department, by, sender }: NoticesQuery): boolean =>
  ![person, lacks, text, because, kind, department, by, sender].some((value) => value !== undefined);

type Summary = Partial<Record<NoticeState, number>>;

/** Notices of each outcome, from kept figures: whole days by their counts, and of the day that a moment cuts what lies on its side. */
async function keptSummary(db: Queryable, query: NoticesQuery, now: number, today: string): Promise<Summary> {
  const filter = new Filter();
  narrow(filter, 'f', query);
  const byDay = query.from ?? query.to ?? query.when;
  const counted = (from: string, count: string, ...more: string[]): string =>
    `select f.state, ${count}::integer as count from ${from} f ${filter.sql(...more)} group by f.state`;
  if (!byDay) return summed(await rows(db, counted('notices_of_all_days', 'sum(f.count)'), filter.values));
  if (!query.when) return summed(await rows(db, counted('notices_of_days', 'sum(f.count)'), filter.values));
  const isPast = query.when === 'past';
  // what is up to now is everything but what is to come, and the days to come are few
  const ahead = counted('notices_of_days', 'sum(f.count)', `f.on_day > ${filter.put(today)}::date`);
  const day = `$${filter.values.length}`;
  const cut = counted('notices', 'count(*)', `f.on_day = ${day}::date`, `f.at > ${filter.put(new Date(now))}::timestamptz`);
  const toCome = summed(await rows(db, `${ahead} union all ${cut}`, filter.values));
  if (!isPast) return toCome;
  const all = await keptSummary(db, { ...query, when: undefined }, now, today);
  return Object.fromEntries(
    Object.entries(all)
      .map(([state, count]) => [state, count - (toCome[state as NoticeState] ?? 0)] as const)
      .filter(([, count]) => count > 0),
  );
}

function summed(list: readonly { state: NoticeState; count: number }[]): Summary {
  const sums: Summary = {};
  for (const { state, count } of list) sums[state] = (sums[state] ?? 0) + count;
  return Object.fromEntries(Object.entries(sums).filter(([, count]) => count !== 0));
}

/** Notices of each outcome, counted one by one; null where there are many. */
async function countedSummary(db: Queryable, filter: Filter): Promise<Summary | null> {
  const found = await rows<{ state: NoticeState; count: number }>(
    db,
    `select state, count(*)::integer as count from (select n.state from notices n ${filter.joins} ${filter.sql()} limit ${COUNTED + 1}) f group by state`,
    filter.values,
  );
  return found.reduce((sum, { count }) => sum + count, 0) > COUNTED ? null : summed(found);
}

/** Where a page begins: after, or before, the notice with this day, moment and id; `place` is how many come before it. */
interface Cursor {
  isBack: boolean;
  day: string;
  at: Date;
  id: string;
  place: number;
}

const SHAPE = /^([<>])(\d{4}-\d\d-\d\d)~(-?\d{1,15})~(\d{1,18})~(\d{1,9})$/;

/** A cursor from its text; what is none begins at the beginning. */
function cursorOf(text: string | undefined): Cursor | null {
  const parts = SHAPE.exec(text ?? '');
  if (!parts) return null;
  return { isBack: parts[1] === '<', day: parts[2]!, at: new Date(Number(parts[3])), id: parts[4]!, place: Number(parts[5]) };
}

type Placed = Pick<NoticeDbRow, 'id' | 'at'> & { on_day: string };

const cursorText = (sign: '<' | '>', { on_day, at, id }: Placed, place: number): string =>
  `${sign}${on_day}~${at.getTime()}~${id}~${place}`;

/**
 * The days on which the rows of a page are, from kept counts: what is rare is not looked for on every day.
 * @param cut a day of which only a part may fit
 */
async function daysOfPage(
  db: Queryable,
  query: NoticesQuery,
  states: readonly NoticeState[] | null,
  cursor: Cursor | null,
  isUp: boolean,
  cut: string | null,
): Promise<string[]> {
  const filter = new Filter();
  narrow(filter, 'f', query);
  if (cut) filter.add((n) => `f.on_day ${query.when === 'past' ? '<=' : '>='} ${n}::date`, cut);
  if (states) filter.add((n) => `f.state = any(${n}::text[])`, states);
  if (cursor) filter.add((n) => `f.on_day ${isUp ? '>=' : '<='} ${n}::date`, cursor.day);
  const found = await rows<{ day: string; count: number }>(
    db,
    `select f.on_day as day, sum(f.count)::integer as count from notices_of_days f ${filter.sql()}
     group by f.on_day having sum(f.count) > 0 order by f.on_day ${isUp ? '' : 'desc'} limit ${query.size + 3}`,
    filter.values,
  );
  const days: string[] = [];
  let sure = 0;
  for (const { day, count } of found) {
    days.push(day);
    // of the days that the cursor and the present moment cut nobody knows how much is left
    if (day !== cursor?.day && day !== cut) sure += count;
    if (sure > query.size) break;
  }
  return days;
}

/**
 * A page of the ledger in the order of moments, how many there are of each outcome, and where the pages beside it begin.
 * @param isCounted false for whoever reads on and on, and counts nothing
 */
export async function listNotices(db: Queryable, query: NoticesQuery, now: number, today: string, isCounted = true): Promise<NoticesPage> {
  const filter = await filterOf(db, query, now, today);
  const nothing: NoticesPage = { rows: [], total: 0, summary: {}, place: 0, back: null, further: null };
  if (filter.isNothing) return nothing;
  const isKept = hasKeptCounts(query);
  const isDense = filter.joins !== '' && !query.lacks;
  const summary = !isCounted ? null : isKept ? await keptSummary(db, query, now, today) : isDense ? null : await countedSummary(db, filter);
  const wanted = query.outcome === undefined ? null : statesOf(query.outcome);
  const total =
    summary &&
    Object.entries(summary).reduce((sum, [state, count]) => sum + (!wanted || wanted.includes(state as NoticeState) ? count : 0), 0);
  if (total === 0) return { ...nothing, summary: summary! };

  const cursor = cursorOf(query.cursor);
  // upcoming days run forward, everything else begins with the newest
  const isForward = Boolean(query.from ?? query.person) || query.when === 'ahead';
  const isUp = isForward !== (cursor?.isBack ?? false);
  const order = isUp ? 'on_day, at, id' : 'on_day desc, at desc, id desc';
  const keys: string[] = [];
  if (cursor)
    keys.push(
      `(n.on_day, n.at, n.id) ${isUp ? '>' : '<'} (${filter.put(cursor.day)}::date, ${filter.put(cursor.at)}::timestamptz, ${filter.put(cursor.id)}::bigint)`,
    );
  if (isKept && (wanted || query.step || query.held)) {
    const days = await daysOfPage(db, query, wanted, cursor, isUp, query.when ? today : null);
    filter.add((n) => `n.on_day = any(${n}::date[])`, days);
  }
  const limit = `limit ${query.size + 1}`;
  // each outcome is walked in its own order
  const walks = (wanted ?? [null]).map((state) => {
    const where = filter.sql(...keys, ...(state === null ? [] : [`n.state = ${filter.put(state)}::text`]));
    return `(select n.id, n.on_day, n.at from notices n ${filter.joins} ${where} order by n.${order.replaceAll(', ', ', n.')} ${limit})`;
  });
  const found = await rows<NoticeDbRow & { on_day: string }>(
    db,
    `select ${NOTICE_COLUMNS}, n.on_day ${NOTICE_TABLES} ` +
      `where n.id in (select id from (${walks.join(' union all ')}) walk order by ${order} ${limit}) order by n.${order.replaceAll(', ', ', n.')}`,
    filter.values,
  );
  const page = found.slice(0, query.size);
  if (cursor?.isBack) page.reverse();
  const isMore = found.length > query.size;
  const first = page[0];
  const last = page.at(-1);
  const place = !cursor ? 0 : cursor.isBack ? (isMore ? Math.max(0, cursor.place - page.length) : 0) : cursor.place;
  const hasBefore = cursor?.isBack ? isMore : cursor !== null;
  const hasAfter = cursor?.isBack ? true : isMore;
  return {
    rows: page.map((row) => rowOf(row, now)),
    total,
    summary,
    place,
    back: first && hasBefore ? cursorText('<', first, place) : null,
    further: last && hasAfter ? cursorText('>', last, place + page.length) : null,
  };
}

/** Of more than these only the newest are put into groups. */
const GROUPED = 100_000;

/** What fits a filter, by outcome, reason and step, the most first. */
export async function groupNotices(db: Queryable, query: NoticesQuery, now: number, today: string): Promise<NoticeGroups> {
  const filter = await filterOf(db, query, now, today);
  if (filter.isNothing) return { groups: [], newest: null };
  if (query.outcome) filter.add((n) => `n.state = any(${n}::text[])`, statesOf(query.outcome));
  const groups = await rows<{ state: NoticeState; because: string | null; stepName: string; count: number }>(
    db,
    `select state, because, step_name as "stepName", count(*)::integer as count
     from (
       select n.state, coalesce(n.because, case when n.state = 'held' then n.held_because end) as because, n.step_name
       from notices n ${filter.joins} ${filter.sql()}
       order by n.on_day desc, n.at desc, n.id desc
       limit ${GROUPED + 1}
     ) f
     group by 1, 2, 3
     order by count(*) desc, 1, 2, 3
     limit 200`,
    filter.values,
  );
  const looked = groups.reduce((sum, { count }) => sum + count, 0);
  return { groups, newest: looked > GROUPED ? GROUPED : null };
}

const PART = 1_000;

/** Everything that fits a filter, in the order of the page, a part after the other: a million at constant memory. */
export async function* partsOfLedger(
  db: Queryable,
  query: Omit<NoticesQuery, 'size' | 'cursor'>,
  now: number,
  today: string,
  work: Work,
): AsyncGenerator<NoticeRow[]> {
  let cursor: string | undefined;
  for (let read = 0; ;) {
    await work.at(read, read + PART);
    const page = await listNotices(db, { ...query, size: PART, cursor }, now, today, false);
    if (page.rows.length > 0) yield page.rows;
    read += page.rows.length;
    if (page.further === null) return;
    cursor = page.further;
  }
}
