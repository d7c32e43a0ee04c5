import { z } from 'zod';
import { Line } from '../common.ts';

/** What the workplace chat is handed by webhook: a message to one person, or to a channel that many read. */
export const ChatMessage = z.object({
  to: z.union([z.object({ person: z.string() }), z.object({ channel: z.string() })]),
  /** who says it */
  from: z.string(),
  /** null of a line in a channel */
  subject: z.string().nullable(),
  /** plain text; addresses in it are links */
  text: z.string(),
  sentAt: z.string(),
});
export type ChatMessage = z.infer<typeof ChatMessage>;

/** What the chat answers: some words, and why it did not take a message where that is its addressee's name. */
export const ChatAnswer = z.object({ words: z.string().optional(), reason: z.literal('unknown-name').optional() });
export type ChatAnswer = z.infer<typeof ChatAnswer>;

/** POST /api/chat/replies, signed: what a person wrote back in the chat */
export const ChatReply = z.object({
  /** the chat name of who wrote */
  from: Line(80),
  /** the webhook-id of the message that it answers */
  answers: z.string().regex(/^message-\d{1,18}$/, 'expected the id of a message of ours'),
  text: z.string().trim().min(1, 'expected some words').max(20_000),
  sentAt: z.iso.datetime({ offset: true }),
});
export type ChatReply = z.infer<typeof ChatReply>;
