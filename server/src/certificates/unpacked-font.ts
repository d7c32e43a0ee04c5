import { readFileSync } from 'node:fs';
import { inflateSync } from 'node:zlib';

/** A font as programs read it at once (OpenType, ISO/IEC 14496-22), from one that is packed table by table (WOFF 1.0, W3C). */
export function unpackWoff(woff: Buffer): Buffer {
  if (woff.toString('latin1', 0, 4) !== 'wOFF') return woff;
  const count = woff.readUInt16BE(12);
  const tables = Array.from({ length: count }, (_, i) => {
    const at = 44 + 20 * i;
    const [offset, packed, length] = [woff.readUInt32BE(at + 4), woff.readUInt32BE(at + 8), woff.readUInt32BE(at + 12)];
    const bytes = woff.subarray(offset, offset + packed);
    return { head: woff.subarray(at, at + 4), checksum: woff.readUInt32BE(at + 16), bytes: packed < length ? inflateSync(bytes) : bytes };
  });
  const selector = Math.floor(Math.log2(count));
  const directory = Buffer.alloc(12 + 16 * count);
  directory.writeUInt32BE(woff.readUInt32BE(4), 0);
  directory.writeUInt16BE(count, 4);
  directory.writeUInt16BE(16 * 2 ** selector, 6);
  directory.writeUInt16BE(selector, 8);
  directory.writeUInt16BE(16 * (count - 2 ** selector), 10);
  const parts: Buffer[] = [directory];
  let offset = directory.length;
  tables.forEach(({ head, checksum, bytes }, i) => {
    const at = 12 + 16 * i;
    head.copy(directory, at);
    directory.writeUInt32BE(checksum, at + 4);
    directory.writeUInt32BE(offset, at + 8);
    directory.writeUInt32BE(bytes.length, at + 12);
    const padding = (4 - (bytes.length % 4)) % 4;
    parts.push(bytes, Buffer.alloc(padding));
    offset += bytes.length + padding;
  });
  return Buffer.concat(parts);
}

/** Files that are kept unpacked: names of all kinds must not fill the memory. */
const KEPT = 48;
const unpacked = new Map<string, Buffer>();

/** A font file, unpacked once for all documents: its reader does it anew for each, ten times as long as all the rest of a certificate. */
export function fontOf(path: string): Buffer {
  let font = unpacked.get(path);
  if (!font) {
    if (unpacked.size >= KEPT) unpacked.clear();
    unpacked.set(path, (font = unpackWoff(readFileSync(path))));
  }
  return font;
}
