import { createTransport } from 'nodemailer';
import type { SMTPServerSession } from 'smtp-server';
import type { KeptMail } from './mail-store.ts';

/** How often a report is tried. */
const TRIES = 5;

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
    for (const { address } of envelope.rcptTo) void this.report(from.address, envelopeId, address, mail, TRIES);
  }

  /** Tells the sender that what was taken could not be delivered after all: whether they asked for reports or not. */
  returned({ envelope }: SMTPServerSession, address: string, mail: KeptMail): void {
    if (envelope.mailFrom) void this.report(envelope.mailFrom.address, envelope.dsn?.envid ?? null, address, mail, TRIES, true);
  }

  /** A listener that says "not now" is asked again, as a mail server does; one that is not there is not: the mail stays "sent". */
  private async report(
    to: string,
    envelopeId: string | null,
    address: string,
    mail: KeptMail,
    tries: number,
    isReturned = false,
  ): Promise<void> {
    try {
      await this.transport.sendMail({
        envelope: { from: '', to },
        from: 'Post room <postmaster@post-room.orlasund.example>',
        to,
        subject: isReturned ? 'Undelivered Mail Returned to Sender' : 'Delivery report',
        headers: { 'Auto-Submitted': 'auto-replied' },
        text: isReturned ? `${address} could not be reached: there is no such mailbox.` : `Delivered to ${address}.`,
        attachments: [
          {
            contentType: 'message/delivery-status',
            content: statusOf(envelopeId, address, mail, isReturned),
            contentDisposition: 'inline',
            filename: false,
          },
        ],
      });
    } catch (error) {
      const code = (error as { responseCode?: number }).responseCode ?? 0;
      if (code < 400 || code >= 500 || tries <= 1) return;
      await new Promise((resolve) => setTimeout(resolve, 500).unref());
      await this.report(to, envelopeId, address, mail, tries - 1, isReturned);
    }
  }

  close(): void {
    this.transport.close();
  }
}

const statusOf = (envelopeId: string | null, address: string, mail: KeptMail, isReturned: boolean): string =>
  [
    `Reporting-MTA: dns; post-room.orlasund.example`,
    ...(envelopeId === null ? [] : [`Original-Envelope-Id: ${envelopeId}`]),
    '',
    `Final-Recipient: rfc822; ${address}`,
    ...(isReturned
      ? ['Action: failed', 'Status: 5.1.1', `Diagnostic-Code: smtp; 550 5.1.1 <${address}>: no such mailbox`]
      : ['Action: delivered', 'Status: 2.0.0', `Diagnostic-Code: smtp; 250 accepted for delivery as ${mail.id}`]),
    `Last-Attempt-Date: ${new Date(mail.receivedAt).toUTCString()}`,
    '',
  ].join('\r\n');
