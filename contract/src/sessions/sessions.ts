import type { SessionRules, SignOffOutcome } from '@nudrik/core';
import { z } from 'zod';
import { Id, Line, LocalDate, TimeOfDay, type ForeseenMessage } from '../common.ts';

/** How people come to a seat, as it is written of a unit. */
export const SessionRulesDraft = z.object({
  employees: z.boolean(),
  managers: z.boolean(),
  rule: z.boolean(),
  closes: z
    .number()
    .int()
    .min(0)
    .max(24 * 60, 'expected at most 60 days'),
}) satisfies z.ZodType<SessionRules>;

/** A session as it is written: its times on the clock of where it takes place. */
export const SessionDraft = z.object({
  title: Line(120, 'a session needs a name'),
  on: LocalDate,
  starts: TimeOfDay,
  /** the last day; of most sessions the same */
  endsOn: LocalDate,
  ends: TimeOfDay,
  /** the site whose clock it goes by */
  site: Id,
  place: z.string().trim().max(200).nullable().default(null),
  link: z.string().trim().max(500).nullable().default(null),
  seats: z.number().int().min(1).max(5000),
  trainerId: Id.nullable().default(null),
});
export type SessionDraft = z.infer<typeof SessionDraft>;

/** POST /api/courses/:course/sessions/:unit: `save` is another for each, so that one whose answer was lost may come again */
export const NewSession = SessionDraft.extend({ save: z.string().min(8).max(60) });
export type NewSession = z.infer<typeof NewSession>;

/** POST /api/sessions/:id, …/preview: `told` is what those concerned read of why */
export const SessionChange = SessionDraft.extend({ told: z.string().trim().max(500).nullable().default(null) });
export type SessionChange = z.infer<typeof SessionChange>;

/** POST /api/sessions/:id/cancel, …/cancel/preview */
export const SessionCancel = z.object({ told: z.string().trim().max(500).nullable().default(null) });

/** POST /api/sessions/:id/seats: `anyway` although it clashes with something */
export const SeatDraft = z.object({ assignmentId: Id, anyway: z.boolean().default(false) });
export type SeatDraft = z.infer<typeof SeatDraft>;
/** POST /api/learning/:token/units/:unit/seat */
export const OwnSeatDraft = z.object({ session: Id, anyway: z.boolean().default(false) });

/** What came of asking for a seat. */
export interface SeatAnswer {
  state: 'seat' | 'waiting' | 'given-up';
  words: string;
}

/** A session as anybody sees it. */
export interface SessionView {
  id: string;
  title: string;
  startsAt: string;
  endsAt: string;
  zone: string;
  place: string | null;
  link: string | null;
  seats: number;
  taken: number;
  waiting: number;
  trainer: { id: string; name: string } | null;
  /** who came can be recorded */
  isHeld: boolean;
  cancelled: { at: string; byWhom: string; told: string | null } | null;
}
export interface SeatRow {
  assignmentId: string;
  person: { id: string; name: string };
  department: string;
  site: string;
  state: 'seat' | 'waiting';
  since: string;
  byWhom: string;
  /** what they cannot come for, in words */
  clash: string | null;
  /** how it came out; null where nothing was recorded */
  outcome: SignOffOutcome | null;
}

/** GET /api/courses/:course/sessions/:unit */
export interface SessionsView {
  course: { id: string; title: string };
  unit: { id: string; title: string };
  rules: SessionRules;
  now: string;
  sessions: (SessionView & { draft: SessionDraft; people: SeatRow[] })[];
  /** who has the course open, did not do this yet, and has no seat in a session to come; at most 500 of them */
  unseated: { assignmentId: string; person: { id: string; name: string }; department: string; site: string; dueAt: string }[];
  unseatedCount: number;
}

/** What a change of a session comes to for one person. */
export interface SessionForeseen {
  person: string;
  clash: string | null;
  messages: ForeseenMessage[];
}
export interface SessionChangeForeseen {
  people: SessionForeseen[];
  /** planned messages for the former time that fall away */
  falls: number;
}

/** What a manager sees of sessions for the people down their line: GET /api/my-sessions */
export interface MySessions {
  course: { id: string; title: string };
  unit: { id: string; title: string };
  closes: number;
  sessions: SessionView[];
  people: { assignmentId: string; person: { id: string; name: string }; session: string | null; state: 'seat' | 'waiting' | null }[];
}

/** What an employee sees of the sessions of a unit. */
export interface LearningSessions {
  mayChoose: boolean;
  /** hours before the start until which a seat may be taken or given up */
  closes: number;
  sessions: (SessionView & { mine: 'seat' | 'waiting' | null; isClosed: boolean; clash: string | null })[];
}
