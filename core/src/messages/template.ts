import {
  docOf,
  eachBlock,
  wordsIn,
  fieldsIn,
  hrefsIn,
  isHref,
  linkPlaceOf,
  partsOf,
  plainWords,
  segmentsOf,
  strayBrace,
  withParts,
  type Doc,
  type FieldUse,
  type LinkPlace,
  type Part,
} from './body.ts';
import type { Condition } from '../conditions/condition.ts';
import { isField, nearestField } from './fields.ts';
import type { TemplateFile } from './handout.ts';
import type { Language } from '../people/language.ts';
import { inLanguage, textsOf, type Wording } from './texts.ts';

/** A message: its text in the language of the house, what it says in others, and what goes with it. */
export interface Template extends Wording {
  texts?: Partial<Record<Language, Wording>>;
  /** the employee gets the due date with it, for their calendar: made, moved, or taken out of it */
  withDate?: boolean;
  /** the certificate comes with it, as its PDF, where there is one */
  withCertificate?: boolean;
  /** the record of the sign-off comes with it, as a PDF, where there is one */
  withRecord?: boolean;
  /** what goes with it */
  files?: TemplateFile[];
}

/** Fields of a template: a preview asks the same few texts for each of 50,000 people, which took a fifth of its time. */
const usesByTemplate = new WeakMap<Template, { all: readonly string[]; needed: readonly string[] }>();

const fieldsOfLine = (text: string): FieldUse[] =>
  segmentsOf(text).flatMap((segment) => ('field' in segment ? [{ name: segment.field, fallback: segment.fallback }] : []));

const fieldsOfWording = ({ subject, body, button, plain }: Wording): FieldUse[] => [
  ...fieldsOfLine(subject),
  ...fieldsIn(body),
  ...fieldsOfLine(button ?? ''),
  ...fieldsOfLine(plain ?? ''),
];

function usesOf(template: Template): { all: readonly string[]; needed: readonly string[] } {
  let uses = usesByTemplate.get(template);
  if (!uses) {
    const list = textsOf(template).flatMap(({ text }) => fieldsOfWording(text));
    const names = (some: readonly FieldUse[]): string[] => [...new Set(some.map(({ name }) => name))];
    uses = { all: names(list), needed: names(list.filter(({ fallback }) => fallback === null)) };
    usesByTemplate.set(template, uses);
  }
  return uses;
}

/** What a text is for each answer that the conditions of its parts can have: few of them come, and each is asked for by thousands. */
const read = new WeakMap<Template, Map<string, Template>>();

/** A text as one reader has it: its parts are in it where their conditions hold. The same text for the same answers. */
export function templateFor(template: Template, isShown: (condition: Condition) => boolean): Template {
  const { body } = template;
  const parts = partsOf(body);
  if (parts.length === 0 || typeof body === 'string') return template;
  const areShown = parts.map(({ attrs }) => attrs.onlyIf !== null && isShown(attrs.onlyIf));
  let known = read.get(template);
  if (!known) read.set(template, (known = new Map()));
  const key = areShown.map(Number).join('');
  let made = known.get(key);
  if (!made) known.set(key, (made = { ...template, body: withParts(body, areShown) }));
  return made;
}

const placesByTemplate = new WeakMap<Template, ReadonlySet<LinkPlace>>();
/** The places that any of its texts leads to. */
export function placesOf(template: Template): ReadonlySet<LinkPlace> {
  let places = placesByTemplate.get(template);
  if (!places) {
    const hrefs = textsOf(template).flatMap(({ text }) => hrefsIn(text.body));
    placesByTemplate.set(template, (places = new Set(hrefs.flatMap((href) => linkPlaceOf(href) ?? []))));
  }
  return places;
}

/** The parts for some readers only, of all its texts. */
export const partsOfMessage = (template: Template): Part[] => textsOf(template).flatMap(({ text }) => partsOf(text.body));

/** The fields that a template prints. */
export const fieldsOf = (template: Template): readonly string[] => usesOf(template).all;
/** Those that somewhere have nothing to stand in for them: without a value they hold the message. */
export const fieldsNeeded = (template: Template): readonly string[] => usesOf(template).needed;

/** Fields that no value will ever come for, each with the known field nearest to it. */
export const unknownFields = (template: Template): { field: string; nearest: string }[] =>
  fieldsOf(template)
    .filter((field) => !isField(field))
    .map((field) => ({ field, nearest: nearestField(field) }));

/** A template in words alone: its subject, its text, its button, in each of its languages. */
export const wordsOf = (template: Template): string =>
  textsOf(template)
    .flatMap(({ text: { subject, body, button, plain } }) => [subject, plainWords(body), button ?? '', plain ?? ''])
    .join('\n');

/** What keeps a template from being saved, in a sentence, or null. */
export function templateFault(template: Template): string | null {
  for (const { language, text } of textsOf(template)) {
    const fault = textFault(text);
    if (fault) return inLanguage(language) + fault;
  }
  return null;
}

function textFault(template: Template): string | null {
  const { subject, body, button, plain } = template;
  const unknown = unknownFields(template)[0];
  if (unknown) return `The text uses {${unknown.field}}, and there is no such merge field. Did you mean {${unknown.nearest}}?`;
  const lines = [subject, button ?? '', plain ?? '', ...(typeof body === 'string' ? [body] : [])];
  const brace = lines.map(strayBrace).find((found) => found !== null) ?? (typeof body === 'string' ? null : braceIn(body));
  if (brace) return `The text holds a single "${brace}": a merge field is written {given name}, with both braces.`;
  if (subject.trim() === '') return 'The subject is empty; expected a line of text.';
  if (plainWords(body).trim() === '') return 'The text is empty; expected at least one sentence.';
  const href = hrefsIn(body).find((address) => !isHref(address));
  if (href !== undefined)
    return `A link leads to “${href}”: expected an address that begins with https://, http:// or mailto:, or one of the places that are offered.`;
  return blockFault(template);
}

/** In a written text fields are pieces of their own: a brace among its words would be read as it stands. */
const braceIn = (doc: Doc): string | null => /[{}]/.exec(wordsIn(doc).join(''))?.[0] ?? null;

function blockFault({ body, plain }: Template): string | null {
  if (typeof body === 'string') return null;
  let fault: string | null = null;
  let tables = 0;
  if (partsOf(body).some(({ attrs }) => attrs.onlyIf === null))
    return 'A part of the text is for some readers only, and nothing says for whom; expected at least one condition.';
  if (plain && partsOf(body).length > 0)
    return 'The text has a part for some readers only, and beside it a plain text that was written by hand, which everybody would read as a whole; expected one or the other.';
  if (body.content.every(({ type }) => type === 'part'))
    return 'Every part of the text is for some readers only, and others would get an empty message; expected something that everybody reads.';
  eachBlock(docOf(body).content, (block) => {
    if (block.type === 'button' && plainWords({ type: 'doc', content: [{ type: 'paragraph', content: block.content }] }).trim() === '')
      fault ??= 'A button has no words on it; expected what it opens.';
    if (block.type === 'people' && block.attrs.columns.length === 0) fault ??= 'The table of people has no column; expected at least one.';
    if (block.type === 'people' && ++tables > 1) fault ??= 'The table of people stands twice; expected it once.';
  });
  return fault;
}
