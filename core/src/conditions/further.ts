import { activityAt, effectiveEvents, type Assignment, type Standing } from '../assignments/state.ts';
import { bestScores, FINISH_ALL, progressIn } from '../courses/finish.ts';
import { openingsOf } from '../courses/release.ts';
import type { Person, Roster } from '../people/person.ts';
import { outcomeOf, type SignOffOutcome } from '../plans/anchor.ts';
import { dateOf, type Calendar, type LocalDate } from '../time/calendar.ts';
import type { Instant } from '../time/zone.ts';
import type { FurtherFacts, NoticeFacts, Presence, QuizFacts } from './catalogue.ts';

/** What became of the messages of a step about an assignment: only who keeps a ledger, or plays one, can tell. */
export interface NoticesOf {
  (assignment: string, step: string): NoticeFacts;
  /** whom the rungs of a ladder told of an assignment, as it was due then */
  toldOf?: (assignment: string, dueRevision: number) => readonly RungTold[];
}
export interface RungTold {
  step: string;
  person: string;
}
export const NO_NOTICES: NoticesOf = () => NOTHING_WENT;
const NOTHING_WENT: NoticeFacts = { isSent: false, isBounced: false };

/** What few conditions ask of an assignment at a moment: each is worked out when it is asked for, and not before. */
export class Further implements FurtherFacts {
  constructor(
    private readonly assignment: Assignment,
    private readonly standing: Standing,
    private readonly employee: Person,
    private readonly assignee: Calendar,
    private readonly roster: Roster,
    private readonly now: Instant,
    private readonly noticesOf: NoticesOf,
  ) {}

  private get events() {
    return effectiveEvents(this.assignment.events, this.now).filter(({ at }) => at <= this.now);
  }

  get today(): LocalDate {
    return dateOf(this.assignee.zone.dayAt(this.now));
  }

  get round(): number {
    return this.assignment.round ?? 1;
  }

  get hasReplied(): boolean {
    return this.events.some(({ type }) => type === 'replied');
  }

  get progress(): number {
    if (this.standing.closedBy === 'finished') return 100;
    const course = this.roster.course(this.assignment.course);
    const scores = bestScores(this.events);
    const units = course?.counted ?? (course?.units ?? []).map((id) => ({ id, required: true, weight: 1 }));
    return progressIn(course?.finish ?? FINISH_ALL, units, this.standing.unitsFinished, (unit) => scores.get(unit) ?? null).percent;
  }

  get idleDays(): number {
    const { zone } = this.assignee;
    return zone.dayAt(this.now) - zone.dayAt(activityAt(this.assignment, this.now));
  }

  get signedOff(): SignOffOutcome | null {
    const last = this.events.findLast((event) => event.type === 'signed-off');
    return last?.type === 'signed-off' ? outcomeOf(last) : null;
  }

  get manager(): Presence {
    const manager = this.roster.person(this.employee.manager);
    if (!manager || this.roster.hasLeft(manager, this.roster.calendarOf(manager).zone.dayAt(this.now))) return 'none';
    return this.roster.isAwayAt(manager, this.now) ? 'away' : 'there';
  }

  /** A unit is open that opens at once, and one that has opened; where nothing is said of units, one that is known to have. */
  isOpened(unit: string): boolean {
    if (this.standing.unitsFinished.has(unit)) return true;
    const released = this.roster.course(this.assignment.course)?.released;
    if (released) return (openingsOf(released, this.assignment, this.assignee, this.now).get(unit)?.kind ?? 'open') === 'open';
    return this.events.some((event) => event.type === 'unit-opened' && event.unit === unit);
  }

  quiz(unit: string): QuizFacts {
    const facts: QuizFacts = { attempts: 0, best: null, isPassed: false };
    for (const event of this.events) {
      if ((event.type !== 'quiz-submitted' && event.type !== 'quiz-marked') || event.unit !== unit) continue;
      if (event.type === 'quiz-submitted') facts.attempts += 1;
      if (event.score != null) facts.best = Math.max(facts.best ?? 0, event.score);
      if (event.passed) facts.isPassed = true;
    }
    return facts;
  }

  notices(step: string): NoticeFacts {
    return this.noticesOf(this.assignment.id, step);
  }
}
