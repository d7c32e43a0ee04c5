import sanitizeHtml from 'sanitize-html';
import type { CourseDraft } from '@nudrik/contract';

/** What a page may hold: what the editor makes, and nothing that runs. */
export const cleanPage = (html: string): string =>
  sanitizeHtml(html, {
    allowedTags: ['p', 'br', 'strong', 'em', 's', 'u', 'h2', 'h3', 'ul', 'ol', 'li', 'blockquote', 'a', 'hr', 'code'],
    allowedAttributes: { a: ['href', 'rel', 'target'] },
    allowedSchemes: ['http', 'https', 'mailto'],
    transformTags: { a: sanitizeHtml.simpleTransform('a', { rel: 'noopener noreferrer', target: '_blank' }) },
  });

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
