import { Readable } from 'node:stream';
import mammoth from 'mammoth';
import { Refused } from '../refusal.ts';
import { readZip, type Bytes } from './zip.ts';

const MB = 1024 * 1024;
const LIMITS = { files: 5_000, each: 200 * MB, whole: 400 * MB };

/** Bytes that are at hand, as a file that is read from anywhere. */
export const bytesAtHand = (content: Uint8Array): Bytes => ({
  size: content.length,
  read: (from, to) => Readable.from([Buffer.from(content.subarray(from, to))]),
});

/**
 * Looks through the parts of an office file: that it can be unpacked, and that it fetches nothing from elsewhere when it is opened.
 * @throws Refused
 */
export async function checkOffice(content: Uint8Array, name: string): Promise<void> {
  for await (const { path, content: part } of readZip(bytesAtHand(content), name, LIMITS)) {
    if (!path.endsWith('.rels')) continue;
    for (const [tag] of part.toString('utf8').matchAll(/<Relationship\b[^>]*>/g)) {
      if (!/TargetMode\s*=\s*["']External["']/i.test(tag) || /Type\s*=\s*["'][^"']*\/hyperlink["']/i.test(tag)) continue;
      const target = /Target\s*=\s*["']([^"']*)["']/i.exec(tag)?.[1] ?? '';
      const what = /\/([^/"']+)["']/.exec(/Type\s*=\s*["'][^"']*["']/i.exec(tag)?.[0] ?? '')?.[1] ?? 'part';
      throw new Refused('wrong-file', `${name}: it fetches its ${what} from elsewhere (${target.slice(0, 120)}) whenever it is opened. Put it into the file itself; nothing was taken.`); // prettier-ignore
    }
  }
}

/** A text as a page, with its pictures beside it: in its HTML they are `picture:0`, `picture:1` … */
export interface ReadPage {
  html: string;
  pictures: { type: string; bytes: Uint8Array }[];
  left: string[];
}

/** A DOCX as a page. What it fetches from elsewhere is not fetched. @throws Refused */
export async function readDocx(content: Uint8Array, name: string): Promise<ReadPage> {
  await checkOffice(content, name);
  const pictures: ReadPage['pictures'] = [];
  try {
    const { value, messages } = await mammoth.convertToHtml(
      { buffer: Buffer.from(content) },
      {
        externalFileAccess: false,
        styleMap: ["p[style-name='Title'] => h2:fresh", "p[style-name='Heading 1'] => h2:fresh", "p[style-name='Heading 2'] => h3:fresh", "p[style-name='Heading 3'] => h3:fresh", "p[style-name='Quote'] => blockquote > p:fresh"], // prettier-ignore
        convertImage: mammoth.images.imgElement(async (image) => {
          pictures.push({ type: image.contentType, bytes: new Uint8Array(await image.readAsBuffer()) });
          return { src: `picture:${pictures.length - 1}` };
        }),
      },
    );
    const left = [...new Set(messages.map(({ message }) => message))].slice(0, 20);
    return { html: value, pictures, left };
  } catch (error) {
    throw new Refused('wrong-file', `${name}: it cannot be read as a DOCX text (${(error as Error).message.slice(0, 160)}). Nothing was taken.`); // prettier-ignore
  }
}
