import { z } from 'zod';
import { Line } from '../common.ts';

/** What was said in the demo's chat: by Nudrik, or by a person who wrote back. */
export interface ChatRoomWord {
  id: string;
  from: string;
  /** of a person who wrote back */
  isBack: boolean;
  subject: string | null;
  text: string;
  at: string;
}
/** A private conversation with somebody, or a channel that many read. */
export interface ChatRoomThread {
  key: string;
  name: string;
  isChannel: boolean;
  words: number;
  last: ChatRoomWord;
}
/** GET /api/chat-room */
export interface ChatRoomView {
  isUp: boolean;
  /** names that it does not know */
  unknown: string[];
  threads: ChatRoomThread[];
  /** the words of the thread that was asked for; null for none */
  open: { key: string; name: string; isChannel: boolean; words: ChatRoomWord[] } | null;
}
/** PUT /api/chat-room/behaviour */
export const ChatRoomChange = z.strictObject({
  isUp: z.boolean().optional(),
  /** a name that it is not to know, or to know again */
  name: z.object({ name: Line(80), isKnown: z.boolean() }).optional(),
});
export type ChatRoomChange = z.infer<typeof ChatRoomChange>;
/** POST /api/chat-room/replies: what somebody writes back to the last message that they were sent */
export const ChatRoomReply = z.strictObject({ thread: Line(100), words: z.string().trim().min(1, 'expected some words').max(20_000) });
