import { rows, type Client, type Queryable } from '../db/db.ts';

export interface MailRow {
  id: string;
  message_id: string;
  to_name: string;
  to_address: string;
  from_address: string;
  reply_to: string;
  subject: string;
  html: string;
  body: string;
  sent_at: Date | null;
  delivered_at: Date | null;
  response: string | null;
}

export type MailDraft = Omit<MailRow, 'id' | 'sent_at' | 'delivered_at' | 'response'>;

// tried again, a message keeps its Message-ID and gets its words anew: "in 2 days" may be "in 1 day" by now
const PUT_MAILS = `
insert into mails (message_id, to_name, to_address, from_address, reply_to, subject, html, body)
select *
from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[], $8::text[])
on conflict (message_id) do update set
  to_name = excluded.to_name, to_address = excluded.to_address, from_address = excluded.from_address, reply_to = excluded.reply_to,
  subject = excluded.subject, html = excluded.html, body = excluded.body
returning id, message_id
`;

/** Stores messages as they will be read. @returns the id of each by its Message-ID */
export async function putMails(db: Client, drafts: readonly MailDraft[]): Promise<Map<string, string>> {
  const column = (name: keyof MailDraft): string[] => drafts.map((draft) => draft[name]);
  const stored = await rows<{ id: string; message_id: string }>(db, PUT_MAILS, [
    column('message_id'), column('to_name'), column('to_address'), column('from_address'), column('reply_to'), column('subject'), column('html'), column('body'),
  ]); // prettier-ignore
  return new Map(stored.map((row) => [row.message_id, row.id]));
}

const LIST_MAILS = `
select id, message_id, to_name, to_address, from_address, reply_to, subject, html, body, sent_at, delivered_at, response
from mails
where id = any($1::bigint[])
`;

export const listMails = (db: Queryable, ids: readonly string[]): Promise<MailRow[]> => rows<MailRow>(db, LIST_MAILS, [ids]);
