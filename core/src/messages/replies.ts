import type { Person, Roster } from '../people/person.ts';
import type { Instant } from '../time/zone.ts';

/** What the house set of replies. */
export interface RepliesRule {
  /** the house's own address for them */
  replyTo: string;
  /** they go to the trainer of the course that a message is about, where there is one who reads mail */
  repliesToTrainer: boolean;
}

export interface Replies {
  address: string;
  /** who reads it, where that can be promised by name */
  reader: string | null;
}

/**
 * Whom the reply to a message reaches. A trainer is named only where it is they who get it; a message that tells of courses of several
 * trainers is answered to the house.
 * @param owners of the courses that the message tells of
 */
export function repliesOf(
  { replyTo, repliesToTrainer }: RepliesRule,
  owners: readonly (string | null)[],
  roster: Roster,
  now: Instant,
): Replies {
  const [first = null] = owners;
  const trainer = first !== null && owners.every((owner) => owner === first) ? roster.person(first) : null;
  return readerOf(
    { replyTo, repliesToTrainer },
    trainer && { name: trainer.name, email: trainer.email, reads: reads(trainer, roster, now) },
  );
}

/** The same of one trainer, by whether they are there and read mail. */
export function readerOf(
  { replyTo, repliesToTrainer }: RepliesRule,
  trainer: { name: string; email: string | null; reads: boolean } | null,
): Replies {
  if (trainer === null) return { address: replyTo, reader: null };
  if (repliesToTrainer && trainer.reads) return { address: trainer.email!, reader: trainer.name };
  return { address: replyTo, reader: trainer.email?.toLowerCase() === replyTo.toLowerCase() ? trainer.name : null };
}

const reads = (trainer: Person, roster: Roster, now: Instant): boolean =>
  trainer.email !== null && trainer.isReachable && !roster.hasLeft(trainer, roster.calendarOf(trainer).zone.dayAt(now));
