import type { ReportLetter, ReportReader, Role, SentReportDraft } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

const LIST_DUE = `
select id, next_at
from sent_reports
where next_at <= $1::timestamptz
order by next_at, id
limit 20
`;
export const listDue = (db: Queryable, now: number): Promise<{ id: string; next_at: Date }[]> => rows(db, LIST_DUE, [new Date(now)]);

const NEXT = 'select min(next_at) as at from sent_reports where next_at is not null';
/** When the next one is due. */
export const nextReportAt = async (db: Queryable): Promise<number | null> =>
  (await oneRow<{ at: Date | null }>(db, NEXT)).at?.getTime() ?? null;

const COLUMNS = 'id, name, of, kind, every, on_day, at_time, is_on, next_at, version, made_by, changed_by, changed_at';
export interface SentReportRow {
  id: string;
  name: string;
  of: SentReportDraft['of'];
  kind: SentReportDraft['kind'];
  every: SentReportDraft['rhythm']['every'];
  on_day: number | null;
  at_time: string;
  is_on: boolean;
  next_at: Date | null;
  version: number;
  made_by: string;
  changed_by: string;
  changed_at: Date;
}
export const listSentReports = (db: Queryable): Promise<SentReportRow[]> =>
  rows(db, `select ${COLUMNS} from sent_reports order by lower(name)`);
export const findSentReport = (db: Queryable, id: string): Promise<SentReportRow | null> =>
  maybeRow(db, `select ${COLUMNS} from sent_reports where id = $1::bigint`, [id]);
export const lockSentReport = (db: Client, id: string): Promise<SentReportRow | null> =>
  maybeRow(db, `select ${COLUMNS} from sent_reports where id = $1::bigint for update`, [id]);

const INSERT = `
insert into sent_reports (name, of, kind, every, on_day, at_time, is_on, next_at, made_by, changed_by, changed_at)
values ($1::text, $2::jsonb, $3::text, $4::text, $5::integer, $6::text, $7::boolean, $8::timestamptz, $9::text, $9::text, $10::timestamptz)
returning id
`;
const UPDATE = `
update sent_reports
set name = $1::text, of = $2::jsonb, kind = $3::text, every = $4::text, on_day = $5::integer, at_time = $6::text, is_on = $7::boolean,
  next_at = $8::timestamptz, changed_by = $9::text, changed_at = $10::timestamptz, version = version + 1
where id = $11::bigint
`;
const valuesOf = ({ name, of, kind, rhythm, isOn }: SentReportDraft, nextAt: number | null, byWhom: string, now: number): unknown[] => [
  name, JSON.stringify(of), kind, rhythm.every, rhythm.on, rhythm.at, isOn, nextAt === null ? null : new Date(nextAt), byWhom, new Date(now),
]; // prettier-ignore
export const insertSentReport = async (db: Client, draft: SentReportDraft, nextAt: number | null, byWhom: string, now: number): Promise<string> => (await oneRow<{ id: string }>(db, INSERT, valuesOf(draft, nextAt, byWhom, now))).id; // prettier-ignore
export const updateSentReport = (db: Client, id: string, draft: SentReportDraft, nextAt: number | null, byWhom: string, now: number): Promise<unknown> => db.query(UPDATE, [...valuesOf(draft, nextAt, byWhom, now), id]); // prettier-ignore
export const setNext = (db: Client, id: string, nextAt: number | null): Promise<unknown> =>
  db.query('update sent_reports set next_at = $2::timestamptz where id = $1::bigint', [id, nextAt === null ? null : new Date(nextAt)]);
export const deleteSentReport = (db: Client, id: string): Promise<unknown> =>
  db.query('delete from sent_reports where id = $1::bigint', [id]);

const HAS_NAMESAKE =
  'select 1 as one from sent_reports where lower(name) = lower($1::text) and ($2::bigint is null or id <> $2::bigint) limit 1';
export const hasNamesake = async (db: Client, name: string, id: string | null): Promise<boolean> =>
  (await maybeRow(db, HAS_NAMESAKE, [name, id])) !== null;

const PUT_READERS = `
with gone as (
  delete from sent_report_readers where report_id = $1::bigint and account_id <> all($2::bigint[])
)
insert into sent_report_readers (report_id, account_id)
select $1::bigint, unnest($2::bigint[])
on conflict do nothing
`;
export const putReaders = (db: Client, id: string, accounts: readonly string[]): Promise<unknown> => db.query(PUT_READERS, [id, accounts]);

/** An account as somebody who gets reports: who they are on the roster, and whether they may still enter. */
export interface ReaderRow {
  report_id: string;
  id: string;
  name: string;
  email: string;
  role: Role;
  person_id: string | null;
  is_here: boolean;
}
const READER = `
a.id, a.name, a.email, a.role, a.person_id, a.ended_at is null and (p.id is null or is_here(p.left_on, $1::date)) as is_here
from accounts a
left join people p on p.id = a.person_id
`;
const LIST_READERS_OF = `
select r.report_id, ${READER}
join sent_report_readers r on r.account_id = a.id
where $2::bigint is null or r.report_id = $2::bigint
order by lower(a.name), a.id
`;
/** @param report of one; null is of all */
export const listReadersOf = (db: Queryable, today: string, report: string | null): Promise<ReaderRow[]> => rows(db, LIST_READERS_OF, [today, report]); // prettier-ignore
const LIST_READERS = `
select '0' as report_id, ${READER}
where a.role in ('administrator', 'trainer', 'auditor') or a.role = 'manager' and a.person_id is not null
order by lower(a.name), a.id
limit 1000
`;
export const listReaders = async (db: Queryable, today: string): Promise<ReportReader[]> =>
  (await rows<ReaderRow>(db, LIST_READERS, [today])).filter(({ is_here }) => is_here).map(({ id, name, role }) => ({ id, name, role }));

const INSERT_LETTER = `
insert into report_letters (report_id, report_name, due_at, made_at, account_id, to_name, to_address, what, because, file_id, file_name, is_linked, outbox_id)
values ($1::bigint, $2::text, $3::timestamptz, $4::timestamptz, $5::bigint, $6::text, $7::text, $8::text, $9::text, $10::bigint, $11::text, $12::boolean,
  $13::bigint)
on conflict (report_id, due_at, account_id) do nothing
returning id
`;
const SET_OUTBOX = 'update report_letters set outbox_id = $2::bigint where id = $1::bigint';
export const setOutbox = (db: Client, id: string, outbox: string): Promise<unknown> => db.query(SET_OUTBOX, [id, outbox]);
export interface NewLetter {
  report: Pick<SentReportRow, 'id' | 'name'>;
  dueAt: number;
  madeAt: number;
  reader: Pick<ReaderRow, 'id' | 'name' | 'email'>;
  what: string;
  because: string | null;
  fileId: string | null;
  fileName: string | null;
  isLinked: boolean;
  outbox: string | null;
}
/** @returns its id; null where it was there already */
export const insertLetter = async (db: Client, letter: NewLetter): Promise<string | null> =>
  (await maybeRow<{ id: string }>(db, INSERT_LETTER, [letter.report.id, letter.report.name, new Date(letter.dueAt), new Date(letter.madeAt), letter.reader.id, letter.reader.name, letter.reader.email, letter.what, letter.because, letter.fileId, letter.fileName, letter.isLinked, letter.outbox]))?.id ?? null; // prettier-ignore

const LETTERS = `
select l.id, l.report_name as report, l.made_at as at, l.to_name as to, l.to_address as address, l.what,
  case when l.because is not null then 'skipped' else coalesce(o.state, 'sent') end as state, coalesce(l.because, o.words) as words, l.file_name as file,
  case when l.is_linked and l.file_id is not null then '/api/reports/letters/' || l.id || '/file' end as href, l.report_id
from report_letters l
left join outbox o on o.id = l.outbox_id
`;
const LIST_LETTERS = `
${LETTERS}
where ($1::bigint is null or l.report_id = $1::bigint)
  and ($2::bigint is null or l.id < $2::bigint)
order by l.id desc
limit 101
`;
export const listLetters = async (db: Queryable, report: string | null, before: string | null): Promise<ReportLetter[]> =>
  (await rows<ReportLetter & { report_id: unknown }>(db, LIST_LETTERS, [report, before])).map(({ report_id: _, ...letter }) => letter);

const LIST_LAST = `
with newest as (select report_id, max(due_at) as due_at from report_letters where report_id is not null group by report_id)
select distinct on (l.report_id) l.*
from newest w
join report_letters k on k.report_id = w.report_id and k.due_at = w.due_at
join (${LETTERS}) l on l.id = k.id
order by l.report_id, l.state in ('failed', 'skipped') desc, l.id desc
`;
/** Of each report what became of it the last time: where something went wrong with one letter, that. */
export const listLast = async (db: Queryable): Promise<Map<string, ReportLetter>> =>
  new Map((await rows<ReportLetter & { report_id: string }>(db, LIST_LAST)).map(({ report_id, ...letter }) => [report_id, letter]));

const FIND_LETTER =
  'select account_id, report_name, made_at, what, file_id, file_name, is_linked from report_letters where id = $1::bigint';
export const findLetter = (db: Queryable, id: string): Promise<LetterRow | null> => maybeRow(db, FIND_LETTER, [id]);
export interface LetterRow {
  account_id: string | null;
  report_name: string;
  made_at: Date;
  what: string;
  file_id: string | null;
  file_name: string | null;
  is_linked: boolean;
}

// files that went, after a month
const FORGET = `
delete from files
where purpose = 'report'
  and id in (select file_id from report_letters where made_at < $1::timestamptz - interval '30 days')
`;
export const forgetReportFiles = (db: Queryable, now: number): Promise<unknown> => db.query(FORGET, [new Date(now)]);
