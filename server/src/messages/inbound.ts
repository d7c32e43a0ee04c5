import { SMTPServer } from 'smtp-server';
import { simpleParser } from 'mailparser';

/** What a delivery report (RFC 3464) says of one message. */
export interface DeliveryReport {
  envelopeId: string;
  action: string;
  words: string;
  /** when the last attempt was made, where the report says it */
  at: Date | null;
}

const fieldOf = (text: string, name: string): string | null => new RegExp(`^${name}:\\s*(.+)$`, 'im').exec(text)?.[1]?.trim() ?? null;

/** Reads the report out of a message, or null where it is something else. */
export async function readDeliveryReport(raw: Buffer): Promise<DeliveryReport | null> {
  const mail = await simpleParser(raw, { keepDeliveryStatus: true });
  const status = mail.attachments.find((part) => part.contentType === 'message/delivery-status');
  const text = status?.content.toString('utf8') ?? '';
  const envelopeId = fieldOf(text, 'Original-Envelope-Id');
  const action = fieldOf(text, 'Action');
  if (!envelopeId || !action || !/^\d+$/.test(envelopeId)) return null;
  const at = new Date(fieldOf(text, 'Last-Attempt-Date') ?? '');
  return {
    envelopeId,
    action: action.toLowerCase(),
    at: Number.isNaN(at.getTime()) ? null : at,
    words: fieldOf(text, 'Diagnostic-Code')?.replace(/^smtp;\s*/i, '') ?? fieldOf(text, 'Status') ?? action,
  };
}

/** The SMTP listener for what comes back: delivery reports. @returns how to close it */
export function listenInbound(port: number, onReport: (report: DeliveryReport) => Promise<void>): Promise<() => Promise<void>> {
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: 5_000_000,
    logger: false,
    onData(stream, _session, done) {
      const chunks: Buffer[] = [];
      stream.on('data', (chunk: Buffer) => chunks.push(chunk));
      stream.on('end', () => {
        readDeliveryReport(Buffer.concat(chunks))
          .then((report) => (report ? onReport(report) : undefined))
          .then(
            () => done(),
            (error: Error) => done(error),
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
