import type { Instant } from '@nudrik/core';
import { maybeRow, type Queryable } from '../db/db.ts';

/** A channel that stands still, and why. */
export interface ChannelPause {
  since: Date;
  paused_until: Date;
  pauses: number;
  words: string;
}

const FIND_PAUSE = 'select since, paused_until, pauses, words from channel_pauses where channel = $1::text';

export const findPause = (db: Queryable, channel: string): Promise<ChannelPause | null> =>
  maybeRow<ChannelPause>(db, FIND_PAUSE, [channel]);

// letters that fail together make one pause, and not one each
const PAUSE = `
insert into channel_pauses as c (channel, since, paused_until, pauses, words)
values ($1::text, $2::timestamptz, $2::timestamptz + interval '1 minute', 1, $3::text)
on conflict (channel) do update set
  words = excluded.words,
  pauses = c.pauses + case when c.paused_until <= $2::timestamptz then 1 else 0 end,
  paused_until = case
    when c.paused_until <= $2::timestamptz then $2::timestamptz + least(30, power(2, least(c.pauses, 10))) * interval '1 minute'
    else c.paused_until
  end
`;

/** Lets a channel stand still: 1, 2, 4 … minutes, half an hour at the most. */
export const pauseChannel = (db: Queryable, channel: string, words: string, now: Instant): Promise<unknown> =>
  db.query(PAUSE, [channel, new Date(now), words]);

const RESUME = 'delete from channel_pauses where channel = $1::text';
const TRY_NOW = 'update channel_pauses set paused_until = $1::timestamptz where paused_until > $1::timestamptz';

/** It took a letter: all goes on. */
export const resumeChannel = (db: Queryable, channel: string): Promise<unknown> => db.query(RESUME, [channel]);
/** Somebody wants to know now. */
export const tryChannelsNow = (db: Queryable, now: Instant): Promise<unknown> => db.query(TRY_NOW, [new Date(now)]);

const NEXT_TRY = 'select min(paused_until) as at from channel_pauses';

/** When the next channel that stands still is tried again. */
export const nextTryAt = async (db: Queryable): Promise<Instant | null> =>
  (await maybeRow<{ at: Date | null }>(db, NEXT_TRY))?.at?.getTime() ?? null;
