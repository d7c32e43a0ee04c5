/** How the figures of a course are counted, told the same wherever they stand. */
export const CURRENT_WORDS = 'Current: holds it today, finished and not run out or revoked.';
export const ASKED_WORDS = 'Asked: has it open or has finished it.';
