import { randomBytes } from 'node:crypto';
import { newWordsOf, repliesRuleOf, tellMoment, Zone, zoneWords, type ShownTo } from '@nudrik/core';
import { TYPE } from '../answer-file.ts';
import { insertAnswer } from '../chat/chat.repo.ts';
import { announce, rows, type Client, type Queryable } from '../db/db.ts';
import { findFile, readBytes } from '../files/files.repo.ts';
import type { Deps } from '../deps.ts';
import { getHouse, houseDay, type House } from '../house/house.ts';
import type { Channel } from '../messages/channel.ts';
import { signedAddress } from '../messages/reply-address.ts';
import { htmlOf } from '../messages/post.ts';
import { listPostFiles, listPosts, markAnswered, type ConversationRow, type PostRow } from './conversations.repo.ts';
import { listBeside } from './asked.repo.ts';
import { claimOutbox, insertOutbox, putOffOutbox, settleOutbox, type OutboxDraft, type OutboxRow } from './outbox.repo.ts';

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

/** The words of a post that are new: a mail repeats what it answers, and what was written here does not. */
export const wordsOf = ({ side, by_mail, body }: Pick<PostRow, 'side' | 'by_mail' | 'body'>): string =>
  side === 'person' && by_mail ? newWordsOf(body) : body;

/** Puts a mail of a conversation on its way. */
const mail = (
  client: Client,
  house: House,
  conversation: string,
  draft: Pick<OutboxDraft, 'post' | 'isAnswer' | 'fromName' | 'toName' | 'toAddress' | 'replyTo' | 'subject' | 'body' | 'at'> & Partial<OutboxDraft>, // prettier-ignore
): Promise<string> =>
  insertOutbox(client, { conversation, headerId: newId(house), html: htmlOf(draft.body), inReplyTo: null, refs: null, ...draft });

/** What is said of an answer beneath it. */
function footerOf(house: House, author: string, shownTo: ShownTo | null): string {
  const alone = `${author}, ${house.organisation}. Just reply to this mail.`;
  if (shownTo === null) return alone;
  return `${alone} ${shownTo === 'course' ? 'It stands on the page of the course too, where everybody on the course reads it; what you reply by mail is not shown there.' : 'It stands on the page of the course too.'}`;
}

/**
 * Puts the house's answer on its way: to the person by mail, where they wrote in the chat there too; and by mail to others on the course who
 * wrote since the last answer, where everybody on it reads it.
 */
export async function sendAnswer(
  { clock }: Deps,
  client: Client,
  house: House,
  row: ConversationRow,
  { post, at, words, author, shownTo }: { post: string; at: number; words: string; author: string; shownTo: ShownTo | null },
): Promise<void> {
  const thread = await threadOf(client, row);
  const last = (await listPosts(client, row.id)).filter(({ side, writer_id }) => side === 'person' && writer_id === null).at(-1);
  const zone = Zone.of(row.zone);
  const history = last
    ? `\n\nOn ${tellMoment(last.at.getTime(), zone, clock.now())} (${zoneWords(row.zone)}) you wrote:\n${quoted(wordsOf(last))}`
    : '';
  const footer = footerOf(house, author, shownTo);
  const fromName = author === house.senderName ? author : `${author}, ${house.senderName}`;
  await mail(client, house, row.id, {
    post,
    isAnswer: true,
    fromName,
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
  if (shownTo === 'course') await tellBeside(client, house, row, { post, at, words, author, fromName });
  await markAnswered(client, row.id, at);
}

/** Others on the course who wrote since the last answer read it by mail: they wait for it as well. */
async function tellBeside(
  client: Client,
  house: House,
  row: ConversationRow,
  { post, at, words, author, fromName }: { post: string; at: number; words: string; author: string; fromName: string },
): Promise<void> {
  for (const { name, email } of await listBeside(client, row.id, post, houseDay(house, at))) {
    const body = `${words}\n\n${author}, ${house.organisation}. You wrote to what ${row.person} asked on the page of ${row.course ?? 'a course'}, where everybody on the course reads this; write on there.`;
    await mail(client, house, row.id, {
      post,
      isAnswer: false,
      fromName,
      toName: name,
      toAddress: email,
      replyTo: house.replyTo,
      subject: reply(row.subject),
      body,
      at,
    });
  }
}

/** Tells whoever asked what somebody else on the course wrote to it. What they reply by mail is read by whoever takes care alone. */
export async function relayWord(
  client: Client,
  house: House,
  row: ConversationRow,
  { post, at, words, writer }: { post: string; at: number; words: string; writer: string },
): Promise<void> {
  if (row.address === null || !row.reads) return;
  const reads = house.inboundAddress === null ? '' : ` What you reply to this mail is read by ${toldOf(row, house).name} alone.`;
  const body = `${words}\n\n${writer} wrote this to what you asked on the page of ${row.course ?? 'a course'}, where everybody on the course reads it.${reads}`;
  await mail(client, house, row.id, {
    post,
    isAnswer: true,
    fromName: `${writer}, by ${house.senderName}`,
    toName: row.person,
    toAddress: row.address,
    replyTo: replyTo(house, 'person', row.id),
    subject: reply(row.subject),
    body,
    at,
  });
}

/** A word that was written on the page of a course. */
export interface Asked {
  writer: string;
  /** with it the conversation began */
  isFirst: boolean;
  /** of somebody else than whoever asked */
  isOther: boolean;
  isShared: boolean;
}

/** "Per Aske wrote this to what Runa Aske asked on the page of Fire Teams Aboard, at “Alarm signals”." */
function tellAsked(row: ConversationRow, { writer, isFirst, isOther, isShared }: Asked): string {
  const where = `on the page of ${row.course ?? 'a course'}${row.at_unit === null ? '' : `, at “${row.at_unit}”`}`;
  const did = isFirst ? `asked this ${where}` : `wrote this to what ${isOther ? row.person : 'they'} asked ${where}`;
  return `${writer} ${did}.${isShared ? ' Everybody on the course reads it there, and so they do what you answer.' : ''}`;
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
  {
    post,
    at,
    words,
    files,
    strange,
    asked,
  }: { post: string; at: number; words: string; files: number; strange: string | null; asked?: Asked },
): Promise<void> {
  const reader = toldOf(row, house);
  const writer = asked?.writer ?? row.person;
  const about = [row.step_name && `“${row.step_name}”`, row.course].filter(Boolean).join(', ');
  const lines = [
    words,
    ...(files > 0 ? [`${files === 1 ? 'One file is' : `${files} files are`} with it, kept in Nudrik.`] : []),
    ...(strange ? [`It came from ${strange}, which is not the address that the roster has of ${row.person}.`] : []),
    `${asked ? tellAsked(row, asked) : `${row.person} replied to ${about || `“${row.subject}”`}.`} Answer ${house.inboundAddress === null ? 'in Nudrik' : 'by replying to this mail, or in Nudrik'}: ${settings.baseUrl}/replies/${row.id}`,
  ];
  const body = lines.join('\n\n');
  await mail(client, house, row.id, {
    post,
    isAnswer: false,
    fromName: `${writer}, by ${house.senderName}`,
    toName: reader.name,
    toAddress: reader.address,
    replyTo: replyTo(house, 'house', row.id),
    subject: `${writer}: ${asked?.isFirst ? row.subject : reply(row.subject)}`,
    body,
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
