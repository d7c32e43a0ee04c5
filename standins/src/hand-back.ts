import { createTransport, type SendMailOptions } from 'nodemailer';
import type { Mailbox } from './mailbox.ts';

/** How often a mail is tried, where its receiver says "not now". */
const TRIES = 5;

/** What readers and mail servers send back: handed to the listener of whoever wrote, or left in the mailbox that they look into. */
export class HandBack {
  private readonly transport;
  private readonly composer = createTransport({ streamTransport: true, buffer: true, newline: 'windows' });
  /** it lies in the mailbox until somebody fetches it */
  isLeft = false;

  /** @param port the SMTP listener of whoever wrote */
  constructor(
    port: number,
    private readonly mailbox: Mailbox | null,
  ) {
    this.transport = createTransport({ host: '127.0.0.1', port, ignoreTLS: true, pool: true, maxConnections: 4 } as object);
  }

  /** A listener that says "not now" is asked again, as a mail server does. @returns what the other side said */
  async send(mail: SendMailOptions, tries = TRIES): Promise<string> {
    if (this.isLeft && this.mailbox) return this.leave(mail, this.mailbox);
    try {
      return ((await this.transport.sendMail(mail)) as { response: string }).response;
    } catch (error) {
      const code = (error as { responseCode?: number }).responseCode ?? 0;
      if (code < 400 || code >= 500 || tries <= 1) throw error;
      await new Promise((resolve) => setTimeout(resolve, 500).unref());
      return this.send(mail, tries - 1);
    }
  }

  /** As the mail server of the mailbox puts it there: with whom the envelope named. */
  private async leave(mail: SendMailOptions, mailbox: Mailbox): Promise<string> {
    const { envelope, message } = await this.composer.sendMail(mail);
    const head = `Return-Path: <${envelope.from || ''}>\r\nDelivered-To: ${[envelope.to].flat().join(', ')}\r\n`;
    mailbox.deliver(Buffer.concat([Buffer.from(head), message as Buffer]));
    return 'It lies in the mailbox.';
  }

  close(): void {
    this.transport.close();
  }
}
