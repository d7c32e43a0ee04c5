import { SMTPServer, type SMTPServerAddress, type SMTPServerDataStream, type SMTPServerSession } from 'smtp-server';
import type { Behaviour, ServerRefusal } from '@nudrik/contract';

/** What became of a mail that came in: it was kept under this number. */
export type Keep = (raw: Buffer, session: SMTPServerSession) => Promise<string>;

export interface IntakeOptions {
  port: number;
  slowness: number;
  /** null accepts and forgets, for measuring */
  keep: Keep | null;
  behaviourOf(address: string): Behaviour;
}

const refuse = (code: number, words: string): Error => Object.assign(new Error(words), { responseCode: code });

/** As servers say it (RFC 4954, RFC 3207). */
const REFUSALS: Readonly<Record<ServerRefusal, readonly [code: number, words: string]>> = {
  password: [535, '5.7.8 Authentication credentials invalid'],
  tls: [530, '5.7.0 Must issue a STARTTLS command first'],
};

/** The SMTP side of the post room: it can go down, with its open connections, and come up again on the same port. */
export class MailIntake {
  private server: SMTPServer | null = null;
  /** what it says to whoever hands mail over, before it is asked for any address */
  refuses: ServerRefusal | null = null;
  /** addresses that were asked for once: the second time they take mail */
  private readonly met = new Set<string>();
  port: number;

  constructor(private readonly options: IntakeOptions) {
    this.port = options.port;
  }

  get isUp(): boolean {
    return this.server !== null;
  }

  open(): Promise<void> {
    const server = new SMTPServer({
      authOptional: true,
      disabledCommands: ['AUTH', 'STARTTLS'],
      disableReverseLookup: true,
      logger: false,
      size: 25 * 1024 * 1024,
      // what is said here says its own
      hideENHANCEDSTATUSCODES: true,
      hideDSN: false,
      onMailFrom: (_address: SMTPServerAddress, _session: SMTPServerSession, done: (error?: Error | null) => void) =>
        done(this.refuses && refuse(...REFUSALS[this.refuses])),
      onRcptTo: (address: SMTPServerAddress, _session: SMTPServerSession, done: (error?: Error | null) => void) =>
        this.answer(address, done),
      onData: (stream: SMTPServerDataStream, session: SMTPServerSession, done: (error?: Error | null, words?: string) => void) =>
        this.take(stream, session, done),
    });
    server.on('error', () => undefined);
    return new Promise((resolve, reject) => {
      server.server.once('error', reject);
      server.listen(this.port, '127.0.0.1', () => {
        this.port = (server.server.address() as { port: number }).port;
        this.server = server;
        resolve();
      });
    });
  }

  shut(): Promise<void> {
    return new Promise((resolve) => {
      const { server } = this;
      this.server = null;
      if (!server) return resolve();
      // a server that goes down takes its open connections with it
      const { connections } = server as unknown as { connections: Set<{ _socket: { destroy(): void } }> };
      for (const connection of connections) connection._socket.destroy();
      server.close(() => resolve());
    });
  }

  private hangUp(session: string): void {
    const { connections } = this.server as unknown as { connections: Set<{ id: string; _socket: { destroy(): void } }> };
    for (const connection of connections) if (connection.id === session) connection._socket.destroy();
  }

  private answer({ address }: SMTPServerAddress, done: (error?: Error | null) => void): void {
    const behaviour = this.options.behaviourOf(address);
    if (behaviour === 'bounce') return done(refuse(550, `5.1.1 <${address}>: no such mailbox`));
    if (behaviour === 'full') return done(refuse(452, `4.2.2 <${address}>: the mailbox is full`));
    if (behaviour === 'grey' && !this.met.has(address.toLowerCase())) {
      this.met.add(address.toLowerCase());
      return done(refuse(451, `4.7.1 <${address}>: not met before, try again in a moment`));
    }
    if (behaviour === 'slow') return void setTimeout(() => done(), this.options.slowness);
    done();
  }

  private take(stream: SMTPServerDataStream, session: SMTPServerSession, done: (error?: Error | null, words?: string) => void): void {
    const { keep } = this.options;
    if (!keep) {
      stream.resume();
      stream.on('end', () => done());
      return;
    }
    if (session.envelope.rcptTo.some(({ address }) => this.options.behaviourOf(address) === 'drops')) {
      // in the midst of the message: nobody was told whether it was taken
      stream.once('data', () => this.hangUp(session.id));
      stream.resume();
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
  }
}
