/** What stands in no text: control characters beside tabs and line breaks, and half characters. */
const BROKEN = /[\p{Surrogate}\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f\ufffe\uffff]/u;
const BROKEN_ALL = new RegExp(BROKEN.source, 'gu');
const DAMAGED = '\ufffd';

/** What a text has that no text has, in words without a full stop, or null. */
export function characterFault(text: string): string | null {
  const found = BROKEN.exec(text)?.[0];
  if (found === undefined) return null;
  if (/\p{Surrogate}/u.test(found)) return 'expected text, got half a character (a lone surrogate)';
  return `expected text, got a control character (U+${found.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')})`;
}

/** What is wrong with a text of one line that came in a file or by the feed, in words without a full stop, or null. */
export function textFault(text: string, most: number): string | null {
  if (text.length > most) return `expected at most ${most} characters, got ${text.length}`;
  return characterFault(text) ?? (text.includes(DAMAGED) ? 'expected text, got a character that was damaged on the way' : null);
}

/** A text that can be kept and sent on: what cannot stands as a character that was damaged. */
export const markDamaged = (text: string, most: number): string => text.slice(0, most).replace(BROKEN_ALL, DAMAGED).normalize('NFC');
export const isDamaged = (text: string): boolean => text.includes(DAMAGED);

/** Words of somebody else, such as a mail server's, in one line of bounded length. */
export const oneLine = (text: string, most: number): string => text.replace(BROKEN_ALL, ' ').replace(/\s+/g, ' ').trim().slice(0, most);

/** With a capital at the beginning, as a sentence begins. */
export const capital = (words: string): string => words.charAt(0).toUpperCase() + words.slice(1);
