import { createHmac } from 'node:crypto';
import type { LocalDate } from '@nudrik/core';
import type { Queryable } from '../db/db.ts';
import { listMarks, type Erasable, type listNamed } from './erase.repo.ts';

// no letter that looks like another
const LETTERS = '23456789ABCDEFGHJKMNPQRSTVWXYZ';

/** What somebody is called who was erased: the same for them each time, and it says nothing of them without the key of the house. */
export function pseudonymOf(key: string, houseId: string, person: string): string {
  const digest = createHmac('sha256', key).update(`pseudonym ${houseId} ${person}`).digest();
  const code = [...digest.subarray(0, 8)].map((byte) => LETTERS[byte % LETTERS.length]).join('');
  return `Person ${code.slice(0, 4)}-${code.slice(4)}`;
}

/** An address that nothing can be sent to (RFC 2606). */
export const addressOf = (pseudonym: string): string => `${pseudonym.toLowerCase().replace(' ', '-')}@erased.invalid`;

/** A keyed hash by which an address or a number is known again, and not read. */
export const markOf = (key: string, what: 'email' | 'number', value: string): Buffer =>
  createHmac('sha256', key).update(`erased ${what} ${value.trim().toLowerCase()}`).digest();

/** All marks of somebody: of what they are called, and of what they ever were. */
export const marksOf = (key: string, { email, number }: Pick<Erasable, 'email' | 'number'>, named: Awaited<ReturnType<typeof listNamed>>): Buffer[] => {
  const of = (field: string, now: string | null): Set<string> => new Set([now ?? '', ...named.flatMap((one) => (one.field === field ? [one.value] : []))].filter((value) => value.trim() !== ''));
  return [...[...of('email', email)].map((value) => markOf(key, 'email', value)), ...[...of('personnelNumber', number)].map((value) => markOf(key, 'number', value))];
}; // prettier-ignore

/**
 * Tells when whoever a roster brings again was erased.
 * @returns of an address and a number the day, by UTC, or null
 */
export async function erasedLookup(db: Queryable, key: string): Promise<(email: string, number: string | null) => LocalDate | null> {
  const marks = await listMarks(db);
  if (marks.size === 0) return () => null;
  return (email, number) => {
    const at = marks.get(markOf(key, 'email', email).toString('hex')) ?? (number ? marks.get(markOf(key, 'number', number).toString('hex')) : undefined);
    return at?.toISOString().slice(0, 10) ?? null;
  };
} // prettier-ignore
