import type { HoldReason, SkipReason } from '../notices/decide.ts';
import type { Person, Roster } from '../people/person.ts';
import type { Step } from '../plans/step.ts';
import { tellMoment } from '../time/words.ts';
import type { Instant } from '../time/zone.ts';
import type { RehearsalLine } from './rehearse.ts';

/** One line of a rehearsal as previews tell it: on the server, and in the browser while somebody drags. */
export interface PreviewLine {
  step: string;
  stepName: string;
  kind: string;
  to: string;
  occurrence: number;
  /** who reads it, where that is somebody else */
  addressee: string | null;
  at: string | null;
  /** the moment in the reader's own zone, and that zone */
  local: string | null;
  zone: string;
  outcome: RehearsalLine['outcome'];
  held: HoldReason | null;
  because: SkipReason | null;
  reason: string | null;
  sentence: string;
}

export function previewLine(line: RehearsalLine, step: Step, person: Person, roster: Roster, now: Instant): PreviewLine {
  const addressee = roster.person(line.person);
  const { zone } = roster.calendarOf(addressee ?? person);
  return {
    step: step.id,
    stepName: step.name,
    kind: step.kind,
    to: line.to,
    occurrence: line.occurrence,
    addressee: addressee && addressee.id !== person.id ? addressee.name : null,
    at: line.at === null ? null : new Date(line.at).toISOString(),
    local: line.at === null ? null : tellMoment(line.at, zone, now),
    zone: zone.name,
    outcome: line.outcome,
    held: line.held,
    because: line.because,
    reason: line.reason,
    sentence: line.sentence,
  };
}
