import type { Readable } from 'node:stream';
import yauzl, { type Entry, type ZipFile } from 'yauzl';
import { isPassing } from '../db/failures.ts';
import { Refused } from '../refusal.ts';

/** What a zip may be once it is unpacked. */
export interface ZipLimits {
  files: number;
  /** bytes of one, and of all */
  each: number;
  whole: number;
}

/** One file in a zip. */
export interface ZipEntry {
  /** within the zip, with / between, never out of it */
  path: string;
  content: Buffer;
}

/** Bytes from anywhere of what is read. */
export interface Bytes {
  size: number;
  read(from: number, to: number): Readable;
}

class Reader extends yauzl.RandomAccessReader {
  constructor(private readonly bytes: Bytes) {
    super();
  }
  override _readStreamForRange(start: number, end: number): Readable {
    return this.bytes.read(start, end);
  }
}

const MB = 1024 * 1024;

/** Why a path in a zip is none to be unpacked, or null. */
function pathFault(path: string): string | null {
  if (path.length > 500) return 'it is longer than 500 characters';
  if (path.startsWith('/') || /^[a-zA-Z]:/.test(path) || path.split('/').includes('..')) return 'it leads out of the zip';

  if (/[\u0000-\u001f\\]/.test(path)) return 'it has a character that no path may have';
  return null;
}

/**
 * The files of a zip, one after another, each as a whole in memory and no other. What one says of its size is not believed.
 * @throws Refused where it is none, leads out of itself, or is more than it may be
 */
export async function* readZip(bytes: Bytes, name: string, limits: ZipLimits): AsyncGenerator<ZipEntry> {
  const refuse = (words: string): Refused => new Refused('wrong-file', `${name}: ${words}. Nothing was taken.`);
  let zip: ZipFile;
  try {
    zip = await yauzl.fromRandomAccessReaderPromise(new Reader(bytes), bytes.size, { lazyEntries: true, autoClose: false, validateEntrySizes: true, strictFileNames: false }); // prettier-ignore
  } catch (error) {
    throw isOurs(error) ? error : refuse(`it cannot be read as a zip (${(error as Error).message.replace(/\.$/, '')})`);
  }
  if (zip.entryCount > limits.files) throw refuse(`it holds ${zip.entryCount} files; ${limits.files} are the most`);
  let whole = 0;
  const seen = new Set<string>();
  try {
    for await (const entry of zip.eachEntry()) {
      const path = entry.fileName.replace(/\\/g, '/');
      const fault = pathFault(path);
      if (fault) throw refuse(`the path “${path.slice(0, 120)}” in it is refused: ${fault}`);
      if (path.endsWith('/')) continue;
      if (entry.isEncrypted()) throw refuse(`“${path}” in it is locked with a password`);
      // a link would be a file that is another one
      if (((entry.externalFileAttributes >>> 16) & 0o170000) === 0o120000) throw refuse(`“${path}” in it is a link to another file`);
      if (seen.has(path)) throw refuse(`“${path}” is in it twice`);
      seen.add(path);
      const content = await inflate(zip, entry, Math.min(limits.each, limits.whole - whole));
      if (content === null)
        throw refuse(`unpacked it is too much: ${limits.each / MB} MB are the most for one file and ${limits.whole / MB} MB for all`);
      whole += content.length;
      yield { path, content };
    }
  } catch (error) {
    throw isOurs(error) ? error : refuse(`it cannot be unpacked (${(error as Error).message.replace(/\.$/, '')})`);
  } finally {
    zip.close();
  }
}

/** What is said already, and what went wrong on our side, is not told as a fault of the zip. */
const isOurs = (error: unknown): boolean => error instanceof Refused || isPassing(error);

/** One file of it; null where it has more bytes than it may. */
async function inflate(zip: ZipFile, entry: Entry, most: number): Promise<Buffer | null> {
  if (entry.uncompressedSize > most) return null;
  const stream = await zip.openReadStreamPromise(entry);
  const parts: Buffer[] = [];
  let length = 0;
  for await (const part of stream as AsyncIterable<Buffer>) {
    length += part.length;
    if (length > most) {
      stream.destroy();
      return null;
    }
    parts.push(part);
  }
  return Buffer.concat(parts);
}
