import { maybeRow, rows, type Client, type Queryable } from '../db/db.ts';

const INSERT = `
insert into waiver_requests (assignment_id, asked_at, asked_by, person_id, reason)
select id, $2::timestamptz, $3::text, $4::bigint, $5::text
from unnest($1::bigint[]) as id
on conflict (assignment_id) where answered_at is null do nothing
returning id
`;
/** Asks for waivers; of what is asked for already there is none more. @returns how many were asked for */
export const insertWaivers = async (
  db: Client,
  {
    assignments,
    at,
    byWhom,
    person,
    reason,
  }: { assignments: readonly string[]; at: number; byWhom: string; person: string | null; reason: string },
): Promise<number> => (await rows(db, INSERT, [assignments, new Date(at), byWhom, person, reason])).length;

const LIST = `
select w.id, w.assignment_id, p.id as person_id, p.name as person, c.id as course_id, c.title, a.due_at, w.reason, w.asked_at, w.asked_by,
  w.answered_at, w.answered_by, w.is_waived, w.answer
from waiver_requests w
join assignments a on a.id = w.assignment_id
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
where (w.answered_at is null and a.closed_by is null) or w.answered_at is not null
order by w.answered_at desc nulls first, w.asked_at
limit 300
`;
export interface WaiverRow {
  id: string;
  assignment_id: string;
  person_id: string;
  person: string;
  course_id: string;
  title: string;
  due_at: Date;
  reason: string;
  asked_at: Date;
  asked_by: string;
  answered_at: Date | null;
  answered_by: string | null;
  is_waived: boolean | null;
  answer: string | null;
}
/** What was asked for: what waits for an answer first, then what was answered, the newest first. */
export const listWaiverRows = (db: Queryable): Promise<WaiverRow[]> => rows(db, LIST);

const LOCK = 'select assignment_id, reason, asked_by, answered_at, answered_by from waiver_requests where id = $1::bigint for update';
export const lockWaiver = (
  db: Client,
  id: string,
): Promise<Pick<WaiverRow, 'assignment_id' | 'reason' | 'asked_by' | 'answered_at' | 'answered_by'> | null> => maybeRow(db, LOCK, [id]);

const ANSWER = `
update waiver_requests
set answered_at = $2::timestamptz, answered_by = $3::text, is_waived = $4::boolean, answer = $5::text
where id = $1::bigint
`;
export const answerWaiverRow = (
  db: Client,
  id: string,
  answer: { at: number; byWhom: string; isWaived: boolean; words: string | null },
): Promise<unknown> => db.query(ANSWER, [id, new Date(answer.at), answer.byWhom, answer.isWaived, answer.words]);
