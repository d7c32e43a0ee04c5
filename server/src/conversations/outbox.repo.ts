import type { Instant } from '@nudrik/core';
import { oneRow, rows, type Client, type Queryable } from '../db/db.ts';

/** A mail of a conversation, as it goes out. */
export interface OutboxDraft {
  conversation: string | null;
  post: string | null;
  /** the house's answer to the person; otherwise word to whoever takes care of it */
  isAnswer: boolean;
  headerId: string;
  fromName: string;
  toName: string;
  toAddress: string;
  replyTo: string;
  subject: string;
  html: string;
  body: string;
  inReplyTo: string | null;
  refs: string | null;
  at: Instant;
  /** of what belongs to no conversation: files that go with it */
  files?: readonly string[];
}

export const insertOutbox = async (db: Client, draft: OutboxDraft): Promise<string> =>
  (
    await oneRow<{ id: string }>(
      db,
      `insert into outbox (conversation_id, post_id, is_answer, header_id, from_name, to_name, to_address, reply_to, subject, html, body,
        in_reply_to, refs, made_at, try_at, file_ids)
      values ($1::bigint, $2::bigint, $3::boolean, $4::text, $5::text, $6::text, $7::text, $8::text, $9::text, $10::text, $11::text, $12::text,
        $13::text, $14::timestamptz, $14::timestamptz, $15::bigint[])
      returning id`,
      [
        draft.conversation,
        draft.post,
        draft.isAnswer,
        draft.headerId,
        draft.fromName,
        draft.toName,
        draft.toAddress,
        draft.replyTo,
        draft.subject,
        draft.html,
        draft.body,
        draft.inReplyTo,
        draft.refs,
        new Date(draft.at),
        draft.files ?? null,
      ],
    )
  ).id;

export interface OutboxRow {
  id: string;
  /** null of what belongs to none: copies */
  conversation_id: string | null;
  post_id: string | null;
  is_answer: boolean;
  header_id: string;
  from_name: string;
  to_name: string;
  to_address: string;
  reply_to: string;
  subject: string;
  html: string;
  body: string;
  in_reply_to: string | null;
  refs: string | null;
  made_at: Date;
  attempts: number;
  file_ids: string[] | null;
}

// a hand-over that is cut off is taken up again, after its pause, under the same Message-ID
const CLAIM = `
update outbox
set attempts = attempts + 1, try_at = $1::timestamptz + least(interval '6 hours', interval '2 minutes' * (2 ^ least(attempts, 8)))
where id in (
  select id
  from outbox
  where try_at <= $1::timestamptz
  order by try_at, id
  limit $2::integer
  for update skip locked
)
returning id, conversation_id, post_id, is_answer, header_id, from_name, to_name, to_address, reply_to, subject, html, body, in_reply_to, refs, made_at, attempts, file_ids
`;

/** Takes mails that are to go now; each is put off for its next try before it is tried. */
export const claimOutbox = (db: Queryable, now: Instant, most: number): Promise<OutboxRow[]> => rows(db, CLAIM, [new Date(now), most]);

export const settleOutbox = (db: Queryable, id: string, state: 'sent' | 'failed', words: string): Promise<unknown> =>
  db.query("update outbox set state = $2::text, words = $3::text, try_at = null where id = $1::bigint and state = 'waiting'", [
    id,
    state,
    words,
  ]);

export const putOffOutbox = (db: Queryable, id: string, words: string): Promise<unknown> =>
  db.query('update outbox set words = $2::text where id = $1::bigint and try_at is not null', [id, words]);

/** Came back: an answer that was taken for delivered did not arrive. */
export const bounceOutbox = async (db: Client, id: string, words: string): Promise<string | null> =>
  (
    await rows<{ conversation_id: string }>(
      db,
      "update outbox set state = 'failed', words = $2::text, try_at = null where id = $1::bigint and state <> 'failed' returning conversation_id",
      [id, words],
    )
  )[0]?.conversation_id ?? null;

/** Tries what failed once more. */
export const retryOutbox = (db: Client, conversation: string, now: Instant): Promise<unknown> =>
  db.query(
    "update outbox set state = 'waiting', try_at = $2::timestamptz, attempts = 0, words = null where conversation_id = $1::bigint and state = 'failed' and is_answer",
    [conversation, new Date(now)],
  );

/** Answers that did not reach whom they are to. */
export const listFailed = (db: Queryable): Promise<{ id: string; person: string; words: string }[]> =>
  rows(
    db,
    `select v.id, p.name as person, min(o.words) as words
    from outbox o
    join conversations v on v.id = o.conversation_id
    join people p on p.id = v.person_id
    where o.state = 'failed' and o.is_answer and v.is_open
    group by v.id, p.name
    order by v.id
    limit 20`,
  );
