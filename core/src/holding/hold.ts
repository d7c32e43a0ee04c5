import type { Structure } from '../conditions/catalogue.ts';
import { dayOf, type LocalDate } from '../time/calendar.ts';
import { tellAmount } from '../time/words.ts';
import type { Day, Instant } from '../time/zone.ts';

/** What can be held: every message of the house, those of a plan, those of a course (written by hand too), or those about and to people. */
export const HOLD_SCOPES = ['everything', 'plan', 'course', 'department', 'person'] as const;
export type HoldScope = (typeof HOLD_SCOPES)[number];

/** Somebody holds messages: what comes to its moment meanwhile waits, and is decided again when the hold ends. */
export interface Hold {
  id: string;
  scope: HoldScope;
  /** the course of a plan, or the course, department or person; null for everything */
  of: string | null;
  /** what that is called */
  name: string;
  from: Instant;
  /** the local day on which it goes on, in the zone of who is written to; null until it is released */
  until: LocalDate | null;
  by: string;
  reason: string;
}

/** What a message is about, as far as a hold asks. */
export interface Holdable {
  course: string;
  /** a letter that somebody wrote by hand is no part of the plan */
  isByHand: boolean;
  person: string;
  department: string | null;
  addressee: string | null;
}

const COVERS: Record<HoldScope, (of: string, what: Holdable, structure: Structure) => boolean> = {
  everything: () => true,
  plan: (of, { course, isByHand }) => course === of && !isByHand,
  course: (of, { course }) => course === of,
  department: (of, { department }, { parentOf }) => {
    for (let id = department, guard = 0; id !== null && guard < 100; id = parentOf(id), guard++) if (id === of) return true;
    return false;
  },
  person: (of, { person, addressee }) => person === of || addressee === of,
};

/** Whether a hold is about a message, whenever. */
export const holdCovers = (hold: Pick<Hold, 'scope' | 'of'>, what: Holdable, structure: Structure): boolean =>
  COVERS[hold.scope](hold.of ?? '', what, structure);

/** Whether a hold stands at a moment, which is on `day` where the message is read. */
export const holdStands = ({ from, until }: Pick<Hold, 'from' | 'until'>, now: Instant, day: Day): boolean =>
  from <= now && (until === null || day < dayOf(until));

/** The hold that stands longest over a message at a moment, or null. */
export function holdOver(holds: readonly Hold[], what: Holdable, structure: Structure, now: Instant, day: Day): Hold | null {
  let longest: Hold | null = null;
  for (const hold of holds) {
    if (!holdStands(hold, now, day) || !holdCovers(hold, what, structure)) continue;
    if (longest === null || (longest.until !== null && (hold.until === null || hold.until > longest.until))) longest = hold;
  }
  return longest;
}

const WORDS: Record<HoldScope, (name: string) => string> = {
  everything: () => 'everything is held',
  plan: (name) => `the plan of “${name}” is held`,
  course: (name) => `“${name}” is held`,
  department: (name) => `messages about people of ${name} are held`,
  person: (name) => `messages about and to ${name} are held`,
};

/** What a hold holds, as a clause: “Night Watch Handover” is held. */
export const tellHeldBy = ({ scope, name }: Pick<Hold, 'scope' | 'name'>): string => WORDS[scope](name);

/** What stands over a hold: “Night Watch Handover” is held; of everything, what that means. */
export function headOfHold(hold: Pick<Hold, 'scope' | 'name'>): string {
  if (hold.scope === 'everything') return 'Nothing leaves this house';
  const words = tellHeldBy(hold);
  return words.charAt(0).toUpperCase() + words.slice(1);
}

/** How much waits for a hold to end: `12 messages wait`. */
export const tellWaits = (waits: number): string =>
  waits === 0 ? 'nothing waits yet' : `${tellAmount(waits, 'messages')} ${waits === 1 ? 'waits' : 'wait'}`;

/** How long it stands. @param until its day, in words; null until it is released */
export const tellUntil = (until: string | null): string => `until ${until === null ? 'it is released' : `the morning of ${until}`}`;
