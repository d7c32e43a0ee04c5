import type { Person, Settings } from './person.ts';
import type { Recipient } from './role.ts';

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

/** Which way a message takes now: by its step, its reader and the house, and by what the chat does at present. */
export interface WayNow {
  channel: 'mail' | 'chat';
  /** the name or address that its reader has there */
  address: string;
  /** it goes to the chat too, beside mail: under this name */
  beside: string | null;
  hasOtherWay: boolean;
}

/**
 * The way of a message at its moment: what the chat does not take, or cannot hold, goes by mail where that is open.
 * @param hasFailed the chat did not take it before
 * @param needsMail it brings what a chat cannot: a file, or a date for the calendar
 */
export function wayNow(
  step: { by?: Way | null },
  { person, address }: Recipient,
  settings: Settings,
  { isOpen, hasFailed, needsMail }: { isOpen: boolean; hasFailed: boolean; needsMail: boolean },
): WayNow {
  const way = person ? wayTo(person, step, settings) : 'mail';
  const mail = (beside: string | null = null): WayNow => ({ channel: 'mail', address: address!, beside, hasOtherWay: false });
  if (!person || way === 'mail' || way === null) return mail();
  const name = person.chatName!;
  const hasOtherWay = canMail(person);
  // beside mail it waits by itself until the chat takes it
  if (way === 'both' || (needsMail && hasOtherWay)) return mail(name);
  if (hasOtherWay && (hasFailed || !isOpen)) return mail();
  return { channel: 'chat', address: name, beside: null, hasOtherWay };
}
