import { tellAmount } from '../time/words.ts';

/** Whoever is late for less than so many days is newly late. */
export const NEWLY_LATE_DAYS = 3;

/** `up to 7 days`, `8 to 30 days`, `over 90 days`: whole days from one to another, with both; null is without end. */
export const tellDaySpan = ([from, to]: readonly [from: number, to: number | null]): string =>
  to === null ? `over ${tellAmount(from - 1, 'days')}` : `${from === 0 ? 'up to' : `${from} to`} ${tellAmount(to, 'days')}`;

/** What each figure is called, and how it is counted: told beside it, and in its file. */
export const FIGURE_WORDS = {
  weeks: {
    title: 'Week by week',
    how: 'At the end of each week: assignments that were finished, in progress, not started or late, as is known now. A due date that was moved counts from the day on which it was moved; a completion that was recorded later stands at its own day; what was taken back never was.',
  },
  ageing: {
    title: 'How long people are late',
    how: 'Open assignments of people on the roster whose due date has passed at the end of the period, by whole days since then. An extension begins anew: days count from the due date in force.',
  },
  duration: {
    title: 'From being asked to finishing',
    how: 'Assignments that were finished within the period, by days from when they were assigned. Half of them took no longer than the median; nine of ten no longer than the third number. Completions that were recorded for a day before they were assigned are left out: nobody knows how long they took.',
  },
  after: {
    title: 'What people do after a notice',
    how: 'Notices to the employee that went within the period while the assignment was open. A finish belongs to the last notice before it, where that was no longer ago than the days that are set. The last row is finishes without a notice in those days. A step after which hardly anybody finishes may be one that can be dropped; that people finished after a notice does not say that they did because of it.',
  },
  managers: {
    title: 'Managers, and how fast they take up',
    how: 'Managers who have somebody late at the end of the period, or were told of somebody late within it. An answer is a due date moved, taken up, waived or asked to be waived after they were first told of an assignment; hours run from then to the first answer, and the median is told. Finished since is what was finished without an answer.',
  },
  mail: {
    title: 'What comes back',
    how: 'Week by week: notices that went, those that came back, and words that employees wrote back. Several notices may go in one mail. Test mails are in no figure.',
  },
} as const satisfies Record<string, { title: string; how: string }>;
