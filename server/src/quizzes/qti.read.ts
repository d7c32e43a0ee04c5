import { DOMParser, XMLSerializer } from '@xmldom/xmldom';
import { newQuestion, type Question, type QuestionKind } from '@nudrik/core';
import { cleanPage } from '../courses/page.ts';

type XmlElement = Element;

/** An item that was read, or why it could not be, in a clause. */
export type ReadItem = { question: Question } | { fault: string };

const named = (root: XmlElement, name: string): XmlElement[] => [...Array.from(root.getElementsByTagName(name))] as XmlElement[];
const first = (root: XmlElement, name: string): XmlElement | null => named(root, name)[0] ?? null;
const attribute = (element: XmlElement | null, name: string): string => element?.getAttribute(name) ?? '';
/** Words of an element: as they stand where the item says so, else without the spaces by which a file is laid out. */
function wordsIn(element: XmlElement | null): string {
  const text = element?.textContent ?? '';
  const isKept = element?.ownerDocument.documentElement.getAttribute('xml:space') === 'preserve';
  return isKept ? text : text.replace(/[ \n\r\t]+/g, ' ').trim();
}
const numberOf = (text: string): number | null => (text.trim() !== '' && Number.isFinite(Number(text)) ? Number(text) : null);
const childElements = (element: XmlElement): XmlElement[] => (Array.from(element.childNodes) as Node[]).filter((node): node is XmlElement => node.nodeType === 1); // prettier-ignore

const INTERACTIONS: Readonly<Record<string, string>> = {
  'qti-choice-interaction': 'choice',
  'qti-order-interaction': 'order',
  'qti-match-interaction': 'match',
  'qti-text-entry-interaction': 'entry',
  'qti-extended-text-interaction': 'extended',
};

/** Text of a choice, without what is said to whoever chose it. */
function choiceOf(element: XmlElement): { text: string; words: string } {
  const words = wordsIn(first(element, 'qti-feedback-inline'));
  const copy = element.cloneNode(true) as XmlElement;
  for (const feedback of named(copy, 'qti-feedback-inline')) feedback.parentNode?.removeChild(feedback);
  return { text: wordsIn(copy), words };
}

/**
 * Reads one item. What it has beside what a question of ours has is left out.
 * @param newId names the question
 */
export function readItem(xml: string, newId: () => string): ReadItem {
  if (/<!DOCTYPE|<!ENTITY/i.test(xml)) return { fault: 'declares a document type, which is not read' };
  let root: XmlElement | null;
  try {
    const faults: string[] = [];
    const parser = new DOMParser({ errorHandler: (level: string, words: unknown) => void (level !== 'warning' && faults.push(String(words))) } as never); // prettier-ignore
    root = parser.parseFromString(xml, 'text/xml').documentElement as XmlElement | null;
    if (faults.length > 0) return { fault: 'cannot be read as XML' };
  } catch {
    return { fault: 'cannot be read as XML' };
  }
  if (root?.nodeName !== 'qti-assessment-item') return { fault: `is no item of QTI 3.0 (got <${root?.nodeName ?? 'nothing'}>)` };
  const body = first(root, 'qti-item-body');
  if (!body) return { fault: 'has no body' };
  const all = (Array.from(body.getElementsByTagName('*')) as XmlElement[]).filter(({ nodeName }) => nodeName.endsWith('-interaction'));
  const unknown = all.find(({ nodeName }) => !(nodeName in INTERACTIONS));
  if (unknown) return { fault: `asks by <${unknown.nodeName}>, which no question here does` };
  const kinds = new Set(all.map(({ nodeName }) => INTERACTIONS[nodeName]!));
  if (all.length === 0) return { fault: 'asks for no answer' };
  if (kinds.size > 1 || (all.length > 1 && !kinds.has('entry'))) return { fault: `asks ${all.length} things at once; one is expected` };
  const declarations = new Map(named(root, 'qti-response-declaration').map((one) => [attribute(one, 'identifier'), one]));
  const declaration = declarations.get(attribute(all[0]!, 'response-identifier'));
  if (!declaration) return { fault: 'declares no response for what it asks' };
  const right = (one: XmlElement): string[] => { const correct = first(one, 'qti-correct-response'); return correct ? named(correct, 'qti-value').map((value) => value.textContent ?? '') : []; }; // prettier-ignore
  const asked = childElements(body).find((one) => attribute(one, 'class') === 'question') ?? null;
  const flag = (name: string): boolean => attribute(asked, `data-${name}`) === 'true';
  const made = (kind: QuestionKind, rest: object): ReadItem => {
    const score = named(root, 'qti-outcome-declaration').find((one) => attribute(one, 'identifier') === 'SCORE');
    const say = (which: string): string =>
      wordsIn(named(root, 'qti-modal-feedback').find((one) => attribute(one, 'identifier') === which) ?? null);
    const picture = attribute(asked, 'data-picture');
    return {
      question: {
        ...newQuestion(kind, newId()),
        text: cleanPage(textOf(body, asked, all)),
        picture: /^[1-9]\d{0,17}$/.test(picture) ? picture : null,
        points: Math.min(1000, Math.max(0, numberOf(attribute(score ?? null, 'normal-maximum')) ?? 1)),
        partial: flag('partial'),
        always: flag('always'),
        whenRight: say('RIGHT'),
        whenWrong: say('WRONG'),
        ...rest,
      } as Question,
    };
  };
  const loose = { byCase: flag('by-case'), byAccent: flag('by-accent') };
  const [interaction] = all as [XmlElement];
  switch (INTERACTIONS[interaction.nodeName]) {
    case 'choice': {
      const values = new Set(right(declaration));
      const list = named(interaction, 'qti-simple-choice').map((one) => ({ id: attribute(one, 'identifier'), ...choiceOf(one) }));
      if (list.length === 0) return { fault: 'offers no choice' };
      if (values.size === 0) return { fault: 'does not say which choice is right' };
      if (attribute(interaction, 'class').split(' ').includes('truth')) return made('truth', { isTrue: values.has('true') });
      const isOne = attribute(declaration, 'cardinality') === 'single';
      return made(isOne ? 'one' : 'several', { choices: list.map(({ id, text, words }) => ({ text, isRight: values.has(id), words })) });
    }
    case 'order': {
      const texts = new Map(named(interaction, 'qti-simple-choice').map((one) => [attribute(one, 'identifier'), choiceOf(one).text]));
      const order = right(declaration);
      if (order.length !== texts.size || order.some((id) => !texts.has(id))) return { fault: 'does not say which order is right' };
      return made('order', { items: order.map((id) => texts.get(id)!) });
    }
    case 'match': {
      const texts = new Map(
        named(interaction, 'qti-simple-associable-choice').map((one) => [attribute(one, 'identifier'), choiceOf(one).text]),
      );
      const pairs = right(declaration).map((pair) =>
        pair
          .trim()
          .split(/\s+/)
          .map((id) => texts.get(id)),
      );
      if (pairs.length === 0 || pairs.some((pair) => pair.length !== 2 || pair.includes(undefined)))
        return { fault: 'does not say what belongs together' };
      return made('match', { pairs: pairs.map(([left, other]) => ({ left: left!, right: other! })) });
    }
    case 'extended':
      return made('text', { accepted: acceptedIn(declaration, right(declaration)), isMarked: true, ...loose });
    default: {
      const inGaps = childElements(body).find((one) => attribute(one, 'class') === 'gaps');
      if (all.length > 1 || inGaps) {
        const place = inGaps ?? gapsPlace(all);
        if (!place) return { fault: `asks ${all.length} things in different places; one text with its gaps is expected` };
        return made('gaps', { body: gapsOf(place, (id) => { const one = declarations.get(id); return one ? acceptedIn(one, right(one)) : []; }), ...loose }); // prettier-ignore
      }
      if (attribute(declaration, 'base-type') === 'float' || attribute(declaration, 'base-type') === 'integer') {
        const value = numberOf(right(declaration)[0] ?? '');
        if (value === null) return { fault: 'does not say which number is right' };
        const tolerance = numberOf(attribute(first(root, 'qti-equal'), 'tolerance').split(/\s+/)[0] ?? '') ?? 0;
        return made('number', { value, tolerance: Math.max(0, tolerance), unit: attribute(asked, 'data-unit').slice(0, 20) });
      }
      const accepted = acceptedIn(declaration, right(declaration));
      return accepted.length === 0 ? { fault: 'does not say what is right' } : made('text', { accepted, isMarked: false, ...loose });
    }
  }
}

function acceptedIn(declaration: XmlElement, right: readonly string[]): string[] {
  const keys = named(declaration, 'qti-map-entry').filter((one) => Number(attribute(one, 'mapped-value')) > 0).map((one) => attribute(one, 'map-key')); // prettier-ignore
  return keys.length > 0 ? keys : [...right];
}

/** Where all gaps stand together. */
function gapsPlace(all: readonly XmlElement[]): XmlElement | null {
  const [parent] = all.map(({ parentNode }) => parentNode as XmlElement | null);
  return parent && all.every(({ parentNode }) => parentNode === parent) ? parent : null;
}

/** A text with its gaps, as it is written here. */
function gapsOf(place: XmlElement, acceptedOf: (response: string) => readonly string[]): string {
  return (Array.from(place.childNodes) as Node[])
    .map((node) =>
      node.nodeName === 'qti-text-entry-interaction'
        ? `[[${acceptedOf(attribute(node as XmlElement, 'response-identifier')).join('|')}]]`
        : (node.textContent ?? ''),
    ) // prettier-ignore
    .join('');
}

/** What is asked: what we wrote as such, the prompt, or what stands around the interaction. */
function textOf(body: XmlElement, asked: XmlElement | null, all: readonly XmlElement[]): string {
  const inside = (element: XmlElement): string => (Array.from(element.childNodes) as Node[]).map((node) => new XMLSerializer().serializeToString(node)).join('').replace(/ xmlns(:\w+)?="[^"]*"/g, ''); // prettier-ignore
  if (asked) return inside(asked);
  const prompt = first(body, 'qti-prompt');
  const around = childElements(body).filter((one) => !all.some((interaction) => interaction === one || named(one, interaction.nodeName).includes(interaction))); // prettier-ignore
  const texts = [...around.map((one) => new XMLSerializer().serializeToString(one).replace(/ xmlns(:\w+)?="[^"]*"/g, '')), ...(prompt ? [`<p>${inside(prompt)}</p>`] : [])]; // prettier-ignore
  return texts.join('');
}
