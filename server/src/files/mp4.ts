/** Reads a stretch of a file. */
export type ReadBytes = (from: number, to: number) => Promise<Buffer>;

/** Boxes that are looked at: a file of more is not one that a camera or an editor wrote. */
const MOST = 10_000;

/**
 * What keeps an MP4 from being played, in words, or null: it needs its index (`moov`) and its pictures, whole.
 * Source: ISO/IEC 14496-12, 4.2 (object structure)
 */
export async function mp4Fault(size: number, read: ReadBytes): Promise<string | null> {
  const seen = new Set<string>();
  let at = 0;
  for (let n = 0; at < size; n++) {
    if (n === MOST) return 'it has more parts than a video has';
    const head = await read(at, Math.min(size, at + 16));
    if (head.length < 8) return 'it is cut off';
    const kind = head.toString('latin1', 4, 8);
    let length = head.readUInt32BE(0);
    if (length === 1) length = head.length < 16 ? 0 : Number(head.readBigUInt64BE(8));
    else if (length === 0) length = size - at;
    if (length < 8) return 'it is broken';
    seen.add(kind);
    at += length;
  }
  if (!seen.has('moov')) return 'it has no index (moov), so that nobody could play it; it was probably cut off while it was made';
  if (at > size) return 'it is cut off: it says that more comes than there is';
  return seen.has('mdat') ? null : 'it has no pictures in it';
}
