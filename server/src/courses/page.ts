import { signedToken } from '../access/personal-link.ts';
import sanitizeHtml from 'sanitize-html';
import type { CourseDraft } from '@nudrik/contract';

/** What a call-out is about. */
const TONES = ['note', 'care', 'danger'] as const;
const PICTURE = /^\/api\/files\/[1-9]\d{0,17}$/;

/** What a page may hold: what the editor makes, and nothing that runs. */
export const cleanPage = (html: string): string =>
  sanitizeHtml(html, {
    allowedTags: [
      ...['p', 'br', 'strong', 'em', 's', 'u', 'h2', 'h3', 'ul', 'ol', 'li', 'blockquote', 'a', 'hr', 'code', 'pre'],
      ...['table', 'colgroup', 'col', 'tbody', 'thead', 'tr', 'th', 'td', 'img', 'aside'],
    ],
    allowedAttributes: {
      a: ['href', 'rel', 'target'],
      img: ['src', 'alt', 'width', 'height'],
      td: ['colspan', 'rowspan'],
      th: ['colspan', 'rowspan'],
      ol: ['start'],
    },
    allowedClasses: { aside: [...TONES] },
    // a picture is one that was kept here: what stands elsewhere would tell elsewhere who reads it
    exclusiveFilter: ({ tag, attribs }) => tag === 'img' && !PICTURE.test(attribs['src'] ?? ''),
    allowedSchemes: ['http', 'https', 'mailto'],
    transformTags: { a: sanitizeHtml.simpleTransform('a', { rel: 'noopener noreferrer', target: '_blank' }) },
  });

/** A page as it is read: its pictures stand at addresses that were signed for it. */
export const withPictures = (html: string, key: string): string =>
  html.replace(/(<img\b[^>]*\bsrc=")\/api\/files\/(\d+)"/g, (_, before: string, id: string) => `${before}/api/pictures/${signedToken(key, 'picture', id)}"`); // prettier-ignore

const bodiesOf = (draft: CourseDraft): string[] =>
  draft.sections.flatMap(({ units }) =>
    units.flatMap(({ body, quiz }) => [body ?? '', ...(quiz?.questions ?? []).map(({ text }) => text)]),
  );

/**
 * The same of each page and question of a course.
 * @param before what was kept of it, clean: what stands there as it stood is not looked at again at each save
 */
export function cleanPages(draft: CourseDraft, before: CourseDraft | null = null): CourseDraft {
  const known = new Set(before ? bodiesOf(before) : []);
  const clean = (html: string): string => (known.has(html) ? html : cleanPage(html));
  return {
    ...draft,
    sections: draft.sections.map((section) => ({
      ...section,
      units: section.units.map((unit) => ({
        ...unit,
        body: unit.body === null ? null : clean(unit.body),
        quiz: unit.quiz && {
          ...unit.quiz,
          questions: unit.quiz.questions.map((question) => ({ ...question, text: clean(question.text) })),
        },
      })),
    })),
  };
}
