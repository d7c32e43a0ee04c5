/** How whoever has a course may ask something, beside replying to its messages. */
export const ASKS = ['none', 'trainer', 'course'] as const;
export type Asks = (typeof ASKS)[number];

/** In words, as a course is set to it. */
export const ASK_WORDS: Readonly<Record<Asks, string>> = {
  none: 'by replying to messages',
  trainer: 'on its page too',
  course: 'on its page too, and among one another',
};
