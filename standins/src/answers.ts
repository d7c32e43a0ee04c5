import { simpleParser, type ParsedMail } from 'mailparser';
import type { HandBack } from './hand-back.ts';
import type { KeptMail } from './mail-store.ts';

/** A machine that answers does so once an hour to the same sender at the most (RFC 3834, 2). */
const HOUR_MS = 3_600_000;

const AWAY = 'I am at sea until the end of the week and read mail when I am back.\n\nThis answer was sent by itself.';
const WORDS = [
  'Thank you. I was at sea; can I have until Friday?',
  'I did this last year with another firm. Does that count?',
  'The link opens, but the second unit stays closed for me. What am I missing?',
  'Will do it on Thursday, when I am ashore.',
];

/** What the readers of the post room write back, as their mail programs and servers would. */
export class Answers {
  private readonly answered = new Map<string, number>();

  constructor(private readonly back: HandBack) {}

  /** The reader writes back, to where a reply goes. @returns what the other side said */
  async reply(kept: KeptMail, raw: Buffer, words: string): Promise<string> {
    const mail = await simpleParser(raw);
    const to = mail.replyTo?.value[0]?.address ?? mail.from?.value[0]?.address;
    if (!to) throw new Error('The mail says nowhere to reply to.');
    const from = mail.to && !Array.isArray(mail.to) ? mail.to.value[0] : undefined;
    const quoted = (mail.text ?? '').split('\n').map((line) => `> ${line}`); // prettier-ignore
    const head = `On ${(mail.date ?? new Date()).toUTCString().slice(0, 22)}, ${mail.from?.value[0]?.name ?? ''} wrote:`;
    return this.back.send({
      from: { name: from?.name ?? '', address: from?.address ?? kept.to },
      to,
      subject: /^re:/i.test(kept.subject) ? kept.subject : `Re: ${kept.subject}`,
      inReplyTo: mail.messageId,
      references: [...[mail.references ?? []].flat(), mail.messageId ?? ''].filter(Boolean),
      text: `${words}\n\n${head}\n${quoted.join('\n')}\n`,
    });
  }

  /** Somebody who writes back without being asked to. */
  someWords(kept: KeptMail, raw: Buffer): Promise<string> {
    return this.reply(kept, raw, WORDS[Number(kept.id) % WORDS.length]!);
  }

  /** Their server says that they are away (RFC 3834): to the sender of the envelope, from nobody. */
  async away(address: string, envelopeFrom: string, raw: Buffer): Promise<void> {
    const last = this.answered.get(`${address} ${envelopeFrom}`) ?? 0;
    if (!envelopeFrom || Date.now() - last < HOUR_MS) return;
    this.answered.set(`${address} ${envelopeFrom}`, Date.now());
    const mail: ParsedMail = await simpleParser(raw);
    await this.back.send({
      envelope: { from: '', to: envelopeFrom },
      from: address,
      to: envelopeFrom,
      subject: `Automatic reply: ${mail.subject ?? ''}`,
      inReplyTo: mail.messageId,
      headers: { 'Auto-Submitted': 'auto-replied', 'X-Auto-Response-Suppress': 'All' },
      text: AWAY,
    });
  }
}
