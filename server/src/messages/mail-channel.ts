import { createTransport, type SendMailOptions, type Transporter, type TransportOptions } from 'nodemailer';

import type { Channel, Handover, Letter } from './channel.ts';

/** A letter as the mail library takes it: with its list (RFC 2919), as sent by a machine (RFC 3834), with reports asked for. */
export const mailOf = (letter: Letter): SendMailOptions =>
  ({
    from: { name: letter.fromName, address: letter.fromAddress },
    to: { name: letter.toName, address: letter.toAddress },
    replyTo: letter.replyTo,
    subject: letter.subject,
    text: letter.text,
    html: letter.html,
    messageId: letter.headerId,
    date: letter.date,
    headers: { 'Auto-Submitted': 'auto-generated' },
    list: { id: { url: letter.listId, comment: `${letter.organisation} training` } },
    dsn: { id: letter.messageId, return: 'headers', notify: ['success', 'failure'], recipient: letter.fromAddress },
  }) as SendMailOptions;

/** A pooled connection to the mail server. Delivery reports (RFC 3461) are asked for where the server offers them. */
export function openMailChannel(smtpUrl: string): Channel {
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
    name: 'mail',
    async send(letter) {
      try {
        const info = (await transport.sendMail(mailOf(letter))) as { response: string };
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
