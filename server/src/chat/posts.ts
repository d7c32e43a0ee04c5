import { tellAmount, tellList } from '@nudrik/core';
import { withSigned } from '../access/personal-link.ts';
import { announce } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { pauseChannel, resumeChannel } from '../messages/channels.repo.ts';
import { inChat, type Chat } from './chat.ts';
import { claimChatPosts, listCompletions, markUnknown, noteChatWords, settleChatPosts, type ChatPostRow, type CompletionRow } from './chat.repo.ts'; // prettier-ignore
import { isChatOpen } from './way.ts';

/** Tries of one post, over about a day; what it says stands in the ledger all the same. */
const MOST_TRIES = 26;
/** Posts that are taken up at once; completions among them that belong together are told in one line. */
const AT_ONCE = 200;
/** Names in one line; of more it says how many. */
const MOST_NAMES = 5;

/** One call to the chat, and the posts that it settles. */
interface Call {
  id: string;
  rows: ChatPostRow[];
  text: string;
}

/** `Runa Aske and Odd Moe finished “Fire Teams Aboard”: 12 of 20 so far.` */
function lineOf(completions: readonly CompletionRow[]): string {
  const names = [...new Set(completions.map(({ name }) => name))];
  const shown = names.slice(0, names.length > MOST_NAMES ? MOST_NAMES - 1 : MOST_NAMES);
  const more = names.length > shown.length ? [`${tellAmount(names.length - shown.length, 'people')} more`] : [];
  const { title, finished, asked } = completions.at(-1)!;
  return `${tellList([...shown, ...more])} finished “${title}”: ${finished} of ${asked} so far.`;
}

/** What is to be said, and what is not so any more. */
async function callsOf({ db, settings }: Deps, claimed: readonly ChatPostRow[]): Promise<{ calls: Call[]; past: ChatPostRow[] }> {
  const events = claimed.flatMap(({ event_id }) => event_id ?? []);
  const completions = new Map((await listCompletions(db, events)).map((row) => [row.event, row]));
  const calls: Call[] = [];
  const past: ChatPostRow[] = [];
  const lines = new Map<string, ChatPostRow[]>();
  for (const row of claimed) {
    if (row.event_id === null) {
      const signed = row.links.reduce((text, link) => withSigned(text, settings.key, link), row.body);
      calls.push({ id: row.message_id === null ? `answer-${row.id}` : `message-${row.message_id}`, rows: [row], text: inChat(signed, row.subject ?? '') });
      continue;
    }
    const told = completions.get(row.event_id);
    if (!told?.stands || told.told_in !== row.to_channel) past.push(row);
    else lines.set(`${told.course}/${row.to_channel}`, [...(lines.get(`${told.course}/${row.to_channel}`) ?? []), row]);
  }
  for (const rows of lines.values())
    calls.push({ id: `line-${rows.at(-1)!.id}`, rows, text: lineOf(rows.map(({ event_id }) => completions.get(event_id!)!)) });
  return { calls, past };
} // prettier-ignore

/** Hands over what waits to go to the chat beside mail, and lines in its channels. @returns how many were tried */
export async function sendChatPosts(deps: Deps, chat: Chat | undefined): Promise<number> {
  const { db, clock } = deps;
  if (!chat || !(await isChatOpen(db, (await getHouse(db)).sending, clock.now()))) return 0;
  const claimed = await claimChatPosts(db, clock.now(), AT_ONCE);
  if (claimed.length === 0) return 0;
  const { calls, past } = await callsOf(deps, claimed);
  await settleChatPosts(db, past, 'dropped', 'It is not so any more, or nobody wants to be told.', clock.now());
  for (const { id, rows, text } of calls) {
    const [first] = rows as [ChatPostRow];
    const to = first.to_person === null ? { channel: first.to_channel! } : { person: first.to_person };
    const { outcome, words } = await chat.post(id, { to, from: first.from_name, subject: first.subject, text, sentAt: new Date(clock.now()).toISOString() }); // prettier-ignore
    if (outcome === 'unknown-name' && first.to_person !== null) await markUnknown(db, first.to_person, words);
    if (outcome === 'accepted') {
      await settleChatPosts(db, rows, 'went', words, clock.now());
      await resumeChannel(db, 'chat');
    } else if (outcome !== 'down' || first.attempts >= MOST_TRIES) await settleChatPosts(db, rows, 'failed', words, clock.now());
    else await noteChatWords(db, rows, words);
    if (outcome !== 'down') continue;
    // the others wait for their next try too
    await pauseChannel(db, 'chat', words, clock.now());
    break;
  }
  await announce(db, 'notices');
  return claimed.length;
}
