import { inflateSync } from 'node:zlib';

/**
 * The font in a WOFF 1.0 file (W3C Recommendation, 13 December 2012) as plain SFNT, as PDF embeds it.
 * @throws Error where it is none
 */
export function sfntOf(woff: Buffer): Buffer {
  if (woff.length < 44 || woff.readUInt32BE(0) !== 0x774f4646) throw new Error('This is no WOFF 1.0 file.');
  const count = woff.readUInt16BE(12);
  const entries = Array.from({ length: count }, (_, n) => {
    const at = 44 + n * 20;
    const [offset, packed, length] = [woff.readUInt32BE(at + 4), woff.readUInt32BE(at + 8), woff.readUInt32BE(at + 12)];
    const data = woff.subarray(offset, offset + packed);
    return { tag: woff.readUInt32BE(at), checksum: woff.readUInt32BE(at + 16), table: packed < length ? inflateSync(data) : data };
  }).sort((a, b) => a.tag - b.tag);
  const head = Buffer.alloc(12 + count * 16);
  const power = 2 ** Math.floor(Math.log2(count));
  head.writeUInt32BE(woff.readUInt32BE(4), 0);
  head.writeUInt16BE(count, 4);
  head.writeUInt16BE(power * 16, 6);
  head.writeUInt16BE(Math.log2(power), 8);
  head.writeUInt16BE((count - power) * 16, 10);
  const parts: Buffer[] = [head];
  let offset = head.length;
  for (const [n, { tag, checksum, table }] of entries.entries()) {
    const at = 12 + n * 16;
    head.writeUInt32BE(tag, at);
    head.writeUInt32BE(checksum, at + 4);
    head.writeUInt32BE(offset, at + 8);
    head.writeUInt32BE(table.length, at + 12);
    const padding = Buffer.alloc((4 - (table.length % 4)) % 4);
    parts.push(table, padding);
    offset += table.length + padding.length;
  }
  return Buffer.concat(parts);
}
