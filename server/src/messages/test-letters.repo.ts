import type { TestLettersQuery, TestLetterList, TestLetterRow, TestLetterView } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Queryable } from '../db/db.ts';

export interface TestLetter {
  at: number;
  byWhom: string;
  account: string;
  course: string;
  stepName: string;
  readAs: string;
  to: string;
  subject: string;
  html: string;
  text: string;
  outcome: string;
  answer: string;
}

const INSERT = `
insert into test_letters (
  sent_at, by_whom, account_id, course_id, step_name, read_as, to_address, subject, html, body, outcome, answer
)
values (
  $1::timestamptz, $2::text, $3::bigint, $4::bigint, $5::text, $6::text, $7::text, $8::text, $9::text, $10::text, $11::text, $12::text
)
`;

export const insertTestLetter = (db: Queryable, letter: TestLetter): Promise<unknown> =>
  db.query(INSERT, [
    new Date(letter.at),
    letter.byWhom,
    letter.account,
    letter.course,
    letter.stepName,
    letter.readAs,
    letter.to,
    letter.subject,
    letter.html,
    letter.text,
    letter.outcome,
    letter.answer,
  ]);

const COUNT = 'select count(*)::integer as count from test_letters where account_id = $1::bigint and sent_at > $2::timestamptz';

/** How many somebody has sent themselves since a moment. */
export const countTestLetters = async (db: Queryable, account: string, since: number): Promise<number> =>
  (await oneRow<{ count: number }>(db, COUNT, [account, new Date(since)])).count;

const PAGE = 60;
const COLUMNS = `
  t.id, t.sent_at as "sentAt", t.by_whom as by, json_build_object('id', c.id::text, 'title', c.title) as course, t.step_name as "stepName",
  t.read_as as "readAs", t.to_address as to, t.subject, t.outcome = 'accepted' as "isAccepted", t.answer
`;
const LIST = `
select ${COLUMNS}
from test_letters t
join courses c on c.id = t.course_id
where ($1::bigint is null or t.id < $1::bigint)
  and ($2::date is null or t.sent_at >= $2::date::timestamp at time zone (select house_zone from settings))
  and ($3::date is null or t.sent_at < ($3::date + 1)::timestamp at time zone (select house_zone from settings))
  and ($4::bigint is null or t.course_id = $4::bigint)
order by t.id desc
limit ${PAGE + 1}
`;
const FIND = `
select ${COLUMNS}, t.html, t.body as text
from test_letters t
join courses c on c.id = t.course_id
where t.id = $1::bigint
`;
type Found<T extends TestLetterRow> = Omit<T, 'sentAt'> & { sentAt: Date };
const told = <T extends TestLetterRow>(row: Found<T>): T => ({ ...row, sentAt: row.sentAt.toISOString() }) as unknown as T;

/** What somebody sent to themselves, the newest first. `after` is the last of the page before; days are the house's */
export async function listTestLetters(db: Queryable, { after, from, to, course }: TestLettersQuery): Promise<TestLetterList> {
  const found = await rows<Found<TestLetterRow>>(db, LIST, [after ?? null, from ?? null, to ?? from ?? null, course ?? null]);
  return { rows: found.slice(0, PAGE).map(told), hasMore: found.length > PAGE };
}

/** One of them as it was sent; null where there is none. */
export async function findTestLetter(db: Queryable, id: string): Promise<TestLetterView | null> {
  const row = await maybeRow<Found<TestLetterView>>(db, FIND, [id]);
  return row && told(row);
}

// people worth reading as, where nobody has the course yet: of each zone one, then others
const LIST_SAMPLE = `
select p.id
from people p
join sites s on s.id = p.site_id
where is_here(p.left_on, $1::date)
order by row_number() over (partition by s.zone order by p.id), p.id
limit 6
`;

/** A few people of the roster, of each zone first. */
export const listSample = async (db: Queryable, today: string): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_SAMPLE, [today])).map(({ id }) => id);
