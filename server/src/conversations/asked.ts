import { createHash } from 'node:crypto';
import { isShared, oneLine, readsWord, repliesToOf, tellAmount, type ShownTo } from '@nudrik/core';
import type { Account, AskDraft, AskedQuestion, AskWordDraft, AskedView } from '@nudrik/contract';
import { actor } from '../learning/learn.ts';
import { findIdByLink } from '../assignments/assignments.repo.ts';
import { announce, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse, houseDay, type House } from '../house/house.ts';
import { withoutLinksIn } from '../messages/redacted.ts';
import { Refused } from '../refusal.ts';
import { findConversation, insertArrival, insertConversation, insertPost, knowsDigest, lockConversation, markWaiting } from './conversations.repo.ts'; // prettier-ignore
import { relayWord, sendWord } from './outbox.ts';
import {
  countWords,
  findAsker,
  findQuestion,
  findUnitTitle,
  listMine,
  listOthers,
  listWords,
  lockAsker,
  type Asker,
  type QuestionRow,
} from './asked.repo.ts';
import { handOn, readerFor } from './replies.ts';
import { replyReader } from './reply-reader.ts';

const HOUR_MS = 3_600_000;
/** Words of one person on pages within an hour. */
const MOST_WORDS = 20;
/** Those of them that are passed on by mail; the others stand in their conversations. */
const MOST_TOLD = 10;
const MINE = 30;
/** What others asked, on one page. */
const PAGE = 20;
/** The newest words of one question. */
const WORDS = 60;
const GONE = 'This is not here, or not any more: it was taken back from the page, or the link is another’s. Nothing was sent.';

/** Who asks: by a personal link, signed in or not. */
export interface Asking {
  link: string;
  account: Account | null;
}

async function askerOf(deps: Deps, db: Queryable, link: string, today: string): Promise<Asker> {
  const id = await findIdByLink(db, deps.settings.key, link, deps.clock.now());
  const asker = id === null ? null : await findAsker(db, id, today);
  if (!asker) throw new Refused('wrong-link');
  return asker;
}

/** Why somebody cannot ask on the page; null where they can. */
function closedFor({ asks, course, closed_by }: Asker): string | null {
  if (closed_by !== null && closed_by !== 'finished')
    return `${course} is no longer asked of you, so nothing is asked here. Reply to one of its messages.`;
  if (asks === 'none') return `${course} takes no questions on its page. Reply to one of its messages.`;
  return null;
}

/** What was asked on the page of a course, as one of those who have it sees it. Of what one wrote nothing is hidden from oneself. */
export async function askedView(deps: Deps, { link }: Pick<Asking, 'link'>, after: string | null = null): Promise<AskedView> {
  const { db } = deps;
  const house = await getHouse(db);
  const today = houseDay(house, deps.clock.now());
  const asker = await askerOf(deps, db, link, today);
  const closed = closedFor(asker);
  const readsOthers = asker.asks === 'course' && closed === null;
  const mine = after === null ? await listMine(db, asker.person_id, asker.course_id, MINE) : [];
  const others = readsOthers ? await listOthers(db, asker.person_id, asker.course_id, after, PAGE + 1) : [];
  const shown = others.slice(0, PAGE);
  const words = await listWords(db, [...mine, ...shown].map(({ id }) => id), WORDS); // prettier-ignore
  const viewOf = (row: QuestionRow): AskedQuestion => {
    const isMine = row.person_id === asker.person_id;
    return {
      id: row.id,
      by: row.by,
      isMine,
      isShared: isShared(row.shown_to, asker.asks),
      atUnit: row.at_unit,
      isDone: !row.is_open,
      words: words
        .filter((word) => word.conversation_id === row.id)
        .filter((word) =>
          readsWord({ shownTo: word.shown_to, isOff: word.is_off }, { isWriter: word.writer_id === asker.person_id, isAsker: isMine }),
        ) // prettier-ignore
        .map(({ id, at, by, side, writer_id, is_off, body, files }) => ({
          id,
          at: at.toISOString(),
          by,
          isHouse: side === 'house',
          isMine: writer_id === asker.person_id,
          isOff: is_off,
          words: body,
          files,
        })),
    };
  };
  return {
    asks: asker.asks,
    reader: replyReader(house, asker) ?? house.senderName,
    hasMail: asker.has_mail,
    closed,
    mine: mine.map(viewOf),
    others: shown.map(viewOf),
    hasMore: others.length > PAGE,
  };
}

/** Whoever is signed in writes as themself alone: behind the link of another they would write in their name. */
function refuseOthers({ person, person_id }: Asker, account: Account | null): void {
  if (account && account.personId !== person_id)
    throw new Refused('not-allowed', `You are signed in as ${account.name}, and this page is ${person}’s. Sign out to write as ${person}; nothing was sent.`); // prettier-ignore
}

interface Said {
  client: Client;
  house: House;
  asker: Asker;
  now: number;
  today: string;
  words: string;
  /** whose word it is, for the record */
  author: string;
  digest: Buffer;
}

/** Something is written on the page, once however often it comes. */
async function said(
  deps: Deps,
  { link, account }: Asking,
  { words, key }: { words: string; key: string },
  write: (said: Said) => Promise<void>,
): Promise<AskedView> {
  await transaction(deps.db, async (client) => {
    const house = await getHouse(client);
    const now = deps.clock.now();
    const today = houseDay(house, now);
    const asker = await askerOf(deps, client, link, today);
    refuseOthers(asker, account);
    await lockAsker(client, asker.person_id);
    const digest = createHash('sha256').update(`page ${asker.person_id} ${key}`).digest();
    if (await knowsDigest(client, digest)) return;
    const closed = closedFor(asker);
    if (closed !== null) throw new Refused('conflict', `${closed} Nothing was sent.`);
    if ((await countWords(client, asker.person_id, now - HOUR_MS)) >= MOST_WORDS)
      throw new Refused('too-many-tries', `You wrote ${tellAmount(MOST_WORDS, 'times')} within an hour. Wait a while; this was not sent.`);
    await write({
      client,
      house,
      asker,
      now,
      today,
      words: withoutLinksIn(words).trim() || '(no words)',
      author: actor(asker.person, asker.person_id, account?.personId ?? null),
      digest,
    });
    await announce(client, 'conversations', 'work');
  });
  return askedView(deps, { link });
}

const NOT_SHARED = 'What is asked here is not read by everybody on the course any more. Look at the page again; nothing was sent.';

/** Asks something on the page of a course: a conversation begins, and whoever takes care of it is told by mail. */
export function ask(deps: Deps, asking: Asking, draft: AskDraft): Promise<AskedView> {
  return said(deps, asking, draft, async ({ client, house, asker, now, today, words, author, digest }) => {
    if (draft.to === 'course' && asker.asks !== 'course') throw new Refused('conflict', NOT_SHARED);
    const repliesTo = repliesToOf(asker.sender);
    const id = await insertConversation(client, {
      personId: asker.person_id,
      courseId: asker.course_id,
      assignmentId: asker.assignment_id,
      noticeId: null,
      stepName: null,
      subject: oneLine(words, 78),
      repliesTo,
      readerId: await readerFor(client, house, { course: asker.course_id, notice: null, repliesTo }, today),
      at: now,
      shownTo: draft.to,
      atUnit: draft.unit === null ? null : await findUnitTitle(client, draft.unit, asker.course_id),
    });
    await put(deps, { client, house, asker, now, today, words, author, digest }, id, draft.to, true);
  });
}

/** Writes on to something that one asked, or that somebody else asked so that everybody on the course reads it. */
export function writeOn(deps: Deps, asking: Asking, id: string, { to, ...draft }: AskWordDraft): Promise<AskedView> {
  return said(deps, asking, draft, async (word) => {
    const { client, asker } = word;
    await lockConversation(client, id);
    const question = await findQuestion(client, id, asker.course_id);
    const isMine = question?.person_id === asker.person_id;
    const isForAll = question !== null && isShared(question.shown_to, asker.asks);
    if (!question || (!isMine && !isForAll)) throw new Refused('not-found', GONE);
    if (to === 'course' && !isForAll) throw new Refused('stale', NOT_SHARED);
    if (to === 'person' && isForAll)
      throw new Refused('stale', 'Everybody on the course reads this since. Look at the page again; nothing was sent.');
    await put(deps, word, id, to, false);
  });
}

/** A word comes into its conversation, and on to whoever takes care of it; one of somebody else to whoever asked, too. */
async function put(
  deps: Deps,
  { client, house, asker, now, today, words, author, digest }: Said,
  id: string,
  shownTo: ShownTo,
  isFirst: boolean,
): Promise<void> {
  const row = await handOn(client, house, (await findConversation(client, id, today))!, now);
  const isOther = row.person_id !== asker.person_id;
  await insertArrival(client, { at: now, digest, kind: 'reply', from: null, fromName: asker.person, subject: row.subject, body: '', personId: asker.person_id, conversationId: id }); // prettier-ignore
  const post = await insertPost(client, { conversation: id, at: now, side: 'person', author, body: words, shownTo, writerId: isOther ? asker.person_id : null }); // prettier-ignore
  await markWaiting(client, id, now);
  if ((await countWords(client, asker.person_id, now - HOUR_MS)) > MOST_TOLD) return;
  const word = { post, at: now, words, asked: { writer: asker.person, isFirst, isOther, isShared: shownTo === 'course' } };
  await sendWord(deps, client, house, row, { ...word, files: 0, strange: null });
  if (isOther) await relayWord(client, house, row, { post, at: now, words, writer: asker.person });
}
