import {
  compareForward,
  DAY_MS,
  dateOf,
  dayOfLine,
  findRecipient,
  foreseenLetter,
  forward,
  HOLD_WORDS,
  sectionKey,
  PLAINLY,
  previewLine,
  rehearse,
  suppose,
  tellMoment,
  tellRole,
  Zone,
  type Assignment,
  type Forward,
  type HoldReason,
  type Otherwise,
  type PlanStep,
  type PreviewLine,
  type RehearsalFacts,
  type RehearsalLine,
  type Supposed,
  type Supposition,
  type TextCourse,
} from '@nudrik/core';
import { writeCsv } from '@nudrik/core/table-file';

/** What a rehearsal can be asked about; the people stay beside the page. */
export interface Desk {
  now: number;
  zone: string;
  plans: { course: string; title: string; hasDraft: boolean }[];
  sites: { id: string; name: string; people: number }[];
  hasHolds: boolean;
  leftOut: number;
  aheadLeftOut: number;
  /** there is a past to draw from */
  hasPast: boolean;
}

/** A rehearsal without its lines: those are asked for. */
export type ShownForward = Omit<Forward, 'lines'> & { took: number };

/** One line of a day as it is told. */
export interface ShownLine {
  index: number;
  at: string;
  zone: string;
  outcome: 'send' | 'skip' | 'hold';
  kind: string;
  stepName: string;
  course: string;
  person: string;
  /** who reads it, where that is somebody else */
  reader: string | null;
  /** when a requirement will assign the course, where it has not yet */
  assigned: string | null;
  sentence: string;
}

export interface ShownOtherwise {
  person: string;
  stepName: string;
  course: string;
  before: string;
  after: string;
}

/** When a step would go: for some in full, for all by day. */
export interface StepMoments {
  /** by assignment, in the order of moments */
  of: Record<string, PreviewLine[]>;
  days: { day: string; count: number }[];
  people: number;
  /** milliseconds that it took */
  took: number;
}

/** Lines that a page shows of a day, and of what is otherwise. */
const SHOWN = 100;

type Played = Forward & { supposed: Supposed };

/** Plays suppositions over the facts of a house: beside the page, which never waits. Nothing is sent, and nothing is stored. */
export class RehearsalDesk {
  private facts: RehearsalFacts | null = null;
  private played: Played | null = null;
  private other: Played | null = null;
  private supposition: Supposition | null = null;
  private courses = new Map<string, TextCourse>();
  private ahead: ReadonlySet<string> = new Set();
  private readonly indexed = new WeakMap<Supposed, { assignments: Map<string, Assignment>; steps: Map<string, PlanStep> }>();

  take(facts: RehearsalFacts): Desk {
    this.facts = facts;
    this.courses = new Map(facts.courses.map((course) => [course.id, course]));
    this.ahead = new Set(facts.ahead);
    this.played = null;
    this.other = null;
    const people = new Map<string, number>();
    for (const { calendar } of facts.people) people.set(calendar, (people.get(calendar) ?? 0) + 1);
    return {
      now: facts.now,
      zone: facts.zone,
      plans: facts.plans.map(({ course, title, draft }) => ({ course, title, hasDraft: draft !== null })),
      sites: facts.calendars
        .map(({ id }) => ({ id, name: facts.names.site[id] ?? id, people: people.get(id) ?? 0 }))
        .sort((a, b) => b.people - a.people || (a.name < b.name ? -1 : 1)),
      hasHolds: facts.holds.length > 0,
      leftOut: facts.leftOut,
      aheadLeftOut: facts.aheadLeftOut,
      hasPast: Object.values(facts.pace).some(({ shares }) => shares.length > 0),
    };
  }

  /** Plays one supposition, and another one beside it. */
  play(supposition: Supposition, beside: Supposition | null): { shown: ShownForward; beside: ShownForward | null; otherwise: number } {
    const facts = this.facts!;
    const begun = performance.now();
    this.supposition = supposition;
    this.played = forward(facts, supposition);
    const took = performance.now() - begun;
    this.other = beside ? forward(facts, beside) : null;
    return {
      shown: { ...without(this.played), took },
      beside: this.other && { ...without(this.other), took: 0 },
      otherwise: this.differences().length,
    };
  }

  private differences(): Otherwise[] {
    return this.other ? compareForward(this.other.lines, this.played!.lines) : [];
  }

  /** The lines of a day, in words. */
  day(day: string, outcomes: readonly string[]): { lines: ShownLine[]; total: number } {
    const played = this.played!;
    const zone = Zone.of(this.facts!.zone);
    const found = played.lines
      .map((line, index) => ({ line, index }))
      .filter(({ line }) => line.at !== null && dayOfLine(line, zone) === day && outcomes.includes(line.outcome));
    const shown = found.slice(0, SHOWN);
    const told = this.tell(shown.map(({ line }) => line));
    return {
      lines: shown.map(({ line, index }) => this.show(line, index, told.get(keyOf(line)) ?? '')),
      total: found.length,
    };
  }

  /** The sentences of some lines: only those are put into words. */
  private tell(lines: readonly RehearsalLine[]): Map<string, string> {
    const wanted = new Set(lines.map(({ assignment }) => assignment));
    const { lines: told } = forward(this.facts!, this.supposition!, (assignment) => wanted.has(assignment));
    return new Map(told.flatMap((line) => (wanted.has(line.assignment) ? [[keyOf(line), line.sentence] as const] : [])));
  }

  private of(line: RehearsalLine, { supposed }: Played = this.played!): { assignment: Assignment; step: PlanStep; course: string } {
    let known = this.indexed.get(supposed);
    if (!known) {
      known = {
        assignments: new Map(supposed.assignments.map((assignment) => [assignment.id, assignment])),
        steps: new Map(supposed.plans.flatMap(({ course, steps }) => steps.map((step) => [`${course}/${step.id}`, step as PlanStep]))),
      };
      this.indexed.set(supposed, known);
    }
    const assignment = known.assignments.get(line.assignment)!;
    return {
      assignment,
      step: known.steps.get(`${assignment.course}/${line.step}`)!,
      course: this.courses.get(assignment.course)!.title,
    };
  }

  private show(line: RehearsalLine, index: number, sentence: string): ShownLine {
    const { roster } = this.played!.supposed;
    const { assignment, step, course } = this.of(line);
    const person = roster.getPerson(assignment.person);
    const reader = roster.person(line.person);
    const { zone } = roster.calendarOf(reader ?? person);
    return {
      index,
      at: tellMoment(line.at!, zone, this.facts!.now),
      zone: zone.name,
      outcome: line.outcome as ShownLine['outcome'],
      kind: step.kind,
      stepName: `${step.name}${line.occurrence > 0 ? ` (${line.occurrence + 1})` : ''}`,
      course,
      person: person.name,
      reader: line.to === 'employee' ? null : (reader?.name ?? tellRole(line.to, (id) => roster.person(id)?.name)),
      assigned: this.ahead.has(assignment.id) ? tellMoment(assignment.assignedAt, roster.calendarOf(person).zone, this.facts!.now) : null,
      sentence,
    };
  }

  /** What is otherwise beside the other supposition, in words. */
  otherwise(): ShownOtherwise[] {
    const list = this.differences().slice(0, SHOWN);
    return list.map(({ before, after }) => {
      const [line, played] = before ? [before, this.other!] : [after!, this.played!];
      const { assignment, step, course } = this.of(line, played);
      return {
        person: played.supposed.roster.getPerson(assignment.person).name,
        stepName: step.name,
        course,
        before: this.tellOutcome(before, this.other!),
        after: this.tellOutcome(after, this.played!),
      };
    });
  }

  private tellOutcome(line: RehearsalLine | null, played: Played): string {
    if (!line) return 'not at all';
    const { assignment } = this.of(line, played);
    const { roster } = played.supposed;
    const { zone } = roster.calendarOf(roster.person(line.person) ?? roster.getPerson(assignment.person));
    const when = line.at === null ? '' : tellMoment(line.at, zone, this.facts!.now);
    if (line.outcome === 'send') return when;
    if (line.outcome === 'hold') return `held: ${line.held ? HOLD_WORDS[line.held as HoldReason] : ''}`;
    return `not sent: ${line.reason ?? line.because ?? ''}`;
  }

  /** The text of a line as its reader would have it; null where it would be held for a value. */
  letter(index: number): { subject: string; html: string; text: string; to: string } | null {
    const { lines, supposed } = this.played!;
    const line = lines[index]!;
    const { assignment, step } = this.of(line);
    const { roster } = supposed;
    const owner = roster.person(roster.course(assignment.course)?.owner ?? null);
    const recipient = findRecipient(line.to, roster.getPerson(assignment.person), owner, roster, line.at!);
    const { zone } = roster.calendarOf(recipient.person ?? roster.getPerson(assignment.person));
    const keyed = (of: RehearsalLine): string =>
      `${sectionKey(this.of(of).step, of.slot!, roster.person(of.person), zone.dayAt(of.at!))}/${of.at}`;
    const own = step.gather === 'per day' ? keyed(line) : null;
    const gathered = own === null ? [line] : lines.filter((other) => other.outcome === 'send' && other.person === line.person && other.at === line.at && keyed(other) === own); // prettier-ignore
    const rendered = foreseenLetter(
      step,
      recipient,
      (gathered.length > 0 ? gathered : [line]).map((other) => {
        const of = this.of(other).assignment;
        return { assignment: of, course: this.courses.get(of.course)!, revision: other.revision };
      }),
      {
        roster,
        organisation: this.facts!.organisation,
        house: this.facts!.house,
        handoutOf: (id) => this.facts!.handouts?.find((one) => one.id === id) ?? null,
        frame: this.facts!.frame,
      },
      line.at!,
    );
    return rendered && { ...rendered, to: recipient.person?.name ?? recipient.address ?? 'nobody' };
  }

  /**
   * When one step would go while it is dragged: for some people beside all the other steps of the draft, as it will be decided, and
   * for everybody of the course by itself, so that it is quick.
   * @param steps the draft with that step in it
   * @param shown assignments whose moments are wanted
   */
  moments(steps: readonly PlanStep[], id: string, shown: readonly string[]): StepMoments {
    const facts = this.facts!;
    const begun = performance.now();
    const wanted = new Set(shown);
    const step = { ...steps.find((one) => one.id === id)!, on: true };
    const { roster } = suppose(facts, PLAINLY);
    const first = facts.assignments.reduce((earliest, { assignedAt }) => Math.min(earliest, assignedAt), facts.now);
    const play = (assignments: readonly Assignment[], played: readonly PlanStep[]): RehearsalLine[] =>
      rehearse({
        from: first,
        until: facts.now + 200 * DAY_MS,
        roster,
        assignments,
        plans: facts.plans.map(({ course }) => ({ course, publishedAt: first, steps: played })),
        withHeld: true,
        isTold: (of) => wanted.has(of.id),
      });
    const lines = play(facts.assignments, [step]);
    const beside = play(
      facts.assignments.filter((of) => wanted.has(of.id)),
      steps.flatMap((one) => (one.id === id ? [step] : one.on ? [one] : [])),
    );
    const zone = Zone.of(facts.zone);
    const days = new Map<string, number>();
    const of: StepMoments['of'] = {};
    const persons = new Map(facts.assignments.map(({ id, person }) => [id, person]));
    for (const line of lines) {
      if (line.outcome === 'send' && line.at! >= facts.now) days.set(dayOfLine(line, zone), (days.get(dayOfLine(line, zone)) ?? 0) + 1);
    }
    for (const line of beside) {
      if (line.step !== id) continue;
      (of[line.assignment] ??= []).push(previewLine(line, step, roster.getPerson(persons.get(line.assignment)!), roster, facts.now));
    }
    return {
      of,
      days: [...days].sort(([a], [b]) => (a < b ? -1 : 1)).map(([day, count]) => ({ day, count })),
      people: facts.assignments.length,
      took: performance.now() - begun,
    };
  }

  /** All of it as CSV, a line a notice. */
  csv(): string {
    const { lines, supposed } = this.played!;
    const { roster } = supposed;
    const told = this.tell(lines);
    return writeCsv([
      ['Day', 'Moment', 'Zone', 'Outcome', 'Step', 'Kind', 'Course', 'About', 'Reader', 'E-mail', 'Why'],
      ...lines.map((line) => {
        const { assignment, step, course } = this.of(line);
        const person = roster.getPerson(assignment.person);
        const reader = roster.person(line.person);
        const { zone } = roster.calendarOf(reader ?? person);
        const local = line.at === null ? null : zone.toLocal(line.at);
        return [
          local ? dateOf(local.day) : '',
          local ? new Date(local.ms).toISOString().slice(11, 16) : '',
          zone.name,
          line.outcome === 'send' ? 'sent' : line.outcome === 'hold' ? 'held' : 'not sent',
          step.name,
          step.kind,
          course,
          person.name,
          reader?.name ?? '',
          reader?.email ?? '',
          told.get(keyOf(line)) ?? '',
        ];
      }),
    ]);
  }
}

const keyOf = ({ assignment, step, revision, occurrence, to }: RehearsalLine): string =>
  `${assignment}/${step}/${revision}/${occurrence}/${to}`;

/** What goes to the page: numbers, and none of what they were worked out from. */
function without({ lines: _, supposed: __, ...shown }: Played): Omit<Forward, 'lines'> {
  return shown;
}
