import { z } from 'zod';
import { MailAddress } from '../common.ts';

/**
 * How an address answers: `ok` takes mail; `bounce` refuses for good (550), `full` for now (452), `grey` at the first try alone (451); `slow`
 * answers late; `drops` hangs up in the midst; `returns` takes mail and reports later that it could not be delivered; `away` answers
 * by itself that somebody is away; `answers` is somebody who writes back.
 */
export const Behaviour = z.enum(['ok', 'bounce', 'full', 'grey', 'slow', 'drops', 'returns', 'away', 'answers']);
export type Behaviour = z.infer<typeof Behaviour>;
export const BehaviourChange = z.object({
  /** one address, or all of a domain: `@elsewhere.example` */
  address: z.union([MailAddress, z.string().regex(/^@[\w-]+(\.[\w-]+)+$/)]),
  behaviour: Behaviour,
  /** of one that answers or returns: so many simulated hours after the mail was taken */
  afterHours: z.number().int().min(0).max(720).default(0),
});
/** How an address answers, and after how many hours. */
export interface AddressBehaviour {
  behaviour: Behaviour;
  afterHours: number;
}

/** POST of the post room's own /clock: simulated time has come there; it answers when it has something to do next */
export const PostRoomClock = z.object({ now: z.iso.datetime({ offset: true }) });
export interface PostRoomNext {
  nextAt: string | null;
}

/** POST /api/post-room/mails/:id/reply: what its reader writes back */
export const PostRoomReply = z.object({ words: z.string().trim().min(1, 'expected some words').max(20_000) });

/** What the whole server refuses: our password, or a connection that is not encrypted. */
export const ServerRefusal = z.enum(['password', 'tls']);
export type ServerRefusal = z.infer<typeof ServerRefusal>;
/**
 * PUT /api/post-room/server: the whole server up or down, what it refuses, and whether what comes back lies in the mailbox that Nudrik
 * looks into, or is handed to it at once; left out stays as it is.
 */
export const ServerChange = z.object({
  isUp: z.boolean(),
  refuses: ServerRefusal.nullable().default(null),
  isLeft: z.boolean().optional(),
});

export interface PostRoomMail {
  id: string;
  to: string;
  from: string;
  subject: string;
  receivedAt: string;
  bytes: number;
}

export interface PostRoomView {
  isUp: boolean;
  refuses: ServerRefusal | null;
  /** what comes back lies in the mailbox */
  isLeft: boolean;
  mails: PostRoomMail[];
  total: number;
  behaviours: ({ address: string } & AddressBehaviour)[];
}

export interface PostRoomLetter extends PostRoomMail {
  html: string | null;
  text: string | null;
  headers: { name: string; value: string }[];
}
