import type { Instant, Settings } from '@nudrik/core';
import type { Pool, Queryable } from '../db/db.ts';
import { findPause, pauseChannel, resumeChannel } from '../messages/channels.repo.ts';
import type { Result } from '../notices/wire.ts';
import { markUnknown } from './chat.repo.ts';

/** Whether the chat takes something at present: it is asked anew when its pause is over. */
export async function isChatOpen(db: Queryable, settings: Settings, now: Instant): Promise<boolean> {
  if (!settings.hasChat) return false;
  const pause = await findPause(db, 'chat');
  return pause === null || pause.paused_until.getTime() <= now;
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
