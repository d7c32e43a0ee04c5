import type { Chat } from '../chat/chat.ts';
import type { Pace } from './pace.ts';

/** A message on its way to one address, as a channel hands it over. */
export interface Letter {
  /** the id of the message in the database */
  messageId: string;
  /** the attempt that this is, and what a delivery report names it by */
  deliveryId: string;
  envelopeId: string;
  /** the sender of the envelope, to which what comes back goes; without one that of its head */
  envelopeFrom?: string;
  /** the Message-ID of its head (RFC 5322); the same at each attempt */
  headerId: string;
  fromName: string;
  fromAddress: string;
  replyTo: string;
  toName: string;
  toAddress: string;
  listId: string;
  organisation: string;
  subject: string;
  html: string;
  text: string;
  date: Date;
  /** a date for the reader's calendar (RFC 5546) */
  calendar?: string | null;
  /** what it answers (RFC 5322, 3.6.4) */
  inReplyTo?: string | null;
  references?: string | null;
  /** somebody wrote it: it is no mail of a machine, and of no list */
  isByHand?: boolean;
  /** where its reader has no more of the kind with one press (RFC 8058); only of what may be declined */
  unsubscribe?: string;
  files?: readonly { name: string; type: string; content: Buffer; cid?: string }[];
  /** which way it goes; its address is the name that its reader has there. Mail, where it is not given */
  channel?: 'mail' | 'chat';
  /** where that way is closed there is another one */
  hasOtherWay?: boolean;
}

/**
 * Whose matter it is that a letter was not taken: the channel's (nothing goes: it does not answer, does not know our
 * password, does not take our address), this address's, this letter's, or this way's: then it goes another way at once.
 */
export type Scope = 'channel' | 'address' | 'letter' | 'way';

/** What the other side made of a letter. */
export type Handover =
  | { outcome: 'accepted'; response: string }
  /** refused for good: there is no such address */
  | { outcome: 'refused'; response: string }
  /** not now: to be tried again */
  | { outcome: 'later'; response: string; scope: Scope; chat?: 'down' | 'unknown-name' }
  /** nobody knows whether it was taken: it goes again under the same Message-ID */
  | { outcome: 'unknown'; response: string };

/** A way to bring messages to people. Mail is the first; each is a port that the dispatcher hands letters to. */
export interface Channel {
  readonly name: string;
  /** letters that it has on the wire at once, at the most */
  readonly width: number;
  /** how much of it may go in a minute; without one, as much as it takes */
  readonly pace?: Pace;
  /** the workplace chat beside it, where there is one */
  readonly chat?: Chat;
  send(letter: Letter): Promise<Handover>;
  close(): void;
}
