import type { ConversationView } from '@nudrik/contract';
import type { Queryable } from '../db/db.ts';
import type { House } from '../house/house.ts';
import { mboxEntry } from '../messages/mbox.ts';
import { listPosts } from './conversations.repo.ts';

/** A conversation as an mbox (RFC 4155): a mail for each word, in their order, with the links of its readers left out. */
export async function writeConversation(db: Queryable, house: House, view: ConversationView): Promise<Buffer> {
  const posts = await listPosts(db, view.id);
  const houseSide = { name: house.senderName, address: house.senderAddress };
  const person = { name: view.person.name, address: view.address ?? 'nobody@invalid' };
  const entries: Buffer[] = [];
  let last: string | null = null;
  for (const { id, side, at, author, body, header_id: known, writer_id, writer_address } of posts) {
    const isPerson = side === 'person';
    const other = writer_id === null ? null : { name: author, address: writer_address ?? 'nobody@invalid' };
    const from = isPerson ? (other ?? person) : { ...houseSide, name: author };
    const messageId: string = known ?? `<post-${id}@${house.senderAddress.split('@')[1]}>`;
    entries.push(
      await mboxEntry(from.address, at, {
        from,
        to: isPerson ? houseSide : side === 'record' ? houseSide : person,
        subject: side === 'record' ? `Record: ${view.subject}` : `Re: ${view.subject}`,
        text: body,
        messageId,
        ...(last && { inReplyTo: last, references: last }),
      }),
    );
    last = messageId;
  }
  return Buffer.concat(entries);
}
