import type { SendMailOptions } from 'nodemailer';
import type { House } from '../house/house.ts';
import { calendarParts } from './calendar.ts';
import type { MessageRow } from './messages.repo.ts';
import { withoutLinks, withoutLinksIn } from './redacted.ts';
import { withoutTag } from './reply-address.ts';

/** Columns of messages m, as they are written down for others than their readers. */
export const SENT_COLUMNS =
  'm.id, m.message_id, m.to_name, m.to_address, m.from_name, m.from_address, m.reply_to, m.replies_to, m.subject, m.html, m.body, m.calendar, m.files, m.composed_at';
export type SentRow = Omit<MessageRow, 'may_have_arrived'>;

/** A message as it was sent, with the personal link left out: it would let its holder act as its reader. */
export const asSent = (message: SentRow, { senderName }: Pick<House, 'senderName'>): SendMailOptions => ({
  from: { name: message.from_name ?? senderName, address: message.from_address },
  to: { name: message.to_name, address: message.to_address },
  replyTo: withoutTag(message.reply_to),
  subject: message.subject,
  text: withoutLinksIn(message.body),
  html: withoutLinks(message.html),
  messageId: message.message_id,
  ...calendarParts(message.calendar),
  headers: { 'Auto-Submitted': 'auto-generated' },
});
