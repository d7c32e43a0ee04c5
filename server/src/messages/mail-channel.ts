import { oneLine } from '@nudrik/core';
import { createTransport, type SendMailOptions, type Transporter, type TransportOptions } from 'nodemailer';

import type { Channel, Handover, Letter, Scope } from './channel.ts';
import { calendarParts } from './calendar.ts';
import { Pace, type PaceLimits } from './pace.ts';
import { withSpare } from './spare.ts';
import { readSigner, signingOf, type Signer, type SignerSettings } from './dkim.ts';

/** Words in a head: what looks like an encoded word (RFC 2047) would be read as what it decodes to. */
const inHead = (text: string): string => text.replace(/=\?/g, '= ?');

/** A letter as the mail library takes it: with its list (RFC 2919), as sent by a machine (RFC 3834), with reports asked for. */
export function mailOf(letter: Letter): SendMailOptions {
  const dates = calendarParts(letter.calendar);
  return {
    from: { name: inHead(letter.fromName), address: letter.fromAddress },
    to: { name: inHead(letter.toName), address: letter.toAddress },
    replyTo: letter.replyTo,
    subject: inHead(letter.subject),
    text: letter.text,
    html: letter.html,
    messageId: letter.headerId,
    date: letter.date,
    ...(letter.inReplyTo && { inReplyTo: letter.inReplyTo }),
    ...(letter.references && { references: letter.references }),
    ...(dates.icalEvent && { icalEvent: dates.icalEvent }),
    ...((letter.files || dates.attachments.length > 0) && {
      attachments: [
        ...(letter.files ?? []).map(({ name, type, content, cid }) => ({
          filename: name,
          contentType: type,
          content,
          ...(cid && { cid, contentDisposition: 'inline' as const }),
        })),
        ...dates.attachments,
      ],
    }),
    ...(!letter.isByHand && {
      headers: { 'Auto-Submitted': 'auto-generated', ...(letter.unsubscribe && { 'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click' }) },
      list: {
        id: { url: letter.listId, comment: `${letter.organisation} training` },
        ...(letter.unsubscribe && { unsubscribe: { url: letter.unsubscribe } }),
      },
    }),
    envelope: { from: letter.envelopeFrom ?? letter.fromAddress, to: letter.toAddress },
    ...(letter.envelopeId && {
      dsn: { id: letter.envelopeId, return: 'headers', notify: ['success', 'failure'], recipient: letter.toAddress },
    }),
  } as SendMailOptions;
}

/** letters on the wire at once */
const WIDTH = 5;
/** what one letter may take, however slowly the server answers */
const LETTER_MS = 50_000;

/** A pooled connection to the mail server, which signs what it sends where it has a key. Delivery reports (RFC 3461) are asked for where the server offers them. */
export function openMailChannel(smtpUrl: string, signer: Signer | null = null, limit = LETTER_MS): Channel {
  const url = new URL(smtpUrl);
  const transport: Transporter = createTransport({
    pool: true,
    maxConnections: WIDTH,
    maxMessages: 1000,
    // a letter whose connection was lost may have arrived: it is ours to say whether it goes again
    maxRequeues: 0,
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
    width: WIDTH,
    async send(letter) {
      // a server that answers a byte a minute is never silent: the whole has a limit too
      const aborting = new AbortController();
      const timer = setTimeout(() => aborting.abort(), limit);
      try {
        const info = (await transport.sendMail({
          ...mailOf(letter),
          ...(signer && { dkim: signingOf(signer, letter.fromAddress) }),
          signal: aborting.signal,
        } as SendMailOptions)) as { response: string };
        return { outcome: 'accepted', response: info.response };
      } catch (error) {
        if (aborting.signal.aborted)
          return { outcome: 'unknown', response: `the mail server gave no answer within ${Math.round(limit / 1000)} seconds` };
        return handoverOf(error as MailError);
      } finally {
        clearTimeout(timer);
      }
    },
    close: () => transport.close(),
  };
}

/** Writes a letter and sends it nowhere. */
const composer = createTransport({ streamTransport: true, buffer: true, newline: 'windows' });

/** A letter as it would arrive (RFC 5322). */
export const writeMail = async (letter: Letter): Promise<Buffer> => (await composer.sendMail(mailOf(letter))).message as Buffer;

/** What a process is told of its mail. */
export interface MailSettings {
  /** its mail servers in the order in which they are asked, with a space between */
  smtpUrl: string;
  dkim: SignerSettings | null;
  pace: PaceLimits;
}

/** The mail servers of a process. */
export const serversOf = ({ smtpUrl }: Pick<MailSettings, 'smtpUrl'>): string[] => smtpUrl.split(/\s+/).filter(Boolean);

/** The channel of a house as its process is set up: its mail servers, what signs its letters, and how fast they go. */
export function mailChannelOf(settings: MailSettings): Channel {
  const signer = readSigner(settings.dkim);
  const servers = serversOf(settings).map((url) => openMailChannel(url, signer));
  const channel = servers.length > 1 ? withSpare(servers) : servers[0]!;
  const { perMinute, perDomain } = settings.pace;
  return perMinute === null && perDomain === null ? channel : { ...channel, pace: new Pace(settings.pace) };
}

/** What the mail library tells of a letter that did not go. */
export interface MailError extends Error {
  responseCode?: number;
  response?: string;
  /** the command that was answered so, `CONN` before the first */
  command?: string;
  code?: string;
  originalCode?: string;
  syscall?: string;
  timeoutType?: string;
}

/** Answers to RCPT TO that say that there is no such address (RFC 3463): bad destination, and a mailbox that is switched off. */
const NO_SUCH_ADDRESS = /^5\d\d[ -]5\.(1\.\d{1,3}|2\.1)\b/;
/** Failures before the server had anything to say about a letter. */
const CHANNEL_CODES = new Set(['EAUTH', 'EDNS', 'ETLS', 'EREQUIRETLS', 'EPROTOCOL', 'EPROXY', 'ENOAUTH', 'EOAUTH2', 'ECONNREFUSED']);
const UNREACHED = new Set(['ECONNREFUSED', 'EHOSTUNREACH', 'ENETUNREACH', 'EHOSTDOWN', 'ENOTFOUND', 'EAI_AGAIN', 'ENOENT', 'EACCES']);

/**
 * Whose matter an answer is. Only an answer to RCPT TO is about an address; what comes before it is about us and the
 * server; what comes after it is about the letter. A connection that breaks off leaves open whether the letter arrived.
 */
export function handoverOf(error: MailError): Handover {
  const { responseCode, command = '', code = '' } = error;
  const response = wordsOf(error);
  const later = (scope: Scope): Handover => ({ outcome: 'later', response, scope });
  if (responseCode === 421) return later('channel'); // it says so whatever was asked
  if (command === 'RCPT TO') return NO_SUCH_ADDRESS.test(response) ? { outcome: 'refused', response } : later('address');
  if (responseCode !== undefined) {
    const isSize = command === 'MAIL FROM' && (responseCode === 552 || responseCode === 452);
    return later(isSize || command === 'DATA' ? 'letter' : 'channel');
  }
  if (code === 'EENVELOPE') return later('address');
  if (code === 'EMESSAGE' || code === 'ESTREAM') return later('letter');
  const isUnreached =
    error.syscall === 'connect' ||
    UNREACHED.has(error.originalCode ?? '') ||
    isCertificate(error) ||
    (error.timeoutType ?? 'SOCKET_TIMEOUT') !== 'SOCKET_TIMEOUT';
  return CHANNEL_CODES.has(code) || isUnreached ? later('channel') : { outcome: 'unknown', response };
}

const isCertificate = ({ code, originalCode }: MailError): boolean =>
  /CERT|SELF_SIGNED|UNABLE_TO_VERIFY|ERR_TLS|ERR_SSL/.test(`${code} ${originalCode}`);

/** The server's own words, or what happened to the connection. */
function wordsOf(error: MailError): string {
  if (error.response) return oneLine(error.response, 500);
  if (isCertificate(error)) return `the mail server's certificate is not accepted: ${error.message}`;
  if (error.code === 'EDNS') return 'the name of the mail server is not known';
  if (error.timeoutType || error.code === 'ETIMEDOUT' || UNREACHED.has(error.originalCode ?? '')) return 'the mail server does not answer';
  if (error.code === 'ESOCKET' || error.code === 'ECONNECTION') return 'the mail server ended the connection';
  return oneLine(error.message, 500);
}
