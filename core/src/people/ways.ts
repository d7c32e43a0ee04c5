import type { Person, Settings } from './person.ts';

/** How a message reaches somebody: by mail, in the workplace chat in place of it, or by mail and in the chat beside it. */
export const WAYS = ['mail', 'chat', 'both'] as const;
export type Way = (typeof WAYS)[number];

export const WAY_WORDS: Record<Way, string> = {
  mail: 'by mail',
  chat: 'in the chat, by mail where that fails',
  both: 'by mail, and in the chat beside it',
};

/** A chat name as it is kept: without the sign that many write before it; null for nothing. */
export const readChatName = (text: string): string | null => text.trim().replace(/^@+\s*/, '') || null;

/** Whether somebody can be told something in the chat. */
export const canChat = (person: Person, settings: Settings): boolean =>
  settings.hasChat === true && (person.chatName ?? null) !== null && person.isChatReachable !== false;
export const canMail = (person: Person): boolean => person.isReachable && person.email !== null;

/**
 * The way a message takes to somebody: as its step says, else as the person has it, else as the house has it; the other way where
 * that one is closed. @returns null where both are
 */
export function wayTo(person: Person, step: { by?: Way | null }, settings: Settings): Way | null {
  const chat = canChat(person, settings);
  if (!canMail(person)) return chat ? 'chat' : null;
  return chat ? (step.by ?? person.by ?? settings.by ?? 'mail') : 'mail';
}
