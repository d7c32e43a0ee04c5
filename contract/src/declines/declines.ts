/** GET /api/declines/:token: what a link at the end of a message would decline. POST declines it, DELETE has it again. */
export interface DeclineView {
  organisation: string;
  /** who would have no more of it */
  person: string;
  step: string;
  course: string;
  isDeclined: boolean;
  /** why it cannot be declined, in a sentence; null where it can */
  refusal: string | null;
}

/** What somebody declined, as their own page and their sheet list it. */
export interface Declined {
  id: string;
  step: string;
  course: string;
  at: string;
}
