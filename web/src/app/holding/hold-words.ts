import type { HoldScope } from '@nudrik/core';

/** What can be held, as it is chosen. */
export const SCOPE_WORDS: Record<HoldScope, string> = {
  everything: 'everything',
  plan: 'the plan of a course',
  course: 'a course, with what is written by hand',
  department: 'a department, with those below it',
  person: 'a person',
};
