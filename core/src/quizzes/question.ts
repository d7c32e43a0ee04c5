/**
 * The catalogue of question kinds: what each lacks, what of it reaches the browser, and how an answer is scored. A new kind
 * is one entry here, and its form in the web. Everything is pure and total: no answer, whatever it is, throws.
 */

interface Base {
  id: string;
  /** what is asked, as HTML that was cleaned */
  text: string;
  /** the id of a picture, or null */
  picture: string | null;
  points: number;
  /** whether a part of the answer earns a part of the points */
  partial: boolean;
  /** always drawn, where only some of the questions are */
  always: boolean;
  /** said after a right answer, and after a wrong one */
  whenRight: string;
  whenWrong: string;
}
export interface QuizChoice {
  text: string;
  isRight: boolean;
  /** said to whoever chose it */
  words: string;
}
interface Loose {
  /** whether upper and lower case, and accents, tell answers apart */
  byCase: boolean;
  byAccent: boolean;
}

interface Shapes {
  one: { choices: QuizChoice[] };
  several: { choices: QuizChoice[] };
  truth: { isTrue: boolean };
  /** `isMarked`: somebody reads it; what is accepted is then only a help */
  text: { accepted: string[]; isMarked: boolean } & Loose;
  number: { value: number; tolerance: number; unit: string };
  /** in their right order */
  order: { items: string[] };
  match: { pairs: { left: string; right: string }[] };
  /** a text with its gaps in it: "Push the [[red|crimson]] button." */
  gaps: { body: string } & Loose;
}
export type QuestionKind = keyof Shapes;
export type QuestionOf<K extends QuestionKind> = K extends QuestionKind ? Base & { kind: K } & Shapes[K] : never;
export type Question = QuestionOf<QuestionKind>;

/** What of a question reaches the browser before it is answered: nothing that tells what is right. */
export interface ShownQuestion {
  id: string;
  kind: QuestionKind;
  text: string;
  picture: string | null;
  points: number;
  /** choices, things to be put in order, what is to be matched with */
  options: string[];
  /** of a match: what stands on the left */
  lefts: string[];
  /** of gaps: the text around them; a gap stands between each two */
  around: string[];
  unit: string;
}

/** A question as it was drawn for one attempt: where its options stand. `order[i]` is the option that is shown as the ith. */
export interface Drawn {
  question: Question;
  order: readonly number[];
}

/** An answer by what is shown: positions, words, yes or no. Whatever else comes counts as none. */
export type Answer = number | boolean | string | readonly (number | string | null)[] | null;

interface Entry<K extends QuestionKind> {
  words: string;
  /** what a new one begins with */
  starts: Shapes[K];
  /** what is missing, as a clause after the question's name, or null */
  fault(question: QuestionOf<K>): string | null;
  /** how many options there are to be put in an order; and whether that has to be another than the right one */
  options(question: QuestionOf<K>): string[];
  isAlwaysMixed?: true;
  show?(question: QuestionOf<K>): Partial<Pick<ShownQuestion, 'lefts' | 'around' | 'unit'>>;
  /** the share that was right, 0 to 1; null: somebody has to mark it */
  score(question: QuestionOf<K>, answer: Answer, order: readonly number[]): number | null;
  /** an answer in words, and the right one */
  tell(question: QuestionOf<K>, answer: Answer, order: readonly number[]): string;
  tellRight(question: QuestionOf<K>): string;
}
const entry = <K extends QuestionKind>(made: Entry<K>): Entry<K> => made;

const NONE: string[] = [];
const blank = (text: string): boolean => text.trim() === '';
const positions = (answer: Answer, count: number): number[] =>
  Array.isArray(answer)
    ? [...new Set(answer.filter((at): at is number => Number.isInteger(at) && (at as number) >= 0 && (at as number) < count))]
    : [];
const told = (words: readonly string[]): string => (words.length === 0 ? 'nothing' : words.join('; '));

function choiceFault({ choices }: { choices: readonly QuizChoice[] }, least: number): string | null {
  if (choices.length < 2) return 'needs at least two choices';
  if (choices.some(({ text }) => blank(text))) return 'has a choice without words';
  const right = choices.filter(({ isRight }) => isRight).length;
  return right < 1
    ? 'has no right choice'
    : right > 1 && least === 1
      ? 'has more than one right choice; several may be right in a question of another kind'
      : null;
}

const PLAIN = /^[ -~]*$/;

/** Letters as they are compared: composed alike, blanks made one, and case and accents only where they count. */
export function folded(text: string, { byCase, byAccent }: Loose): string {
  // most of what is typed has neither accents nor odd blanks: looking for them took half of all scoring
  if (PLAIN.test(text)) {
    const made = text.trim().replace(/ {2,}/g, ' ');
    return byCase ? made : made.toLowerCase();
  }
  let made = text.normalize('NFC').trim().replace(/\s+/gu, ' ');
  if (!byAccent)
    made = made
      .normalize('NFD')
      .replace(/\p{M}+/gu, '')
      .normalize('NFC');
  return byCase ? made : made.toLocaleLowerCase('en');
}

/** What is accepted, as it is compared: made once for a question. For each gap, or for the one answer. */
const acceptedOf = new WeakMap<object, ReadonlySet<string>[]>();
function accepted(question: Loose, list: () => readonly (readonly string[])[]): ReadonlySet<string>[] {
  let sets = acceptedOf.get(question);
  if (!sets)
    acceptedOf.set(
      question,
      (sets = list().map((words) => new Set(words.filter((one) => !blank(one)).map((one) => folded(one, question))))),
    );
  return sets;
}
const isAccepted = (typed: unknown, words: ReadonlySet<string>, loose: Loose): boolean => typeof typed === 'string' && !blank(typed) && words.has(folded(typed, loose)); // prettier-ignore

/** A number as it is typed: "3,5", "3.5 m", "1 200". Null where it is none. */
export function readNumber(typed: string, unit = ''): number | null {
  let text = typed.trim();
  if (unit && text.toLowerCase().endsWith(unit.toLowerCase())) text = text.slice(0, -unit.length).trim();
  text = text.replace(/[\s\u00a0\u202f']/g, '').replace(/\u2212/g, '-');
  if (/^[+-]?\d{1,3}(,\d{3})+\.\d+$/.test(text)) text = text.replace(/,/g, '');
  else if (/^[+-]?\d{1,3}(\.\d{3})+,\d+$/.test(text)) text = text.replace(/\./g, '').replace(',', '.');
  else text = text.replace(',', '.');
  return /^[+-]?(\d+(\.\d*)?|\.\d+)$/.test(text) ? Number(text) : null;
}

const GAP = /\[\[([^\]]*)\]\]/g;
/** What may stand in each gap of a text. */
export const gapsIn = (body: string): string[][] =>
  [...body.matchAll(GAP)].map(([, inside]) => inside!.split('|').map((one) => one.trim()).filter((one) => one !== '')); // prettier-ignore
const aroundGaps = (body: string): string[] => body.split(/\[\[[^\]]*\]\]/);

const ENTRIES: { [K in QuestionKind]: Entry<K> } = {
  one: entry<'one'>({
    words: 'one of several',
    starts: { choices: [{ text: '', isRight: true, words: '' }, { text: '', isRight: false, words: '' }] }, // prettier-ignore
    fault: (question) => choiceFault(question, 1),
    options: ({ choices }) => choices.map(({ text }) => text),
    score: ({ choices }, answer, order) => (typeof answer === 'number' && choices[order[answer] ?? -1]?.isRight ? 1 : 0),
    tell: ({ choices }, answer, order) =>
      told(typeof answer === 'number' && choices[order[answer] ?? -1] ? [choices[order[answer]!]!.text] : []),
    tellRight: ({ choices }) => told(choices.filter(({ isRight }) => isRight).map(({ text }) => text)),
  }),
  several: entry<'several'>({
    words: 'several of several',
    starts: { choices: [{ text: '', isRight: true, words: '' }, { text: '', isRight: true, words: '' }, { text: '', isRight: false, words: '' }] }, // prettier-ignore
    fault: (question) => choiceFault(question, 2),
    options: ({ choices }) => choices.map(({ text }) => text),
    // right ones chosen less wrong ones chosen, of the right ones there are
    score({ choices }, answer, order) {
      const chosen = positions(answer, order.length).map((at) => choices[order[at]!]!);
      const right = choices.filter(({ isRight }) => isRight).length;
      const hits = chosen.filter(({ isRight }) => isRight).length;
      return right === 0 ? 0 : Math.max(0, (hits - (chosen.length - hits)) / right);
    },
    tell: ({ choices }, answer, order) => told(positions(answer, order.length).map((at) => choices[order[at]!]!.text)),
    tellRight: ({ choices }) => told(choices.filter(({ isRight }) => isRight).map(({ text }) => text)),
  }),
  truth: entry<'truth'>({
    words: 'true or false',
    starts: { isTrue: true },
    fault: () => null,
    options: () => NONE,
    score: ({ isTrue }, answer) => (answer === isTrue ? 1 : 0),
    tell: (_, answer) => (answer === true ? 'true' : answer === false ? 'false' : 'nothing'),
    tellRight: ({ isTrue }) => (isTrue ? 'true' : 'false'),
  }),
  text: entry<'text'>({
    words: 'short text',
    starts: { accepted: [''], isMarked: false, byCase: false, byAccent: false },
    fault: ({ accepted, isMarked }) =>
      !isMarked && accepted.every(blank) ? 'accepts no answer yet: write one, or leave it to a trainer' : null,
    options: () => NONE,
    score(question, answer) {
      if (typeof answer !== 'string' || blank(answer)) return 0;
      if (isAccepted(answer, accepted(question, () => [question.accepted])[0]!, question)) return 1;
      return question.isMarked ? null : 0;
    },
    tell: (_, answer) => (typeof answer === 'string' && !blank(answer) ? answer : 'nothing'),
    tellRight({ accepted, isMarked }) {
      const known = accepted.filter((one) => !blank(one));
      return [...(known.length > 0 ? [told(known)] : []), ...(isMarked ? ['what a trainer finds right'] : [])].join(', or ');
    },
  }),
  number: entry<'number'>({
    words: 'number',
    starts: { value: 0, tolerance: 0, unit: '' },
    fault: ({ value, tolerance }) =>
      !Number.isFinite(value) || !Number.isFinite(tolerance) || tolerance < 0 ? 'needs a number and how far off it may be' : null,
    options: () => NONE,
    show: ({ unit }) => ({ unit }),
    score({ value, tolerance, unit }, answer) {
      const typed = typeof answer === 'string' ? readNumber(answer, unit) : null;
      // 0.1 + 0.2 is not quite 0.3, and nobody is to fail by that
      return typed !== null && Math.abs(typed - value) <= tolerance + 1e-9 * Math.max(1, Math.abs(value)) ? 1 : 0;
    },
    tell: (_, answer) => (typeof answer === 'string' && !blank(answer) ? answer : 'nothing'),
    tellRight: ({ value, tolerance, unit }) => `${value}${unit ? ` ${unit}` : ''}${tolerance ? `, ${tolerance} more or less` : ''}`,
  }),
  order: entry<'order'>({
    words: 'order',
    starts: { items: ['', '', ''] },
    fault: ({ items }) =>
      items.length < 2 ? 'needs at least two things to put in order' : items.some(blank) ? 'has a thing without words' : null,
    options: ({ items }) => items,
    isAlwaysMixed: true,
    // those that stand where they belong, of all
    score({ items }, answer, order) {
      const placed = positions(answer, order.length);
      // things that read alike may stand for each other
      const right = items.filter((item, i) => placed[i] !== undefined && items[order[placed[i]]!] === item).length;
      return items.length === 0 ? 0 : right / items.length;
    },
    tell: ({ items }, answer, order) => told(positions(answer, order.length).map((at) => items[order[at]!]!)),
    tellRight: ({ items }) => told(items),
  }),
  match: entry<'match'>({
    words: 'match',
    starts: { pairs: [{ left: '', right: '' }, { left: '', right: '' }] }, // prettier-ignore
    fault: ({ pairs }) =>
      pairs.length < 2
        ? 'needs at least two pairs'
        : pairs.some(({ left, right }) => blank(left) || blank(right))
          ? 'has a pair that lacks a side'
          : null,
    options: ({ pairs }) => pairs.map(({ right }) => right),
    isAlwaysMixed: true,
    show: ({ pairs }) => ({ lefts: pairs.map(({ left }) => left) }),
    // pairs that are right, of all
    score({ pairs }, answer, order) {
      const chosen = Array.isArray(answer) ? answer : [];
      const right = pairs.filter((pair, i) => typeof chosen[i] === 'number' && pairs[order[chosen[i]] ?? -1]?.right === pair.right).length;
      return pairs.length === 0 ? 0 : right / pairs.length;
    },
    tell({ pairs }, answer, order) {
      const chosen = Array.isArray(answer) ? answer : [];
      return told(
        pairs.flatMap(({ left }, i) =>
          typeof chosen[i] === 'number' && pairs[order[chosen[i]] ?? -1] ? [`${left}: ${pairs[order[chosen[i]]!]!.right}`] : [],
        ),
      );
    },
    tellRight: ({ pairs }) => told(pairs.map(({ left, right }) => `${left}: ${right}`)),
  }),
  gaps: entry<'gaps'>({
    words: 'fill the gaps',
    starts: { body: '', byCase: false, byAccent: false },
    fault({ body }) {
      const gaps = gapsIn(body);
      return gaps.length === 0
        ? 'has no gap: write what belongs into one between [[ and ]]'
        : gaps.some((gap) => gap.length === 0)
          ? 'has a gap that nothing belongs into'
          : null;
    },
    options: () => NONE,
    show: ({ body }) => ({ around: aroundGaps(body) }),
    score(question, answer) {
      const gaps = accepted(question, () => gapsIn(question.body));
      const typed = Array.isArray(answer) ? answer : [];
      const right = gaps.filter((gap, i) => isAccepted(typed[i], gap, question)).length;
      return gaps.length === 0 ? 0 : right / gaps.length;
    },
    tell: (_, answer) => told(Array.isArray(answer) ? answer.map((one) => (typeof one === 'string' && !blank(one) ? one : '…')) : []),
    tellRight: ({ body }) => told(gapsIn(body).map((gap) => gap.join(' or '))),
  }),
};

export const QUESTION_KINDS = Object.keys(ENTRIES) as [QuestionKind, ...QuestionKind[]];
const entryOf = (kind: QuestionKind): Entry<QuestionKind> => ENTRIES[kind] as unknown as Entry<QuestionKind>;
export const questionWords = (kind: QuestionKind): string => ENTRIES[kind].words;

export function newQuestion(kind: QuestionKind, id: string): Question {
  const base: Base = {
    id,
    text: '',
    picture: null,
    points: 1,
    partial: kind !== 'one' && kind !== 'truth' && kind !== 'text' && kind !== 'number',
    always: false,
    whenRight: '',
    whenWrong: '',
  };
  return { ...base, kind, ...structuredClone(ENTRIES[kind].starts) } as Question;
}

const plain = (html: string): string =>
  html
    .replace(/<[^>]*>/g, ' ')
    .replace(/&nbsp;/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();

/** What is missing in a question, in a sentence without its number, or null. */
export function questionFault(question: Question): string | null {
  if (plain(question.text) === '' && question.kind !== 'gaps') return 'asks nothing yet';
  if (!(question.points > 0)) return 'earns no points';
  return entryOf(question.kind).fault(question as never);
}

/** A question's words in short, to tell it from others. */
export const tellQuestion = (question: Question): string =>
  plain(question.text) || (question.kind === 'gaps' ? plain(question.body.replace(/\[\[[^\]]*\]\]/g, '…')) : 'a question');

export const optionCount = (question: Question): number => entryOf(question.kind).options(question as never).length;
export const isAlwaysMixed = ({ kind }: Question): boolean => entryOf(kind).isAlwaysMixed === true;

/** What reaches the browser of a question that was drawn. */
export function showQuestion({ question, order }: Drawn): ShownQuestion {
  const { id, kind, text, picture, points } = question;
  const options = entryOf(kind).options(question as never);
  return { id, kind, text, picture, points, options: order.map((at) => options[at]!), lefts: [], around: [], unit: '', ...entryOf(kind).show?.(question as never) }; // prettier-ignore
}

/** The share of a question that an answer earns, 0 to 1; null where somebody has to mark it. */
export function scoreAnswer({ question, order }: Drawn, answer: Answer): number | null {
  const share = entryOf(question.kind).score(question as never, answer, order);
  if (share === null) return null;
  return question.partial ? Math.min(1, Math.max(0, share)) : share >= 1 ? 1 : 0;
}

export const tellAnswer = ({ question, order }: Drawn, answer: Answer): string =>
  entryOf(question.kind).tell(question as never, answer, order);
export const tellRightAnswer = (question: Question): string => entryOf(question.kind).tellRight(question as never);

/** What is said after an answer: of the question, and of what was chosen. */
export function feedbackOn({ question, order }: Drawn, answer: Answer, share: number | null): string {
  const own = share === 1 ? question.whenRight : question.whenWrong;
  const chosen =
    question.kind === 'one' && typeof answer === 'number'
      ? [question.choices[order[answer] ?? -1]?.words ?? '']
      : question.kind === 'several'
        ? positions(answer, order.length).map((at) => question.choices[order[at]!]!.words)
        : [];
  return [...chosen, share === null ? '' : own].filter((words) => words !== '').join(' ');
}
