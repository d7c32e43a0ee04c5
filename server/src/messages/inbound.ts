import { oneLine } from '@nudrik/core';
import { SMTPServer } from 'smtp-server';
import { simpleParser } from 'mailparser';
import { isPassing } from '../db/failures.ts';
import type { Logger } from '../deps.ts';

/** What may come in as one mail: reports are small, replies go to people and not here. Bytes. */
const MOST_BYTES = 1_000_000;
const MOST_WORDS = 300;

const ACTIONS = ['delivered', 'failed', 'delayed'] as const;

/** What a delivery report (RFC 3464) says of one message. */
export interface DeliveryReport {
  envelopeId: string;
  action: (typeof ACTIONS)[number];
  /** the enhanced status (RFC 3463), where it says one */
  status: string | null;
  words: string;
  /** when the last attempt was made, where the report says it */
  at: Date | null;
}

const fieldOf = (text: string, name: string): string | null => new RegExp(`^${name}:[ \\t]*(.+)$`, 'im').exec(text)?.[1]?.trim() ?? null;

/** Reads the report out of a message, or null where it is something else. */
export async function readDeliveryReport(raw: Buffer): Promise<DeliveryReport | null> {
  const mail = await simpleParser(raw, { keepDeliveryStatus: true });
  const status = mail.attachments.find((part) => part.contentType === 'message/delivery-status');
  const text = status?.content.toString('utf8').slice(0, 20_000) ?? '';
  const envelopeId = fieldOf(text, 'Original-Envelope-Id');
  const action = ACTIONS.find((known) => known === fieldOf(text, 'Action')?.toLowerCase());
  if (!envelopeId || !action || envelopeId.length > 100) return null;
  const at = new Date(fieldOf(text, 'Last-Attempt-Date') ?? '');
  const said = fieldOf(text, 'Status');
  const words = fieldOf(text, 'Diagnostic-Code')?.replace(/^smtp;\s*/i, '') ?? said ?? action;
  return {
    envelopeId,
    action,
    status: said && /^\d\.\d{1,3}\.\d{1,3}$/.test(said) ? said : null,
    at: Number.isNaN(at.getTime()) ? null : at,

    words: oneLine(words, MOST_WORDS),
  };
}

const answer = (responseCode: number, words: string): Error => Object.assign(new Error(words), { responseCode });

/** The SMTP listener for what comes back: delivery reports. @returns how to close it */
export function listenInbound(
  port: number,
  log: Logger,
  onReport: (report: DeliveryReport) => Promise<unknown>,
): Promise<() => Promise<void>> {
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: MOST_BYTES,
    maxClients: 50,
    logger: false,
    onData(stream, _session, done) {
      const chunks: Buffer[] = [];
      let size = 0;
      stream.on('data', (chunk: Buffer) => {
        size += chunk.length;
        if (size <= MOST_BYTES) chunks.push(chunk);
      });
      stream.on('end', () => {
        if (size > MOST_BYTES || stream.sizeExceeded) return done(answer(552, '5.3.4 The message is larger than is taken here'));
        readDeliveryReport(Buffer.concat(chunks))
          .catch(() => null) // what cannot be read is no report
          .then((report) => (report ? onReport(report) : undefined))
          .then(
            () => done(),
            (error: Error) => {
              log.warn({ error: error.stack }, 'A delivery report could not be recorded.');
              done(isPassing(error) ? answer(451, '4.3.0 Not now, try again') : answer(554, '5.3.0 This cannot be taken'));
            },
          );
      });
    },
  });
  server.on('error', () => undefined); // a peer that hangs up is not our fault
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', () => resolve(() => new Promise((closed) => server.close(() => closed()))));
  });
}
