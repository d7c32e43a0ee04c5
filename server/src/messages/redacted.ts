import { LINK_KINDS } from '../access/personal-link.ts';

const KINDS = `(?:${LINK_KINDS.join('|')})`;
/** Links by which somebody acts in their own name: into a course, to one's people, or to a file of one's own. */
const PERSONAL = new RegExp(`https?://[^\\s"'<>()]*/${KINDS}/[\\w-]+(?:/[\\w-]+)?`, 'g');
/** The same in plain text, where words that link have it behind them in brackets. */
const IN_TEXT = new RegExp(`\\(${PERSONAL.source}\\)|${PERSONAL.source}`, 'g');

const IN_HREF = new RegExp(`\\shref="[^"]*/${KINDS}/[^"]*"`, 'g');

/** A letter as others than its reader see it: it says that a personal link stands there, and not which. */
export const withoutLinks = (html: string): string => html.replace(IN_HREF, '').replace(PERSONAL, 'personal link');

/** The same of its plain text. */
export const withoutLinksIn = (text: string): string => text.replace(IN_TEXT, '(personal link)');
