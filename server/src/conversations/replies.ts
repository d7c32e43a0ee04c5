import { createHash } from 'node:crypto';
import { lookup } from 'mime-types';
import { answerShownTo, newWordsOf, oneLine, repliesRuleOf, type RepliesTo, type ShownTo } from '@nudrik/core';
import type { ChatReply } from '@nudrik/contract';
import { announce, maybeRow, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { putFile } from '../files/files.repo.ts';
import { getHouse, houseDay, type House } from '../house/house.ts';
import { originOf, type Incoming } from '../messages/incoming.ts';
import { withoutLinksIn } from '../messages/redacted.ts';
import { Refused } from '../refusal.ts';
import {
  countPosts,
  countStrange,
  findByIds,
  findByNotice,
  findOriginInChat,
  findConversation,
  findOwnerReading,
  findPersonByAddress,
  insertArrival,
  insertConversation,
  insertPost,
  insertPostFile,
  listPosts,
  lockConversation,
  markWaiting,
  setReader,
  type ConversationRow,
  type NoticeOrigin,
} from './conversations.repo.ts';
import { sendAnswer, sendWord, toldOf } from './outbox.ts';
import { findAnswered } from './asked.repo.ts';

const HOUR_MS = 3_600_000;
/** Mails of strangers within an hour, beyond which their servers are told to come back later. */
const MOST_STRANGE = 200;
/** Words of one person within an hour, each of which is passed on by mail; what is above stands in the conversation. */
const MOST_TOLD = 10;

/** Words as they are kept: links of their reader, which a reply repeats, would let whoever reads them act as that person. */
const kept = ({ text, left }: Incoming['mail']): string => [withoutLinksIn(text).trim(), ...left.map((words) => `[${words}]`)].filter(Boolean).join('\n\n') || '(no words)'; // prettier-ignore

async function keepFiles(client: Client, post: string, { mail }: Incoming): Promise<void> {
  for (const [i, { name, content }] of mail.files.entries()) {
    const bytes = Buffer.from(content);
    // by its name alone: it is never shown, and what comes from outside is not unpacked to look at it
    const file = await putFile(client, { name, type: lookup(name) || 'application/octet-stream', content: bytes, purpose: 'letter' });
    await insertPostFile(client, post, i, file.id);
  }
}

/** Who takes care of what is written about a course: its trainer, where the house says so and they read mail; else the house. */
export async function readerFor(
  client: Client,
  house: House,
  { course, notice, repliesTo }: { course: string | null; notice: string | null; repliesTo: RepliesTo },
  today: string,
): Promise<string | null> {
  return repliesRuleOf(house, repliesTo).repliesToTrainer && course !== null
    ? ((await findOwnerReading(client, course, notice, today))?.id ?? null)
    : null;
}

const openWith = async (client: Client, house: House, origin: NoticeOrigin, now: number): Promise<string> =>
  insertConversation(client, {
    personId: origin.personId,
    courseId: origin.courseId,
    assignmentId: origin.assignmentId,
    noticeId: origin.noticeId,
    stepName: origin.stepName,
    subject: origin.subject,
    repliesTo: origin.repliesTo,
    readerId: await readerFor(
      client,
      house,
      { course: origin.courseId, notice: origin.noticeId, repliesTo: origin.repliesTo },
      houseDay(house, now),
    ),
    at: now,
  });

/** The conversation of a person about a notice, begun where there is none yet. */
async function conversationAbout(client: Client, house: House, origin: NoticeOrigin, now: number): Promise<string> {
  await client.query('select pg_advisory_xact_lock(7302, $1::integer)', [Number(BigInt(origin.noticeId) % 2_000_000_000n)]);
  return (await findByNotice(client, origin.personId, origin.noticeId))?.id ?? (await openWith(client, house, origin, now));
}

/** The conversation that a mail belongs to, begun where it answers a notice; null where it belongs to nothing. */
async function conversationFor(client: Client, incoming: Incoming, now: number): Promise<string | null> {
  const { tag, mail, house } = incoming;
  if (tag?.kind === 'person' || tag?.kind === 'house') return (await maybeRow<{ id: string }>(client, 'select id from conversations where id = $1::bigint', [tag.id]))?.id ?? null; // prettier-ignore
  if (tag?.kind === 'outbox') return (await maybeRow<{ id: string }>(client, 'select conversation_id as id from outbox where id = $1::bigint', [tag.id]))?.id ?? null; // prettier-ignore
  const known = tag ? null : await findByIds(client, mail.refersTo);
  const origin = known ? null : await originOf(client, incoming);
  if (!tag) {
    // without a signed address it is theirs only where it comes from the address that we wrote to
    const address = known ? (await findConversation(client, known.id, houseDay(house, now)))?.address : origin?.address;
    if (!address || address !== mail.from) return null;
  }
  if (known) return known.id;
  return origin && conversationAbout(client, house, origin, now);
}

/** Whoever took care is gone: whoever has the course now does, or the house, and the conversation says so. */
export async function handOn(client: Client, house: House, row: ConversationRow, now: number): Promise<ConversationRow> {
  if (row.reader_id === null || row.is_read) return row;
  const today = houseDay(house, now);
  const next = await readerFor(client, house, { course: row.course_id, notice: row.notice_id, repliesTo: row.replies_to }, today);
  if (next === row.reader_id) return row;
  await setReader(client, row.id, next);
  const given = (await findConversation(client, row.id, today))!;
  await insertPost(client, { conversation: row.id, at: now, side: 'record', author: 'Nudrik', body: `${row.reader ?? 'Whoever took care of it'} reads no mail here any more: ${given.reader ?? house.senderName} takes care of it.` }); // prettier-ignore
  return given;
}

/** What a person wrote: into its conversation, and on to whoever takes care of it. Of a stranger: where somebody looks at it. */
export async function takeReply(deps: Deps, client: Client, incoming: Incoming, now: number): Promise<void> {
  const { mail, digest, tag, house } = incoming;
  const id = await conversationFor(client, incoming, now);
  const arrival = { at: now, digest, kind: 'reply' as const, from: mail.from, fromName: mail.fromName, subject: mail.subject, body: kept(mail) }; // prettier-ignore
  if (id === null) {
    if ((await countStrange(client, now - HOUR_MS)) >= MOST_STRANGE)
      throw new Refused('too-many-tries', `More than ${MOST_STRANGE} mails of strangers within an hour.`);
    const person = mail.from && (await findPersonByAddress(client, mail.from, houseDay(house, now)));
    await insertArrival(client, { ...arrival, personId: person ? person.id : null, waits: true });
    return;
  }
  await lockConversation(client, id);
  if (!(await insertArrival(client, { ...arrival, body: '', conversationId: id }))) return;
  const row = await handOn(client, house, (await findConversation(client, id, houseDay(house, now)))!, now);
  if (tag?.kind === 'house') return takeHouseWord(deps, client, incoming, row, now);
  const isStrange = mail.from !== row.address;
  const body = kept(mail);
  const post = await insertPost(client, { conversation: id, at: now, side: 'person', author: row.person, strangeAddress: isStrange ? (mail.from ?? 'no address') : null, body, headerId: mail.messageId, byMail: true }); // prettier-ignore
  await keepFiles(client, post, incoming);
  await markWaiting(client, id, now);
  if ((await countPosts(client, id, now - HOUR_MS)) <= MOST_TOLD)
    await sendWord(deps, client, house, row, { post, at: now, words: newWordsOf(body), files: mail.files.length, strange: isStrange ? mail.from : null }); // prettier-ignore
}

/** What a person wrote back in the chat: into the conversation about what they answer, like a reply by mail. @param id of the call: it counts once */
export async function takeChatReply(deps: Deps, id: string, { from, answers, text }: ChatReply): Promise<void> {
  await transaction(deps.db, async (client) => {
    const now = deps.clock.now();
    const house = await getHouse(client);
    const origin = await findOriginInChat(client, answers.replace('message-', ''), from);
    if (!origin) throw new Refused('not-found', `There is no message of ours that ${from} was sent under this id. Nothing was taken.`);
    const conversation = await conversationAbout(client, house, origin, now);
    await lockConversation(client, conversation);
    const body = withoutLinksIn(text).trim() || '(no words)';
    const digest = createHash('sha256').update(`chat ${id}`).digest();
    if (!(await insertArrival(client, { at: now, digest, kind: 'reply', from: null, fromName: from, subject: origin.subject, body: '', conversationId: conversation }))) return; // prettier-ignore
    const row = await handOn(client, house, (await findConversation(client, conversation, houseDay(house, now)))!, now);
    const post = await insertPost(client, { conversation, at: now, side: 'person', author: row.person, body, byChat: true });
    await markWaiting(client, conversation, now);
    if ((await countPosts(client, conversation, now - HOUR_MS)) <= MOST_TOLD)
      await sendWord(deps, client, house, row, { post, at: now, words: body, files: 0, strange: null });
    await announce(client, 'conversations', 'work');
  });
}

/**
 * Who reads an answer on the page of the course that came by mail: whoever reads the word that it answers. Where it does not say which that
 * is, never more than whoever asked.
 */
async function shownToOf(client: Client, row: ConversationRow, refersTo: readonly string[]): Promise<ShownTo | null> {
  if (row.shown_to === null) return null;
  const known = await findAnswered(client, row.id, refersTo);
  const last = known === undefined && (await listPosts(client, row.id)).filter(({ side }) => side === 'person').at(-1)?.shown_to;
  return answerShownTo({ shownTo: row.shown_to, asks: row.asks }, { answered: known ?? (last ? 'person' : null) });
}

/** Whoever takes care answered by mail. From another address it is not sent on: it is anybody's. */
async function takeHouseWord(deps: Deps, client: Client, incoming: Incoming, row: ConversationRow, now: number): Promise<void> {
  const { mail, house } = incoming;
  const words = newWordsOf(kept(mail));
  const readers = row.is_read ? [[row.reader_address, row.reader], [row.cover_address, row.cover]] : []; // prettier-ignore
  const reader = readers.find(([address]) => address !== null && address === mail.from)?.[1] ?? null;
  const isHouse = mail.from === repliesRuleOf(house, row.replies_to).replyTo.toLowerCase();
  if (reader === null && !isHouse) {
    await insertPost(client, { conversation: row.id, at: now, side: 'record', author: 'Nudrik', body: `A mail from ${mail.from ?? 'no address'} came as an answer of the house and was not sent on, since ${toldOf(row, house).name} takes care of it:\n\n${words}` }); // prettier-ignore
    await markWaiting(client, row.id, now);
    return;
  }
  const author = reader ?? house.senderName;
  const shownTo = await shownToOf(client, row, mail.refersTo);
  const post = await insertPost(client, { conversation: row.id, at: now, side: 'house', author, body: words, headerId: mail.messageId, byMail: true, shownTo }); // prettier-ignore
  await keepFiles(client, post, incoming);
  await sendAnswer(deps, client, house, row, { post, at: now, words, author, shownTo });
}

/** A machine answered: that somebody is away. It stands with the notice or in the conversation, and nobody is written to. */
export async function takeAutoReply(client: Client, incoming: Incoming, now: number): Promise<void> {
  const { mail, digest, tag } = incoming;
  const words = oneLine(newWordsOf(kept(mail)), 600);
  const arrival = {
    at: now,
    digest,
    kind: 'auto-reply' as const,
    from: mail.from,
    fromName: mail.fromName,
    subject: mail.subject,
    body: words,
  };
  if (tag?.kind === 'person' || tag?.kind === 'house' || tag?.kind === 'outbox') {
    const id = await conversationFor(client, incoming, now);
    if (!(await insertArrival(client, { ...arrival, conversationId: id })) || id === null || tag.kind === 'house') return;
    await insertPost(client, { conversation: id, at: now, side: 'record', author: 'Nudrik', body: `An automatic answer came: “${oneLine(`${mail.subject}: ${words}`, 500)}”` }); // prettier-ignore
    return;
  }
  const origin = await originOf(client, incoming);
  await insertArrival(client, { ...arrival, personId: origin?.personId ?? null, noticeId: origin?.noticeId ?? null });
}
