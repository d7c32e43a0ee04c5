import { appendFile, mkdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { AddressBehaviour, PostRoomMail } from '@nudrik/contract';
import type { Later } from './later.ts';

/** What the list shows of a mail, and its number for the next start. */
export type KeptMail = PostRoomMail & {
  messageId: string;
  /** the beginning of its text, for whoever looks for a word of it; none of mails that were kept before */
  words?: string;
};

/**
 * Where the post room keeps its mail: each as it came in, `12.eml` (RFC 5322), with a line in `mails.jsonl`, and how
 * addresses misbehave in `behaviours.json`. Without a folder it is kept in memory and gone with the process.
 */
export class MailStore {
  private readonly raw = new Map<string, Buffer>();

  private constructor(private readonly folder: string | null) {}

  static async open(folder: string | null): Promise<MailStore> {
    if (folder !== null) await mkdir(folder, { recursive: true });
    return new MailStore(folder);
  }

  private at(name: string): string {
    return join(this.folder!, name);
  }

  /** What was kept before, oldest first; a line that was cut off by a sudden end is no mail. */
  async list(): Promise<KeptMail[]> {
    if (this.folder === null) return [];
    const text = await readFile(this.at('mails.jsonl'), 'utf8').catch(() => '');
    return text.split('\n').flatMap((line) => {
      try {
        return line === '' ? [] : [JSON.parse(line) as KeptMail];
      } catch {
        return [];
      }
    });
  }

  /** Kept before its sender is told that it was taken. */
  async add(mail: KeptMail, raw: Buffer): Promise<void> {
    if (this.folder === null) return void this.raw.set(mail.id, raw);
    await writeFile(this.at(`${mail.id}.eml`), raw);
    await appendFile(this.at('mails.jsonl'), `${JSON.stringify(mail)}\n`);
  }

  /** The mail as it came in; null where it is gone. */
  async read(id: string): Promise<Buffer | null> {
    if (this.folder === null) return this.raw.get(id) ?? null;
    return readFile(this.at(`${id}.eml`)).catch(() => null);
  }

  async drop(id: string): Promise<void> {
    this.raw.delete(id);
    if (this.folder !== null) await rm(this.at(`${id}.eml`), { force: true });
  }

  /** Keeps only these lines: what was dropped is not listed at the next start either. */
  async keepOnly(mails: readonly KeptMail[]): Promise<void> {
    if (this.folder !== null) await this.replace('mails.jsonl', mails.map((mail) => `${JSON.stringify(mail)}\n`).join(''));
  }

  /** How addresses misbehave; null where nobody set it yet. One that was kept before has no hours. */
  async behaviours(): Promise<Record<string, AddressBehaviour | AddressBehaviour['behaviour']> | null> {
    if (this.folder === null) return null;
    const text = await readFile(this.at('behaviours.json'), 'utf8').catch(() => null);
    return text === null ? null : (JSON.parse(text) as Record<string, AddressBehaviour | AddressBehaviour['behaviour']>);
  }

  async keepBehaviours(behaviours: Record<string, AddressBehaviour>): Promise<void> {
    if (this.folder !== null) await this.replace('behaviours.json', JSON.stringify(behaviours));
  }

  /** What is still to come back. */
  async later(): Promise<Later[]> {
    if (this.folder === null) return [];
    const text = await readFile(this.at('later.json'), 'utf8').catch(() => '[]');
    return JSON.parse(text) as Later[];
  }

  async keepLater(list: readonly Later[]): Promise<void> {
    if (this.folder !== null) await this.replace('later.json', JSON.stringify(list));
  }

  /** Whole or not at all. */
  private async replace(name: string, text: string): Promise<void> {
    await writeFile(this.at(`${name}.new`), text);
    await rename(this.at(`${name}.new`), this.at(name));
  }
}
