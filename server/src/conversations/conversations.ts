import { answerShownTo, ARRIVAL_WORDS, isShared, newWordsOf, oneLine, tellMoment, Zone, type ShownTo } from '@nudrik/core';
import type {
  AnswerDraft,
  ArrivalList,
  ArrivalRow as ArrivalView,
  ConversationList,
  ConversationPost,
  ConversationRow as RowView,
  ConversationsQuery,
  ConversationView,
} from '@nudrik/contract';
import { announce, containing, maybeRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse, houseDay, type House } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import {
  countConversations,
  findConversation,
  insertConversation,
  insertPost,
  listArrivals,
  listConversations,
  listPostFiles,
  listPosts,
  lockArrival,
  lockConversation,
  markDone,
  markOpen,
  markSeen,
  markWaiting,
  setReader,
  type ArrivalRow,
  type ConversationRow,
  type ListedRow,
  type PostRow,
} from './conversations.repo.ts';
import { setOff, setShownTo } from './asked.repo.ts';
import { attachFiles } from './answer-files.ts';
import { sendAnswer, toldOf, wordsOf } from './outbox.ts';
import { retryOutbox } from './outbox.repo.ts';

const GONE = 'There is no such conversation, or not any more.';
/** Conversations of one page. */
const PAGE = 60;

const rowOf = (row: ConversationRow): Omit<RowView, 'lastAuthor' | 'words' | 'reader'> => ({
  id: row.id,
  person: { id: row.person_id, name: row.person },
  course: row.course_id === null ? null : { id: row.course_id, title: row.course! },
  stepName: row.step_name,
  shownTo: row.shown_to,
  subject: row.subject,
  isOpen: row.is_open,
  waitsSince: row.waits_since?.toISOString() ?? null,
  lastAt: row.last_at.toISOString(),
});

const listed = (row: ListedRow): RowView => ({
  ...rowOf(row),
  reader: row.reader,
  lastAuthor: row.last_author,
  words: oneLine(newWordsOf(row.last_body), 200),
});

/** What employees wrote back, the newest word first. */
export async function conversationList({ db, clock }: Deps, query: ConversationsQuery): Promise<ConversationList> {
  const house = await getHouse(db);
  const today = houseDay(house, clock.now());
  const last = query.after ? await findConversation(db, query.after, today) : null;
  const found = await listConversations(db, today, {
    show: query.show,
    find: query.find ? containing(query.find) : null,
    course: query.course ?? null,
    person: query.person ?? null,
    reader: query.reader ?? null,
    before: last && { at: last.last_at, id: last.id },
    size: PAGE + 1,
  });
  return {
    rows: found.slice(0, PAGE).map(listed),
    hasMore: found.length > PAGE,
    counts: await countConversations(db),
    isOn: house.inboundAddress !== null,
  };
}

const LIST_READERS = `
select distinct p.id, p.name
from accounts a
join people p on p.id = a.person_id
where a.role in ('administrator', 'trainer')
  and is_here(p.left_on, $1::date)
order by p.name, p.id
`;

const MAIL_WORDS = { waiting: 'on its way', sent: 'sent', failed: 'did not go' } as const;

function postOf(post: PostRow, files: ConversationPost['files']): ConversationPost {
  const words = wordsOf(post);
  return {
    id: post.id,
    at: post.at.toISOString(),
    side: post.side,
    author: post.author,
    words,
    whole: words === post.body ? null : post.body,
    strangeAddress: post.strange_address,
    byMail: post.by_mail,
    byChat: post.by_chat,
    shownTo: post.shown_to,
    isOff: post.is_off,
    files,
    mail: post.mail_state && {
      state: post.mail_state,
      words: `${MAIL_WORDS[post.mail_state]} to ${post.mail_to!}${post.mail_state !== 'sent' && post.mail_words ? `: “${post.mail_words}”` : ''}`,
    },
  };
}

/** Whether everybody on the course may read it: what was asked of one trainer alone is never shown to others. */
const mayBeShown = ({ asks }: ConversationRow, posts: readonly PostRow[]): boolean => asks === 'course' && posts.some(({ shown_to }) => shown_to === 'course'); // prettier-ignore

/** A conversation, whole. @throws Refused where there is none */
export async function conversationView({ db, clock }: Deps, id: string): Promise<ConversationView> {
  const house = await getHouse(db);
  const now = clock.now();
  const today = houseDay(house, now);
  const row = await findConversation(db, id, today);
  if (!row) throw new Refused('not-found', GONE);
  const [posts, files, readers] = await Promise.all([
    listPosts(db, id),
    listPostFiles(db, id),
    rows<{ id: string; name: string }>(db, LIST_READERS, [today]),
  ]);
  const last = posts.filter(({ side }) => side !== 'record').at(-1);
  return {
    ...rowOf(row),
    lastAuthor: last?.author ?? '',
    words: oneLine(newWordsOf(last?.body ?? ''), 200),
    zone: row.zone,
    address: row.address,
    atUnit: row.at_unit,
    mayBeShown: mayBeShown(row, posts),
    assignmentId: row.assignment_id,
    noticeId: row.notice_id,
    reader: row.reader_id === null ? null : { id: row.reader_id, name: row.reader! },
    readers,
    toldTo: toldOf(row, house).address,
    cover: row.is_read ? row.cover : null,
    posts: posts.map((post) => postOf(post, files.filter(({ post_id: of }) => of === post.id).map(({ id: file, name, bytes }) => ({ id: file, name, bytes })))), // prettier-ignore
  };
}

async function lockRow(client: Client, house: House, id: string, now: number): Promise<ConversationRow> {
  await lockConversation(client, id);
  const row = await findConversation(client, id, houseDay(house, now));
  if (!row) throw new Refused('not-found', GONE);
  return row;
}

/** Changes a conversation in a transaction of its own, and tells the open pages. */
async function change(
  deps: Deps,
  id: string,
  work: (client: Client, row: ConversationRow, house: House, now: number) => Promise<void>,
): Promise<ConversationView> {
  await transaction(deps.db, async (client) => {
    const house = await getHouse(client);
    const now = deps.clock.now();
    await work(client, await lockRow(client, house, id, now), house, now);
    await announce(client, 'conversations', 'work');
  });
  return conversationView(deps, id);
}

const note = (client: Client, conversation: string, at: number, body: string): Promise<string> =>
  insertPost(client, { conversation, at, side: 'record', author: 'Nudrik', body });

async function endIt(client: Client, id: string, now: number, byWhom: string): Promise<void> {
  await markDone(client, id, now, byWhom);
  await note(client, id, now, `Done, says ${byWhom}.`);
}

/** The house's answer: it stands in the conversation, and goes to the person by mail. */
export function answer(
  deps: Deps,
  id: string,
  { words, seen, isDone, files = [], shownTo: chosen }: Omit<AnswerDraft, 'files'> & { files?: readonly string[] },
  byWhom: string,
  account = '0',
): Promise<ConversationView> {
  return change(deps, id, async (client, row, house, now) => {
    const posts = await listPosts(client, id);
    const newer = posts.filter((post) => BigInt(post.id) > BigInt(seen) && post.side !== 'record').at(-1);
    if (newer) throw new Refused('stale', `${newer.author} wrote in the meantime. It is shown now; your words were kept and not sent.`);
    if (row.address === null)
      throw new Refused('conflict', `${row.person} has no mail address. Give them one, then answer; nothing was sent.`);
    if (chosen === 'course' && !isShared(row.shown_to, row.asks))
      throw new Refused('conflict', 'Not everybody on the course reads this any more. Look again; nothing was sent.');
    const answered = posts.filter(({ side }) => side === 'person').at(-1)?.shown_to ?? null;
    const shownTo = answerShownTo({ shownTo: row.shown_to, asks: row.asks }, { answered, chosen });
    const post = await insertPost(client, { conversation: id, at: now, side: 'house', author: byWhom, body: words, shownTo });
    await attachFiles(client, post, id, account, files);
    await sendAnswer(deps, client, house, row, { post, at: now, words, author: byWhom, shownTo });
    if (isDone) await endIt(client, id, now, byWhom);
  });
}

/** Open, or done: by hand alone. */
export function setOpen(deps: Deps, id: string, isOpen: boolean, byWhom: string): Promise<ConversationView> {
  return change(deps, id, async (client, row, _house, now) => {
    if (row.is_open === isOpen) return;
    if (!isOpen) return endIt(client, id, now, byWhom);
    await markOpen(client, id);
    await note(client, id, now, `Opened again by ${byWhom}.`);
  });
}

/** Gives it to somebody else, or to the house. */
export function giveTo(deps: Deps, id: string, reader: string | null, byWhom: string): Promise<ConversationView> {
  return change(deps, id, async (client, row, house, now) => {
    if (row.reader_id === reader) return;
    const readers = await rows<{ id: string; name: string }>(client, LIST_READERS, [houseDay(house, now)]);
    const next = reader === null ? null : readers.find((one) => one.id === reader);
    if (next === undefined)
      throw new Refused('conflict', 'Expected a trainer or an administrator who is here, with an account. Nothing was changed.');
    await setReader(client, id, reader);
    await note(client, id, now, `${byWhom} gave it to ${next?.name ?? house.senderName}.`);
  });
}

/** Everybody on the course reads it on its page, or whoever asked alone. What was asked of the trainer alone stays so. */
export function showTo(deps: Deps, id: string, to: ShownTo, byWhom: string): Promise<ConversationView> {
  return change(deps, id, async (client, row, _house, now) => {
    if (row.shown_to === to) return;
    if (row.shown_to === null) throw new Refused('conflict', 'It was not asked on the page of a course. Nothing was changed.');
    if (to === 'course' && !mayBeShown(row, await listPosts(client, id)))
      throw new Refused(
        'conflict',
        `${row.person} asked it of whoever takes care alone, or the course does not allow it. Nothing was changed.`,
      );
    await setShownTo(client, id, to);
    await note(client, id, now, to === 'course' ? `Everybody on the course reads it again, says ${byWhom}.` : `Only ${row.person} reads it on the page from now on, says ${byWhom}.`); // prettier-ignore
  });
}

/** Takes one word off the page, or puts it there again. It stays in the conversation. */
export function takeOff(deps: Deps, id: string, post: string, isOff: boolean, byWhom: string): Promise<ConversationView> {
  return change(deps, id, async (client, _row, _house, now) => {
    const author = await setOff(client, id, post, isOff);
    if (author !== null) await note(client, id, now, `${byWhom} ${isOff ? 'took a word of' : 'put a word of'} ${author} ${isOff ? 'off the page' : 'on the page again'}.`); // prettier-ignore
  });
}

/** Tries answers that did not go once more. */
export const sendAgain = (deps: Deps, id: string): Promise<ConversationView> =>
  change(deps, id, async (client, _row, _house, now) => void (await retryOutbox(client, id, now)));

const arrivalOf = (row: ArrivalRow, zone: Zone, now: number): ArrivalView => ({
  id: row.id,
  at: row.at.toISOString(),
  kind: ARRIVAL_WORDS[row.kind],
  from: row.from_name ? `${row.from_name} <${row.from_address ?? ''}>` : (row.from_address ?? 'nobody'),
  subject: row.subject || '(no subject)',
  words: row.body,
  person: row.person_id === null ? null : { id: row.person_id, name: row.person! },
  noticeId: row.notice_id,
  waits: row.waits,
  seenWords: row.seen_at && `looked at ${tellMoment(row.seen_at.getTime(), zone, now)} by ${row.seen_by ?? 'somebody'}`,
});

/** What came in and belongs to no conversation. */
export async function arrivalList({ db, clock }: Deps, show: 'waiting' | 'all', after: string | null): Promise<ArrivalList> {
  const { zone } = await getHouse(db);
  const found = await listArrivals(db, show === 'waiting', after, PAGE + 1);
  return { rows: found.slice(0, PAGE).map((row) => arrivalOf(row, Zone.of(zone), clock.now())), hasMore: found.length > PAGE };
}

async function lockWaiting(client: Client, id: string): Promise<ArrivalRow> {
  const row = await lockArrival(client, id);
  if (!row) throw new Refused('not-found', 'There is no such mail, or not any more.');
  if (!row.waits) throw new Refused('conflict', `${row.seen_by ?? 'Somebody'} has looked at it already. Nothing was changed.`);
  return row;
}

/** Somebody looked at it, and nothing follows. */
export async function setAside(deps: Deps, id: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    await lockWaiting(client, id);
    await markSeen(client, id, deps.clock.now(), byWhom);
    await announce(client, 'conversations');
  });
}

/** A mail that came to no conversation is the word of a person: one begins with it. */
export async function takeArrival(deps: Deps, id: string, person: string, byWhom: string): Promise<ConversationView> {
  const conversation = await transaction(deps.db, async (client) => {
    const row = await lockWaiting(client, id);
    if (row.kind !== 'reply') throw new Refused('conflict', 'Expected the words of a person. Nothing was changed.');
    const known = await maybeRow<{ name: string; email: string | null }>(client, 'select name, email from people where id = $1::bigint', [
      person,
    ]);
    if (!known) throw new Refused('not-found', 'There is no such person, or not any more. Nothing was changed.');
    const at = row.at.getTime();
    const made = await insertConversation(client, { personId: person, courseId: null, assignmentId: null, noticeId: null, stepName: null, subject: row.subject || 'A mail', readerId: null, at }); // prettier-ignore
    await insertPost(client, { conversation: made, at, side: 'person', author: known.name, strangeAddress: row.from_address === known.email ? null : row.from_address, body: row.body, byMail: true }); // prettier-ignore
    await note(client, made, deps.clock.now(), `${byWhom} began this conversation with a mail that answered no message.`);
    await markWaiting(client, made, at);
    await markSeen(client, id, deps.clock.now(), byWhom, made);
    await announce(client, 'conversations');
    return made;
  });
  return conversationView(deps, conversation);
}

/** When the oldest word that nobody answered came in, and from whom; for Today. */
export const listWaiting = (
  db: Queryable,
  most: number,
): Promise<
  {
    id: string;
    person: string;
    step_name: string | null;
    is_asked: boolean;
    /** whose the last word is */
    writer: string;
    course: string | null;
    subject: string;
    waits_since: Date;
    body: string;
    total: number;
  }[]
> =>
  rows(
    db,
    `select v.id, p.name as person, v.step_name, v.shown_to is not null as is_asked, c.title as course, v.subject, v.waits_since,
      coalesce(last.writer, p.name) as writer, coalesce(last.body, '') as body,
      count(*) over ()::integer as total
    from conversations v
    join people p on p.id = v.person_id
    left join courses c on c.id = v.course_id
    left join lateral (
      select left(t.body, 400) as body, w.name as writer
      from conversation_posts t
      left join people w on w.id = t.writer_id
      where t.conversation_id = v.id
        and t.side = 'person'
      order by t.at desc, t.id desc
      limit 1
    ) last on true
    where v.waits_since is not null
    order by v.waits_since, v.id
    limit $1::integer`,
    [most],
  );
