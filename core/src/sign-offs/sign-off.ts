import type { SignOffOutcome } from '../plans/anchor.ts';

/** One thing that is looked at in a practical sign-off. */
export interface Criterion {
  /** its own within its unit */
  id: string;
  words: string;
  /** without it the sign-off is not met; others are noted */
  isNeeded: boolean;
}

/** Who may sign off for whom. Nobody signs off for themself, whatever this says. */
export interface Signers {
  /** the line of the employee: their manager, and whoever is above */
  managers: boolean;
  /** the owner of the course, and who assists */
  trainers: boolean;
  /** named people, for everybody */
  people: string[];
  /** named people, for those of a site */
  sites: { site: string; people: string[] }[];
}

/** What a supervisor looks at and records: a unit of a course. */
export interface SignOffSheet {
  /** what is to be shown, and how: read by the supervisor, and by the employee before */
  guide: string;
  criteria: Criterion[];
  signers: Signers;
  /** whether it is asked where it took place */
  asksPlace: boolean;
  /** what the employee entered stands in the record too: what quizzes came to, and named answers to surveys */
  withQuizzes: boolean;
  withSurveys: boolean;
}

export const NEW_SIGN_OFF: SignOffSheet = {
  guide: '',
  criteria: [{ id: 'c1', words: '', isNeeded: true }],
  signers: { managers: true, trainers: true, people: [], sites: [] },
  asksPlace: false,
  withQuizzes: true,
  withSurveys: false,
};

/**
 * What is missing in a sheet, as the end of a sentence that begins with its title.
 * @param isSession of a session it is enough to be there, and whoever leads it records that
 */
export function signOffFaults({ criteria, signers }: SignOffSheet, isSession = false): string[] {
  const faults: string[] = [];
  if (criteria.length === 0 && !isSession) faults.push('has no criterion yet');
  if (criteria.some(({ words }) => words.trim() === '')) faults.push('has a criterion without words');
  if (criteria.length > 0 && !isSession && criteria.every(({ isNeeded }) => !isNeeded))
    faults.push('has no criterion that is needed: whoever came would have met it');
  if (new Set(criteria.map(({ id }) => id)).size < criteria.length) faults.push('has two criteria of one id');
  const names = signers.people.length + signers.sites.reduce((sum, { people }) => sum + people.length, 0);
  if (!isSession && !signers.managers && !signers.trainers && names === 0) faults.push('may be signed off by nobody');
  return faults;
}

/** What a supervisor entered of one person. */
export interface SignOffEntry {
  attended: boolean;
  /** criteria that were met, by their ids; of somebody who did not attend none is */
  met: readonly string[];
}

/** Met is whoever attended and met all that is needed. */
export function signedOutcome({ criteria }: Pick<SignOffSheet, 'criteria'>, { attended, met }: SignOffEntry): SignOffOutcome {
  if (!attended) return 'absent';
  return criteria.every(({ id, isNeeded }) => !isNeeded || met.includes(id)) ? 'met' : 'not-met';
}

/** What is wrong with an entry, in a sentence, or null. */
export function entryFault({ criteria }: Pick<SignOffSheet, 'criteria'>, { attended, met }: SignOffEntry): string | null {
  if (!attended && met.length > 0) return 'Who did not attend met nothing: expected no criterion as met.';
  const unknown = met.find((id) => !criteria.some((criterion) => criterion.id === id));
  return unknown === undefined ? null : `There is no criterion “${unknown}” any more: load the list again.`;
}

/** Whom a signer is asked about. */
export interface SignedPerson {
  id: string;
  site: string;
  /** managers from the nearest up */
  line: readonly string[];
}

/** What lets somebody sign off for a person, in words; null is nothing. */
export function maySign(
  { managers, trainers, people, sites }: Signers,
  signer: string,
  person: SignedPerson,
  courseTrainers: readonly string[],
): string | null {
  if (signer === person.id) return null;
  if (managers && person.line.includes(signer)) return person.line[0] === signer ? 'their manager' : 'above their manager';
  if (trainers && courseTrainers.includes(signer)) return 'trainer of the course';
  if (people.includes(signer)) return 'named for everybody';
  if (sites.some(({ site, people: named }) => site === person.site && named.includes(signer))) return 'named for their site';
  return null;
}
