import type { Instant } from '@nudrik/core';
import type { PersonalLink } from '../access/personal-link.ts';
import { rows, type Client, type Queryable } from '../db/db.ts';

export interface BesideDraft {
  message: string;
  /** the message that this one takes the place of: what it had beside it is not said again */
  former: string | null;
  person: string;
  from: string;
  subject: string;
  body: string;
  /** the personal links in it, as they are kept */
  links: readonly PersonalLink[];
}

const INSERT = `
insert into chat_posts (message_id, to_person, from_name, subject, body, links, made_at, try_at)
select r.message::bigint, r.person, r."from", r.subject, r.body, r.links, $2::timestamptz, $2::timestamptz
from jsonb_to_recordset($1::jsonb) as r (message text, former bigint, person text, "from" text, subject text, body text, links jsonb)
where not exists (select from chat_posts c where c.message_id = r.former)
on conflict (message_id) do nothing
`;

/** What goes to the chat beside mail; a message that goes again by mail is there once. */
export async function insertChatPosts(db: Client, list: readonly BesideDraft[], now: Instant): Promise<void> {
  if (list.length > 0) await db.query(INSERT, [JSON.stringify(list), new Date(now)]);
}

/** An answer to what somebody wrote in the chat. */
export const insertAnswer = (
  db: Client,
  { person, from, subject, body }: { person: string; from: string; subject: string; body: string },
  now: Instant,
): Promise<unknown> =>
  db.query(
    `insert into chat_posts (to_person, from_name, subject, body, made_at, try_at)
    values ($1::text, $2::text, $3::text, $4::text, $5::timestamptz, $5::timestamptz)`,
    [person, from, subject, body, new Date(now)],
  );

const MARK_UNKNOWN = `
update people
set chat_state = 'refused', chat_words = $2::text
where lower(chat_name) = lower($1::text)
  and chat_state = 'ok'
`;

/** The chat knows nobody of that name: it is not asked again until somebody enters another. */
export const markUnknown = (db: Queryable, name: string, words: string): Promise<unknown> => db.query(MARK_UNKNOWN, [name, words]);

export interface ChatPostRow {
  id: string;
  message_id: string | null;
  event_id: string | null;
  to_person: string | null;
  to_channel: string | null;
  from_name: string;
  subject: string | null;
  body: string;
  links: PersonalLink[];
  attempts: number;
}

// one that is cut off is taken up again after its pause, under the same id
const CLAIM = `
update chat_posts
set attempts = attempts + 1, try_at = $1::timestamptz + least(interval '1 hour', interval '1 minute' * (2 ^ least(attempts, 8)))
where id in (
  select id
  from chat_posts
  where try_at <= $1::timestamptz
  order by try_at, id
  limit $2::integer
  for update skip locked
)
returning id, message_id, event_id, to_person, to_channel, from_name, subject, body, links, attempts
`;
/** Takes posts that are to go now, in the order in which they were put down. */
export const claimChatPosts = async (db: Queryable, now: Instant, most: number): Promise<ChatPostRow[]> =>
  (await rows<ChatPostRow>(db, CLAIM, [new Date(now), most])).sort((a, b) => Number(a.id) - Number(b.id));

export const settleChatPosts = (
  db: Queryable,
  posts: readonly { id: string }[],
  state: 'went' | 'failed' | 'dropped',
  words: string,
  now: Instant,
): Promise<unknown> =>
  db.query(
    "update chat_posts set state = $2::text, words = $3::text, try_at = null, went_at = case when $2::text = 'went' then $4::timestamptz end where id = any($1::bigint[]) and state = 'waiting'",
    [posts.map(({ id }) => id), state, words, new Date(now)],
  );

/** They were not taken yet, and are tried again. */
export const noteChatWords = (db: Queryable, posts: readonly { id: string }[], words: string): Promise<unknown> =>
  db.query("update chat_posts set words = $2::text where id = any($1::bigint[]) and state = 'waiting'", [posts.map(({ id }) => id), words]);

/** A completion as it stands now. */
export interface CompletionRow {
  event: string;
  course: string;
  name: string;
  title: string;
  /** where its course tells it now; null is nowhere */
  told_in: string | null;
  stands: boolean;
  /** of those who have the course or finished it, how many have by then */
  finished: number;
  asked: number;
}

const LIST_COMPLETIONS = `
select e.id as event, c.id as course, p.name, c.title, c.told_in,
  a.closed_by = 'finished' and not exists (select from assignment_events u where u.undoes = e.id) as stands,
  (select count(*)::integer from assignments o where o.course_id = c.id and o.closed_by = 'finished' and o.closed_at <= e.at) as finished,
  (select count(*)::integer from assignments o where o.course_id = c.id and (o.closed_by is null or o.closed_by = 'finished')) as asked
from assignment_events e
join assignments a on a.id = e.assignment_id
join courses c on c.id = a.course_id
join people p on p.id = a.person_id
where e.id = any($1::bigint[])
order by e.at, e.id
`;
export const listCompletions = async (db: Queryable, events: readonly string[]): Promise<CompletionRow[]> =>
  events.length === 0 ? [] : rows(db, LIST_COMPLETIONS, [events]);

/** What a message has beside it in the chat. */
export const findChatPostOf = async (
  db: Queryable,
  message: string,
): Promise<{ to_person: string; state: string; words: string | null; went_at: Date | null } | null> =>
  (await rows<{ to_person: string; state: string; words: string | null; went_at: Date | null }>(
    db,
    'select to_person, state, words, went_at from chat_posts where message_id = $1::bigint',
    [message],
  ))[0] ?? null; // prettier-ignore

/** When the next line is to go, where there is a chat to take it. */
export const nextChatPostAt = async (db: Queryable): Promise<Instant | null> =>
  (
    await rows<{ at: Date | null }>(
      db,
      'select min(p.try_at) as at from chat_posts p cross join settings h where h.has_chat and p.try_at is not null',
    )
  )[0]?.at?.getTime() ?? null;

/** Whether there is a chat, as the process that hands messages over knows it. */
export const noteChat = (db: Queryable, has: boolean): Promise<unknown> =>
  db.query('update settings set has_chat = $1::boolean where has_chat <> $1::boolean', [has]);
