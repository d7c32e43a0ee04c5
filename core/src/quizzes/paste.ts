import { newQuestion, type Question } from './question.ts';

/**
 * Questions from a text, as somebody writes or pastes them. A blank line ends one. Its first line asks; below it
 * `+ right`, `- wrong` are choices, `= accepted` an answer in words, `= 12 +- 0.5 m` a number, `true` or `false` the truth of it,
 * `1) first` things in their order, `left : right` (two at least) pairs; and gaps are written into a line as [[what belongs there]].
 * @returns the questions, and what could not be read, with the number of its line
 */
export function readQuestions(text: string, makeId: () => string): { questions: Question[]; faults: { line: number; words: string }[] } {
  const questions: Question[] = [];
  const faults: { line: number; words: string }[] = [];
  const lines = text.split(/\r?\n/);
  let block: { line: number; text: string }[] = [];
  const end = (): void => {
    if (block.length > 0) {
      const read = readBlock(block, makeId);
      if ('words' in read) faults.push(read);
      else questions.push(read.question);
    }
    block = [];
  };
  lines.forEach((line, i) => {
    if (line.trim() === '') end();
    else block.push({ line: i + 1, text: line.trim() });
  });
  end();
  return { questions, faults };
}

const CHOICE = /^([+*-])\s+(.+)$/;
const NUMBER = /^=\s*(-?[\d.,]+)(?:\s*(?:\+-|±)\s*([\d.,]+))?\s*(\D[^\d]*)?$/;
const escape = (text: string): string => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;');

function readBlock(
  block: readonly { line: number; text: string }[],
  makeId: () => string,
): { question: Question } | { line: number; words: string } {
  const [first, ...rest] = block as [(typeof block)[0], ...typeof block];
  const asked = first.text.replace(/^\d+\s*[.)]\s*/, '').replace(/^(q|question)\s*:\s*/i, '');
  const as = <K extends Question['kind']>(kind: K, fill: Partial<Extract<Question, { kind: K }>>): { question: Question } => ({
    question: { ...newQuestion(kind, makeId()), text: `<p>${escape(asked)}</p>`, ...fill } as Question,
  });
  const all = rest.map(({ text }) => text);
  if (all.length === 0)
    return /\[\[.*\]\]/.test(asked)
      ? as('gaps', { text: '', body: asked })
      : { line: first.line, words: `“${asked.slice(0, 60)}” has no answer below it` };
  const choices = all.map((text) => CHOICE.exec(text));
  if (choices.every((choice) => choice !== null)) {
    const read = choices.map((choice) => ({ text: choice![2]!, isRight: choice![1] !== '-', words: '' }));
    const right = read.filter(({ isRight }) => isRight).length;
    if (right === 0) return { line: first.line, words: `“${asked.slice(0, 60)}” has no right choice: one begins with +` };
    return right === 1 ? as('one', { choices: read }) : as('several', { choices: read });
  }
  if (all.length === 1 && /^(true|false)$/i.test(all[0]!)) return as('truth', { isTrue: all[0]!.toLowerCase() === 'true' });
  if (all.length === 1 && NUMBER.test(all[0]!)) {
    const [, value, tolerance, unit] = NUMBER.exec(all[0]!)!;
    const numberOf = (text: string): number => Number(text.replace(',', '.'));
    if (Number.isFinite(numberOf(value!)) && Number.isFinite(numberOf(tolerance ?? '0')))
      return as('number', { value: numberOf(value!), tolerance: numberOf(tolerance ?? '0'), unit: unit?.trim() ?? '' });
  }
  if (all.every((text) => text.startsWith('='))) return as('text', { accepted: all.map((text) => text.slice(1).trim()) });
  if (all.every((text) => /^\d+\)\s+/.test(text))) return as('order', { items: all.map((text) => text.replace(/^\d+\)\s+/, '')) });
  if (all.length >= 2 && all.every((text) => / : /.test(text)))
    return as('match', {
      pairs: all.map((text) => ({ left: text.split(' : ')[0]!.trim(), right: text.split(' : ').slice(1).join(' : ').trim() })),
    });
  if (all.length === 1 && /\[\[.*\]\]/.test(all[0]!)) return as('gaps', { body: all[0]! });
  const odd = rest.find(({ text }) => !/^([+*=-]|\d+\))/.test(text)) ?? rest[0]!;
  return {
    line: odd.line,
    words: `“${odd.text.slice(0, 60)}” is no answer that can be read here: expected + right, - wrong, = answer, true, false, 1) item, left : right`,
  };
}
