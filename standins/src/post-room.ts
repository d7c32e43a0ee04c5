import { createServer, type Server } from 'node:http';
import express from 'express';
import { simpleParser } from 'mailparser';
import { createTransport } from 'nodemailer';
import { SMTPServer, type SMTPServerAddress, type SMTPServerDataStream, type SMTPServerSession } from 'smtp-server';
import { BehaviourChange, ServerChange, type Behaviour, type PostRoomLetter, type PostRoomView } from '@nudrik/contract';
import { MailStore, type KeptMail } from './mail-store.ts';

export interface PostRoomOptions {
  smtpPort: number;
  httpPort: number;
  /** where delivery reports go: the sender's own SMTP listener; 0 sends none */
  reportPort: number;
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
  /** the newest first */
  mails: readonly KeptMail[];
  /** a mail as it came in */
  raw(id: string): Promise<Buffer | null>;
  close(): Promise<void>;
}

const KEEP = 2_000;

/** A header line as it is read: its name, and its value in one line. */
function headerOf(line: string): { name: string; value: string } {
  const colon = line.indexOf(':');
  const value = line.slice(colon + 1).replace(/\s+/g, ' ');
  return { name: line.slice(0, colon), value: value.trim() };
}

/**
 * The mail server that ships with Nudrik for demo and tests. It speaks SMTP, keeps what arrives, tells the sender what
 * was delivered (RFC 3461 and 3464), and misbehaves on request: an address can bounce, be full, or be slow.
 */
export async function openPostRoom(options: PostRoomOptions): Promise<PostRoom> {
  const store = await MailStore.open(options.folder ?? null);
  const mails = (await store.list()).slice(-KEEP).reverse();
  // a line that was cut off goes, so that the next one does not run on from it
  await store.keepOnly([...mails].reverse());
  const byId = new Map(mails.map((mail) => [mail.id, mail]));
  const behaviours = new Map<string, Behaviour>(Object.entries((await store.behaviours()) ?? options.behaviours ?? {}));
  let smtp: SMTPServer | null = null;
  let smtpPort = options.smtpPort;
  let counter = Number(mails[0]?.id ?? 0);
  const reports = options.reportPort
    ? createTransport({
        host: '127.0.0.1',
        port: options.reportPort,
        ignoreTLS: true,
        pool: true,
        maxConnections: 3,
      } as object)
    : null;

  const refuse = (code: number, words: string): Error => Object.assign(new Error(words), { responseCode: code });

  const open = (): Promise<void> => {
    const server = new SMTPServer({
      authOptional: true,
      disabledCommands: ['AUTH', 'STARTTLS'],
      disableReverseLookup: true,
      logger: false,
      size: 25 * 1024 * 1024,
      hideENHANCEDSTATUSCODES: false,
      hideDSN: false,
      onRcptTo({ address }: SMTPServerAddress, _session: SMTPServerSession, done: (error?: Error | null) => void) {
        const behaviour = behaviours.get(address.toLowerCase()) ?? 'ok';
        if (behaviour === 'bounce') return done(refuse(550, `<${address}>: no such mailbox`));
        if (behaviour === 'full') return done(refuse(452, `<${address}>: the mailbox is full`));
        if (behaviour === 'slow') return void setTimeout(() => done(), options.slowness ?? 3_000);
        done();
      },
      onData(stream: SMTPServerDataStream, session: SMTPServerSession, done: (error?: Error | null, words?: string) => void) {
        if (options.isSink) {
          stream.resume();
          stream.on('end', () => done());
          return;
        }
        const chunks: Buffer[] = [];
        stream.on('data', (chunk: Buffer) => chunks.push(chunk));
        stream.on('end', () => {
          keep(Buffer.concat(chunks), session).then(
            (id) => done(null, `accepted for delivery as ${id}`),
            (error: Error) => done(error),
          );
        });
      },
    });
    server.on('error', () => undefined);
    return new Promise((resolve, reject) => {
      server.server.once('error', reject);
      server.listen(smtpPort, '127.0.0.1', () => {
        smtpPort = (server.server.address() as { port: number }).port;
        smtp = server;
        resolve();
      });
    });
  };

  const shut = (): Promise<void> =>
    new Promise((resolve) => {
      const server = smtp;
      smtp = null;
      if (!server) return resolve();
      // a server that goes down takes its open connections with it
      for (const connection of (server as unknown as { connections: Set<{ _socket: { destroy(): void } }> }).connections)
        connection._socket.destroy();
      server.close(() => resolve());
    });

  const keep = async (raw: Buffer, session: SMTPServerSession): Promise<string> => {
    const mail = await simpleParser(raw);
    const to = session.envelope.rcptTo.map(({ address }) => address);
    const id = String(++counter);
    const stored: KeptMail = {
      id,
      to: to.join(', '),
      from: mail.from?.text ?? '',
      subject: mail.subject ?? '',
      receivedAt: (mail.date ?? new Date()).toISOString(),
      bytes: raw.length,
      messageId: mail.messageId ?? '',
    };
    await store.add(stored, raw);
    mails.unshift(stored);
    byId.set(id, stored);
    if (mails.length > KEEP) {
      const { id: oldest } = mails.pop()!;
      byId.delete(oldest);
      await store.drop(oldest);
      // lines are cleared away now and then, not with each mail
      if (counter % 500 === 0) await store.keepOnly([...mails].reverse());
    }
    if (reports) for (const rcpt of session.envelope.rcptTo) report(session, rcpt, stored);
    return id;
  };

  const report = (session: SMTPServerSession, rcpt: SMTPServerAddress, stored: KeptMail): void => {
    const from = session.envelope.mailFrom;
    const envelopeId = session.envelope.dsn?.envid;
    if (!from || !envelopeId) return;
    const status = [
      `Reporting-MTA: dns; post-room.orlasund.example`,
      `Original-Envelope-Id: ${envelopeId}`,
      '',
      `Final-Recipient: rfc822; ${rcpt.address}`,
      'Action: delivered',
      'Status: 2.0.0',
      `Diagnostic-Code: smtp; 250 accepted for delivery as ${stored.id}`,
      `Last-Attempt-Date: ${new Date(stored.receivedAt).toUTCString()}`,
      '',
    ].join('\r\n');
    void reports!
      .sendMail({
        envelope: { from: '', to: from.address },
        from: 'Post room <postmaster@post-room.orlasund.example>',
        to: from.address,
        subject: 'Delivery report',
        headers: { 'Auto-Submitted': 'auto-replied' },
        text: `Delivered to ${rcpt.address}.`,
        attachments: [{ contentType: 'message/delivery-status', content: status, contentDisposition: 'inline', filename: false }],
      })
      .catch(() => undefined); // nobody listens for reports: the mail stays "sent"
  };

  const app = express();
  app.use(express.json());
  app.get('/mails', (req, res) => {
    const find = String(req.query['find'] ?? '').toLowerCase();
    const found = find ? mails.filter((mail) => `${mail.to} ${mail.subject}`.toLowerCase().includes(find)) : mails;
    const view: PostRoomView = {
      isUp: smtp !== null,
      total: found.length,
      mails: found.slice(0, 200).map(({ id, to, from, subject, receivedAt, bytes }) => ({ id, to, from, subject, receivedAt, bytes })),
      behaviours: [...behaviours].map(([address, behaviour]) => ({ address, behaviour })).sort((a, b) => (a.address < b.address ? -1 : 1)),
    };
    res.json(view);
  });
  /** A mail as it came in; only what is listed is there. */
  const rawOf = async (id: string): Promise<Buffer | null> => (byId.has(id) ? store.read(id) : null);
  app.get('/mails/:id', async (req, res) => {
    const raw = await rawOf(req.params.id);
    if (!raw) return void res.status(404).json({});
    const { id, to, from, subject, receivedAt, bytes } = byId.get(req.params.id)!;
    const { html, text, headerLines } = await simpleParser(raw);
    const headers = headerLines.map(({ line }) => headerOf(line));
    const letter: PostRoomLetter = { id, to, from, subject, receivedAt, bytes, html: html || null, text: text ?? null, headers };
    res.json(letter);
  });
  app.get('/mails/:id/eml', async (req, res) => {
    const raw = await rawOf(req.params.id);
    if (!raw) return void res.status(404).end();
    res.type('message/rfc822').end(raw);
  });
  app.put('/behaviour', async (req, res) => {
    const change = BehaviourChange.parse(req.body);
    if (change.behaviour === 'ok') behaviours.delete(change.address.toLowerCase());
    else behaviours.set(change.address.toLowerCase(), change.behaviour);
    await store.keepBehaviours(Object.fromEntries(behaviours));
    res.json({ done: true });
  });
  app.put('/server', async (req, res) => {
    const { isUp } = ServerChange.parse(req.body);
    if (isUp && !smtp) await open();
    if (!isUp) await shut();
    res.json({ isUp: smtp !== null });
  });

  await open();
  const http: Server = createServer(app);
  await new Promise<void>((resolve, reject) => {
    http.once('error', reject);
    http.listen(options.httpPort, '127.0.0.1', resolve);
  });
  return {
    get smtpPort() {
      return smtpPort;
    },
    httpPort: (http.address() as { port: number }).port,
    mails,
    raw: rawOf,
    async close() {
      reports?.close();
      await shut();
      http.closeAllConnections();
      await new Promise((closed) => http.close(closed));
    },
  };
}
