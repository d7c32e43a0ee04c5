import { createServer, type Server, type Socket } from 'node:net';

/** A mail that lies in the mailbox. */
interface Held {
  uid: number;
  raw: Buffer;
  flags: Set<string>;
  at: Date;
}

export interface MailboxOptions {
  port: number;
  user: string;
  password: string;
}

/** Longer lines than any command has: whoever sends one is cut off. */
const MOST_LINE = 10_000;
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const two = (n: number): string => String(n).padStart(2, '0');
const imapDate = (at: Date): string =>
  `${two(at.getUTCDate())}-${MONTHS[at.getUTCMonth()]}-${at.getUTCFullYear()} ${two(at.getUTCHours())}:${two(at.getUTCMinutes())}:${two(at.getUTCSeconds())} +0000`;

/**
 * A mailbox that lies at a mail provider, and is looked into by IMAP (RFC 3501): one user, one folder, INBOX. It knows what a program
 * needs that fetches mail, marks it, and waits for more (IDLE, RFC 2177); it can be out of order, refuse its password, and be made anew.
 */
export class Mailbox {
  private readonly mails: Held[] = [];
  private readonly sessions = new Set<Session>();
  private server: Server | null = null;
  private nextUid = 1;
  uidValidity = 1;
  /** it refuses every password */
  isLocked = false;

  constructor(readonly options: MailboxOptions) {}

  get port(): number {
    return (this.server?.address() as { port: number } | undefined)?.port ?? this.options.port;
  }

  async open(): Promise<this> {
    const server = createServer((socket) => {
      const session = new Session(this, socket);
      this.sessions.add(session);
      socket.once('close', () => this.sessions.delete(session));
    });
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject);
      server.listen(this.options.port, '127.0.0.1', resolve);
    });
    this.options.port = (server.address() as { port: number }).port;
    this.server = server;
    return this;
  }

  async close(): Promise<void> {
    const { server } = this;
    this.server = null;
    for (const session of this.sessions) session.end();
    if (server) await new Promise((closed) => server.close(closed));
  }

  /** A mail comes to lie here. */
  deliver(raw: Buffer, at = new Date()): void {
    this.mails.push({ uid: this.nextUid++, raw, flags: new Set(), at });
    for (const session of this.sessions) session.tell(this.mails.length);
  }

  /** The provider makes it anew: the same mails under other numbers (RFC 3501, 2.3.1.1). */
  renew(): void {
    this.uidValidity += 1;
    this.nextUid = 1;
    for (const mail of this.mails) mail.uid = this.nextUid++;
    for (const session of this.sessions) session.end();
  }

  get all(): readonly Held[] {
    return this.mails;
  }

  get uidNext(): number {
    return this.nextUid;
  }

  /** The mails that a set of numbers names: `1:*`, `4,7:9`. */
  named(set: string, byUid: boolean): { held: Held; seq: number }[] {
    const last = byUid ? (this.mails.at(-1)?.uid ?? 0) : this.mails.length;
    const number = (text: string): number => (text === '*' ? last : Number(text));
    const ranges = set.split(',').map((part) => {
      const [from = '', to = from] = part.split(':');
      return [Math.min(number(from), number(to)), Math.max(number(from), number(to))] as const;
    });
    return this.mails
      .map((held, i) => ({ held, seq: i + 1 }))
      .filter(({ held, seq }) => ranges.some(([from, to]) => (byUid ? held.uid : seq) >= from && (byUid ? held.uid : seq) <= to));
  }
}

/** A literal or quoted text, or a word, of a command. */
const unquote = (text: string): string => (text.startsWith('"') ? text.slice(1, -1).replace(/\\(.)/g, '$1') : text);
const wordsOf = (text: string): string[] => text.match(/"(?:[^"\\]|\\.)*"|\((?:[^()]|\([^()]*\))*\)|\S+/g) ?? [];

/** Who wrote it, and what about, as IMAP tells it (RFC 3501, 7.4.2). */
function envelopeOf(raw: Buffer): string {
  const head = raw.subarray(0, Math.min(raw.length, 64_000)).toString('latin1').split('\r\n\r\n')[0]!;
  const value = (name: string): string | null => new RegExp(`^${name}: *(.*)$`, 'im').exec(head)?.[1]?.trim() ?? null;
  const quoted = (text: string | null | undefined): string => (text ? `"${text.replace(/(["\\])/g, '\\$1')}"` : 'NIL');
  const from = /^(?:"?([^"<]*?)"? *<)?([^<>@\s]+)@([^<>\s]+)>?$/.exec(value('From') ?? '');
  const who = from ? `((${quoted(from[1])} NIL ${quoted(from[2])} ${quoted(from[3])}))` : 'NIL';
  return `(${quoted(value('Date'))} ${quoted(value('Subject'))} ${who} ${who} ${who} NIL NIL NIL NIL ${quoted(value('Message-ID'))})`;
}

/** One program that looks into it. */
class Session {
  private buffer = Buffer.alloc(0);
  private isIn = false;
  private isSelected = false;
  private idleTag: string | null = null;
  /** a command whose literal is still to come */
  private open: { text: string; literal: number } | null = null;

  constructor(
    private readonly box: Mailbox,
    private readonly socket: Socket,
  ) {
    socket.on('error', () => undefined);
    socket.on('data', (chunk) => this.take(chunk));
    this.say('* OK [CAPABILITY IMAP4rev1 IDLE] mailbox ready');
  }

  end(): void {
    this.socket.destroy();
  }

  /** There are so many now. */
  tell(count: number): void {
    if (this.isSelected) this.say(`* ${count} EXISTS`);
  }

  private say(line: string): void {
    if (this.socket.writable) this.socket.write(`${line}\r\n`);
  }

  private take(chunk: Buffer): void {
    this.buffer = Buffer.concat([this.buffer, chunk]);
    for (;;) {
      if (this.open) {
        if (this.buffer.length < this.open.literal) return;
        this.open.text += `"${this.buffer
          .subarray(0, this.open.literal)
          .toString()
          .replace(/(["\\])/g, '\\$1')}"`;
        this.buffer = this.buffer.subarray(this.open.literal);
        this.open.literal = 0;
      }
      const end = this.buffer.indexOf('\r\n');
      if (end < 0) return void (this.buffer.length > MOST_LINE && this.end());
      const line = this.buffer.subarray(0, end).toString();
      this.buffer = this.buffer.subarray(end + 2);
      const text = (this.open?.text ?? '') + line;
      const literal = /\{(\d{1,6})(\+?)\}$/.exec(text);
      if (literal) {
        this.open = { text: text.slice(0, literal.index), literal: Number(literal[1]) };
        if (!literal[2]) this.say('+ go on');
        continue;
      }
      this.open = null;
      this.run(text);
    }
  }

  private run(line: string): void {
    if (this.idleTag !== null) {
      const tag = this.idleTag;
      this.idleTag = null;
      return this.say(`${tag} OK IDLE ended`);
    }
    const [, tag = '*', command = '', rest = ''] = /^(\S+)\s+(UID \S+|\S+)\s*(.*)$/i.exec(line) ?? [];
    const done = (words = 'done'): void => this.say(`${tag} OK ${words}`);
    const no = (words: string): void => this.say(`${tag} NO ${words}`);
    const name = command.toUpperCase();
    if (name === 'CAPABILITY') return (this.say('* CAPABILITY IMAP4rev1 IDLE'), done());
    if (name === 'NOOP') return done();
    if (name === 'LOGOUT') return (this.say('* BYE see you'), done(), void this.socket.end());
    if (name === 'LOGIN') {
      const [user, password] = wordsOf(rest).map(unquote);
      this.isIn = !this.box.isLocked && user === this.box.options.user && password === this.box.options.password;
      return this.isIn ? done() : no('[AUTHENTICATIONFAILED] Invalid credentials');
    }
    if (!this.isIn) return no('log in first');
    if (name === 'LIST' || name === 'LSUB') return (this.say('* LIST (\\HasNoChildren) "/" INBOX'), done());
    if (name === 'SELECT' || name === 'EXAMINE') return this.select(unquote(wordsOf(rest)[0] ?? ''), done, no);
    if (!this.isSelected) return no('select a folder first');
    if (name === 'IDLE') {
      this.idleTag = tag;
      return this.say('+ idling');
    }
    if (name === 'CLOSE' || name === 'UNSELECT') return ((this.isSelected = false), done());
    if (name.endsWith('FETCH')) return (this.fetch(rest, name.startsWith('UID')), done());
    if (name.endsWith('STORE')) return (this.store(rest, name.startsWith('UID')), done());
    if (name.endsWith('SEARCH')) return (this.search(rest, name.startsWith('UID')), done());
    this.say(`${tag} BAD nothing that is known here`);
  }

  private select(folder: string, done: (words: string) => void, no: (words: string) => void): void {
    if (folder.toUpperCase() !== 'INBOX') return no('[NONEXISTENT] there is no such folder');
    this.isSelected = true;
    this.say('* FLAGS (\\Answered \\Flagged \\Deleted \\Seen \\Draft)');
    this.say('* OK [PERMANENTFLAGS (\\Answered \\Flagged \\Deleted \\Seen \\Draft \\*)] these are kept');
    this.say(`* ${this.box.all.length} EXISTS`);
    this.say('* 0 RECENT');
    this.say(`* OK [UIDVALIDITY ${this.box.uidValidity}] numbers are good`);
    this.say(`* OK [UIDNEXT ${this.box.uidNext}] the next one`);
    done('[READ-WRITE] selected');
  }

  private fetch(rest: string, byUid: boolean): void {
    const [set = '', ...asked] = wordsOf(rest);
    const items = asked.join(' ').toUpperCase();
    for (const { held, seq } of this.box.named(set, byUid)) {
      const parts: (string | Buffer)[] = [`UID ${held.uid}`];
      if (items.includes('FLAGS')) parts.push(`FLAGS (${[...held.flags].join(' ')})`);
      if (items.includes('INTERNALDATE')) parts.push(`INTERNALDATE "${imapDate(held.at)}"`);
      if (items.includes('RFC822.SIZE')) parts.push(`RFC822.SIZE ${held.raw.length}`);
      if (items.includes('ENVELOPE')) parts.push(`ENVELOPE ${envelopeOf(held.raw)}`);
      const body = /BODY(?:\.PEEK)?\[(HEADER|)\](?:<(\d+)\.(\d+)>)?/.exec(items);
      const pieces: Buffer[] = [];
      if (body) {
        const whole = body[1] === 'HEADER' ? held.raw.subarray(0, held.raw.indexOf('\r\n\r\n') + 4) : held.raw;
        const from = Number(body[2] ?? 0);
        const part = body[2] === undefined ? whole : whole.subarray(from, from + Number(body[3]));
        pieces.push(Buffer.from(`BODY[${body[1]}]${body[2] === undefined ? '' : `<${from}>`} {${part.length}}\r\n`), part);
      }
      this.socket.write(
        Buffer.concat([Buffer.from(`* ${seq} FETCH (${parts.join(' ')}${body ? ' ' : ''}`), ...pieces, Buffer.from(')\r\n')]),
      );
    }
  }

  private store(rest: string, byUid: boolean): void {
    const [set = '', how = '', ...list] = wordsOf(rest);
    const flags = list.join(' ').replace(/[()]/g, '').split(' ').filter(Boolean);
    for (const { held, seq } of this.box.named(set, byUid)) {
      if (how.startsWith('-')) for (const flag of flags) held.flags.delete(flag);
      else for (const flag of flags) held.flags.add(flag);
      if (!/SILENT/i.test(how)) this.say(`* ${seq} FETCH (UID ${held.uid} FLAGS (${[...held.flags].join(' ')}))`);
    }
  }

  /** All, or what came on a day or after it. */
  private search(asked: string, byUid: boolean): void {
    const [, day, month, year] = /SINCE "?(\d{1,2})-(\w{3})-(\d{4})/i.exec(asked) ?? [];
    const since = day ? Date.UTC(Number(year), MONTHS.indexOf(month!), Number(day)) : 0;
    const found = this.box.all.flatMap((held, i) => (held.at.getTime() >= since ? [byUid ? held.uid : i + 1] : []));
    this.say(`* SEARCH ${found.join(' ')}`.trimEnd());
  }
}
