import type { ArrivalKind, Asks, Instant, RepliesTo, ShownTo } from '@nudrik/core';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

/** What a notice was about, for the conversation that begins with it. */
export interface NoticeOrigin {
  noticeId: string;
  personId: string;
  address: string | null;
  name: string;
  courseId: string;
  assignmentId: string;
  stepName: string;
  subject: string;
  /** whom replies reach where the course or the step said it */
  repliesTo: RepliesTo;
}

const ORIGIN = `
select n.id as "noticeId", p.id as "personId", p.email as address, p.name, n.course_id as "courseId", n.assignment_id as "assignmentId",
  n.step_name as "stepName", m.subject, m.replies_to as "repliesTo"
from notices n
join messages m on m.id = n.message_id
join people p on p.id = n.recipient_id
`;

export const findOriginOfNotice = (db: Queryable, id: string): Promise<NoticeOrigin | null> =>
  maybeRow(db, `${ORIGIN} where n.id = $1::bigint`, [id]);

export const findOriginOfDelivery = (db: Queryable, id: string): Promise<NoticeOrigin | null> =>
  maybeRow(db, `${ORIGIN} join deliveries d on d.message_id = m.id where d.id = $1::bigint order by n.id limit 1`, [id]);

/** By the Message-IDs that a mail refers to, the nearest first. */
export const findOriginOfIds = (db: Queryable, ids: readonly string[]): Promise<NoticeOrigin | null> =>
  maybeRow(db, `${ORIGIN} where m.message_id = any($1::text[]) order by array_position($1::text[], m.message_id), n.id limit 1`, [ids]);

/** The notice that a message told of, where its reader has this name in the chat. */
export const findOriginInChat = (db: Queryable, message: string, name: string): Promise<NoticeOrigin | null> =>
  maybeRow(db, `${ORIGIN} where m.id = $1::bigint and lower(p.chat_name) = lower($2::text) order by n.id limit 1`, [message, name]);

export interface ConversationRow {
  id: string;
  person_id: string;
  person: string;
  address: string | null;
  /** they are here, and mail to them does not come back */
  reads: boolean;
  /** where they can be answered in the chat; null where that is closed */
  chat_name: string | null;
  zone: string;
  course_id: string | null;
  course: string | null;
  /** what the course allows now */
  asks: Asks | null;
  /** asked on the page of the course; who reads it there */
  shown_to: ShownTo | null;
  at_unit: string | null;
  assignment_id: string | null;
  notice_id: string | null;
  step_name: string | null;
  subject: string;
  reader_id: string | null;
  reader: string | null;
  reader_address: string | null;
  /** who covers for the reader while they are on leave */
  cover: string | null;
  cover_address: string | null;
  /** whom replies reach where the course or the step said it: the trainer, or an address */
  replies_to: RepliesTo;
  /** the reader is here and reads mail */
  is_read: boolean;
  is_open: boolean;
  waits_since: Date | null;
  opened_at: Date;
  last_at: Date;
  done_at: Date | null;
  done_by: string | null;
}

const COLUMNS = `
  v.id, v.person_id, p.name as person, p.email as address, is_here(p.left_on, $1::date) and p.address_state <> 'bounced' as reads,
  case when p.chat_state = 'ok' then p.chat_name end as chat_name, s.zone, v.course_id, c.title as course,
  c.asks, v.shown_to, v.at_unit, v.assignment_id, v.notice_id, v.step_name,
  v.subject, v.replies_to, v.reader_id, r.name as reader, r.email as reader_address,
  k.name as cover, k.email as cover_address,
  coalesce(is_here(r.left_on, $1::date) and r.email is not null and r.address_state <> 'bounced', false) as is_read,
  v.is_open, v.waits_since, v.opened_at, v.last_at, v.done_at, v.done_by
`;
const FROM = `
from conversations v
join people p on p.id = v.person_id
join sites s on s.id = p.site_id
left join courses c on c.id = v.course_id
left join people r on r.id = v.reader_id
left join lateral (
  select q.name, q.email
  from leaves l
  join people q on q.id = l.cover_id
  where l.person_id = r.id
    and $1::date between l.from_on and l.to_on
    and is_here(q.left_on, $1::date)
    and q.address_state <> 'bounced'
  order by l.id
  limit 1
) k on true
`;

export const findConversation = (db: Queryable, id: string, today: string): Promise<ConversationRow | null> =>
  maybeRow(db, `select ${COLUMNS} ${FROM} where v.id = $2::bigint`, [today, id]);

/** Locks it against another word at the same moment. */
export const lockConversation = (db: Client, id: string): Promise<unknown> =>
  db.query('select from conversations where id = $1::bigint for update', [id]);

/** What is asked of the list. */
export interface ListQuery {
  show: 'waiting' | 'open' | 'done' | 'all';
  find: string | null;
  course: string | null;
  person: string | null;
  reader: string | null;
  before: { at: Date; id: string } | null;
  size: number;
}

const SHOWN: Readonly<Record<ListQuery['show'], string>> = {
  waiting: 'v.waits_since is not null',
  open: 'v.is_open',
  done: 'not v.is_open',
  all: 'true',
};

export type ListedRow = ConversationRow & { last_body: string; last_author: string };

export const listConversations = (db: Queryable, today: string, query: ListQuery): Promise<ListedRow[]> =>
  rows(
    db,
    `select ${COLUMNS}, coalesce(left(last.body, 400), '') as last_body, coalesce(last.author, '') as last_author
    ${FROM}
    left join lateral (
      select body, author from conversation_posts t where t.conversation_id = v.id and t.side <> 'record' order by t.at desc, t.id desc limit 1
    ) last on true
    where ${SHOWN[query.show]}
      and ($2::text is null or p.name ilike $2::text or v.subject ilike $2::text
        or exists (select from conversation_posts t where t.conversation_id = v.id and t.body ilike $2::text))
      and ($3::bigint is null or v.course_id = $3::bigint)
      and ($4::bigint is null or v.person_id = $4::bigint)
      and ($5::bigint is null or v.reader_id = $5::bigint)
      and ($6::timestamptz is null or (v.last_at, v.id) < ($6::timestamptz, $7::bigint))
    order by v.last_at desc, v.id desc
    limit $8::integer`,
    [today, query.find, query.course, query.person, query.reader, query.before?.at ?? null, query.before?.id ?? null, query.size],
  );

export const countConversations = (db: Queryable): Promise<{ waiting: number; open: number; others: number }> =>
  oneRow(
    db,
    `select
      (select count(*) from conversations where waits_since is not null)::integer as waiting,
      (select count(*) from conversations where is_open)::integer as open,
      (select count(*) from arrivals where waits)::integer as others`,
  );

export interface PostRow {
  id: string;
  at: Date;
  side: 'person' | 'house' | 'record';
  author: string;
  strange_address: string | null;
  body: string;
  header_id: string | null;
  by_mail: boolean;
  by_chat: boolean;
  shown_to: ShownTo | null;
  is_off: boolean;
  /** somebody else on the course than whoever asked */
  writer_id: string | null;
  writer: string | null;
  writer_address: string | null;
  /** of an answer: what became of its mail */
  mail_state: 'waiting' | 'sent' | 'failed' | null;
  mail_words: string | null;
  mail_to: string | null;
}

export const listPosts = (db: Queryable, conversation: string): Promise<PostRow[]> =>
  rows(
    db,
    `select t.id, t.at, t.side, t.author, t.strange_address, t.body, t.header_id, t.by_mail, t.by_chat, t.shown_to, t.is_off, t.writer_id,
      w.name as writer, w.email as writer_address, o.state as mail_state, o.words as mail_words, o.to_address as mail_to
    from conversation_posts t
    left join people w on w.id = t.writer_id
    left join outbox o on o.post_id = t.id and o.is_answer
    where t.conversation_id = $1::bigint
    order by t.at, t.id`,
    [conversation],
  );

export const listPostFiles = (
  db: Queryable,
  conversation: string,
): Promise<{ post_id: string; id: string; name: string; type: string; bytes: number }[]> =>
  rows(
    db,
    `select k.post_id, f.id, f.name, f.type, f.size::float8 as bytes
    from conversation_posts t
    join conversation_files k on k.post_id = t.id
    join files f on f.id = k.file_id
    where t.conversation_id = $1::bigint
    order by k.post_id, k.position`,
    [conversation],
  );

/** The conversation of a person that a notice, a course's notices, or a Message-ID of it belongs to. */
export const findByNotice = (db: Queryable, person: string, notice: string): Promise<{ id: string } | null> =>
  maybeRow(db, 'select id from conversations where person_id = $1::bigint and notice_id = $2::bigint order by id desc limit 1', [person, notice]); // prettier-ignore

export const findByIds = (db: Queryable, ids: readonly string[]): Promise<{ id: string } | null> =>
  maybeRow(
    db,
    `select conversation_id as id
    from (
      select conversation_id, header_id from conversation_posts where header_id = any($1::text[])
      union all
      select conversation_id, header_id from outbox where header_id = any($1::text[])
    ) known
    order by array_position($1::text[], header_id)
    limit 1`,
    [ids],
  );

export interface ConversationDraft {
  personId: string;
  courseId: string | null;
  assignmentId: string | null;
  noticeId: string | null;
  stepName: string | null;
  subject: string;
  repliesTo?: RepliesTo;
  readerId: string | null;
  at: Instant;
  shownTo?: ShownTo;
  atUnit?: string | null;
}

export const insertConversation = async (db: Client, draft: ConversationDraft): Promise<string> =>
  (
    await oneRow<{ id: string }>(
      db,
      `insert into conversations (person_id, course_id, assignment_id, notice_id, step_name, subject, reader_id, opened_at, last_at, replies_to, shown_to,
        at_unit)
      values ($1::bigint, $2::bigint, $3::bigint, $4::bigint, $5::text, $6::text, $7::bigint, $8::timestamptz, $8::timestamptz, $9::text, $10::text,
        $11::text)
      returning id`,
      [
        draft.personId,
        draft.courseId,
        draft.assignmentId,
        draft.noticeId,
        draft.stepName,
        draft.subject,
        draft.readerId,
        new Date(draft.at),
        draft.repliesTo ?? null,
        draft.shownTo ?? null,
        draft.atUnit ?? null,
      ],
    )
  ).id;

export interface PostDraft {
  conversation: string;
  at: Instant;
  side: PostRow['side'];
  author: string;
  strangeAddress?: string | null;
  body: string;
  headerId?: string | null;
  byMail?: boolean;
  byChat?: boolean;
  shownTo?: ShownTo | null;
  writerId?: string | null;
}

/** Puts a word to a conversation. A Message-ID that another has already is left out: it would lead elsewhere. */
export const insertPost = async (db: Client, draft: PostDraft): Promise<string> =>
  (
    await oneRow<{ id: string }>(
      db,
      `insert into conversation_posts (conversation_id, at, side, author, strange_address, body, header_id, by_mail, by_chat, shown_to, writer_id)
      values ($1::bigint, $2::timestamptz, $3::text, $4::text, $5::text, $6::text,
        case when not exists (select from conversation_posts where header_id = $7::text) then $7::text end, $8::boolean, $9::boolean, $10::text, $11::bigint)
      returning id`,
      [
        draft.conversation,
        new Date(draft.at),
        draft.side,
        draft.author,
        draft.strangeAddress ?? null,
        draft.body,
        draft.headerId ?? null,
        draft.byMail ?? false,
        draft.byChat ?? false,
        draft.shownTo ?? null,
        draft.writerId ?? null,
      ],
    )
  ).id;

export const insertPostFile = (db: Client, post: string, position: number, file: string): Promise<unknown> =>
  db.query('insert into conversation_files (post_id, position, file_id) values ($1::bigint, $2::integer, $3::bigint)', [
    post,
    position,
    file,
  ]);

/** Somebody wrote: it is open, and waits since the first word that nobody answered. */
export const markWaiting = (db: Client, id: string, at: Instant): Promise<unknown> =>
  db.query(
    `update conversations
    set is_open = true, waits_since = coalesce(waits_since, $2::timestamptz), last_at = greatest(last_at, $2::timestamptz), done_at = null,
      done_by = null
    where id = $1::bigint`,
    [id, new Date(at)],
  );

export const markAnswered = (db: Client, id: string, at: Instant): Promise<unknown> =>
  db.query(
    `update conversations
    set is_open = true, waits_since = null, last_at = greatest(last_at, $2::timestamptz), done_at = null, done_by = null
    where id = $1::bigint`,
    [id, new Date(at)],
  );

export const markDone = (db: Client, id: string, at: Instant, by: string): Promise<unknown> =>
  db.query(
    'update conversations set is_open = false, waits_since = null, done_at = $2::timestamptz, done_by = $3::text where id = $1::bigint',
    [id, new Date(at), by],
  );

export const markOpen = (db: Client, id: string): Promise<unknown> =>
  db.query('update conversations set is_open = true, done_at = null, done_by = null where id = $1::bigint', [id]);

export const setReader = (db: Client, id: string, reader: string | null): Promise<unknown> =>
  db.query('update conversations set reader_id = $2::bigint where id = $1::bigint', [id, reader]);

/**
 * Who would take care of a course's replies: its owner, where they are here and read mail.
 * @param notice what is answered; where its message tells of courses of several owners, it is none of them
 */
export const findOwnerReading = (
  db: Queryable,
  course: string,
  notice: string | null,
  today: string,
): Promise<{ id: string; name: string } | null> =>
  maybeRow(
    db,
    `select p.id, p.name
    from courses c
    join people p on p.id = c.owner_id
    where c.id = $1::bigint
      and is_here(p.left_on, $3::date)
      and p.email is not null
      and p.address_state <> 'bounced'
      and not exists (
        select
        from notices n
        join notices beside on beside.message_id = n.message_id
        join courses k on k.id = beside.course_id
        where n.id = $2::bigint
          and k.owner_id is distinct from c.owner_id
      )`,
    [course, notice, today],
  );

/** How often somebody wrote of late, by mail. */
export const countPosts = async (db: Queryable, conversation: string, since: Instant): Promise<number> =>
  (
    await oneRow<{ count: number }>(
      db,
      "select count(*)::integer as count from conversation_posts where conversation_id = $1::bigint and side = 'person' and at > $2::timestamptz",
      [conversation, new Date(since)],
    )
  ).count;

export interface ArrivalDraft {
  at: Instant;
  digest: Buffer;
  kind: ArrivalKind;
  from: string | null;
  fromName: string;
  subject: string;
  body: string;
  personId?: string | null;
  noticeId?: string | null;
  conversationId?: string | null;
  waits?: boolean;
}

/** @returns whether it is new: the same mail may be handed over twice */
export const insertArrival = async (db: Client, draft: ArrivalDraft): Promise<boolean> =>
  (
    await rows(
      db,
      `insert into arrivals (at, digest, kind, from_address, from_name, subject, body, person_id, notice_id, conversation_id, waits)
      values ($1::timestamptz, $2::bytea, $3::text, $4::text, $5::text, $6::text, $7::text, $8::bigint, $9::bigint, $10::bigint, $11::boolean)
      on conflict (digest) do nothing
      returning id`,
      [
        new Date(draft.at),
        draft.digest,
        draft.kind,
        draft.from,
        draft.fromName,
        draft.subject,
        draft.body,
        draft.personId ?? null,
        draft.noticeId ?? null,
        draft.conversationId ?? null,
        draft.waits ?? false,
      ],
    )
  ).length > 0;

export const knowsDigest = async (db: Queryable, digest: Buffer): Promise<boolean> =>
  (await rows(db, 'select from arrivals where digest = $1::bytea', [digest])).length > 0;

/** Mails of nobody that wait, of the last hour: there is an end to what is taken of strangers. */
export const countStrange = async (db: Queryable, since: Instant): Promise<number> =>
  (
    await oneRow<{ count: number }>(db, 'select count(*)::integer as count from arrivals where waits and at > $1::timestamptz', [
      new Date(since),
    ])
  ).count;

export interface ArrivalRow {
  id: string;
  at: Date;
  kind: ArrivalKind;
  from_address: string | null;
  from_name: string;
  subject: string;
  body: string;
  person_id: string | null;
  person: string | null;
  notice_id: string | null;
  waits: boolean;
  seen_at: Date | null;
  seen_by: string | null;
}

const ARRIVALS = `
select a.id, a.at, a.kind, a.from_address, a.from_name, a.subject, a.body, a.person_id, p.name as person, a.notice_id, a.waits, a.seen_at, a.seen_by
from arrivals a
left join people p on p.id = a.person_id
`;

export const listArrivals = (db: Queryable, waits: boolean, before: string | null, size: number): Promise<ArrivalRow[]> =>
  rows(
    db,
    `${ARRIVALS} where (a.waits or not $1::boolean) and ($2::bigint is null or a.id < $2::bigint) and a.conversation_id is null
    order by a.id desc limit $3::integer`,
    [waits, before, size],
  );

export const lockArrival = (db: Client, id: string): Promise<ArrivalRow | null> =>
  maybeRow(db, `${ARRIVALS} where a.id = $1::bigint for update of a`, [id]);

export const markSeen = (db: Client, id: string, at: Instant, by: string, conversation: string | null = null): Promise<unknown> =>
  db.query(
    `update arrivals
    set waits = false, seen_at = $2::timestamptz, seen_by = $3::text, conversation_id = coalesce($4::bigint, conversation_id)
    where id = $1::bigint`,
    [id, new Date(at), by, conversation],
  );

/** What machines answered to a notice: that somebody is away, that somebody complained. */
export const listArrivalsOfNotice = (db: Queryable, notice: string): Promise<ArrivalRow[]> =>
  rows(db, `${ARRIVALS} where a.notice_id = $1::bigint order by a.at, a.id limit 20`, [notice]);

export const findPersonByAddress = (db: Queryable, address: string, today: string): Promise<{ id: string; name: string } | null> =>
  maybeRow(db, 'select id, name from people where email = $1::text and is_here(left_on, $2::date) order by id limit 1', [address, today]);

/** The conversations in which a notice is answered, or the message that carried it beside others. */
export const listOfNotice = (db: Queryable, notice: string): Promise<{ id: string; name: string; isWaiting: boolean }[]> =>
  rows(
    db,
    `select v.id, p.name, v.waits_since is not null as "isWaiting"
    from notices n
    join notices beside on beside.message_id = n.message_id
    join conversations v on v.notice_id = beside.id
    join people p on p.id = v.person_id
    where n.id = $1::bigint
    union
    select v.id, p.name, v.waits_since is not null
    from conversations v
    join people p on p.id = v.person_id
    where v.notice_id = $1::bigint
    order by id`,
    [notice],
  );
