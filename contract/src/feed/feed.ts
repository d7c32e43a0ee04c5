import { z } from 'zod';
import { markDamaged, type Rejection } from '@nudrik/core';

/** GET /api/people/feed */
export interface FeedView {
  url: string;
  isOn: boolean;
  times: string[];
  nextAt: string | null;
  lastOkAt: string | null;
  changeShare: number;
  /** whether the demo's stand-in can be told to misbehave */
  isStandIn: boolean;
  mode: FeedMode | null;
  pulls: PullRow[];
  /** on the roster and not in the feed */
  strangers: { id: string; name: string }[];
}
export interface PullRow {
  id: string;
  at: string;
  outcome: 'unchanged' | 'taken' | 'held' | 'failed' | 'declined';
  words: string;
  rejected: Rejection[];
  importId: string | null;
  decidedBy: string | null;
}

/** PUT /api/people/feed */
export const FeedChange = z.strictObject({
  url: z.url({ protocol: /^https?$/, error: 'expected an address like https://personnel.example/people' }).max(2_000),
  isOn: z.boolean(),
  times: z
    .array(z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'expected a time of day like 06:00'))
    .min(1, 'expected at least one time of day')
    .max(24),
  changeShare: z.number().min(0).max(100),
});
export type FeedChange = z.infer<typeof FeedChange>;

/** How the demo's personnel feed behaves. */
export const FEED_MODES = ['ok', 'down', 'slow', 'cut-off', 'malformed', 'half'] as const;
export type FeedMode = (typeof FEED_MODES)[number];
export const FeedModeChange = z.strictObject({ mode: z.enum(FEED_MODES) });

/**
 * A text of a feed. What cannot be kept is taken as a character that was damaged, and of what is far too long the beginning:
 * then its row is refused with a reason, and not the whole pull.
 */
const Text = z.string().transform((text) => markDamaged(text, 2_000));
const FeedRow = z.object({
  number: Text,
  name: Text,
  email: Text,
  department: Text,
  site: Text,
  job: Text.nullable(),
  language: Text.nullish().transform((language) => language ?? null),
  chatName: Text.nullish().transform((name) => name ?? null),
  manager: Text.nullable(),
  joinedOn: Text.nullable(),
  leftOn: Text.nullable(),
});

/** One page of a personnel feed, as it comes over HTTP. */
export const FeedPage = z.object({
  page: z.number().int().min(1),
  pages: z.number().int().min(0),
  total: z.number().int().min(0),
  people: z.array(FeedRow),
});
export type FeedPage = z.infer<typeof FeedPage>;
export type FeedPerson = FeedPage['people'][number];
