import { createServer, type Server } from 'node:http';
import express, { type Express } from 'express';
import { simpleParser } from 'mailparser';
import type { SMTPServerSession } from 'smtp-server';
import {
  BehaviourChange,
  PostRoomClock,
  PostRoomReply,
  ServerChange,
  type AddressBehaviour,
  type Behaviour,
  type PostRoomLetter,
  type PostRoomNext,
  type PostRoomView,
} from '@nudrik/contract';
import { Answers } from './answers.ts';
import { DeliveryReports } from './delivery-reports.ts';
import { HandBack } from './hand-back.ts';
import { LaterList, type Later } from './later.ts';
import { MailIntake } from './mail-intake.ts';
import { MailStore, type KeptMail } from './mail-store.ts';
import { Mailbox, type MailboxOptions } from './mailbox.ts';

export interface PostRoomOptions {
  smtpPort: number;
  httpPort: number;
  /** where delivery reports go: the sender's own SMTP listener; 0 sends none */
  reportPort: number;
  /** the mailbox in which replies can lie, looked into by IMAP */
  mailbox?: MailboxOptions;
  /** how late a slow address answers, in milliseconds */
  slowness?: number;
  /** addresses that misbehave from the start */
  behaviours?: Record<string, Behaviour>;
  /** accept and forget, for measuring */
  isSink?: boolean;
  /** where mail is kept over a restart; in memory where none is given */
  folder?: string | null;
}

export interface PostRoom {
  smtpPort: number;
  httpPort: number;
  /** null where it has none */
  mailbox: Mailbox | null;
  /** the newest first */
  mails: readonly KeptMail[];
  /** a mail as it came in */
  raw(id: string): Promise<Buffer | null>;
  close(): Promise<void>;
}

const KEEP = 2_000;
/** Letters of each mail that are looked through. */
const MOST_WORDS = 4_000;

/** A header line as it is read: its name, and its value in one line. */
function headerOf(line: string): { name: string; value: string } {
  const colon = line.indexOf(':');
  const value = line.slice(colon + 1).replace(/\s+/g, ' ');
  return { name: line.slice(0, colon), value: value.trim() };
}

/** What is known of a mail without reading it. */
export type KnownMail = Omit<KeptMail, 'id' | 'bytes'>;

/** What the post room has: its mails, the newest first, and how addresses behave. */
class Shelves {
  readonly mails: KeptMail[] = [];
  readonly behaviours = new Map<string, AddressBehaviour>();
  later!: LaterList;
  private readonly byId = new Map<string, KeptMail>();
  private counter = 0;

  private constructor(private readonly store: MailStore) {}

  static async open({ folder = null, behaviours = {} }: PostRoomOptions): Promise<Shelves> {
    const shelves = new Shelves(await MailStore.open(folder));
    for (const mail of (await shelves.store.list()).slice(-KEEP)) shelves.put(mail);
    shelves.counter = Number(shelves.mails[0]?.id ?? 0);
    // a line that was cut off goes, so that the next one does not run on from it
    await shelves.store.keepOnly([...shelves.mails].reverse());
    for (const [address, behaviour] of Object.entries((await shelves.store.behaviours()) ?? behaviours))
      shelves.behaviours.set(address, typeof behaviour === 'string' ? { behaviour, afterHours: 0 } : behaviour);
    shelves.later = await LaterList.open(shelves.store);
    return shelves;
  }

  private put(mail: KeptMail): void {
    this.mails.unshift(mail);
    this.byId.set(mail.id, mail);
  }

  async keep(raw: Buffer, to: readonly string[]): Promise<KeptMail> {
    const mail = await simpleParser(raw);
    return this.keepKnown(raw, {
      to: to.join(', '),
      from: mail.from?.text ?? '',
      subject: mail.subject ?? '',
      receivedAt: (mail.date ?? new Date()).toISOString(),
      messageId: mail.messageId ?? '',
      words: mail.text ?? '',
    });
  }

  async keepKnown(raw: Buffer, known: KnownMail): Promise<KeptMail> {
    const kept: KeptMail = { ...known, id: String(++this.counter), bytes: raw.length, words: (known.words ?? '').slice(0, MOST_WORDS) };
    await this.store.add(kept, raw);
    this.put(kept);
    if (this.mails.length > KEEP) await this.dropOldest();
    return kept;
  }

  private async dropOldest(): Promise<void> {
    const { id } = this.mails.pop()!;
    this.byId.delete(id);
    await this.store.drop(id);
    // lines are cleared away now and then, not with each mail
    if (this.counter % 500 === 0) await this.store.keepOnly([...this.mails].reverse());
  }

  async behave(address: string, how: AddressBehaviour): Promise<void> {
    if (how.behaviour === 'ok') this.behaviours.delete(address.toLowerCase());
    else this.behaviours.set(address.toLowerCase(), how);
    await this.store.keepBehaviours(Object.fromEntries(this.behaviours));
  }

  /** A mail as it came in; only what is listed is there. */
  raw(id: string): Promise<Buffer | null> {
    return this.byId.has(id) ? this.store.read(id) : Promise.resolve(null);
  }

  /** As an address was told to behave, or its whole domain. */
  behaviourOf(address: string): AddressBehaviour {
    const known = address.toLowerCase();
    return this.behaviours.get(known) ?? this.behaviours.get(known.slice(known.lastIndexOf('@'))) ?? { behaviour: 'ok', afterHours: 0 };
  }

  mail(id: string): KeptMail | null {
    return this.byId.get(id) ?? null;
  }

  async letter(id: string): Promise<PostRoomLetter | null> {
    const mail = this.byId.get(id);
    const raw = mail && (await this.raw(id));
    if (!raw) return null;
    const { messageId: _, words: __, ...row } = mail;
    const { html, text, headerLines } = await simpleParser(raw);
    return { ...row, html: html || null, text: text ?? null, headers: headerLines.map(({ line }) => headerOf(line)) };
  }

  /** @param inText their words are looked through too */
  view(find: string, inText: boolean, { isUp, refuses }: MailIntake, back: HandBack | null): PostRoomView {
    const wanted = find.toLowerCase();
    const lookedAt = ({ to, subject, words = '' }: KeptMail): string => `${to} ${subject} ${inText ? words : ''}`.toLowerCase();
    const found = wanted ? this.mails.filter((mail) => lookedAt(mail).includes(wanted)) : this.mails;
    const behaviours = [...this.behaviours].map(([address, how]) => ({ address, ...how }));
    return {
      isUp,
      refuses,
      isLeft: back?.isLeft ?? false,
      total: found.length,
      mails: found.slice(0, 200).map(({ messageId: _, words: __, ...row }) => row),
      behaviours: behaviours.sort((a, b) => (a.address < b.address ? -1 : 1)),
    };
  }
}

/** What the demo's page asks and tells the post room. */
function face(
  shelves: Shelves,
  intake: MailIntake,
  answers: Answers | null,
  back: HandBack | null,
  act: (later: Later) => Promise<void>,
): Express {
  const app = express();
  app.use(express.json());
  app.get('/mails', (req, res) => {
    res.json(shelves.view(String(req.query['find'] ?? ''), req.query['inText'] === 'true', intake, back));
  });
  app.get('/mails/:id', async (req, res) => {
    const letter = await shelves.letter(req.params.id);
    res.status(letter ? 200 : 404).json(letter ?? {});
  });
  app.get('/mails/:id/eml', async (req, res) => {
    const raw = await shelves.raw(req.params.id);
    if (!raw) return void res.status(404).end();
    res.type('message/rfc822').end(raw);
  });
  app.post('/mails/:id/reply', async (req, res) => {
    const { words } = PostRoomReply.parse(req.body);
    const mail = shelves.mail(req.params.id);
    const raw = mail && (await shelves.raw(mail.id));
    if (!mail || !raw || !answers) return void res.status(404).json({});
    res.json({ response: await answers.reply(mail, raw, words).catch((error: Error) => error.message) });
  });
  app.post('/clock', async (req, res) => {
    const { now } = PostRoomClock.parse(req.body);
    await shelves.later.until(new Date(now), act);
    res.json({ nextAt: shelves.later.nextAt } satisfies PostRoomNext);
  });
  app.put('/behaviour', async (req, res) => {
    const { address, behaviour, afterHours } = BehaviourChange.parse(req.body);
    await shelves.behave(address, { behaviour, afterHours: behaviour === 'answers' || behaviour === 'returns' ? afterHours : 0 });
    res.json({ done: true });
  });
  app.put('/server', async (req, res) => {
    const { isUp, refuses, isLeft } = ServerChange.parse(req.body);
    intake.refuses = refuses;
    if (back && isLeft !== undefined) back.isLeft = isLeft;
    if (isUp && !intake.isUp) await intake.open();
    if (!isUp) await intake.shut();
    res.json({ isUp: intake.isUp, refuses: intake.refuses, isLeft: back?.isLeft ?? false });
  });
  return app;
}

/** Puts mails where a post room keeps its own, as if they had arrived there, the oldest first. @returns how many */
export async function keepMails(folder: string, mails: AsyncIterable<{ raw: Buffer; known: KnownMail }>): Promise<number> {
  const shelves = await Shelves.open({ smtpPort: 0, httpPort: 0, reportPort: 0, folder });
  let count = 0;
  for await (const { raw, known } of mails) {
    await shelves.keepKnown(raw, known);
    count += 1;
  }
  return count;
}

/**
 * The mail server that ships with Nudrik for demo and tests. It speaks SMTP, keeps what arrives, tells the sender what
 * was delivered, and misbehaves on request: an address can bounce, now or later, be full, be slow, hang up, be away, or write back.
 */
export async function openPostRoom(options: PostRoomOptions): Promise<PostRoom> {
  const shelves = await Shelves.open(options);
  const mailbox = options.mailbox ? await new Mailbox(options.mailbox).open() : null;
  const back = options.reportPort || mailbox ? new HandBack(options.reportPort, mailbox) : null;
  const reports = back && new DeliveryReports(back);
  const answers = back && new Answers(back);
  const keep = async (raw: Buffer, session: SMTPServerSession): Promise<string> => {
    const to = session.envelope.rcptTo.map(({ address }) => address);
    const mail = await shelves.keep(raw, to);
    const { behaviour, afterHours } = shelves.behaviourOf(to[0] ?? '');
    const from = session.envelope.mailFrom ? session.envelope.mailFrom.address : '';
    const envelope = { from, id: session.envelope.dsn?.envid ?? null };
    if (behaviour !== 'returns') reports?.send(session, mail);
    if (afterHours > 0 && (behaviour === 'returns' || behaviour === 'answers')) {
      const at = new Date(Date.parse(mail.receivedAt) + afterHours * 3_600_000).toISOString();
      await shelves.later.add({ what: behaviour, at, mail: mail.id, address: to[0]!, envelope });
      return mail.id;
    }
    if (behaviour === 'returns') void reports?.returned(envelope, to[0]!, mail);
    // what its reader writes back goes on its own way; where nobody takes it, it is lost as mail is
    if (behaviour === 'away') void answers?.away(to[0]!, from, raw).catch(() => undefined);
    if (behaviour === 'answers') void answers?.someWords(mail, raw).catch(() => undefined);
    return mail.id;
  };
  const act = async ({ what, mail: id, address, envelope }: Later): Promise<void> => {
    const mail = shelves.mail(id);
    const raw = mail && (await shelves.raw(id));
    if (!mail || !raw) return;
    if (what === 'returns') await reports?.returned(envelope, address, mail);
    else await answers?.someWords(mail, raw).catch(() => undefined);
  };
  const intake = new MailIntake({
    port: options.smtpPort,
    slowness: options.slowness ?? 3_000,
    keep: options.isSink ? null : keep,
    behaviourOf: (address) => shelves.behaviourOf(address).behaviour,
  });
  await intake.open();
  const http: Server = createServer(face(shelves, intake, answers, back, act));
  await new Promise<void>((resolve, reject) => {
    http.once('error', reject);
    http.listen(options.httpPort, '127.0.0.1', resolve);
  });
  return {
    get smtpPort() {
      return intake.port;
    },
    httpPort: (http.address() as { port: number }).port,
    mailbox,
    mails: shelves.mails,
    raw: (id) => shelves.raw(id),
    async close() {
      back?.close();
      await mailbox?.close();
      await intake.shut();
      http.closeAllConnections();
      await new Promise((closed) => http.close(closed));
    },
  };
}
