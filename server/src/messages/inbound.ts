import { SMTPServer } from 'smtp-server';
import { isPassing } from '../db/failures.ts';
import type { Logger } from '../deps.ts';
import { Refused } from '../refusal.ts';

/** What may come in as one mail, with its files. Bytes. */
export const MOST_BYTES = 15_000_000;
/** addresses of one mail: a reply has one */
const MOST_RECIPIENTS = 20;

/** A mail as the envelope brought it. */
export interface Delivered {
  raw: Buffer;
  from: string;
  to: string[];
}

const answer = (responseCode: number, words: string): Error => Object.assign(new Error(words), { responseCode });

/** Not now: whoever sent it is to try again. */
export const isLater = (error: Error): boolean =>
  isPassing(error) || (error instanceof Refused && (error.code === 'out-of-order' || error.code === 'too-many-tries'));

/**
 * The SMTP listener for what comes back: delivery reports, bounces, replies. A mail is taken (250) only once it is recorded.
 * @returns how to close it
 */
export function listenInbound(port: number, log: Logger, onMail: (mail: Delivered) => Promise<unknown>): Promise<() => Promise<void>> {
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    disableReverseLookup: true,
    size: MOST_BYTES,
    maxClients: 20,
    socketTimeout: 60_000,
    logger: false,
    onRcptTo(_address, { envelope }, done) {
      done(envelope.rcptTo.length >= MOST_RECIPIENTS ? answer(452, '4.5.3 Too many recipients') : null);
    },
    onData(stream, { envelope }, done) {
      const chunks: Buffer[] = [];
      let size = 0;
      stream.on('data', (chunk: Buffer) => {
        size += chunk.length;
        if (size <= MOST_BYTES) chunks.push(chunk);
      });
      stream.on('end', () => {
        if (size > MOST_BYTES || stream.sizeExceeded) return done(answer(552, '5.3.4 The message is larger than is taken here'));
        const from = envelope.mailFrom ? envelope.mailFrom.address : '';
        onMail({ raw: Buffer.concat(chunks), from, to: envelope.rcptTo.map(({ address }) => address.toLowerCase()) }).then(
          () => done(),
          (error: Error) => {
            log.warn({ error: error.stack }, 'A mail that came in could not be recorded.');
            done(isLater(error) ? answer(451, '4.3.0 Not now, try again') : answer(554, '5.3.0 This cannot be taken'));
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
