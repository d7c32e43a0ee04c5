import type { SMTPServerSession } from 'smtp-server';
import type { HandBack } from './hand-back.ts';
import type { KeptMail } from './mail-store.ts';

/** Tells the sender what was delivered, to each address that was asked for (RFC 3461 and 3464). */
export class DeliveryReports {
  constructor(private readonly back: HandBack) {}

  send({ envelope }: SMTPServerSession, mail: KeptMail): void {
    const from = envelope.mailFrom;
    const envelopeId = envelope.dsn?.envid;
    if (!from || !envelopeId) return;
    for (const { address } of envelope.rcptTo) void this.report(from.address, envelopeId, address, mail);
  }

  /** Tells the sender that what was taken could not be delivered after all: whether they asked for reports or not. */
  async returned(envelope: { from: string; id: string | null }, address: string, mail: KeptMail): Promise<void> {
    if (envelope.from) await this.report(envelope.from, envelope.id, address, mail, true);
  }

  private async report(to: string, envelopeId: string | null, address: string, mail: KeptMail, isReturned = false): Promise<void> {
    try {
      await this.back.send({
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
    } catch {
      // a listener that is not there is told nothing: the mail stays "sent"
    }
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
