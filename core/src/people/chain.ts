import type { Person, Roster } from './person.ts';
import type { Instant } from '../time/zone.ts';

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

/** Who is written to: `employee`, `manager`, `manager 2` …, `trainer`, or a mail address. */
export type Role = string;

const MANAGER = /^manager(?: ([2-9]|[1-9]\d+))?$/;

/** The level of a manager role (1 = the direct manager), null for any other role. */
export function managerLevel(role: Role): number | null {
  const match = MANAGER.exec(role);
  return match ? Number(match[1] ?? 1) : null;
}

export const isAddress = (role: Role): boolean => role.includes('@');

/** @returns whether the role is one that planning can find a recipient for */
export function isKnownRole(role: Role): boolean {
  return role === 'employee' || role === 'trainer' || isAddress(role) || managerLevel(role) !== null;
}

/** The person whose zone and calendar time a notice: level n of the chain, the course's owner where it is too short. */
export function nominalRecipient(role: Role, employee: Person, owner: Person | null, roster: Roster): Person | null {
  if (role === 'employee') return employee;
  const level = managerLevel(role);
  if (level === null) return role === 'trainer' ? owner : null;
  return chainOf(employee, roster).chain[level - 1] ?? owner;
}

export interface Recipient {
  person: Person | null;
  address: string | null;
  /** how the addressee was found, in words, in order */
  path: string[];
}

const found = (person: Person | null, path: string[]): Recipient => ({ person, address: person?.email ?? null, path });
const dayFor = (person: Person, roster: Roster, at: Instant): number => roster.calendarOf(person).zone.dayAt(at);

/**
 * The addressee at a moment. A manager who is away is replaced by the cover; a cover who is away too, or none, climbs;
 * above the chain stands the course's owner. Nobody is escalated to themselves.
 */
export function findRecipient(role: Role, employee: Person, owner: Person | null, roster: Roster, at: Instant): Recipient {
  if (role === 'employee') return { person: employee, address: employee.email, path: [] };
  if (isAddress(role)) return { person: null, address: role, path: [] };
  const path: string[] = [];

  const level = managerLevel(role);
  if (level !== null) {
    const { chain, loop } = chainOf(employee, roster);
    if (loop) path.push('the chain of managers runs in a loop and is followed only once');
    for (const candidate of chain.slice(level - 1)) {
      if (roster.hasLeft(candidate, dayFor(candidate, roster, at))) {
        path.push(`${candidate.name} has left`);
        continue;
      }
      const leave = roster.leaveOn(candidate, dayFor(candidate, roster, at));
      if (!leave) return found(candidate, path);
      const cover = roster.person(leave.cover);
      if (cover && cover.id !== employee.id && !roster.isAwayAt(cover, at)) {
        path.push(`${candidate.name} is on leave, ${cover.name} covers`);
        return found(cover, path);
      }
      path.push(
        `${candidate.name} is on leave ${cover ? `and ${cover.id === employee.id ? 'covered by the employee' : `${cover.name} is away too`}` : 'without cover'}`,
      );
    }
    path.push(chain.length < level ? `there is no ${role}` : 'nobody is left up the chain');
  }
  if (owner && owner.id !== employee.id && !roster.hasLeft(owner, dayFor(owner, roster, at))) {
    if (level !== null) path.push(`${owner.name} owns the course`);
    return found(owner, path);
  }
  path.push(
    owner ? (owner.id === employee.id ? "the course's owner is the employee" : "the course's owner has left") : 'the course has no owner',
  );
  return found(null, path);
}
