import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import type { Handover } from './channel.ts';
import { mailChannelOf } from './mail-channel.ts';

/** A mail of the house itself: about the house, and no notice. */
export interface HouseMail {
  to: string;
  toName: string;
  subject: string;
  paragraphs: readonly string[];
  /** where it leads */
  link?: { words: string; url: string };
}

const escaped = (text: string): string => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/"/g, '&quot;');

/** Sends it now, once, and tells what the mail server said; it stands in no ledger and marks nobody's address. */
export async function sendHouseMail(deps: Deps, mail: HouseMail): Promise<Handover> {
  const house = await getHouse(deps.db);
  const channel = mailChannelOf(deps.settings);
  const now = deps.clock.now();
  const { link } = mail;
  try {
    return await channel.send({
      messageId: '0',
      deliveryId: '0',
      envelopeId: '0',
      headerId: `<house-${now}-${Math.random().toString(36).slice(2)}@${house.senderAddress.split('@')[1]}>`,
      fromName: house.senderName,
      fromAddress: house.senderAddress,
      replyTo: house.replyTo,
      toName: mail.toName,
      toAddress: mail.to,
      listId: house.listId,
      organisation: house.organisation,
      subject: mail.subject,
      html:
        mail.paragraphs.map((text) => `<p>${escaped(text)}</p>`).join('\n') +
        (link ? `\n<p><a href="${escaped(link.url)}">${escaped(link.words)}</a></p>` : ''),
      text: [...mail.paragraphs, ...(link ? [`${link.words}: ${link.url}`] : [])].join('\n\n'),
      date: new Date(now),
    });
  } finally {
    channel.close();
  }
}
