import { canMail, wayTo, type Instant, type PlanStep, type Recipient, type Settings } from '@nudrik/core';
import type { Pool, Queryable } from '../db/db.ts';
import { findPause, pauseChannel, resumeChannel } from '../messages/channels.repo.ts';
import type { Result } from '../notices/wire.ts';
import { markUnknown } from './chat.repo.ts';

/** Which way a message takes now: by its step, its reader and the house, and by what the chat does at present. */
export interface WayNow {
  channel: 'mail' | 'chat';
  /** the name or address that its reader has there */
  address: string;
  /** it goes to the chat too, beside mail: under this name */
  beside: string | null;
  hasOtherWay: boolean;
}

/** Whether the chat takes something at present: it is asked anew when its pause is over. */
export async function isChatOpen(db: Queryable, settings: Settings, now: Instant): Promise<boolean> {
  if (!settings.hasChat) return false;
  const pause = await findPause(db, 'chat');
  return pause === null || pause.paused_until.getTime() <= now;
}

/**
 * @param hasFailed the chat did not take it before
 * @param needsMail it brings what a chat cannot: a file, or a date for the calendar
 */
export function wayNow(
  step: PlanStep,
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

/** What the chat said of itself and of names, from the answers to letters. */
export async function storeChat(db: Pool, results: readonly Result[], now: Instant): Promise<void> {
  const chats = results.filter(({ letter }) => letter.channel === 'chat');
  if (chats.length === 0) return;
  for (const { letter, handover } of chats)
    if (handover.outcome === 'later' && handover.chat === 'unknown-name') await markUnknown(db, letter.toAddress, handover.response);
  const down = chats.find(({ handover }) => handover.outcome === 'later' && handover.chat === 'down');
  if (down) await pauseChannel(db, 'chat', down.handover.response, now);
  else if (chats.some(({ handover }) => handover.outcome === 'accepted')) await resumeChannel(db, 'chat');
}
