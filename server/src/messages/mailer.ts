import { createTransport, type SendMailOptions, type Transporter, type TransportOptions } from 'nodemailer';

export interface Letter {
  mailId: string;
  messageId: string;
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

/** What the mail server made of a letter. */
export type Handover =
  | { outcome: 'accepted'; response: string }
  /** refused for good (5xx): the address does not work */
  | { outcome: 'refused'; response: string }
  /** not now (4xx, or the server does not answer): to be tried again */
  | { outcome: 'later'; response: string };

export interface Mailer {
  send(letter: Letter): Promise<Handover>;
  close(): void;
}

/** A pooled connection to the mail server. Delivery reports (RFC 3461) are asked for where the server offers them. */
export function openMailer(smtpUrl: string): Mailer {
  const url = new URL(smtpUrl);
  const transport: Transporter = createTransport({
    pool: true,
    maxConnections: 5,
    maxMessages: 1000,
    host: url.hostname,
    port: Number(url.port || (url.protocol === 'smtps:' ? 465 : 25)),
    secure: url.protocol === 'smtps:',
    ignoreTLS: url.hostname === '127.0.0.1' || url.hostname === 'localhost',
    auth: url.username ? { user: decodeURIComponent(url.username), pass: decodeURIComponent(url.password) } : undefined,
    connectionTimeout: 10_000,
    greetingTimeout: 10_000,
    socketTimeout: 30_000,
  } as TransportOptions);

  return {
    async send(letter) {
      try {
        const info = (await transport.sendMail({
          from: { name: letter.fromName, address: letter.fromAddress },
          to: { name: letter.toName, address: letter.toAddress },
          replyTo: letter.replyTo,
          subject: letter.subject,
          text: letter.text,
          html: letter.html,
          messageId: letter.messageId,
          date: letter.date,
          headers: { 'Auto-Submitted': 'auto-generated' },
          list: { id: { url: letter.listId, comment: `${letter.organisation} training` } },
          dsn: { id: letter.mailId, return: 'headers', notify: ['success', 'failure'], recipient: letter.fromAddress },
        } as SendMailOptions)) as { response: string };
        return { outcome: 'accepted', response: info.response };
      } catch (error) {
        return handoverOf(error as Error & { responseCode?: number; response?: string; code?: string });
      }
    },
    close: () => transport.close(),
  };
}

function handoverOf(error: Error & { responseCode?: number; response?: string; code?: string }): Handover {
  const response =
    error.response ?? (error.code === 'ECONNREFUSED' || error.code === 'ESOCKET' ? 'the mail server does not answer' : error.message);
  return { outcome: error.responseCode !== undefined && error.responseCode >= 500 ? 'refused' : 'later', response };
}
