/** SQLSTATE classes of what passes by itself: connections, resources, cancelled by an operator, the system around the database. */
const PASSING_CLASSES = new Set(['08', '53', '57', '58']);
/** Of other classes: two at the same moment, a lock that was not to be had, a transaction that idled too long, read only for now. */
const PASSING_STATES = new Set(['40001', '40P01', '55P03', '25P03', '25006', '25P04']);
const PASSING_CODES = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'ECONNABORTED',
  'ETIMEDOUT',
  'EPIPE',
  'ENOTFOUND',
  'EAI_AGAIN',
  'EHOSTUNREACH',
  'ENETUNREACH',
  'ENOENT', // a socket that is gone while the database starts
]);

/** A connection to the database that broke, was refused or was never given: what was asked of it is not done. */
export class DatabaseAway extends Error {}

/** Whether a failure comes from outside and passes: the same may well succeed in a moment. Told by code, never by text. */
export function isPassing(error: unknown): boolean {
  if (error instanceof DatabaseAway) return true;
  const { code } = error as { code?: unknown };
  if (typeof code !== 'string') return false;
  return PASSING_CODES.has(code) || (code.length === 5 && (PASSING_CLASSES.has(code.slice(0, 2)) || PASSING_STATES.has(code)));
}
