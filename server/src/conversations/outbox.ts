import { randomBytes } from 'node:crypto';
import { newWordsOf, repliesRuleOf, tellMoment, Zone, zoneWords } from '@nudrik/core';
import { TYPE } from '../answer-file.ts';
import { insertAnswer } from '../chat/chat.repo.ts';
import { announce, rows, type Client, type Queryable } from '../db/db.ts';
import { findFile, readBytes } from '../files/files.repo.ts';
import type { Deps } from '../deps.ts';
import { getHouse, type House } from '../house/house.ts';
import type { Channel } from '../messages/channel.ts';
import { signedAddress } from '../messages/reply-address.ts';
import { htmlOf } from '../messages/post.ts';
import { listPostFiles, listPosts, markAnswered, type ConversationRow } from './conversations.repo.ts';
import { claimOutbox, insertOutbox, putOffOutbox, settleOutbox, type OutboxRow } from './outbox.repo.ts';

/** Tries of one mail, over about two days. */
const MOST_TRIES = 14;
/** Message-IDs that a mail refers to (RFC 5322, 3.6.4), the first and the last of them. */
const MOST_REFS = 20;

export const newId = (house: House): string => `<word-${randomBytes(12).toString('hex')}@${house.senderAddress.split('@')[1]}>`;

const reply = (subject: string): string => (/^(re|sv|aw|antw|vs)\s*:/i.test(subject) ? subject : `Re: ${subject}`);

/** Where a reply in a conversation comes in; the house's own address where it takes none in. */
const replyTo = (house: House, kind: 'person' | 'house', id: string): string =>
  house.inboundAddress === null ? house.replyTo : signedAddress(house.envelopeKey, house.inboundAddress, { kind, id });

/** The mails that a conversation has had, as a program that threads them needs it. */
async function threadOf(client: Client, row: ConversationRow): Promise<{ inReplyTo: string | null; refs: string | null }> {
  const ids = await rows<{ id: string }>(
    client,
    `select id
    from (
      select 0 as rank, m.message_id as id, m.composed_at as at, 0 as post from notices n join messages m on m.id = n.message_id where n.id = $2::bigint
      union all
      select 1, header_id, at, id from conversation_posts where conversation_id = $1::bigint and side <> 'record' and header_id is not null
    ) known
    order by rank, at, post`,
    [row.id, row.notice_id],
  );
  const all = ids.map(({ id }) => id);
  const refs = all.length > MOST_REFS ? [all[0]!, ...all.slice(-MOST_REFS)] : all;
  return { inReplyTo: all.at(-1) ?? null, refs: refs.length > 0 ? refs.join(' ') : null };
}

const quoted = (text: string): string =>
  text
    .split('\n')
    .map((line) => `> ${line}`)
    .join('\n');

/** Puts the house's answer on its way to the person. */
export async function sendAnswer(
  { clock }: Deps,
  client: Client,
  house: House,
  row: ConversationRow,
  { post, at, words, author }: { post: string; at: number; words: string; author: string },
): Promise<void> {
  const thread = await threadOf(client, row);
  const last = (await listPosts(client, row.id)).filter(({ side }) => side === 'person').at(-1);
  const zone = Zone.of(row.zone);
  const history = last
    ? `\n\nOn ${tellMoment(last.at.getTime(), zone, clock.now())} (${zoneWords(row.zone)}) you wrote:\n${quoted(newWordsOf(last.body))}`
    : '';
  const footer = `${author}, ${house.organisation}. Just reply to this mail.`;
  await insertOutbox(client, {
    conversation: row.id,
    post,
    isAnswer: true,
    headerId: newId(house),
    fromName: author === house.senderName ? author : `${author}, ${house.senderName}`,
    toName: row.person,
    toAddress: row.address!,
    replyTo: replyTo(house, 'person', row.id),
    subject: reply(row.subject),
    html: htmlOf(`${words}\n\n${footer}`),
    body: `${words}\n\n${footer}${history}`,
    ...thread,
    at,
  });
  // who wrote in the chat is answered there too
  if (last?.by_chat && row.chat_name !== null && house.sending.hasChat)
    await insertAnswer(client, { person: row.chat_name, from: author, subject: reply(row.subject), body: words }, at);
  await markAnswered(client, row.id, at);
}

/** Who is told by mail: who takes care of it, who covers while they are on leave, or the house. */
export function toldOf(row: ConversationRow, house: House): { name: string; address: string } {
  if (!row.is_read) {
    const { replyTo } = repliesRuleOf(house, row.replies_to);
    // what comes in at the house is not sent there again
    return { name: house.senderName, address: replyTo.toLowerCase() === house.inboundAddress ? house.replyTo : replyTo };
  }
  return row.cover_address ? { name: row.cover!, address: row.cover_address } : { name: row.reader!, address: row.reader_address! };
}

/** Tells whoever takes care of a conversation what came in, so that they may answer by mail. */
export async function sendWord(
  { settings }: Deps,
  client: Client,
  house: House,
  row: ConversationRow,
  { post, at, words, files, strange }: { post: string; at: number; words: string; files: number; strange: string | null },
): Promise<void> {
  const reader = toldOf(row, house);
  const about = [row.step_name && `“${row.step_name}”`, row.course].filter(Boolean).join(', ');
  const lines = [
    words,
    ...(files > 0 ? [`${files === 1 ? 'One file is' : `${files} files are`} with it, kept in Nudrik.`] : []),
    ...(strange ? [`It came from ${strange}, which is not the address that the roster has of ${row.person}.`] : []),
    `${row.person} replied to ${about || `“${row.subject}”`}. Answer by replying to this mail, or in Nudrik: ${settings.baseUrl}/replies/${row.id}`,
  ];
  const body = lines.join('\n\n');
  await insertOutbox(client, {
    conversation: row.id,
    post,
    isAnswer: false,
    headerId: newId(house),
    fromName: `${row.person}, by ${house.senderName}`,
    toName: reader.name,
    toAddress: reader.address,
    replyTo: replyTo(house, 'house', row.id),
    subject: `${row.person}: ${reply(row.subject)}`,
    html: htmlOf(body),
    body,
    inReplyTo: null,
    refs: null,
    at,
  });
}

async function readPostFiles(
  db: Queryable,
  conversation: string,
  post: string,
): Promise<{ name: string; type: string; content: Buffer }[]> {
  const files = (await listPostFiles(db, conversation)).filter(({ post_id }) => post_id === post);
  return Promise.all(
    files.map(async ({ id, name, type, bytes }) => ({ name, type: TYPE.test(type) ? type : 'application/octet-stream', content: await readBytes(db, id, 0, bytes) })), // prettier-ignore
  );
}

/** Files by their ids; one that is gone meanwhile is left out. */
async function readFiles(db: Queryable, ids: readonly string[]): Promise<{ name: string; type: string; content: Buffer }[]> {
  const found = await Promise.all(ids.map((id) => findFile(db, id, ['report'])));
  return found.flatMap((file) => (file ? [{ name: file.name, type: file.type, content: file.content }] : []));
}

/** Hands over what waits. @returns how many mails were tried */
export async function sendOutbox(deps: Deps, channel: Channel): Promise<number> {
  const claimed = await claimOutbox(deps.db, deps.clock.now(), 20);
  if (claimed.length === 0) return 0;
  const house = await getHouse(deps.db);
  for (const row of claimed) await handOver(deps, channel, house, row);
  await announce(deps.db, 'conversations');
  return claimed.length;
}

async function handOver({ db, clock }: Deps, channel: Channel, house: House, row: OutboxRow): Promise<void> {
  const files =
    row.file_ids !== null
      ? await readFiles(db, row.file_ids)
      : row.is_answer && row.post_id !== null && row.conversation_id !== null
        ? await readPostFiles(db, row.conversation_id, row.post_id)
        : [];
  // a person's words wait for nobody's pace, and count in it
  channel.pace?.take(row.to_address, performance.now());
  const { outcome, response } = await channel.send({
    messageId: '0',
    deliveryId: '0',
    envelopeId: '',
    envelopeFrom:
      house.inboundAddress === null
        ? house.senderAddress
        : signedAddress(house.envelopeKey, house.inboundAddress, { kind: 'outbox', id: row.id }),
    headerId: row.header_id,
    fromName: row.from_name,
    fromAddress: house.senderAddress,
    replyTo: row.reply_to,
    toName: row.to_name,
    toAddress: row.to_address,
    listId: house.listId,
    organisation: house.organisation,
    subject: row.subject,
    html: row.html,
    text: row.body,
    date: new Date(clock.now()),
    inReplyTo: row.in_reply_to,
    references: row.refs,
    isByHand: row.is_answer,
    files,
  });
  if (outcome === 'accepted') return void (await settleOutbox(db, row.id, 'sent', response));
  if (outcome === 'refused' || row.attempts >= MOST_TRIES) return void (await settleOutbox(db, row.id, 'failed', response));
  await putOffOutbox(db, row.id, response);
}
