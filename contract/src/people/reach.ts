import { z } from 'zod';
import { WAYS, type Way } from '@nudrik/core';
import { TimeOfDay } from '../common.ts';
import type { Declined } from '../declines/declines.ts';

/** How somebody is told, as their sheet and their own page show it. GET /api/learning/:token/reach; in GET /api/my-training and /api/people/:id */
export interface ReachView {
  /** null is as the house has it, where a step does not say otherwise */
  by: Way | null;
  houseBy: Way;
  /** what the chat knows them by, where there is a chat that does; null where there is no other way than mail */
  chatName: string | null;
  /** all of a day at once, at this local time; null is each at its own moment */
  dailyAt: string | null;
  /** whether they have people below them; what they hear of those may come at once */
  leads: boolean;
  digest: { at: string; on: number | null } | null;
  declined: Declined[];
}

/** PUT /api/my-training/reach and /api/learning/:token/reach: what is left out stays as it is */
export const ReachChange = z.strictObject({
  by: z.enum(WAYS).nullable().optional(),
  dailyAt: TimeOfDay.nullable().optional(),
  digest: z
    .strictObject({ at: TimeOfDay, on: z.number().int().min(1).max(7).nullable() })
    .nullable()
    .optional(),
});
export type ReachChange = z.infer<typeof ReachChange>;
