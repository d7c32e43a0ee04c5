import { appendFile, mkdir, readFile } from 'node:fs/promises';
import { createServer } from 'node:http';
import { join } from 'node:path';
import { ChatMessage, ChatRoomChange, ChatRoomReply, type ChatRoomThread, type ChatRoomView, type ChatRoomWord } from '@nudrik/contract';
import express, { type Request, type Response } from 'express';
import { Webhook } from 'standardwebhooks';

export interface ChatServiceOptions {
  /** 0 takes any free port */
  port: number;
  /** what both sides sign with */
  secret: string;
  /** where what people write back goes */
  backUrl: string | null;
  /** where it is kept over a restart; in memory where none is given */
  folder?: string | null;
}

export interface ChatService {
  port: number;
  /** what a message is posted to */
  url: string;
  /** what was said, the oldest first */
  words: readonly KeptWord[];
  isUp: boolean;
  unknown: Set<string>;
  /** somebody writes back to the last message that they were sent; @returns the status and words of the answer */
  reply(thread: string, text: string): Promise<{ response: string }>;
  close(): Promise<void>;
}

interface KeptWord extends ChatRoomWord {
  thread: string;
}

/** What is kept: older words go. */
const KEEP = 5_000;
const THREADS = 300;

const threadOf = (to: ChatMessage['to']): string => ('person' in to ? `@${to.person.toLowerCase()}` : `#${to.channel.replace(/^#/, '')}`);

/**
 * The workplace's chat: takes messages to people and channels by signed webhook (Standard Webhooks 1.0), each id once, and tells by one
 * of its own what people write back. It can be taken down, and told not to know somebody.
 */
export async function openChatService({ port, secret, backUrl, folder = null }: ChatServiceOptions): Promise<ChatService> {
  const webhook = new Webhook(secret, { format: 'raw' });
  const words: KeptWord[] = [];
  const seen = new Set<string>();
  const unknown = new Set<string>();
  const file = folder && join(folder, 'chat.jsonl');
  let isUp = true;
  let counter = 0;
  if (folder) {
    await mkdir(folder, { recursive: true });
    const lines = (await readFile(file!, 'utf8').catch(() => '')).split('\n').filter(Boolean);
    for (const line of lines.slice(-KEEP))
      try {
        const word = JSON.parse(line) as KeptWord;
        words.push(word);
        seen.add(word.id);
      } catch {
        // a line that was cut off
      }
    counter = words.length;
  }
  const keep = async (word: KeptWord): Promise<void> => {
    words.push(word);
    seen.add(word.id);
    if (words.length > KEEP) words.splice(0, words.length - KEEP);
    if (file) await appendFile(file, `${JSON.stringify(word)}\n`);
  };
  const shown = ({ thread: _, ...word }: KeptWord): ChatRoomWord => word;

  const app = express();
  app.disable('x-powered-by');
  app.post('/hooks/training', express.raw({ type: () => true, limit: '1mb' }), async (req: Request, res: Response) => {
    const body = Buffer.isBuffer(req.body) ? req.body.toString('utf8') : '';
    if (!isUp) return void res.status(503).json({ words: 'The chat is being maintained.' });
    try {
      webhook.verify(body, req.headers as Record<string, string>, { jsonParse: false });
    } catch (error) {
      return void res.status(401).json({ words: (error as Error).message });
    }
    const message = ChatMessage.safeParse(JSON.parse(body));
    if (!message.success) return void res.status(400).json({ words: 'That is no message.' });
    const { to, from, subject, text, sentAt } = message.data;
    if ('person' in to && unknown.has(to.person.toLowerCase()))
      return void res.status(404).json({ words: `Nobody here is called ${to.person}.`, reason: 'unknown-name' });
    const id = String(req.headers['webhook-id']);
    // a try whose answer got lost comes again
    if (!seen.has(id)) await keep({ id, thread: threadOf(to), from, isBack: false, subject, text, at: sentAt });
    res.json({ words: 'shown' });
  });

  const view = (key: string | null): ChatRoomView => {
    const threads = new Map<string, ChatRoomThread>();
    for (const word of words) {
      const { thread } = word;
      const known = threads.get(thread);
      threads.delete(thread);
      threads.set(thread, {
        key: thread,
        name: thread.slice(1),
        isChannel: thread.startsWith('#'),
        words: (known?.words ?? 0) + 1,
        last: shown(word),
      });
    }
    const of = key === null ? [] : words.filter(({ thread }) => thread === key);
    return {
      isUp,
      unknown: [...unknown].sort(),
      threads: [...threads.values()].reverse().slice(0, THREADS),
      open: of.length > 0 ? { key: key!, name: key!.slice(1), isChannel: key!.startsWith('#'), words: of.map(shown) } : null,
    };
  };
  app.get('/threads', (req, res) => void res.json(view(typeof req.query['thread'] === 'string' ? req.query['thread'] : null)));
  app.put('/behaviour', express.json(), (req, res) => {
    const change = ChatRoomChange.parse(req.body);
    isUp = change.isUp ?? isUp;
    if (change.name) unknown[change.name.isKnown ? 'delete' : 'add'](change.name.name.replace(/^@/, '').toLowerCase());
    res.json({ isUp });
  });
  app.post('/replies', express.json(), async (req, res) => {
    const { thread, words: text } = ChatRoomReply.parse(req.body);
    res.json(await reply(thread, text));
  });

  async function reply(thread: string, text: string): Promise<{ response: string }> {
    const asked = words.findLast((word) => word.thread === thread && !word.isBack && /^message-\d+$/.test(word.id));
    if (!asked || !backUrl) return { response: 'There is nothing to answer.' };
    const id = `back-${Date.now()}-${++counter}`;
    const at = new Date();
    const body = JSON.stringify({ from: thread.slice(1), answers: asked.id, text, sentAt: at.toISOString() });
    const answer = await fetch(backUrl, {
      method: 'POST',
      body,
      headers: {
        'content-type': 'application/json',
        'webhook-id': id,
        'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
        'webhook-signature': webhook.sign(id, at, body),
      },
    }).catch((error: unknown) => error as Error);
    if (answer instanceof Error) return { response: `Nudrik does not answer: ${answer.message}` };
    if (answer.ok) await keep({ id, thread, from: thread.slice(1), isBack: true, subject: null, text, at: asked.at });
    return { response: answer.ok ? 'taken' : `${answer.status} ${(await answer.text()).slice(0, 300)}` };
  }

  const http = createServer(app);
  await new Promise<void>((resolve, reject) => {
    http.once('error', reject);
    http.listen(port, '127.0.0.1', resolve);
  });
  const own = (http.address() as { port: number }).port;
  return {
    port: own,
    url: `http://127.0.0.1:${own}/hooks/training`,
    words,
    get isUp() {
      return isUp;
    },
    set isUp(next) {
      isUp = next;
    },
    unknown,
    reply,
    async close() {
      http.closeAllConnections();
      await new Promise((closed) => http.close(closed));
    },
  };
}
