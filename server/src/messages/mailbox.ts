import { randomUUID } from 'node:crypto';
import { ImapFlow, type FetchMessageObject } from 'imapflow';
import { DAY_MS, oneLine } from '@nudrik/core';
import { announce } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { takeMail } from './arrive.ts';
import { isLater, MOST_BYTES, type Delivered } from './inbound.ts';
import { beginMailbox, claimMailbox, freeMailbox, lookedAt, passMail, type LeftBehind, type MailboxRow } from './mailbox.repo.ts';

/** A mailbox that mail is fetched from, as the settings of the process name it. */
export interface MailboxSettings {
  host: string;
  port: number;
  /** encrypted from the first byte; otherwise as soon as the server offers it */
  isSecure: boolean;
  user: string;
  password: string;
  folder: string;
}

/** What it is known by, and shown as: never with its password. */
export const mailboxName = ({ user, host, folder }: MailboxSettings): string => `${user} at ${host}, ${folder}`;

/** How often it is looked into: a server that can says by itself that something has come. After failures less and less often. */
const EVERY_MS = 15_000;
const MOST_PAUSE_MS = 300_000;
/** What a server may take its time for. */
const PATIENCE_MS = 20_000;
/** Mails of one look: the lease is renewed with each. */
const AT_ONCE = 200;

/** The addresses that the provider put a mail down for, and whom it came from, as it wrote them above the mail. */
export function deliveredOf(raw: Buffer): Delivered {
  const end = raw.indexOf('\r\n\r\n');
  const head = raw.subarray(0, end < 0 ? Math.min(raw.length, 64_000) : Math.min(end, 64_000)).toString('latin1').replace(/\r?\n[ \t]+/g, ' '); // prettier-ignore
  const values = (name: string): string[] =>
    [...head.matchAll(new RegExp(`^${name}:[ \\t]*(.*)$`, 'gim'))].map(([, value]) => value!.trim());
  const address = (text: string): string => /<([^<>]*)>/.exec(text)?.[1]?.trim() ?? text;
  const to = ['Delivered-To', 'X-Original-To', 'Envelope-To', 'X-Envelope-To'].flatMap((name) =>
    values(name).flatMap((text) => text.split(',')),
  );
  const [path] = values('Return-Path');
  return {
    raw,
    from: path === undefined ? address(values('From')[0] ?? '') : address(path),
    to: to.map((text) => address(text.trim()).toLowerCase()).filter(Boolean).slice(0, 20),
  }; // prettier-ignore
}

/** The mailbox does not do what it was asked: told in words that name no secret. */
class OutOfReach extends Error {}

/** What is asked of the mailbox, and not of the database: what fails in it is its own. */
const asked = async <T>(work: () => Promise<T>): Promise<T> => {
  try {
    return await work();
  } catch (error) {
    throw new OutOfReach(whyOf(error as Error));
  }
};

/** Looks into a mailbox, and takes in what has come since the last look. Where it is looked into for the first time, it begins with what comes from then on. */
export class MailboxReader {
  private client: ImapFlow | null = null;
  private readonly worker = randomUUID();
  private readonly name: string;
  private nextAt = 0;
  private failures = 0;
  private isStopped = false;

  /** @param rouse something has come: look now */
  constructor(
    private readonly deps: Deps,
    private readonly settings: MailboxSettings,
    private readonly rouse: () => void = () => undefined,
  ) {
    this.name = mailboxName(settings);
  }

  /** Looks where it is time to. */
  async lookIfDue(): Promise<void> {
    if (this.isStopped || performance.now() < this.nextAt) return;
    await this.look();
  }

  /** @returns how many mails were taken */
  async look(): Promise<number> {
    const { deps, name } = this;
    this.nextAt = performance.now() + EVERY_MS;
    const held = await claimMailbox(deps.db, name, this.worker);
    if (!held) {
      this.hangUp();
      return 0;
    }
    try {
      const taken = await this.takeNew(held);
      this.failures = 0;
      await this.say(null);
      return taken;
    } catch (error) {
      if (this.isStopped || isLater(error as Error)) return 0;
      // what fails in our own house is told where all such work is
      if (!(error instanceof OutOfReach)) throw error;
      this.hangUp();
      this.failures += 1;
      this.nextAt =
        performance.now() + Math.min(MOST_PAUSE_MS, EVERY_MS * 2 ** Math.min(this.failures - 1, 6)) * (0.8 + Math.random() * 0.4);
      await this.say(error.message);
      return 0;
    }
  }

  private async say(words: string | null): Promise<void> {
    if (await lookedAt(this.deps.db, this.name, this.deps.clock.now(), words)) await announce(this.deps.db, 'people', 'settings');
  }

  private async takeNew(held: MailboxRow): Promise<number> {
    const client = await this.connected();
    const box = await asked(() => client.mailboxOpen(this.settings.folder));
    let last = Number(held.last_uid);
    if (held.uid_validity === null) {
      await beginMailbox(this.deps.db, this.name, box.uidValidity, box.uidNext - 1);
      return 0;
    }
    if (held.uid_validity !== String(box.uidValidity)) {
      // all have other numbers now: it goes on with the day before the last look, and what was taken then is known by what it says
      const since = new Date((held.reached_at?.getTime() ?? Date.now()) - DAY_MS);
      const recent = await asked(() => client.search({ since }, { uid: true }));
      last = Math.min(box.uidNext, ...(recent || [])) - 1;
      await beginMailbox(this.deps.db, this.name, box.uidValidity, last);
    }
    if (box.exists === 0 || box.uidNext - 1 <= last) return 0;
    // a range that ends with * has the last one in it, however small its number is (RFC 3501, 6.4.8)
    const listed = await asked(() => client.fetchAll(`${last + 1}:*`, { uid: true, size: true }, { uid: true }));
    const found = listed.filter(({ uid }) => uid > last).sort((a, b) => a.uid - b.uid);
    let taken = 0;
    for (const { uid, size } of found.slice(0, AT_ONCE)) {
      if (this.isStopped || !(await claimMailbox(this.deps.db, this.name, this.worker))) return taken;
      if (await this.takeOne(client, uid, size ?? 0)) taken += 1;
    }
    if (found.length > AT_ONCE) this.nextAt = 0;
    return taken;
  }

  /** @returns whether it was taken; it may be gone meanwhile, or be what cannot be taken: then it is left where it is */
  private async takeOne(client: ImapFlow, uid: number, size: number): Promise<boolean> {
    const { db } = this.deps;
    const isTooLarge = size > MOST_BYTES;
    const mail = await asked(() => client.fetchOne(String(uid), isTooLarge ? { envelope: true } : { envelope: true, source: true }, { uid: true })); // prettier-ignore
    if (!mail) return (await passMail(db, this.name, uid, null), false);
    const why = isTooLarge ? `it has ${Math.round(size / 1_000_000)} MB, more than is taken` : await this.tryToTake(mail);
    await passMail(db, this.name, uid, why === null ? null : this.leftBehind(mail, why));
    await asked(() => client.messageFlagsAdd(String(uid), why === null ? ['\\Seen'] : ['\\Flagged'], { uid: true }));
    if (why !== null) await announce(db, 'people', 'settings');
    return why === null;
  }

  /** @returns why it cannot be taken, now or ever; null where it was. @throws what passes: it is tried again with the next look */
  private async tryToTake({ source }: FetchMessageObject): Promise<string | null> {
    try {
      await takeMail(this.deps, deliveredOf(source ?? Buffer.alloc(0)));
      return null;
    } catch (error) {
      if (isLater(error as Error)) throw error;
      this.deps.log.warn({ error: (error as Error).stack }, 'A mail from the mailbox could not be recorded.');
      return 'it could not be read';
    }
  }

  private leftBehind({ envelope }: FetchMessageObject, why: string): LeftBehind {
    const from = envelope?.from?.[0];
    return {
      at: new Date(this.deps.clock.now()).toISOString(),
      from: oneLine(from?.address ?? from?.name ?? 'somebody unknown', 320),
      subject: oneLine(envelope?.subject ?? 'no subject', 200),
      why,
    };
  }

  private async connected(): Promise<ImapFlow> {
    if (this.client?.usable) return this.client;
    this.hangUp();
    const { host, port, isSecure, user, password } = this.settings;
    const client = new ImapFlow({ host, port, secure: isSecure, auth: { user, pass: password }, logger: false, connectionTimeout: PATIENCE_MS, greetingTimeout: PATIENCE_MS, socketTimeout: 4 * 60_000 }); // prettier-ignore
    client.on('error', () => undefined); // told by what was asked meanwhile, or by the next look
    client.on('exists', () => {
      this.nextAt = 0;
      this.rouse();
    });
    this.client = client;
    await asked(() => client.connect());
    return client;
  }

  private hangUp(): void {
    this.client?.close();
    this.client = null;
  }

  async close(): Promise<void> {
    this.isStopped = true;
    this.hangUp();
    await freeMailbox(this.deps.db, this.name, this.worker).catch(() => undefined);
  }
}

/** Why a look failed, in a sentence that names no secret. */
function whyOf(error: Error): string {
  const { authenticationFailed, responseText, code } = error as { authenticationFailed?: boolean; responseText?: string; code?: string };
  if (authenticationFailed) return `it refuses the name or the password${responseText ? `: “${oneLine(responseText, 200)}”` : ''}`;
  if (responseText) return `it says: “${oneLine(responseText, 200)}”`;
  return code === 'ECONNREFUSED' || code === 'ENOTFOUND' || code === 'ETIMEDOUT' || code === 'EHOSTUNREACH' ? 'it does not answer' : oneLine(error.message, 200); // prettier-ignore
}
