import { createHash } from 'node:crypto';
import { Transform, type Writable } from 'node:stream';
import { finished, pipeline } from 'node:stream/promises';
import type { Manifest } from '@nudrik/contract';
import { ZipFile } from 'yazl';

/** What file systems take as a name, without what would lead elsewhere. */
export const fileName = (text: string): string =>
  text
    .normalize('NFC')
    .replace(/[\\/:*?"<>|\p{C}]+/gu, ' ')
    .replace(/\s+/g, ' ')
    .replace(/^[. ]+|[. ]+$/g, '')
    .slice(0, 90) || 'without a name';

const PACKED = /\.pdf$|\.(png|jpe?g|docx|xlsx|zip|mp4)$/i;

/** A zip that is written one file after the other, and never stands in memory; of each file it keeps size and hash. */
export class PackFile {
  readonly files: Manifest['files'] = [];
  /** of the zip, so far */
  bytes = 0;
  private readonly zip = new ZipFile();
  private readonly written: Promise<void>;
  private readonly taken = new Set<string>();

  constructor(
    private readonly out: Writable,
    private readonly at: Date,
  ) {
    const count = new Transform({
      transform: (chunk: Buffer, _encoding, done) => {
        this.bytes += chunk.length;
        done(null, chunk);
      },
    });
    this.written = pipeline(this.zip.outputStream, count, out);
    // told where it is waited for
    this.written.catch(() => undefined);
  }

  /** A path that nothing else has: the second of a name gets a number. */
  pathFor(folder: string, name: string, ending: string): string {
    const base = `${folder}${fileName(name)}`;
    let path = `${base}.${ending}`;
    for (let n = 2; this.taken.has(path.toLowerCase()); n++) path = `${base} (${n}).${ending}`;
    this.taken.add(path.toLowerCase());
    return path;
  }

  /** @param write ends what it writes to */
  async add(path: string, write: (out: Writable) => Promise<unknown>): Promise<void> {
    const hash = createHash('sha256');
    let bytes = 0;
    const through = new Transform({
      transform(chunk: Buffer, _encoding, done) {
        hash.update(chunk);
        bytes += chunk.length;
        done(null, chunk);
      },
    });
    this.taken.add(path.toLowerCase());
    this.zip.addReadStream(through, path, { mtime: this.at, compress: !PACKED.test(path), mode: 0o100644 });
    const whole = Promise.all([write(through), finished(through, { readable: false })]);
    // told by the race, where it loses it
    whole.catch(() => undefined);
    // where nobody takes what is written, it is not waited for
    await Promise.race([whole, this.written.then(() => whole)]);
    this.files.push({ path, bytes, sha256: hash.digest('hex') });
  }

  addBytes(path: string, bytes: Buffer | string): Promise<void> {
    return this.add(path, (out) => new Promise<void>((resolve, reject) => out.end(bytes, (error?: Error | null) => (error ? reject(error) : resolve()))));
  } // prettier-ignore

  async end(): Promise<void> {
    this.zip.end();
    await this.written;
  }

  /** What was written so far is no pack. */
  break(error: Error): void {
    this.out.destroy(error);
  }
}
