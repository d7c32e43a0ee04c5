/** One thing to be looked for in what is kept, as a regular expression of PostgreSQL, and what stands in its place after. */
export interface Trace {
  pattern: string;
  instead: string;
  /** a part of it that stands there in every form: looked for first, as that is much quicker */
  core: string;
}

/** Letters and digits that are written the same everywhere; at least three of them, or any text may have them. */
const coreOf = (text: string): string =>
  [...text.matchAll(/[A-Za-z0-9]{3,}/g)].map(([run]) => run).reduce((longest, run) => (run.length > longest.length ? run : longest), '');

const SPECIAL = /[\\^$.|?*+()[\]{}]/g;
const escaped = (text: string): string => text.replace(SPECIAL, '\\$&');
// letters as they stand in HTML, in JSON and in addresses
const HTML: Readonly<Record<string, string[]>> = {
  '&': ['&amp;'],
  '<': ['&lt;'],
  '>': ['&gt;'],
  "'": ['&#39;', '&#x27;', '&apos;', '’'],
  '"': ['&quot;', '&#34;', '\\"'],
};
function letter(char: string): string {
  if (/\s/.test(char)) return '(?:\\s|%20|\\+|&nbsp;|\\u00a0)+';
  const others = [...(HTML[char] ?? []), ...(/[\p{L}\p{N}._-]/u.test(char) && /[\x20-\x7e]/.test(char) ? [] : [encodeURIComponent(char)])].filter((form) => form !== char);
  return others.length === 0 ? escaped(char) : `(?:${[char, ...new Set(others)].map(escaped).join('|')})`;
} // prettier-ignore

// in JSON a line may begin right before it (\n), and in an address an encoded letter (%20)
const AFTER_ESCAPE = '(?<=\\\\[nrtbf])|(?<=%[0-9a-f]{2})';
/** Words that are no part of a longer one: Bruna, Anne-Runa. */
const WORDS = { before: `(?:(?<![[:alnum:]-])|${AFTER_ESCAPE})`, after: '(?![[:alnum:]]|-[[:alnum:]])' };
/** Addresses and numbers that are no part of a longer one: anna.runa@…, …@firm.example.org, OF-20-4. */
const EXACT = { before: `(?:(?<![[:alnum:]._%+-])|${AFTER_ESCAPE})`, after: '(?![[:alnum:]]|[._-][[:alnum:]]|@)' };

const traceOf = (words: string, instead: string, { before, after }: typeof WORDS): Trace => ({
  pattern: `${before}${[...words.trim().replace(/\s+/g, ' ')].map(letter).join('')}${after}`,
  instead,
  core: coreOf(words),
});
/** A name as it may stand anywhere: in text, in HTML, in JSON, in an address; never within a longer name. */
export const wordsTrace = (words: string, instead: string): Trace => traceOf(words, instead, WORDS);
/** The same of a mail address, a personnel number, or a name in the chat. */
export const exactTrace = (words: string, instead: string): Trace => traceOf(words, instead, EXACT);

/** As it is written, capitals and all: a name of one word may be a word of any text in small letters. It is swept alone. */
export const asWritten = (trace: Trace): Trace => ({ ...trace, pattern: `(?c)${trace.pattern}` });

/** A value that stands alone in JSON. */
export const valueTrace = (value: string, instead: string): Trace => ({
  pattern: `"${[...JSON.stringify(value).slice(1, -1)].map(escaped).join('')}"`,
  instead: `"${instead}"`,
  core: coreOf(value),
});

/** All of a text and nothing else. */
export const wholeTrace = (words: string, instead: string): Trace => ({ pattern: `^${escaped(words)}$`, instead, core: coreOf(words) });
