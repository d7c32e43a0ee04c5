import { contrastWithWhite, LANGUAGE_TAGS, PLAIN_FRAME, WAYS } from '@nudrik/core';
import { z } from 'zod';
import { TimeOfDay, Version, Line, MailAddress } from './common.ts';

const Words = Line(200);

/** PUT /api/settings: what the house goes by */
export const SettingsDraft = z
  .object({
    version: Version,
    organisation: Words,
    /** an IANA zone; tables of many people tell their moments in it */
    zone: z.string().min(1, 'expected a time zone like Europe/Oslo').max(80),
    place: Words,
    senderName: Words,
    /** what messages are written in where they say nothing else */
    language: z.enum(LANGUAGE_TAGS).default('en'),
    /** how people are told where neither step nor person says it; all by mail where there is no chat */
    by: z.enum(WAYS).default('mail'),
    senderAddress: MailAddress,
    replyTo: MailAddress,
    /** replies go to the trainer of the course that a message is about, where there is one who reads mail */
    repliesToTrainer: z.boolean().default(false),
    /** where replies come in to be kept, an address that the mail server hands to Nudrik; null lets them go past it */
    inboundAddress: MailAddress.refine((address) => address.indexOf('@') <= 24 && !address.includes('+'), {
      message: 'expected at most 24 letters before the @, and no +, since Nudrik puts there what a reply is about',
    })
      .nullable()
      .default(null),
    /** of the buttons of every message; white letters stand on it */
    frameColor: z
      .string()
      .regex(/^#[0-9a-f]{6}$/i, 'expected a colour like #6C2A5E')
      .refine((color) => contrastWithWhite(color) >= 4.5, 'expected a darker colour: white letters on it could not be read')
      .default(PLAIN_FRAME.color),
    /** below every message: who writes, with their postal address */
    imprint: z
      .string()
      .trim()
      .max(500)
      .transform((text) => text || null)
      .nullable()
      .default(null),
    /** the picture comes with each mail; otherwise mail programs fetch it */
    logoEmbedded: z.boolean().default(true),
    windowFrom: TimeOfDay,
    windowTo: TimeOfDay,
    /** messages a person and day; null is no limit */
    dailyLimit: z.number().int().min(1, 'expected 1 or more').max(100).nullable(),
    toleranceHours: z.number().int().min(0).max(720),
    settleMinutes: z.number().int().min(0).max(1_440),
    /** what a new requirement begins with */
    graceDays: z.number().int().min(1, 'expected 1 day or more').max(3_650),
    /** days that a personal link goes on working after its assignment was closed; null is without end */
    linkDays: z.number().int().min(0).max(3_650).nullable(),
    /** by how many days a manager may move a due date; null is as they like, 0 is not at all */
    managerExtendDays: z.number().int().min(0).max(365).nullable().default(null),
    /** days after which Today says that nobody answered what the line was told of somebody late */
    unansweredDays: z.number().int().min(1, 'expected 1 day or more').max(365).default(5),
    /** the first day of a week in calendars: 1 (Monday) … 7 (Sunday) */
    weekStartsOn: z.number().int().min(1).max(7),
  })
  .refine(({ windowFrom, windowTo }) => windowFrom < windowTo, {
    path: ['windowTo'],
    message: 'expected a time after the beginning of the window',
  });
export type SettingsDraft = z.infer<typeof SettingsDraft>;

/** GET /api/settings */
export interface SettingsView extends SettingsDraft {
  changedAt: string | null;
  changedBy: string | null;
  /** host and port of the mail server; set where the program is started, and never shown with its password */
  mailServer: string;
  isDemo: boolean;
  /** there is a workplace chat, set where the program is started (CHAT_URL) */
  hasChat: boolean;
  /** where the picture above every message is; null for none */
  logo: string | null;
}

/** GET /api/mailbox: the mailbox that mail is fetched from, set where the program is started (IMAP_URL); null where there is none */
export interface MailboxView {
  /** user, host and folder */
  name: string;
  /** when it was looked into the last time; null before the first */
  lookedAt: string | null;
  /** since when it cannot be looked into, and why */
  failingSince: string | null;
  words: string | null;
  /** mails that were taken from it */
  taken: number;
  /** those that could not be taken, the newest first: they lie there still, flagged. POST /api/mailbox/seen takes them off the list. */
  left: { at: string; from: string; subject: string; why: string }[];
}

/** POST /api/settings/test-mail */
export const TestMailRequest = z.object({ to: MailAddress });
export interface TestMailResult {
  isAccepted: boolean;
  words: string;
}
