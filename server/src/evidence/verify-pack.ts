import { createHash } from 'node:crypto';
import type { Readable } from 'node:stream';
import { createInterface } from 'node:readline';
import yauzl, { type Entry, type ZipFile } from 'yauzl';
import { Manifest } from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { hashOf, MANIFEST, SIGNATURE, whoSigned } from './manifest.ts';

/** What a look at a pack brought. */
export interface PackReport {
  /** what it is about, when and by whom it was made */
  about: string[];
  files: number;
  faults: string[];
  more: number;
  /** the print of the key that signed it; null where the signature does not fit */
  key: string | null;
  /** SHA-256 of its manifest */
  manifest: string | null;
}

/** Faults that are told one by one; more are counted. */
const TOLD = 100;
/** Bytes of a manifest and of a signature: what says that it has more is none of ours. */
const MOST = { [MANIFEST]: 256 * 1024 * 1024, [SIGNATURE]: 64 * 1024 } as const;
/** Bytes of a line of the record. */
const MOST_LINE = 4 * 1024 * 1024;
export const RECORD = 'record.jsonl';

/** Control characters in a name would write anything on the screen of whoever looks. */
const tellPath = (path: string): string => path.replace(/\p{C}/gu, '?').slice(0, 300);

async function bytesOf(zip: ZipFile, entry: Entry, most: number): Promise<Buffer | null> {
  if (entry.uncompressedSize > most) return null;
  const parts: Buffer[] = [];
  for await (const part of (await zip.openReadStreamPromise(entry)) as AsyncIterable<Buffer>) parts.push(part);
  return Buffer.concat(parts);
}

/** The lines of the record: each says what was sealed, and what it was sealed with. @returns what does not fit */
async function recordFaults(stream: Readable): Promise<string[]> {
  const faults: string[] = [];
  let at = 0;
  for await (const line of createInterface({ input: stream, crlfDelay: Infinity })) {
    at += 1;
    if (line === '') continue;
    if (line.length > MOST_LINE) {
      faults.push(`${RECORD}, line ${at}: it has ${line.length} characters; none of ours has so many.`);
      continue;
    }
    let read: { kind?: unknown; id?: unknown; says?: unknown; seal?: unknown };
    try {
      read = JSON.parse(line) as typeof read;
    } catch {
      faults.push(`${RECORD}, line ${at}: it cannot be read.`);
      continue;
    }
    // what a message says is in its own file; one that waits for its seal has none yet
    if (typeof read.says !== 'string' || typeof read.seal !== 'string') continue;
    if (createHash('sha256').update(read.says).digest('hex') !== read.seal)
      faults.push(`${RECORD}, line ${at}: ${String(read.kind)} ${String(read.id)} is not what was sealed. It was changed before the pack was made, or in the pack.`);
  }
  return faults;
} // prettier-ignore

/**
 * Holds a pack against its manifest and that against its signature: which file was changed, taken away or put in. Without a network,
 * a database, or trust in what the file says of itself.
 * @throws Error with a sentence where it is no pack
 */
export async function verifyPack(path: string): Promise<PackReport> {
  let zip: ZipFile;
  try {
    zip = await yauzl.openPromise(path, { lazyEntries: true, autoClose: false, validateEntrySizes: true, strictFileNames: false });
  } catch (error) {
    throw new Error(`${path} cannot be read as a zip: ${(error as Error).message}`, { cause: error });
  }
  try {
    const entries = new Map<string, Entry>();
    const twice = new Set<string>();
    for await (const entry of zip.eachEntry()) {
      if (entries.has(entry.fileName)) twice.add(entry.fileName);
      else entries.set(entry.fileName, entry);
    }
    const [first, second] = [entries.get(MANIFEST), entries.get(SIGNATURE)];
    const bytes = first && (await bytesOf(zip, first, MOST[MANIFEST]));
    if (!bytes) throw new Error(`${path} is no evidence pack: it has no ${MANIFEST}.`);
    const read = Manifest.safeParse(readJson(bytes));
    if (!read.success) throw new Error(`${path}: its ${MANIFEST} is none of an evidence pack, or of a newer one than this program reads.`);
    const manifest = read.data;
    const jws = second && (await bytesOf(zip, second, MOST[SIGNATURE]));
    const report: PackReport = {
      about: [`${manifest.title}, ${manifest.when}`, `${manifest.house}; made ${manifest.madeAt} by ${manifest.madeBy}`],
      files: manifest.files.length,
      faults: [],
      more: 0,
      key: jws ? await whoSigned(bytes, jws.toString('utf8')) : null,
      manifest: hashOf(bytes),
    };
    const tell = (words: string): void => {
      if (report.faults.length < TOLD) report.faults.push(words);
      else report.more += 1;
    };
    if (!second) tell(`${SIGNATURE} was removed: nobody knows who signed this pack, and whether its manifest is what they signed.`);
    else if (report.key === null) tell(`${MANIFEST} or ${SIGNATURE} was changed: the signature does not fit.`);
    for (const name of twice) tell(`${tellPath(name)} is in it twice: programs differ in which of the two they show.`);
    const known = new Set<string>([MANIFEST, SIGNATURE]);
    for (const file of manifest.files) {
      if (known.has(file.path)) {
        tell(`${MANIFEST} names ${tellPath(file.path)} twice.`);
        continue;
      }
      known.add(file.path);
      const entry = entries.get(file.path);
      if (!entry) tell(`${tellPath(file.path)} was removed.`);
      else if (!(await isAsSigned(zip, entry, file))) tell(`${tellPath(file.path)} was changed.`);
      else if (file.path === RECORD)
        for (const words of await recordFaults((await zip.openReadStreamPromise(entry)) as Readable)) tell(words);
    }
    for (const name of entries.keys()) if (!known.has(name)) tell(`${tellPath(name)} was put in: it is in no manifest.`);
    return report;
  } finally {
    zip.close();
  }
}

/** Whether a file is what the manifest says; one that is larger is not read. */
async function isAsSigned(zip: ZipFile, entry: Entry, { bytes, sha256 }: Manifest['files'][number]): Promise<boolean> {
  if (entry.uncompressedSize !== bytes || entry.isEncrypted()) return false;
  try {
    const hash = createHash('sha256');
    for await (const part of (await zip.openReadStreamPromise(entry)) as AsyncIterable<Buffer>) hash.update(part);
    return hash.digest('hex') === sha256;
  } catch {
    // cut off, or packed in a way that does not unpack: it is not what was signed
    return false;
  }
}

function readJson(bytes: Buffer): unknown {
  try {
    return JSON.parse(bytes.toString('utf8'));
  } catch {
    return null;
  }
}

/** In one sentence, what a look brought. */
export function tellPack({ files, faults, more, key }: PackReport): string {
  const found = faults.length + more;
  if (found > 0) return `${tellAmount(found, 'things')} ${found === 1 ? 'is' : 'are'} not as signed.`;
  return `${files === 1 ? 'The 1 file stands as it was' : `All ${tellAmount(files, 'files')} stand as they were`} signed, with the key ${key}.`;
}
