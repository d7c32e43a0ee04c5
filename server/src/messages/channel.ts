/** A message on its way to one address, as a channel hands it over. */
export interface Letter {
  /** the id of the message in the database: what a delivery report names */
  messageId: string;
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
}

/** What the other side made of a letter. */
export type Handover =
  | { outcome: 'accepted'; response: string }
  /** refused for good (5xx): the address does not work */
  | { outcome: 'refused'; response: string }
  /** not now (4xx, or the server does not answer): to be tried again */
  | { outcome: 'later'; response: string };

/** A way to bring messages to people. Mail is the first; each is a port that the dispatcher hands letters to. */
export interface Channel {
  readonly name: string;
  send(letter: Letter): Promise<Handover>;
  close(): void;
}
