import { imageSize } from 'image-size';
import { FILE_KINDS, fileFault, tellBytes } from '@nudrik/core';
import type { FileAbout } from '@nudrik/contract';
import type { Client } from '../db/db.ts';
import { unpackPackage } from '../packages/unpack.ts';
import { checkOfficeFile, readPdfFile } from '../read-apart.ts';
import { Refused } from '../refusal.ts';
import { readBytes, streamFile, type FoundFile } from './files.repo.ts';
import { mp4Fault } from './mp4.ts';
import { typeOf } from './type.ts';

/** Bytes at the beginning of a file by which text is told from what is none. */
const HEAD = 64 * 1024;
/** Pixels that a picture may have: one that unpacks to more stops a phone. */
const MOST_PIXELS = 60_000_000;

/**
 * Looks at a file that has come: what it is by its content, and whether it is one that can be shown to somebody.
 * @throws Refused with what is wrong with it
 */
export async function lookAt(client: Client, file: FoundFile): Promise<{ type: string; about: FileAbout }> {
  const { id, name, size } = file;
  if (size === 0)
    throw new Refused('wrong-file', `${name}: the file is empty (0 bytes). Expected a file with something in it; nothing was stored.`);
  const read = (from: number, to: number): Promise<Buffer> => readBytes(client, id, from, to);
  const { type, words } = await typeOf(await read(0, Math.min(size, HEAD)), () => streamFile(client, file));
  const fault = fileFault(name, type, size, words);
  if (fault) throw new Refused('wrong-file', `${fault} Nothing was taken.`);
  const whole = (): Promise<Buffer> => read(0, size);
  switch (FILE_KINDS[type!]!.as) {
    case 'shown':
      return { type: type!, about: { pages: await readPdfFile(await whole(), name) } };
    case 'picture':
      return { type: type!, about: measured(await whole(), name) };
    case 'page':
    case 'pdf':
    case 'fetched':
      await checkOfficeFile(await whole(), name);
      return { type: type!, about: {} };
    case 'package':
      return { type: type!, about: { package: await unpackPackage(client, file) } };
    case 'played': {
      const broken = type === 'video/mp4' ? await mp4Fault(size, read) : null;
      if (broken) throw new Refused('wrong-file', `${name}: ${broken}. Nothing was taken.`);
      return { type: type!, about: {} };
    }
    default:
      return { type: type!, about: {} };
  }
}

/** @throws Refused where a picture is broken, or has too many pixels */
export function measured(content: Uint8Array, name: string): { width: number; height: number } {
  let size: { width: number; height: number };
  try {
    size = imageSize(content);
  } catch {
    throw new Refused('wrong-file', `${name}: the picture is broken (${tellBytes(content.length)}). Nothing was taken.`);
  }
  if (size.width * size.height > MOST_PIXELS)
    throw new Refused('wrong-file', `${name}: ${size.width} × ${size.height} pixels are too many; ${MOST_PIXELS / 1_000_000} million are the most. Nothing was taken.`); // prettier-ignore
  return { width: size.width, height: size.height };
}
