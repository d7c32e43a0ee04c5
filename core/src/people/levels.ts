import type { RosterRow } from './roster-file.ts';

/**
 * New people by how far they stand below somebody who is on the roster already, the nearest first: added in this order,
 * a manager is there before those below. A circle of managers is refused before; should one come, everyone in it is still listed once.
 */
export function byLevel<T extends Pick<RosterRow, 'email' | 'managerEmail'>>(added: readonly T[]): T[][] {
  const own = new Map(added.map((person) => [person.email, person]));
  const managerOf = (person: T): T | undefined => own.get(person.managerEmail ?? '');
  const levels = new Map<string, number>();
  const found: T[][] = [];
  for (const person of added) {
    const above: T[] = [];
    for (let next: T | undefined = person; next && !levels.has(next.email); next = managerOf(next)) {
      above.push(next);
      levels.set(next.email, 0); // a chain that comes back to itself ends here
    }
    for (const each of above.reverse()) {
      const manager = managerOf(each);
      const level = manager && manager !== each ? levels.get(manager.email)! + 1 : 0;
      levels.set(each.email, level);
      (found[level] ??= []).push(each);
    }
  }
  return found.filter((level) => level !== undefined);
}
