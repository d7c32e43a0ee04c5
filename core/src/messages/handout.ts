import { tellBytes } from '../files/file-kind.ts';
import { speechOf } from './speech.ts';

/** A file that goes with a message: in it, or as a download of its reader's own. */
export interface TemplateFile {
  handout: string;
  as: 'attached' | 'download';
  /** of a download: how many hours it opens after the message went */
  hours: number;
  /** and how often; null is as often as they like */
  times: number | null;
  /** and whether its reader may ask for it anew */
  mayAsk: boolean;
}

/** A year: longer is a slip of the hand. */
export const MOST_HOURS = 8_760;
export const MOST_TIMES = 100;
/** Bytes of one file, and of all that are in one message: what mail servers take. */
export const MOST_FILE_BYTES = 8 * 1024 * 1024;
export const MOST_ATTACHED_BYTES = 10 * 1024 * 1024;

/** A file as it stands beside its message. */
export interface Handout {
  id: string;
  name: string;
  bytes: number;
}
export type HandoutOf = (id: string) => Handout | null;

/** A download as its message tells of it. */
export interface DownloadLine {
  name: string;
  url: string | null;
  words: string;
}

/** "240 kB; opens for 24 hours after this message went, once". */
export const tellDownload = ({ hours, times }: TemplateFile, bytes: number, speech = speechOf('en')): string => {
  const span = hours % 24 === 0 && hours > 24 ? speech.span(hours / 24, 'days') : speech.span(hours, 'hours');
  return `${tellBytes(bytes)}; ${speech.opensFor(span, times)}`;
};

/** What is wrong with the files of a message, in a sentence, or null. @param handoutOf null for one that is not there */
export function filesFault(files: readonly TemplateFile[], handoutOf: HandoutOf): string | null {
  let attached = 0;
  for (const { handout, as } of files) {
    const found = handoutOf(handout);
    if (!found) return 'A file that went with the message is not there any more. Take it out, or choose it again.';
    if (as === 'attached') attached += found.bytes;
  }
  return attached > MOST_ATTACHED_BYTES
    ? `The attached files have ${tellBytes(attached)} together; ${tellBytes(MOST_ATTACHED_BYTES)} are the most that goes by mail. Give some as a download.`
    : null;
}
