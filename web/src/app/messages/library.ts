import type { LibraryMessage } from '@nudrik/contract';
import { wordsOf } from '@nudrik/core';

/** One text, with every step that has it. */
export interface LibraryText {
  key: string;
  message: LibraryMessage['message'];
  /** in the order of the courses; the first names it */
  uses: readonly LibraryMessage[];
  next28: number;
  isOn: boolean;
}

/** Messages by their text: steps that say the same, of whatever course, are one. Files and dates that go with it belong to it. */
export function textsOf(messages: readonly LibraryMessage[]): LibraryText[] {
  const byText = new Map<string, LibraryMessage[]>();
  for (const one of messages) {
    const key = JSON.stringify(one.message);
    const uses = byText.get(key);
    if (uses) uses.push(one);
    else byText.set(key, [one]);
  }
  return [...byText.values()].map((uses) => ({
    key: `${uses[0]!.course.id}/${uses[0]!.step.id}`,
    message: uses[0]!.message,
    uses,
    next28: uses.reduce((sum, { next28 }) => sum + next28, 0),
    isOn: uses.some(({ step }) => step.on),
  }));
}

/** Whether a text, a step or a course that has it holds some words. */
export function holdsWords({ message, uses }: LibraryText, words: string): boolean {
  const all = [wordsOf(message), ...uses.flatMap(({ step, course }) => [step.name, course.title])].join('\n').toLowerCase();
  return words.toLowerCase().trim().split(/\s+/).every((word) => all.includes(word)); // prettier-ignore
}
