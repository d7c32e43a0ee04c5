import type { Answer, AttemptLine } from '@nudrik/contract';
import type { Drawn } from '@nudrik/core';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface AttemptRow {
  id: string;
  assignment_id: string;
  unit_id: string;
  number: number;
  drawn: Drawn[];
  pass: number;
  shows: 'score' | 'own' | 'right';
  answers: Record<string, Answer>;
  begun_at: Date;
  ends_at: Date | null;
  submitted_at: Date | null;
  is_cut_off: boolean;
  points: number | null;
  max: number | null;
  percent: number | null;
  is_passed: boolean | null;
  marks: Record<string, number>;
  marked_by: string | null;
  marked_words: string | null;
}
const COLUMNS = `
  q.id, q.assignment_id, q.unit_id, q.number, q.drawn, q.pass::double precision as pass, q.shows, q.answers, q.begun_at, q.ends_at, q.submitted_at,
  q.is_cut_off, q.points::double precision as points, q.max::double precision as max, q.percent::double precision as percent, q.is_passed, q.marks,
  q.marked_by, q.marked_words
`;

const LIST_ATTEMPTS = `
select ${COLUMNS}
from quiz_attempts q
where q.assignment_id = $1::bigint
  and q.unit_id = $2::bigint
order by q.number
`;
/** The attempts of one person at one quiz, the first first. */
export const listAttempts = (db: Queryable, assignmentId: string, unitId: string): Promise<AttemptRow[]> =>
  rows(db, LIST_ATTEMPTS, [assignmentId, unitId]);

const FIND_ATTEMPT = `select ${COLUMNS} from quiz_attempts q where q.id = $1::bigint`;
export const findAttempt = (db: Queryable, id: string): Promise<AttemptRow | null> => maybeRow(db, FIND_ATTEMPT, [id]);

const INSERT_ATTEMPT = `
insert into quiz_attempts (assignment_id, unit_id, number, drawn, pass, shows, begun_at, ends_at)
values ($1::bigint, $2::bigint, $3::integer, $4::jsonb, $5::numeric, $6::text, $7::timestamptz, $8::timestamptz)
`;
export const insertAttempt = (
  db: Client,
  attempt: {
    assignmentId: string;
    unitId: string;
    number: number;
    drawn: readonly Drawn[];
    pass: number;
    shows: string;
    begunAt: number;
    endsAt: number | null;
  },
): Promise<unknown> =>
  db.query(INSERT_ATTEMPT, [
    attempt.assignmentId,
    attempt.unitId,
    attempt.number,
    JSON.stringify(attempt.drawn),
    attempt.pass,
    attempt.shows,
    new Date(attempt.begunAt),
    attempt.endsAt === null ? null : new Date(attempt.endsAt),
  ]);

const KEEP_ANSWERS = `
update quiz_attempts
set answers = $2::jsonb
where id = $1::bigint
  and submitted_at is null
`;
export const keepAnswers = (db: Client, id: string, answers: Record<string, Answer>): Promise<unknown> =>
  db.query(KEEP_ANSWERS, [id, JSON.stringify(answers)]);

const SUBMIT = `
update quiz_attempts
set
  answers = $2::jsonb, submitted_at = $3::timestamptz, is_cut_off = $4::boolean, points = $5::numeric, max = $6::numeric, percent = $7::numeric,
  is_passed = $8::boolean
where id = $1::bigint
`;
export const submitAttempt = (
  db: Client,
  id: string,
  end: {
    answers: Record<string, Answer>;
    at: number;
    isCutOff: boolean;
    points: number;
    max: number;
    percent: number;
    isPassed: boolean | null;
  },
): Promise<unknown> =>
  db.query(SUBMIT, [id, JSON.stringify(end.answers), new Date(end.at), end.isCutOff, end.points, end.max, end.percent, end.isPassed]);

const MARK = `
update quiz_attempts
set
  marks = $2::jsonb, marked_at = $3::timestamptz, marked_by = $4::text, marked_words = $5::text, points = $6::numeric, percent = $7::numeric,
  is_passed = $8::boolean
where id = $1::bigint
`;
export const markAttempt = (
  db: Client,
  id: string,
  marked: {
    marks: Record<string, number>;
    at: number;
    byWhom: string;
    words: string;
    points: number;
    percent: number;
    isPassed: boolean | null;
  },
): Promise<unknown> =>
  db.query(MARK, [
    id,
    JSON.stringify(marked.marks),
    new Date(marked.at),
    marked.byWhom,
    marked.words,
    marked.points,
    marked.percent,
    marked.isPassed,
  ]);

const GET_EXTRA = 'select count from quiz_extras where assignment_id = $1::bigint and unit_id = $2::bigint';
export const getExtra = async (db: Queryable, assignmentId: string, unitId: string): Promise<number> =>
  (await maybeRow<{ count: number }>(db, GET_EXTRA, [assignmentId, unitId]))?.count ?? 0;

const GIVE_EXTRA = `
insert into quiz_extras (assignment_id, unit_id, count, by_whom, at)
values ($1::bigint, $2::bigint, 1, $3::text, $4::timestamptz)
on conflict (assignment_id, unit_id) do update
set count = quiz_extras.count + 1, by_whom = excluded.by_whom, at = excluded.at
`;
export const giveExtra = (db: Client, assignmentId: string, unitId: string, byWhom: string, at: number): Promise<unknown> =>
  db.query(GIVE_EXTRA, [assignmentId, unitId, byWhom, new Date(at)]);

const LIST_RUN_OUT = `
select id, assignment_id
from quiz_attempts
where submitted_at is null
  and ends_at <= $1::timestamptz
  and (aside_until is null or aside_until <= now())
order by ends_at
limit 200
`;
const PUT_ASIDE = "update quiz_attempts set aside_until = now() + interval '5 minutes' where id = $1::bigint";
export const putAttemptAside = (db: Queryable, id: string): Promise<unknown> => db.query(PUT_ASIDE, [id]);

/** Answers that are on their way when the time is over still count. */
export const GRACE_MS = 15_000;

/** Attempts whose time is over. */
export const listRunOut = (db: Queryable, now: number): Promise<{ id: string; assignment_id: string }[]> =>
  rows(db, LIST_RUN_OUT, [new Date(now - GRACE_MS)]);

const NEXT_END = 'select ends_at from quiz_attempts where submitted_at is null and ends_at is not null order by ends_at limit 1';
export const nextEndAt = async (db: Queryable): Promise<number | null> => {
  const next = await maybeRow<{ ends_at: Date }>(db, NEXT_END);
  return next && next.ends_at.getTime() + GRACE_MS;
};

export const lineOf = (row: AttemptRow): AttemptLine => ({
  id: row.id,
  number: row.number,
  submittedAt: row.submitted_at!.toISOString(),
  isPassed: row.is_passed,
  percent: row.percent!,
  isCutOff: row.is_cut_off,
});

const LIST_WAITING = `
select q.id, p.name as person, c.title as course, c.id as "courseId", u.title as unit, q.unit_id as "unitId", q.number, q.submitted_at as "submittedAt"
from quiz_attempts q
join assignments a on a.id = q.assignment_id
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
left join units u on u.id = q.unit_id
where q.submitted_at is not null
  and q.is_passed is null
order by q.submitted_at
limit 200
`;
export const listWaiting = (
  db: Queryable,
): Promise<
  { id: string; person: string; course: string; courseId: string; unit: string | null; unitId: string; number: number; submittedAt: Date }[]
> => rows(db, LIST_WAITING);

const LIST_OF_UNIT = `
select ${COLUMNS}, p.id as person_id, p.name as person
from quiz_attempts q
join assignments a on a.id = q.assignment_id
join people p on p.id = a.person_id
where q.unit_id = $1::bigint
  and a.course_id = $2::bigint
  and q.submitted_at is not null
order by q.is_passed is not null, q.submitted_at desc
limit $3::integer
`;
export const listOfUnit = (
  db: Queryable,
  unitId: string,
  courseId: string,
  limit: number,
): Promise<(AttemptRow & { person_id: string; person: string })[]> => rows(db, LIST_OF_UNIT, [unitId, courseId, limit]);

const COUNT_OF_UNIT = `
select count(*)::integer as total, count(*) filter (where q.is_passed is null)::integer as waiting
from quiz_attempts q
join assignments a on a.id = q.assignment_id
where q.unit_id = $1::bigint
  and a.course_id = $2::bigint
  and q.submitted_at is not null
`;
export const countOfUnit = (db: Queryable, unitId: string, courseId: string): Promise<{ total: number; waiting: number }> =>
  oneRow(db, COUNT_OF_UNIT, [unitId, courseId]);
