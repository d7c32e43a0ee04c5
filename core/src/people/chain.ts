import type { Person, Roster } from './person.ts';

/** The managers above a person, nearest first. A loop ends the chain where it would close and is reported. */
export function chainOf(person: Person, roster: Roster): { chain: Person[]; loop: boolean } {
  const chain: Person[] = [];
  const seen = new Set([person.id]);
  let next = roster.person(person.manager);
  while (next) {
    if (seen.has(next.id)) return { chain, loop: true };
    seen.add(next.id);
    chain.push(next);
    next = roster.person(next.manager);
  }
  return { chain, loop: false };
}
