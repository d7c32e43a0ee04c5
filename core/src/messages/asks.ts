/** How whoever has a course may ask something, beside replying to its messages. */
export const ASKS = ['none', 'trainer', 'course'] as const;
export type Asks = (typeof ASKS)[number];

/** In words, as a course is set to it. */
export const ASK_WORDS: Readonly<Record<Asks, string>> = {
  none: 'by replying to messages',
  trainer: 'on its page too',
  course: 'on its page too, and among one another',
};

/** Who reads a word on the page of a course: whoever asked alone, or everybody on the course. */
export const SHOWN_TO = ['person', 'course'] as const;
export type ShownTo = (typeof SHOWN_TO)[number];

/** Whether everybody on the course reads what was asked so: as long as the course allows it. */
export const isShared = (shownTo: ShownTo | null, asks: Asks | null): boolean => shownTo === 'course' && asks === 'course';

/**
 * Who reads an answer on the page; null where it goes by mail alone.
 * @param asked who reads the question there; null where it was not asked there
 * @param answered who reads the word that is answered; null of one that came by mail
 * @param chosen what whoever answers said
 */
export function answerShownTo(
  asked: { shownTo: ShownTo | null; asks: Asks | null },
  { answered, chosen }: { answered: ShownTo | null; chosen?: ShownTo | undefined },
): ShownTo | null {
  if (asked.shownTo === null) return null;
  if (isShared(asked.shownTo, asked.asks) && (chosen ?? answered) === 'course') return 'course';
  return answered === null ? null : 'person';
}

/** Whether somebody reads a word on the page: one's own always, and what was taken off nobody else. */
export const readsWord = (
  { shownTo, isOff }: { shownTo: ShownTo; isOff: boolean },
  { isWriter, isAsker }: { isWriter: boolean; isAsker: boolean },
): boolean => isWriter || (!isOff && (isAsker || shownTo === 'course'));
