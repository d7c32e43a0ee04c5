import type { Deps } from '../deps.ts';
import { getHouse, type House } from '../house/house.ts';
import type { Handover, Letter } from './channel.ts';
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

/** Plain words as HTML: an empty line begins a paragraph, and nothing in them is markup. */
export const htmlOf = (text: string): string =>
  text
    .split(/\n{2,}/)
    .map((part) => `<p>${escaped(part).replace(/\n/g, '<br>')}</p>`)
    .join('\n');

/** Hands a mail over now, once, beside the ledger: it marks nobody's address. @returns what the mail server said */
export async function handOverNow(
  deps: Deps,
  house: House,
  mail: Pick<Letter, 'toName' | 'toAddress' | 'replyTo' | 'subject' | 'html' | 'text' | 'files'> & Partial<Pick<Letter, 'fromName'>>,
): Promise<Handover> {
  const channel = mailChannelOf(deps.settings);
  const now = deps.clock.now();
  try {
    return await channel.send({
      messageId: '0',
      deliveryId: '0',
      envelopeId: '0',
      headerId: `<house-${now}-${Math.random().toString(36).slice(2)}@${house.senderAddress.split('@')[1]}>`,
      fromName: house.senderName,
      fromAddress: house.senderAddress,
      listId: house.listId,
      organisation: house.organisation,
      date: new Date(now),
      ...mail,
    });
  } finally {
    channel.close();
  }
}

/** Sends it now, once, and tells what the mail server said; it stands in no ledger and marks nobody's address. */
export async function sendHouseMail(deps: Deps, mail: HouseMail): Promise<Handover> {
  const house = await getHouse(deps.db);
  const { link } = mail;
  return handOverNow(deps, house, {
    toName: mail.toName,
    toAddress: mail.to,
    replyTo: house.replyTo,
    subject: mail.subject,
    html: htmlOf(mail.paragraphs.join('\n\n')) + (link ? `\n<p><a href="${escaped(link.url)}">${escaped(link.words)}</a></p>` : ''),
    text: [...mail.paragraphs, ...(link ? [`${link.words}: ${link.url}`] : [])].join('\n\n'),
  });
}
