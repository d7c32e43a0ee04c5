import { ChatAnswer, type ChatMessage } from '@nudrik/contract';
import { oneLine } from '@nudrik/core';
import type { Channel, Handover, Letter } from '../messages/channel.ts';
import { signCall } from './webhook.ts';

/** Where the workplace chat takes messages, and what both sides sign with. */
export interface ChatSettings {
  url: string;
  secret: string;
}

/** What the chat made of a message. */
export type ChatResult =
  | { outcome: 'accepted'; words: string }
  /** there is nobody of that name, or no such channel */
  | { outcome: 'unknown-name'; words: string }
  /** this message was not taken */
  | { outcome: 'refused'; words: string }
  /** it takes nothing at all; silent: it said nothing either, so that asking it costs time */
  | { outcome: 'down'; words: string; isSilent?: boolean };

/** The workplace chat as Nudrik sees it: it takes a message to one person, or to a channel. */
export interface Chat {
  /** @param id the same at each try, so that what arrives twice is shown once */
  post(id: string, message: ChatMessage): Promise<ChatResult>;
}

/** what one message may take */
const POST_MS = 10_000;

/** Hands messages to a chat service by signed webhook. */
export const openChat = ({ url, secret }: ChatSettings, limit = POST_MS): Chat => ({
  async post(id, message) {
    const body = JSON.stringify(message);
    let response: Response;
    try {
      response = await fetch(url, {
        method: 'POST',
        body,
        headers: { 'content-type': 'application/json', ...signCall(secret, id, body, new Date()) },
        redirect: 'manual',
        signal: AbortSignal.timeout(limit),
      });
    } catch (error) {
      const { name, cause, message: words } = error as Error;
      if (name === 'TimeoutError')
        return { outcome: 'down', words: `the chat gave no answer within ${Math.round(limit / 1000)} seconds`, isSilent: true };
      return {
        outcome: 'down',
        words: `the chat does not answer: ${oneLine((cause as Error | undefined)?.message || words, 200)}`,
        isSilent: true,
      };
    }
    const answer = await answerOf(response);
    const words = `${response.status} ${oneLine(answer.words || response.statusText, 200)}`.trim();
    if (response.ok) return { outcome: 'accepted', words };
    if (answer.reason === 'unknown-name') return { outcome: 'unknown-name', words };
    return { outcome: response.status === 400 || response.status === 413 || response.status === 422 ? 'refused' : 'down', words };
  },
});

/** What it says beside its status; one that says nothing readable says nothing. */
async function answerOf(response: Response): Promise<ChatAnswer> {
  try {
    return ChatAnswer.parse(JSON.parse((await response.text()).slice(0, 10_000)));
  } catch {
    return {};
  }
}

/** Text that a chat shows at once; what is longer is cut where a line ends, and leads to the whole. */
const MOST = 4_000;
export function inChat(text: string, subject: string): string {
  // what sets the last line of a mail apart is nothing in a chat (RFC 3676, 4.3)
  const trimmed = text.trim().replace(/\n-- \n/g, '\n');
  if (trimmed.length <= MOST) return trimmed;
  const cut = trimmed.slice(0, MOST);
  const end = cut.lastIndexOf('\n');
  const links = trimmed.slice(MOST).match(/https?:\/\/\S+/g) ?? [];
  return [
    `${(end > MOST / 2 ? cut.slice(0, end) : cut).trim()} …`,
    `The rest of “${subject}” is too long for the chat.`,
    ...new Set(links),
  ].join('\n\n');
}

/** A letter as the chat shows it. */
export const chatMessageOf = (letter: Letter): ChatMessage => ({
  to: { person: letter.toAddress },
  from: letter.fromName,
  subject: letter.subject,
  text: inChat(letter.text, letter.subject),
  sentAt: letter.date.toISOString(),
});

/** how long one that said nothing is not asked on behalf of letters that may go by mail */
const SILENT_MS = 5_000;

/** Mail and chat as one: each letter goes by its own way. What the chat does not take goes by mail at once, where there is an address. */
export function withChat(mail: Channel, chat: Chat | null): Channel {
  if (chat === null) return mail;
  let silence = { until: 0, words: '' };
  const send = async (letter: Letter): Promise<Handover> => {
    if (letter.channel !== 'chat') return mail.send(letter);
    // letters that wait behind one which was not answered do not wait for the same silence
    if (letter.hasOtherWay && performance.now() < silence.until)
      return { outcome: 'later', response: silence.words, scope: 'way', chat: 'down' };
    const result = await chat.post(`message-${letter.messageId}`, chatMessageOf(letter));
    const { outcome, words } = result;
    if (outcome === 'down' && result.isSilent) silence = { until: performance.now() + SILENT_MS, words };
    if (outcome === 'accepted') return { outcome, response: words };
    const scope = letter.hasOtherWay || outcome === 'unknown-name' ? 'way' : 'letter';
    return { outcome: 'later', response: words, scope, ...(outcome !== 'refused' && { chat: outcome }) };
  };
  return {
    name: mail.name,
    width: mail.width,
    ...(mail.pace && { pace: mail.pace }),
    chat,
    send,
    close: () => mail.close(),
  };
}
