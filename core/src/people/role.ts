import type { Instant } from '../time/zone.ts';
import { chainOf } from './chain.ts';
import type { Person, Roster } from './person.ts';

/** Who is written to, as a step says it: `employee`, `manager`, `manager 2` …, `trainer`, `assistants`, `person <id>`, or a mail address. */
export type Role = string;

/** Why somebody else reads what was meant for a manager. */
export type Detour =
  | { why: 'left' | 'told' | 'no-cover' | 'covered-by-employee' | 'owns'; name: string }
  | { why: 'covers' | 'cover-told' | 'cover-away'; name: string; cover: string }
  | { why: 'no-manager'; level: number }
  | { why: 'nobody-left' | 'loop' };

export const DETOUR_WORDS: { [K in Detour['why']]: (detour: Extract<Detour, { why: K }>) => string } = {
  left: ({ name }) => `${name} has left`,
  told: ({ name }) => `${name} was told already`,
  'no-cover': ({ name }) => `${name} is on leave without cover`,
  'covered-by-employee': ({ name }) => `${name} is on leave and covered by the employee`,
  covers: ({ name, cover }) => `${name} is on leave, ${cover} covers`,
  'cover-told': ({ name, cover }) => `${name} is on leave, and ${cover}, who covers, was told already`,
  'cover-away': ({ name, cover }) => `${name} is on leave and ${cover} is away too`,
  'no-manager': ({ level }) => `there is no ${level === 1 ? 'manager' : `manager ${level}`}`,
  'nobody-left': () => 'nobody is left up the chain',
  owns: ({ name }) => `${name} owns the course`,
  loop: () => 'the chain of managers runs in a loop and is followed only once',
};
export const tellDetour = (detour: Detour): string => (DETOUR_WORDS[detour.why] as (of: Detour) => string)(detour);

export interface Recipient {
  person: Person | null;
  address: string | null;
  /** how the addressee was found, in words, in order */
  path: string[];
  /** the same as facts, where it led to somebody: for whoever is told in another language */
  detours?: readonly Detour[];
}

interface Around {
  employee: Person;
  owner: Person | null;
  roster: Roster;
  /** whom an earlier rung told already: nobody stands in for somebody else twice on the same ground */
  wasTold?: ((person: string) => boolean) | undefined;
}

interface RoleEntry {
  /** for refusals and the editor: "manager 2 …" */
  words: string;
  is(role: Role): boolean;
  /** whose zone and calendar time the notice; null where nobody's but the employee's */
  nominal(role: Role, around: Around): Person | null;
  /** the addressee at a moment */
  find(role: Role, around: Around, at: Instant): Recipient;
}

const MANAGER = /^manager(?: ([2-9]|[1-9]\d+))?$/;

/** The level of a manager role (1 = the direct manager), null for any other role. */
export function managerLevel(role: Role): number | null {
  const match = MANAGER.exec(role);
  return match ? Number(match[1] ?? 1) : null;
}

const PERSON = /^person (\S+)$/;

/** The id of somebody who is named, null for any other role. */
export const namedPerson = (role: Role): string | null => PERSON.exec(role)?.[1] ?? null;
export const roleOfPerson = (id: string): Role => `person ${id}`;

/** The roles of a step for one course: its assistants are told one by one, each as who they are. */
export const rolesFor = (roles: readonly Role[], assistants: readonly string[] = []): readonly Role[] =>
  assistants.length === 0 || !roles.includes('assistants')
    ? roles
    : [...new Set(roles.flatMap((role) => (role === 'assistants' ? assistants.map(roleOfPerson) : [role])))];

/** A role in words: whoever is named, by their name. */
export const tellRole = (role: Role, nameOf: (person: string) => string | null | undefined): string => {
  const id = namedPerson(role);
  return id === null ? role : (nameOf(id) ?? 'somebody who is not on the roster');
};

/** Somebody who is named: nobody is told of what they did themselves. */
function findNamed(id: string, { employee, roster }: Around, at: Instant): Recipient {
  const person = roster.person(id);
  if (!person) return found(null, ['whoever is named is not on the roster']);
  if (person.id === employee.id) return found(null, [`${person.name} is the employee`]);
  if (roster.hasLeft(person, dayFor(person, roster, at))) return found(null, [`${person.name} has left`]);
  return found(person, []);
}

const found = (person: Person | null, path: string[]): Recipient => ({ person, address: person?.email ?? null, path });
/** Somebody who reads it in place of somebody else, and why. */
const reached = (person: Person, detours: readonly Detour[]): Recipient => ({
  ...found(person, detours.map(tellDetour)),
  ...(detours.length > 0 && { detours }),
});
const dayFor = (person: Person, roster: Roster, at: Instant): number => roster.calendarOf(person).zone.dayAt(at);

/** The course's owner, who is never written to about themselves. */
function findOwner({ employee, owner, roster, wasTold }: Around, at: Instant, detours: Detour[], isInstead: boolean): Recipient {
  const path = detours.map(tellDetour);
  if (isInstead && owner && wasTold?.(owner.id)) {
    path.push(`${owner.name}, who owns the course, was told already`);
    return found(null, path);
  }
  if (owner && owner.id !== employee.id && !roster.hasLeft(owner, dayFor(owner, roster, at))) {
    return isInstead ? reached(owner, [...detours, { why: 'owns', name: owner.name }]) : found(owner, path);
  }
  if (!owner) path.push('the course has no owner');
  else path.push(owner.id === employee.id ? "the course's owner is the employee" : "the course's owner has left");
  return found(null, path);
}

/** A manager who is away is replaced by the cover; a cover who is away too, or none, climbs; above the chain stands the owner. */
function findManager(level: number, around: Around, at: Instant): Recipient {
  const { employee, roster, wasTold } = around;
  const path: Detour[] = [];
  const { chain, loop } = chainOf(employee, roster);
  if (loop) path.push({ why: 'loop' });
  for (const candidate of chain.slice(level - 1)) {
    if (roster.hasLeft(candidate, dayFor(candidate, roster, at))) {
      path.push({ why: 'left', name: candidate.name });
      continue;
    }
    const leave = roster.leaveOn(candidate, dayFor(candidate, roster, at));
    // who stands in for somebody else is told once; whoever it is meant for anyway is told
    if (!leave && path.length > 0 && wasTold?.(candidate.id)) {
      path.push({ why: 'told', name: candidate.name });
      continue;
    }
    if (!leave) return reached(candidate, path);
    const cover = roster.person(leave.cover);
    if (cover && wasTold?.(cover.id)) {
      path.push({ why: 'cover-told', name: candidate.name, cover: cover.name });
      continue;
    }
    if (cover && cover.id !== employee.id && !roster.isAwayAt(cover, at)) {
      return reached(cover, [...path, { why: 'covers', name: candidate.name, cover: cover.name }]);
    }
    path.push(
      !cover
        ? { why: 'no-cover', name: candidate.name }
        : cover.id === employee.id
          ? { why: 'covered-by-employee', name: candidate.name }
          : { why: 'cover-away', name: candidate.name, cover: cover.name },
    );
  }
  path.push(chain.length < level ? { why: 'no-manager', level } : { why: 'nobody-left' });
  return findOwner(around, at, path, true);
}

/** The catalogue of recipient roles. A new one is added here; planning, previews and the dispatcher find it. */
const ROLES: readonly RoleEntry[] = [
  {
    words: 'employee',
    is: (role) => role === 'employee',
    nominal: (_, { employee }) => employee,
    find: (_, { employee }) => ({ person: employee, address: employee.email, path: [] }),
  },
  {
    words: 'manager, manager 2 …',
    is: (role) => managerLevel(role) !== null,
    nominal: (role, { employee, owner, roster }) => chainOf(employee, roster).chain[managerLevel(role)! - 1] ?? owner,
    find: (role, around, at) => findManager(managerLevel(role)!, around, at),
  },
  {
    words: 'trainer',
    is: (role) => role === 'trainer',
    nominal: (_, { owner }) => owner,
    find: (_, around, at) => findOwner(around, at, [], false),
  },
  {
    words: 'assistants',
    is: (role) => role === 'assistants',
    // where there are some, each of them stands as a person
    nominal: (_, { owner }) => owner,
    find: () => ({ person: null, address: null, path: ['the course has no assistants'] }),
  },
  {
    words: 'person <id>',
    is: (role) => PERSON.test(role),
    nominal: (role, { roster }) => roster.person(namedPerson(role)),
    find: (role, around, at) => findNamed(namedPerson(role)!, around, at),
  },
  {
    words: 'a mail address',
    is: (role) => role.includes('@'),
    nominal: () => null,
    find: (role) => ({ person: null, address: role, path: [] }),
  },
];

const entryOf = (role: Role): RoleEntry | undefined => ROLES.find((entry) => entry.is(role));

/** @returns whether the role is one that planning can find a recipient for */
export const isKnownRole = (role: Role): boolean => entryOf(role) !== undefined;
/** The roles in words, for whoever wrote another: `employee, manager, manager 2 …, trainer or a mail address`. */
export const ROLE_WORDS = ROLES.map(({ words }) => words)
  .join(', ')
  .replace(/, (?=[^,]*$)/, ' or ');

/** The person whose zone and calendar time a notice: level n of the chain, the course's owner where it is too short. */
export function nominalRecipient(role: Role, employee: Person, owner: Person | null, roster: Roster): Person | null {
  return entryOf(role)?.nominal(role, { employee, owner, roster }) ?? null;
}

/** The addressee at a moment. Nobody is escalated to themselves. */
export function findRecipient(
  role: Role,
  employee: Person,
  owner: Person | null,
  roster: Roster,
  at: Instant,
  wasTold?: (person: string) => boolean,
): Recipient {
  const around = { employee, owner, roster, wasTold };
  return entryOf(role)?.find(role, around, at) ?? findOwner(around, at, [], false);
}
