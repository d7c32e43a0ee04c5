import type { Assignment } from '../assignments/state.ts';
import { NO_NOTICES, type NoticesOf } from '../conditions/further.ts';
import { findRecipient, type Recipient } from '../people/role.ts';
import type { Roster } from '../people/person.ts';
import { isRung, type Step } from '../plans/step.ts';
import type { Instant } from '../time/zone.ts';
import type { Slot } from './slot.ts';

/**
 * Whom a notice is for at a moment: on the ladder nobody who stands in for somebody else is told twice on the same ground.
 * Whoever decides, plans, counts or tells of a notice asks here.
 */
export function addresseeOf(
  { slot, step, assignment }: { slot: Pick<Slot, 'to' | 'revision'>; step: Step; assignment: Assignment },
  roster: Roster,
  at: Instant,
  noticesOf: NoticesOf = NO_NOTICES,
): Recipient {
  const owner = roster.person(roster.course(assignment.course)?.owner ?? null);
  const told = isRung(step) ? noticesOf.toldOf?.(assignment.id, slot.revision) : undefined;
  const wasTold = told?.length ? (person: string): boolean => told.some((one) => one.step !== step.id && one.person === person) : undefined;
  return findRecipient(slot.to, roster.getPerson(assignment.person), owner, roster, at, wasTold);
}
