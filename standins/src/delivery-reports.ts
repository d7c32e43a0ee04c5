import { createTransport } from 'nodemailer';
import type { SMTPServerSession } from 'smtp-server';
import type { KeptMail } from './mail-store.ts';

/** Tells the sender what was delivered, to each address that was asked for (RFC 3461 and 3464). */
export class DeliveryReports {
  private readonly transport;

  /** @param port the sender's own SMTP listener */
  constructor(port: number) {
    this.transport = createTransport({ host: '127.0.0.1', port, ignoreTLS: true, pool: true, maxConnections: 3 } as object);
  }

  send({ envelope }: SMTPServerSession, mail: KeptMail): void {
    const from = envelope.mailFrom;
    const envelopeId = envelope.dsn?.envid;
    if (!from || !envelopeId) return;
    for (const { address } of envelope.rcptTo)
      void this.transport
        .sendMail({
          envelope: { from: '', to: from.address },
          from: 'Post room <postmaster@post-room.orlasund.example>',
          to: from.address,
          subject: 'Delivery report',
          headers: { 'Auto-Submitted': 'auto-replied' },
          text: `Delivered to ${address}.`,
          attachments: [
            {
              contentType: 'message/delivery-status',
              content: statusOf(envelopeId, address, mail),
              contentDisposition: 'inline',
              filename: false,
            },
          ],
        })
        .catch(() => undefined); // nobody listens for reports: the mail stays "sent"
  }

  close(): void {
    this.transport.close();
  }
}

const statusOf = (envelopeId: string, address: string, mail: KeptMail): string =>
  [
    `Reporting-MTA: dns; post-room.orlasund.example`,
    `Original-Envelope-Id: ${envelopeId}`,
    '',
    `Final-Recipient: rfc822; ${address}`,
    'Action: delivered',
    'Status: 2.0.0',
    `Diagnostic-Code: smtp; 250 accepted for delivery as ${mail.id}`,
    `Last-Attempt-Date: ${new Date(mail.receivedAt).toUTCString()}`,
    '',
  ].join('\r\n');
