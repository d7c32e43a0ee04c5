import type { ErasedCount } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

const FIND = `
select p.id, p.name, p.email, p.personnel_number as number, p.chat_name, p.left_on, p.erased_at, s.house_id
from people p
cross join settings s
where p.id = $1::bigint
`;
export interface Erasable {
  id: string;
  name: string;
  email: string;
  number: string | null;
  chat_name: string | null;
  left_on: string | null;
  erased_at: Date | null;
  house_id: string;
}
export const findErasable = (db: Queryable, id: string): Promise<Erasable | null> => maybeRow(db, FIND, [id]);
export const lockErasable = (client: Client, id: string): Promise<Erasable | null> => maybeRow(client, `${FIND} for update of p`, [id]);

// by which a roster would bring them again: as they are called now, and as they ever were
const LIST_NAMED = `
select distinct field, value
from (
  select c.value ->> 'field' as field, v.value
  from person_changes h
  cross join lateral jsonb_array_elements(h.changes) as c (value)
  cross join lateral (values (c.value ->> 'from'), (c.value ->> 'to')) as v (value)
  where h.person_id = $1::bigint
) all_changes
where value is not null
  and field in ('email', 'personnelNumber', 'name', 'chatName')
union
select v.field, v.value
from accounts a
cross join lateral (values ('name', a.name), ('email', a.email)) as v (field, value)
where a.person_id = $1::bigint
  or a.email = (select email from people where id = $1::bigint)
`;
/** What they were ever called, by which field. */
export const listNamed = (
  db: Queryable,
  id: string,
): Promise<{ field: 'email' | 'personnelNumber' | 'name' | 'chatName'; value: string }[]> => rows(db, LIST_NAMED, [id]);

const LIST_TIES = `
select 'owns' as tie, c.title as words from courses c where c.owner_id = $1::bigint and c.state <> 'retired'
union all
select 'leads', p.name from people p where p.manager_id = $1::bigint and is_here(p.left_on, $2::date)
union all
select 'holds', t.title from training_sessions t where t.trainer_id = $1::bigint and t.cancelled_at is null and t.ends_at > $3::timestamptz
union all
select 'covers', p.name from leaves l join people p on p.id = l.person_id where l.cover_id = $1::bigint and (l.to_on is null or l.to_on >= $2::date)
order by 1, 2
`;
/** What others hang on that is theirs. */
export const listTies = (
  db: Queryable,
  id: string,
  today: string,
  now: Date,
): Promise<{ tie: 'owns' | 'leads' | 'holds' | 'covers'; words: string }[]> => rows(db, LIST_TIES, [id, today, now]);

const NAMESAKE = `
select exists (
  select from people p where p.name ~* $2::text and p.id <> $1::bigint
) or exists (
  select
  from accounts a
  where a.name ~* $2::text
    and a.person_id is distinct from $1::bigint
    and a.email <> $3::text
) as is_there
`;
/** Whether somebody else is called the same, or has the name within their own: then nobody knows whom a text means. */
export const hasNamesake = async (db: Queryable, { id, email }: Erasable, pattern: string): Promise<boolean> =>
  (await oneRow<{ is_there: boolean }>(db, NAMESAKE, [id, pattern, email])).is_there;

const MINE = 'select id from assignments where person_id = $1::bigint';
const READ = 'select message_id from notices where recipient_id = $1::bigint and message_id is not null';
const TALKS = 'select id from conversations where person_id = $1::bigint';
/** The same once addresses were swept. */
const SWEPT_ACCOUNTS = '(person_id = $1::bigint or email = $3::text)';
const THEIR_ACCOUNTS = '(person_id = $1::bigint or email = (select email from people where id = $1::bigint))';

/** What goes, counted before: words, and what is counted. $1 is who. */
const GOES: readonly (readonly [words: string, sql: string])[] = [
  ['messages that they read, as texts', `select count(distinct message_id) from (${READ}) r`],
  ['changes of who they were', 'select count(*) from person_changes where person_id = $1::bigint'],
  ['answers to quizzes', `select count(*) from quiz_attempts where assignment_id in (${MINE}) and answers <> '{}'`],
  ['answers to surveys', `select count(*) from survey_answers where assignment_id in (${MINE})`],
  ['places where they stood in units', `select count(*) from unit_work where assignment_id in (${MINE})`],
  ['conversations', `select count(*) from (${TALKS}) t`],
  ['words to what others asked', 'select count(*) from conversation_posts where writer_id = $1::bigint'],
  ['mails of theirs that came in', 'select count(*) from arrivals where person_id = $1::bigint'],
  ['periods of leave', 'select count(*) from leaves where person_id = $1::bigint'],
  ['proofs of earlier completions', 'select count(*) from assignments where person_id = $1::bigint and proof_id is not null'],
  ['accounts', `select count(*) from accounts where ${THEIR_ACCOUNTS} and ended_at is null`],
];
const STAYS: readonly (readonly [words: string, sql: string])[] = [
  ['assignments', `select count(*) from (${MINE}) a`],
  ['events', `select count(*) from assignment_events where assignment_id in (${MINE})`],
  ['certificates', 'select count(*) from certificates where person_id = $1::bigint'],
  ['sign-offs', `select count(*) from sign_offs where assignment_id in (${MINE})`],
  ['notices, with what became of them', 'select count(*) from notices where person_id = $1::bigint or recipient_id = $1::bigint'],
];
const counted = async (db: Queryable, list: typeof GOES, person: string): Promise<ErasedCount[]> => {
  const sql = `select array[${list.map(([, one]) => `(${one})::integer`).join(', ')}] as counts, $1::bigint as who`;
  const { counts } = await oneRow<{ counts: number[] }>(db, sql, [person]);
  return list.flatMap(([what], at) => (counts[at]! > 0 ? [{ what, count: counts[at]! }] : []));
};
export const countGoing = (db: Queryable, person: string): Promise<ErasedCount[]> => counted(db, GOES, person);
export const countStaying = (db: Queryable, person: string): Promise<ErasedCount[]> => counted(db, STAYS, person);

const COUNT_FILES = `
select
  (select count(*)::integer from imports where file_id is not null) as rosters,
  (select count(*)::integer from jobs where result_file_id is not null)
  + (select count(*)::integer from files where purpose = 'report') as made
`;
/** Files that name everybody: roster files as they were taken, and what was made to be fetched. */
export const countFiles = (db: Queryable): Promise<{ rosters: number; made: number }> => oneRow(db, COUNT_FILES);

const LIST_OPEN = 'select id from assignments where person_id = $1::bigint and closed_by is null order by id';
export const listOpenOf = async (db: Queryable, person: string): Promise<string[]> =>
  (await rows<{ id: string }>(db, LIST_OPEN, [person])).map(({ id }) => id);

/** What is theirs alone goes, each by a statement of its own; $1 is who, $2 what they are called since, $3 their address since, $4 now. */
const REMOVALS: readonly string[] = [
  // files of conversations before what names them
  `with gone as (
     delete from files
     where id in (
       select f.file_id
       from conversation_files f
       join conversation_posts b on b.id = f.post_id
       where b.conversation_id in (${TALKS})
       union
       select file_id from answer_files where conversation_id in (${TALKS})
     )
   )
   delete from arrivals where person_id = $1::bigint or conversation_id in (${TALKS}) or from_address = $3::text`,
  'delete from conversations where person_id = $1::bigint',
  // and what they wrote to others on a course
  'delete from conversation_posts where writer_id = $1::bigint',
  'delete from leaves where person_id = $1::bigint',
  'update leaves set cover_id = null where cover_id = $1::bigint',
  'delete from group_members where person_id = $1::bigint',
  'delete from requirement_members where person_id = $1::bigint',
  'delete from declines where person_id = $1::bigint',
  'delete from downloads where person_id = $1::bigint',
  'delete from sign_off_links where person_id = $1::bigint',
  'delete from wakes where person_id = $1::bigint',
  'delete from person_changes where person_id = $1::bigint',
  `delete from survey_answers where assignment_id in (${MINE})`,
  `delete from unit_work where assignment_id in (${MINE})`,
  `update quiz_attempts set answers = '{}', marked_words = null where assignment_id in (${MINE})`,
  `update certificate_links set ended_at = $4::timestamptz, ended_by = 'Nudrik'
   where ended_at is null and certificate_id in (select id from certificates where person_id = $1::bigint)`,
  `update waiver_requests set reason = 'erased', answer = case when answer is not null then 'erased' end where assignment_id in (${MINE})`,
  `delete from copies where message_id in (${READ})`,
  `delete from chat_posts where message_id in (${READ})`,
  "update courses set owner_id = null where owner_id = $1::bigint and state = 'retired'",
  `update courses set assistants = array_remove(assistants, $1::bigint) where $1::bigint = any(assistants)`,
  'update training_sessions set trainer_id = null where trainer_id = $1::bigint',
  'update people set manager_id = null where manager_id = $1::bigint',
  // what other programs said of them; what came of it stays
  "update statements set statement = '{}', words = 'Erased.' where person_id = $1::bigint",
];
// of each the accounts: whoever may enter is ended, and nothing opens anything any more
const END_ACCOUNTS: readonly string[] = [
  `delete from sessions where account_id in (select id from accounts where ${SWEPT_ACCOUNTS})`,
  `delete from account_keys where account_id in (select id from accounts where ${SWEPT_ACCOUNTS})`,
  `delete from second_factors where account_id in (select id from accounts where ${SWEPT_ACCOUNTS})`,
  `delete from spare_codes where account_id in (select id from accounts where ${SWEPT_ACCOUNTS})`,
  `delete from sent_report_readers where account_id in (select id from accounts where ${SWEPT_ACCOUNTS})`,
  `update accounts
   set name = $2::text, password_hash = null, about = null, subject = null, ended_at = coalesce(ended_at, $4::timestamptz),
     email = case when person_id = $1::bigint then replace($3::text, '@', '-' || id || '@') else 'account-' || id || '@erased.invalid' end
   where ${SWEPT_ACCOUNTS}`,
];
/** What stays and names them, in the tables that are sealed: each gives the ids of what says something else since. */
const SEALED_CHANGES: Readonly<Record<'assignment_events' | 'acts' | 'certificates' | 'sign_offs' | 'messages', string>> = {
  assignment_events: `
    update assignment_events
    set data = data || case when data ? 'reason' and data -> 'reason' <> 'null' then '{"reason": "erased"}'::jsonb else '{}' end
      || case when data ? 'told' and data -> 'told' <> 'null' then '{"told": null}'::jsonb else '{}' end
    where assignment_id in (${MINE})
      and (data -> 'reason' <> 'null' or data -> 'told' <> 'null')
    returning id`,
  // of an act by hand that touched nobody else
  acts: `
    update acts c
    set reason = 'erased'
    where c.id in (select act_id from act_assignments where assignment_id in (${MINE}))
      and not exists (
        select
        from act_assignments t
        join assignments a on a.id = t.assignment_id
        where t.act_id = c.id
          and a.person_id <> $1::bigint
      )
      and c.reason is not null
    returning id`,
  certificates: `
    update certificates
    set person_name = $2::text, pdf = null, their_number = case when their_number is not null then 'erased' end, proof_id = null,
      printed = case when printed is not null then printed || jsonb_build_object('full name', $2::text, 'given name', $2::text, 'number', '', 'job', '', 'manager', '') end
    where person_id = $1::bigint
    returning id`,
  sign_offs: `
    update sign_offs
    set remarks = case when remarks is not null then 'erased' end, corrected_reason = case when corrected_reason is not null then 'erased' end
    where assignment_id in (${MINE})
      and (remarks is not null or corrected_reason is not null)
    returning id`,
  messages: `
    update messages
    set to_name = $2::text, to_address = $3::text, subject = 'Erased', html = '<p>What this message said was erased.</p>',
      body = 'What this message said was erased.', calendar = null, files = null, gone_at = $4::timestamptz
    where id in (${READ})
    returning id`,
};
const LIST_PROOFS = `
select proof_id as id from assignments where person_id = $1::bigint and proof_id is not null
union
select proof_id from certificates where person_id = $1::bigint and proof_id is not null
`;
const SET_ASSIGNMENTS = `
update assignments
set token = replace(gen_random_uuid()::text, '-', ''), former_link = null, proof_id = null,
  closed_reason = case when closed_reason is not null then 'erased' end, closed_told = null
where person_id = $1::bigint
`;
const SET_PERSON = `
update people
set name = $2::text, email = $3::text, personnel_number = null, job = null, job_since = null, manager_id = null, joined_on = null,
  left_on = coalesce(left_on, $4::date), language = null, chat_name = null, chat_state = 'ok', chat_words = null, address_state = 'ok', address_words = null, team_token = null,
  former_team_link = null, calendar_token = null, reached_by = null, daily_at = null, digest_at = null, digest_on = null, erased_at = $4::timestamptz
where id = $1::bigint
`;
const DELETE_FILES = 'delete from files where id = any($1::bigint[])';

/**
 * Removes what is theirs alone, and puts what they are called since in place of their name where they are known by a key.
 * @returns by sealed table the ids of what says something else since
 */
export async function removeOwn(
  client: Client,
  person: string,
  { pseudonym, address, at }: { pseudonym: string; address: string; at: Date },
): Promise<Map<string, string[]>> {
  const values = [person, pseudonym, address, at];
  // every statement takes the values that it names
  const run = async (sql: string): Promise<{ id: string }[]> => {
    const used = [...new Set([...sql.matchAll(/\$(\d)/g)].map(([, n]) => Number(n)))];
    const text = sql.replace(/\$(\d)/g, (_, n: string) => `$${used.indexOf(Number(n)) + 1}`);
    return (
      await client.query<{ id: string }>(
        text,
        used.map((n) => values[n - 1]),
      )
    ).rows;
  };
  const proofs = (await rows<{ id: string }>(client, LIST_PROOFS, [person])).map(({ id }) => id);
  const changed = new Map<string, string[]>();
  for (const [table, sql] of Object.entries(SEALED_CHANGES))
    changed.set(
      table,
      (await run(sql)).map(({ id }) => id),
    );
  for (const sql of REMOVALS) await run(sql);
  for (const sql of END_ACCOUNTS) await run(sql);
  await client.query(SET_ASSIGNMENTS, [person]);
  await client.query(SET_PERSON, values);
  await client.query(DELETE_FILES, [proofs]);
  return changed;
}

const DROP_NAMING_FILES = `
with rosters as (
  update imports set file_id = null where file_id is not null returning (select i.file_id from imports i where i.id = imports.id) as id
),
made as (
  update jobs j
  set result_file_id = null, file_id = null
  from jobs was
  where was.id = j.id
    and j.ended_at is not null
    and (was.result_file_id is not null or was.file_id is not null)
  returning was.result_file_id, was.file_id
),
reports as (
  update report_letters r set file_id = null from report_letters was where was.id = r.id and was.file_id is not null returning was.file_id as id
)
select id from rosters
union
select result_file_id from made where result_file_id is not null
union
select file_id from made where file_id is not null
union
select id from reports
`;
/** Files that name everybody go: what is in them can be made anew, without whoever was erased. */
export async function dropNamingFiles(client: Client): Promise<number> {
  const ids = (await rows<{ id: string }>(client, DROP_NAMING_FILES)).map(({ id }) => id);
  await client.query(DELETE_FILES, [ids]);
  return ids.length;
}

const LIST_SEPARATE = `
select m.message_id as id
from notices m
where m.person_id = $1::bigint
  and m.recipient_id is distinct from $1::bigint
  and m.message_id is not null
group by m.message_id
having not exists (select from notices o where o.message_id = m.message_id and o.person_id <> $1::bigint)
`;
/** Messages to others about nobody else. */
export const listAboutOnly = async (client: Client, person: string): Promise<string[]> =>
  (await rows<{ id: string }>(client, LIST_SEPARATE, [person])).map(({ id }) => id);

const INSERT_CHANGE = `
insert into person_changes (person_id, at, by_whom, kind)
values ($1::bigint, $2::timestamptz, $3::text, 'erased')
`;
export const noteErased = (client: Client, person: string, at: Date, byWhom: string): Promise<unknown> =>
  client.query(INSERT_CHANGE, [person, at, byWhom]);

const INSERT_ERASURE = `
insert into erasures (kind, person_id, pseudonym, marks, what, before, at, by_whom, reason, counts, entries)
values ($1::text, $2::bigint, $3::text, $4::bytea[], $5::text, $6::date, $7::timestamptz, $8::text, $9::text, $10::jsonb, 0)
returning id
`;
export interface NewErasure {
  person: { id: string; pseudonym: string; marks: Buffer[] } | null;
  keptNoLonger: { what: string; before: string } | null;
  at: Date;
  byWhom: string;
  reason: string;
  counts: ErasedCount[];
}
export const insertErasure = async (client: Client, { person, keptNoLonger, at, byWhom, reason, counts }: NewErasure): Promise<string> =>
  (
    await oneRow<{ id: string }>(client, INSERT_ERASURE, [
      person ? 'person' : 'kept-no-longer',
      person?.id ?? null,
      person?.pseudonym ?? null,
      person?.marks ?? [],
      keptNoLonger?.what ?? null,
      keptNoLonger?.before ?? null,
      at,
      byWhom,
      reason,
      JSON.stringify(counts),
    ])
  ).id;

const SET_ENTRIES = `
update erasures e
set entries = (select count(*)::integer from seal_queue q where q.erasure_id = e.id)
where e.id = $1::bigint
`;
/** Writes down how much is sealed anew by it: everything of it is queued in this transaction. */
export const countEntries = (client: Client, erasure: string): Promise<unknown> => client.query(SET_ENTRIES, [erasure]);

const LIST_ERASED = `
select person_id as person, pseudonym, at, by_whom, reason, marks
from erasures
where kind = 'person'
order by id
`;
export interface ErasedPerson {
  person: string;
  pseudonym: string;
  at: Date;
  by_whom: string;
  reason: string;
  marks: Buffer[];
}
export const listErasedPeople = (db: Queryable): Promise<ErasedPerson[]> => rows(db, LIST_ERASED);

const LIST_MARKS = `
select encode(m.mark, 'hex') as mark, max(e.at) as at
from erasures e
cross join lateral unnest(e.marks) as m (mark)
group by m.mark
`;
/** When whom a mark is of was erased. */
export const listMarks = async (db: Queryable): Promise<Map<string, Date>> =>
  new Map((await rows<{ mark: string; at: Date }>(db, LIST_MARKS)).map(({ mark, at }) => [mark, at]));

const DROP_FEED_ROWS = "delete from feed_rows where lower(number) = lower($2::text) or lower(row ->> 'email') = $1::text";
const DROP_PULLED = `
update pulls
set people = (
  select coalesce(jsonb_agg(x.value), '[]')
  from jsonb_array_elements(people) as x (value)
  where lower(x.value ->> 'email') is distinct from $1::text
    and lower(x.value ->> 'number') is distinct from lower($2::text)
)
where people is not null
`;
/** What the personnel feed said of them: by another name it would be somebody new. */
export async function dropFromFeed(client: Client, { email, number }: Erasable): Promise<void> {
  await client.query(DROP_FEED_ROWS, [email, number]);
  await client.query(DROP_PULLED, [email, number]);
}

const HOUSE_ID = 'select house_id from settings';
export const findHouseId = async (db: Queryable): Promise<string | null> =>
  (await maybeRow<{ house_id: string }>(db, HOUSE_ID))?.house_id ?? null;
