import type { MessageFile } from '../handouts/files.ts';
import { rows, type Client, type Queryable } from '../db/db.ts';
import { queueSealed } from '../seals/seals.repo.ts';

/** A message as it was composed, once, for one notice or more; never changed. */
export interface MessageRow {
  id: string;
  message_id: string;
  to_name: string;
  to_address: string;
  /** null of one from before names were kept: the house's */
  from_name: string | null;
  from_address: string;
  reply_to: string;
  replies_to: string | null;
  subject: string;
  html: string;
  body: string;
  calendar: string | null;
  /** what went with it; null is nothing */
  files: MessageFile[] | null;
  composed_at: Date;
  /** it was on the wire, and nobody knows with what end */
  may_have_arrived: boolean;
}
export type MessageDraft = Omit<MessageRow, 'id' | 'composed_at' | 'may_have_arrived'>;

const INSERT_MESSAGES = `
with made as (
  insert into messages (message_id, to_name, to_address, from_name, from_address, reply_to, replies_to, subject, html, body, calendar, files, composed_at)
  select r.*, $13::timestamptz
  from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[], $9::text[], $10::text[], $11::text[], $12::jsonb[]) as r
  returning id, message_id
),
queued as (
  ${queueSealed('message', 'made')}
)
select id, message_id
from made
`;

/** Stores messages as they will be read. @returns the id of each by its Message-ID */
export async function insertMessages(db: Client, drafts: readonly MessageDraft[], composedAt: number): Promise<Map<string, string>> {
  if (drafts.length === 0) return new Map();
  const column = (name: Exclude<keyof MessageDraft, 'files'>): (string | null)[] => drafts.map((draft) => draft[name]);
  const stored = await rows<{ id: string; message_id: string }>(db, INSERT_MESSAGES, [
    column('message_id'),
    column('to_name'),
    column('to_address'),
    column('from_name'),
    column('from_address'),
    column('reply_to'),
    column('replies_to'),
    column('subject'),
    column('html'),
    column('body'),
    column('calendar'),
    drafts.map(({ files }) => (files?.length ? JSON.stringify(files) : null)),
    new Date(composedAt),
  ]);
  return new Map(stored.map((row) => [row.message_id, row.id]));
}

const LIST_MESSAGES = `
select id, message_id, to_name, to_address, from_name, from_address, reply_to, replies_to, subject, html, body, calendar, files, composed_at,
  exists (select from deliveries d where d.message_id = messages.id and d.outcome is null) as may_have_arrived
from messages
where id = any($1::bigint[])
`;

export const listMessages = (db: Queryable, ids: readonly string[]): Promise<MessageRow[]> => rows<MessageRow>(db, LIST_MESSAGES, [ids]);

/** One attempt to bring a message to its address, and what came of it. */
export interface DeliveryRow {
  id: string;
  message_id: string;
  channel: 'mail' | 'chat';
  /** the mail address, or the name in the chat */
  address: string;
  attempt: number;
  handed_at: Date;
  answered_at: Date | null;
  /** null while nobody knows: on the wire, or cut off */
  outcome: 'accepted' | 'refused' | 'later' | null;
  answer: string | null;
  delivered_at: Date | null;
  report: string | null;
}

const LIST_DELIVERIES = `
select id, message_id, channel, address, attempt, handed_at, answered_at, outcome, answer, delivered_at, report
from deliveries
where message_id = any($1::bigint[])
order by message_id, attempt
`;

/** The attempts of some messages, each message's in their order. */
export const listDeliveries = (db: Queryable, messageIds: readonly string[]): Promise<DeliveryRow[]> =>
  rows<DeliveryRow>(db, LIST_DELIVERIES, [messageIds]);

const INSERT_DELIVERIES = `
insert into deliveries (message_id, channel, address, attempt, handed_at)
select r.id, r.channel, r.address, 1 + coalesce((select max(d.attempt) from deliveries d where d.message_id = r.id), 0), $4::timestamptz
from unnest($1::bigint[], $2::text[], $3::text[]) as r (id, channel, address)
returning id, message_id
`;

/** Notes that messages are being handed over. @returns the attempt of each message */
export async function insertDeliveries(
  db: Client,
  list: readonly { message: string; channel: DeliveryRow['channel']; address: string }[],
  now: number,
): Promise<Map<string, string>> {
  const made = await rows<{ id: string; message_id: string }>(db, INSERT_DELIVERIES, [
    list.map(({ message }) => message),
    list.map(({ channel }) => channel),
    list.map(({ address }) => address),
    new Date(now),
  ]);
  return new Map(made.map((row) => [row.message_id, row.id]));
}
