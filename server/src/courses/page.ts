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

/** The same of each page of a course. */
export const cleanPages = (draft: CourseDraft): CourseDraft => ({
  ...draft,
  sections: draft.sections.map((section) => ({
    ...section,
    units: section.units.map((unit) => ({
      ...unit,
      body: unit.body === null ? null : cleanPage(unit.body),
      quiz: unit.quiz && {
        ...unit.quiz,
        questions: unit.quiz.questions.map((question) => ({ ...question, text: cleanPage(question.text) })),
      },
    })),
  })),
});
