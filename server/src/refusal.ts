import { isZone } from '@nudrik/core';
import type { Refusal } from '@nudrik/contract';

/** Every code that the API refuses with, its status, and when it is used. A test holds the routes against it. */
export const REFUSALS = {
  'not-signed-in': { status: 401, message: 'You are not signed in, or the session has ended. Sign in to go on; nothing was changed.' },
  'wrong-password': { status: 401, message: 'No account has this e-mail with this password.' },
  'second-factor': { status: 401, message: 'Your account has a second factor: enter the six digits that your app shows now.' },
  'too-many-tries': { status: 429, message: 'Too many tries. Wait a quarter of an hour, then sign in again.' },
  'not-allowed': { status: 403, message: 'Your role does not allow this.' },
  csrf: { status: 403, message: 'The page is out of date. Load it again; nothing was changed.' },
  'not-found': { status: 404, message: 'There is no such thing, or not any more.' },
  'wrong-link': {
    status: 404,
    message: 'This link does not belong to any assignment. Open it from the newest message again, or ask your trainer.',
  },
  'wrong-input': { status: 400, message: 'Something in the request is not as expected; nothing was changed.' },
  'wrong-kind': {
    status: 415,
    message: 'The request is of a kind, a character set or a compression that is not read here. Nothing was changed.',
  },
  'wrong-file': { status: 422, message: 'The file cannot be read as a roster.' },
  'too-large': { status: 413, message: 'This is more than is taken at once: a file may have 20 MB, a request 6 MB. Nothing was changed.' },
  stale: { status: 409, message: 'Somebody changed this in the meantime. Load it again; nothing was changed.' },
  conflict: { status: 409, message: 'This stands in conflict with what is there.' },
  // somebody is on leave then, or in another session: it may be done anyway
  clash: { status: 409, message: 'It clashes with something else at that time. Nothing was changed.' },
  'only-in-demo': { status: 409, message: 'This is only there in the demo: a real installation runs on real time.' },
  'out-of-order': { status: 503, message: 'Something outside does not answer.' },
  broken: { status: 500, message: 'Something went wrong on our side; nothing was changed. The log tells more.' },
} as const;
export type RefusalCode = keyof typeof REFUSALS;

/** What a use case throws to refuse: a code of the table, and a sentence that tells what, where, expected and got. */
export class Refused extends Error {
  constructor(
    readonly code: RefusalCode,
    message: string = REFUSALS[code].message,
    readonly details?: Refusal['details'],
  ) {
    super(message);
  }

  get status(): number {
    return REFUSALS[this.code].status;
  }
}

/** @throws Refused for a time zone that there is not */
export function refuseUnknownZone(zone: string): void {
  if (!isZone(zone))
    throw new Refused('wrong-input', `There is no time zone “${zone}”. Expected one like Europe/Oslo. Nothing was changed.`);
}
