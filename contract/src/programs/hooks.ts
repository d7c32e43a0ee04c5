import { z } from 'zod';
import { Line } from '../common.ts';

/** What another program can be told of, as it happens. */
export const HOOK_EVENTS = {
  assigned: 'somebody was asked for a course',
  finished: 'somebody finished one',
  extended: 'a due date was moved',
  waived: 'somebody was excused from one',
  withdrawn: 'a course was taken back from somebody',
  reopened: 'a course is asked for again',
  'certificate-issued': 'a certificate was issued',
  undone: 'something of these was undone',
} as const;
export type HookEvent = keyof typeof HOOK_EVENTS;
export const HOOK_EVENT_KINDS = Object.keys(HOOK_EVENTS) as [HookEvent, ...HookEvent[]];

/** POST /api/programs/hooks */
export const HookDraft = z.object({
  name: Line(80, 'expected what the address is for'),
  url: z.url({ protocol: /^https?$/, error: 'expected an address like https://personnel.example/told' }).max(500),
  what: z.array(z.enum(HOOK_EVENT_KINDS)).min(1, 'expected at least one thing that it is told of'),
});
export type HookDraft = z.infer<typeof HookDraft>;
/** The secret that its calls are signed with: it is told once, and never again */
export interface HookMade {
  id: string;
  secret: string;
}

export interface HookRow {
  id: string;
  name: string;
  url: string;
  what: HookEvent[];
  madeAt: string;
  madeBy: string;
  endedAt: string | null;
  endedBy: string | null;
  failingSince: string | null;
  /** what it is tried again for, and when */
  tryAt: string | null;
  told: number;
  waiting: number;
  /** what was not taken, and what of it somebody left */
  failed: number;
  left: number;
}
export interface HookCallRow {
  id: string;
  what: HookEvent;
  words: string;
  at: string;
  state: 'waiting' | 'told' | 'failed';
  attempts: number;
  tryAt: string | null;
  answeredAt: string | null;
  /** what it answered */
  answer: string | null;
  /** who said that it is left, though it was not taken */
  leftBy: string | null;
}
/** GET /api/programs/hooks */
export interface HooksView {
  hooks: HookRow[];
}
/** GET /api/programs/hooks/:id/calls */
export interface HookCallsView {
  rows: HookCallRow[];
  next: string | null;
}
