import type { HoldView } from '@nudrik/contract';
import { tellAmount, type HoldScope } from '@nudrik/core';

/** What can be held, as it is chosen. */
export const SCOPE_WORDS: Record<HoldScope, string> = {
  everything: 'everything',
  plan: 'the plan of a course',
  course: 'a course, with what is written by hand',
  department: 'a department, with those below it',
  person: 'a person',
};

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

/** “Fire Teams Aboard” is held; of everything, what that means. */
export const headOf = ({ scope, words }: Pick<HoldView, 'scope' | 'words'>): string =>
  scope === 'everything' ? 'Nothing leaves this house' : capital(words);

export const waitsOf = ({ waits }: Pick<HoldView, 'waits'>): string =>
  waits === 0 ? 'nothing waits yet' : waits === 1 ? '1 message waits' : `${tellAmount(waits, 'messages')} wait`;
