import { fileTypeFromStream } from 'file-type';
import { Readable } from 'node:stream';
import type { ReadableStream } from 'node:stream/web';

/** What the content of a file says that it is. */
export interface FoundType {
  /** its media type, where it is one that is told by its content */
  type: string | null;
  /** what it seems to be otherwise: "a web page" */
  words: string | null;
}

const WORDS: Readonly<Record<string, string>> = {
  'application/x-msdownload': 'a program',
  'application/x-elf': 'a program',
  'application/x-mach-binary': 'a program',
  'application/x-cfb': 'a file of an older Office (save it as .docx, .pptx or .xlsx)',
  'video/quicktime': 'a QuickTime video (save it as MP4)',
  'video/x-matroska': 'a Matroska video (save it as MP4 or WebM)',
};

/** Looks at the first bytes that are text. */
function textType(head: Buffer): FoundType {
  const isText = !head.includes(0) && isUtf8(head);
  if (!isText) return { type: null, words: null };
  const text = head.toString('utf8').replace(/^\uFEFF/, '').trimStart(); // prettier-ignore
  if (/^WEBVTT(\s|$)/.test(text)) return { type: 'text/vtt', words: null };
  if (/<svg[\s>]/i.test(text)) return { type: null, words: 'an SVG drawing, which may carry script (save it as PNG or PDF)' };
  if (/<!doctype html|<html[\s>]|<script[\s>]|<body[\s>]|<iframe[\s>]/i.test(text))
    return { type: null, words: 'a web page, which may carry script (write it as a page, or give it as PDF)' };
  if (/^<\?xml/.test(text)) return { type: null, words: 'an XML file' };
  return { type: 'text/plain', words: null };
}

/** Whether it is UTF-8, but for a letter that the end cuts off. */
function isUtf8(head: Buffer): boolean {
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(head, { stream: true });
    return true;
  } catch {
    return false;
  }
}

/**
 * What a file is, by what stands in it.
 * @param head its first bytes, a few thousand
 * @param open it as a stream, from its beginning
 */
export async function typeOf(head: Buffer, open: () => Readable): Promise<FoundType> {
  const stream = open();
  try {
    const found = await fileTypeFromStream(Readable.toWeb(stream) as ReadableStream<Uint8Array>);
    if (found)
      return {
        type: found.mime === 'video/x-m4v' ? 'video/mp4' : found.mime,
        words: WORDS[found.mime] ?? `a file of the type ${found.mime}`,
      };
  } catch {
    // what cannot be told apart is looked at as text
  } finally {
    stream.destroy();
  }
  return textType(head);
}
