import { simpleParser, type AddressObject, type HeaderLines } from 'mailparser';
import { cleanValue, oneLine, safeFileName, type Arrived } from '@nudrik/core';
import { Refused } from '../refusal.ts';

/** Of one mail: parts that are files, bytes of all of them, and letters that are kept of its words. */
export const MOST_OF_A_MAIL = { files: 10, bytes: 10_000_000, letters: 20_000 };
/** Of lists of addresses and of references so many are looked at. */
const LOOKED_AT = 50;

/** What a delivery report (RFC 3464) says of one message. */
export interface ReportFields {
  envelopeId: string | null;
  action: 'delivered' | 'failed' | 'delayed';
  /** the enhanced status (RFC 3463), where it says one */
  status: string | null;
  words: string;
  /** when the last attempt was made, where the report says it */
  at: Date | null;
}

/** What is known of an attempt by a report. */
export type DeliveryReport = Omit<ReportFields, 'envelopeId'>;

export interface MailFile {
  name: string;
  content: Uint8Array;
}

/** A mail as it was read. */
export interface ReadMail extends Arrived {
  fromName: string;
  /** whom its head names: To, Cc, Delivered-To and the like */
  addressed: string[];
  messageId: string | null;
  /** In-Reply-To and References, the nearest first */
  refersTo: string[];
  report: ReportFields | null;
  /** heads and words of the mail that a report, bounce or complaint brings back */
  returned: string;
  files: MailFile[];
  /** what was left out of it, in a sentence each */
  left: string[];
}

const ACTIONS = ['delivered', 'failed', 'delayed'] as const;
const MOST_WORDS = 300;

const fieldOf = (text: string, name: string): string | null => new RegExp(`^${name}:[ \\t]*(.+)$`, 'im').exec(text)?.[1]?.trim() ?? null;

function reportOf(text: string): ReportFields | null {
  const action = ACTIONS.find((known) => known === fieldOf(text, 'Action')?.toLowerCase());
  if (!action) return null;
  const envelopeId = fieldOf(text, 'Original-Envelope-Id');
  const at = new Date(fieldOf(text, 'Last-Attempt-Date') ?? '');
  const said = fieldOf(text, 'Status');
  const words = fieldOf(text, 'Diagnostic-Code')?.replace(/^smtp;\s*/i, '') ?? said ?? action;
  return {
    envelopeId: envelopeId && envelopeId.length <= 100 ? envelopeId : null,
    action,
    status: said && /^\d\.\d{1,3}\.\d{1,3}$/.test(said) ? said : null,
    at: Number.isNaN(at.getTime()) ? null : at,
    words: oneLine(words, MOST_WORDS),
  };
}

const addressesOf = (found: AddressObject | AddressObject[] | undefined): string[] =>
  (found === undefined ? [] : Array.isArray(found) ? found : [found])
    .flatMap(({ value }) => value.slice(0, LOOKED_AT))
    .flatMap(({ address, group }) => [address, ...(group ?? []).slice(0, LOOKED_AT).map((one) => one.address)])
    .filter((address) => address !== undefined)
    .map((address) => address.toLowerCase());

function headOf(lines: HeaderLines): Record<string, string> {
  const head: Record<string, string> = {};
  for (const { key, line } of lines.slice(0, 500))
    if (!(key in head) && /^[\w-]{1,80}$/.test(key) && key !== '__proto__')
      head[key] = line
        .slice(line.indexOf(':') + 1)
        .replace(/\s+/g, ' ')
        .trim()
        .slice(0, 2_000);
  return head;
}

const idsIn = (text: string | undefined): string[] => [...(text ?? '').slice(-20_000).matchAll(/<[^<>\s]{3,400}>/g)].map(([id]) => id).slice(-LOOKED_AT); // prettier-ignore

const clean = (text: string): string => cleanValue(text).replace(/\p{Surrogate}/gu, '').normalize('NFC'); // prettier-ignore

const isText = (type: string): boolean => type.startsWith('text/') || type.startsWith('message/');

/**
 * Reads a mail (RFC 5322, MIME). Nothing in it is run or fetched; what is too much of it is left out and said.
 * @throws Refused where it has more parts or longer heads than anybody's mail
 * @param envelopeFrom the sender of the envelope, where it came by SMTP; otherwise what Return-Path says
 */
export async function readMail(raw: Buffer, envelopeFrom: string | null): Promise<ReadMail> {
  const mail = await simpleParser(raw, {
    keepDeliveryStatus: true,
    skipImageLinks: true,
    skipTextToHtml: true,
    maxHtmlLengthToParse: 2_000_000,
  }).catch((error: Error & { code?: string }) => {
    if (error.code !== 'EMAXLEN') throw error;
    throw new Refused('wrong-file', 'The mail has more parts, or longer heads, than are read here.');
  });
  const head = headOf(mail.headerLines);
  const left: string[] = [];
  const status = mail.attachments.find((part) => part.contentType === 'message/delivery-status');
  const returned = mail.attachments
    .filter(({ contentType }) => /^(message\/(rfc822|global|partial)|text\/rfc822-headers|message\/global-headers)$/.test(contentType))
    .map(({ content }) => content.subarray(0, 60_000).toString('latin1'))
    .join('\n');
  const files: MailFile[] = [];
  let bytes = 0;
  for (const { contentType, filename, content, related, contentDisposition } of mail.attachments) {
    // what reports are made of, and pictures that stand in the words of a mail, are no files of anybody's
    if (contentType.startsWith('message/') && contentType !== 'message/rfc822') continue;
    if (contentType === 'text/rfc822-headers' || (related && contentDisposition !== 'attachment')) continue;
    bytes += content.length;
    const name = safeFileName(clean(filename ?? (isText(contentType) ? 'text.txt' : 'file')));
    if (files.length >= MOST_OF_A_MAIL.files || bytes > MOST_OF_A_MAIL.bytes) {
      left.push(
        `${name} was left out: ${files.length >= MOST_OF_A_MAIL.files ? `${MOST_OF_A_MAIL.files} files` : '10 MB'} are kept of one mail.`,
      );
      continue;
    }
    files.push({ name, content: new Uint8Array(content) });
  }
  const words = clean(mail.text ?? '');
  if (words.length > MOST_OF_A_MAIL.letters) left.push(`Of ${words.length.toLocaleString('en')} letters ${MOST_OF_A_MAIL.letters.toLocaleString('en')} are kept.`); // prettier-ignore
  const sender = mail.from?.value[0];
  return {
    envelopeFrom: envelopeFrom ?? (head['return-path'] ?? 'unknown').replace(/[<>\s]/g, ''),
    from: sender?.address?.toLowerCase().slice(0, 320) || null,
    fromName: oneLine(clean(sender?.name ?? ''), 120),
    subject: oneLine(clean(mail.subject ?? ''), 300),
    head,
    text: words.slice(0, MOST_OF_A_MAIL.letters),
    parts: [...new Set(mail.attachments.map(({ contentType }) => contentType.toLowerCase()))].slice(0, LOOKED_AT),
    addressed: [...new Set([...addressesOf(mail.to), ...addressesOf(mail.cc), ...['delivered-to', 'x-original-to', 'envelope-to'].flatMap((name) => head[name]?.replace(/[<>]/g, '').toLowerCase() ?? [])])].slice(0, 2 * LOOKED_AT), // prettier-ignore
    messageId: mail.messageId?.slice(0, 500) ?? null,
    refersTo: [...new Set([...idsIn(head['in-reply-to']), ...idsIn(mail.references === undefined ? undefined : [mail.references].flat().join(' ')).reverse()])], // prettier-ignore
    report: status ? reportOf(status.content.subarray(0, 20_000).toString('utf8')) : null,
    returned,
    files,
    left,
  };
}
