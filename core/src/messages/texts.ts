import { isLanguage, tellLanguage, type Language } from '../people/language.ts';
import { tellList } from '../time/words.ts';
import type { Body } from './body.ts';
import type { Template } from './template.ts';

/** What of a message is written anew in each language. */
export interface Wording {
  /** one line, fields in braces */
  subject: string;
  body: Body;
  /** label of the button under the text; null for none */
  button: string | null;
  /** the plain text where its author wrote it */
  plain?: string | null;
}

const WITHOUT = new WeakMap<Template, Map<Language | null, Template>>();

/** The language that a reader gets a message in: their own where it is written in it, and otherwise that of the house. */
export function languageOf({ texts }: Template, wanted: string | null | undefined, house: Language): Language {
  const language = wanted ?? house;
  return isLanguage(language) && texts?.[language] ? language : house;
}

/** A message as it is written in one language; null is the first of its texts. The same object for the same question. */
export function textIn(template: Template, language: Language | null): Template {
  if (!template.texts) return template;
  let known = WITHOUT.get(template);
  if (!known) WITHOUT.set(template, (known = new Map()));
  let made = known.get(language);
  if (!made) {
    const { texts, plain, ...rest } = template;
    const other = language === null ? undefined : texts[language];
    known.set(language, (made = other ? { ...rest, ...other } : { ...rest, ...(plain !== undefined && { plain }) }));
  }
  return made;
}

/** The other languages of a message. */
export const languagesOf = ({ texts = {} }: Template): Language[] => Object.keys(texts) as Language[];

/** All texts of a message, the first one first. */
export const textsOf = (template: Template): { language: Language | null; text: Template }[] => [
  { language: null, text: textIn(template, null) },
  ...languagesOf(template).map((language) => ({ language, text: textIn(template, language) })),
];

/** A message with each of its texts put otherwise. */
export function withTexts(template: Template, put: <T extends Wording>(wording: T) => T): Template {
  const { texts, ...first } = template;
  return {
    ...put(first),
    ...(texts && { texts: Object.fromEntries(Object.entries(texts).map(([language, wording]) => [language, put(wording)])) }),
  };
}

/** A message with one of its texts as it was written, and with all else that goes with it as it stands there. @param language null is the first text */
export function withWording(template: Template, language: Language | null, { subject, body, button, plain, ...rest }: Template): Template {
  const wording: Wording = { subject, body, button, ...(plain !== undefined && { plain }) };
  const { texts } = template;
  if (language === null) return { ...rest, ...wording, ...(texts && { texts }) };
  const { subject: s, body: b, button: t, plain: p } = template;
  return { ...rest, subject: s, body: b, button: t, ...(p !== undefined && { plain: p }), texts: { ...texts, [language]: wording } };
}

/** A message without the text of one language. */
export function withoutText(template: Template, language: Language): Template {
  const { texts = {}, ...rest } = template;
  const { [language]: _, ...left } = texts;
  return Object.keys(left).length > 0 ? { ...rest, texts: left } : rest;
}

/** `Also in Norwegian and Polish.`; null where it is in one language only. */
export const tellLanguages = (template: Template): string | null => {
  const names = languagesOf(template).map(tellLanguage);
  return names.length === 0 ? null : `Also in ${tellList(names)}.`;
};

/** "In Norwegian: ", before what is said of one of several texts. */
export const inLanguage = (language: Language | null): string => (language === null ? '' : `In ${tellLanguage(language)}: `);
