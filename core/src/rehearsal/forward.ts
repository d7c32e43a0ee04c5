import type { HoldReason, SkipReason } from '../notices/decide.ts';
import { isGathered, messageKey } from '../notices/sending.ts';

import type { Kind } from '../plans/step.ts';
import { dateOf, dayOf, type LocalDate } from '../time/calendar.ts';
import { Zone, type Instant } from '../time/zone.ts';
import { rehearse, type RehearsalLine } from './rehearse.ts';
import { suppose, type RehearsalFacts, type Supposed, type Supposition } from './suppose.ts';

/** One day of the house: messages, and what of it would not go. */
export interface ForwardDay {
  day: LocalDate;
  isWorking: boolean;
  /** messages by kind; gathered notices of one reader are one */
  kinds: Partial<Record<Kind, number>>;
  mails: number;
  skipped: number;
  held: number;
}

export interface Forward {
  days: ForwardDay[];
  mails: number;
  notices: number;
  skipped: number;
  held: number;
  /** who would read most, the first twenty */
  readers: { id: string; name: string; mails: number; most: number; on: LocalDate }[];
  /** messages by local hour of their reader */
  hours: number[];
  /** the hour in which most goes out, by the house's clock */
  busiest: { at: Instant; mails: number } | null;
  /** why something would not go, and how often */
  reasons: { because: SkipReason; count: number }[];
  holds: { because: HoldReason; count: number }[];
  /** people who would read something */
  people: number;
  /** assignments that were looked at; of them those that requirements will make in these days */
  assignments: number;
  ahead: number;
  lines: RehearsalLine[];
}

const HOUR_MS = 3_600_000;
const READERS = 20;

/** Which day of the house a line belongs to. */
export const dayOfLine = (line: Pick<RehearsalLine, 'at'>, zone: Zone): LocalDate => dateOf(zone.dayAt(line.at!));

const counted = <K extends string>(list: Iterable<K>): { because: K; count: number }[] => {
  const counts = new Map<K, number>();
  for (const because of list) counts.set(because, (counts.get(because) ?? 0) + 1);
  return [...counts].map(([because, count]) => ({ because, count })).sort((a, b) => b.count - a.count || (a.because < b.because ? -1 : 1));
};

/** A rehearsal of days to come, summed up. @param isTold whose lines are told in words: they cost most */
export function forward(
  facts: RehearsalFacts,
  supposition: Supposition,
  isTold: (assignment: string) => boolean = () => false,
): Forward & { supposed: Supposed } {
  const supposed = suppose(facts, supposition);
  const zone = Zone.of(facts.zone);
  const { roster, assignments } = supposed;
  const lines = rehearse({ ...supposed, withHeld: true, isTold: ({ id }) => isTold(id) }).filter(({ outcome }) => outcome !== 'wait');
  const stepOf = new Map(supposed.plans.flatMap((plan) => plan.steps.map((step) => [`${plan.course}/${step.id}`, step] as const)));
  const courseOf = new Map(assignments.map(({ id, course }) => [id, course]));
  const ahead = new Set(facts.ahead);
  const first = zone.dayAt(supposed.from);
  const home = facts.calendars.find((calendar) => calendar.zone === facts.zone) ?? facts.calendars[0];
  const working = home ? roster.calendarOf({ calendar: home.id } as never) : null;
  const days = new Map<LocalDate, ForwardDay>();
  for (let day = first; zone.toInstant(day, 0) < supposed.until; day++)
    days.set(dateOf(day), { day: dateOf(day), isWorking: working?.isWorkingDay(day) ?? true, kinds: {}, mails: 0, skipped: 0, held: 0 });

  const seen = new Set<string>();
  const hours = new Array<number>(24).fill(0);
  const houseHours = new Map<number, number>();
  const readers = new Map<string, Map<LocalDate, number>>();
  let notices = 0;
  let mails = 0;
  for (const line of lines) {
    const day = line.at === null ? undefined : days.get(dayOfLine(line, zone));
    if (line.outcome === 'skip') {
      if (day) day.skipped += 1;
      continue;
    }
    if (line.outcome === 'hold') {
      if (day) day.held += 1;
      continue;
    }
    notices += 1;
    const step = stepOf.get(`${courseOf.get(line.assignment)}/${line.step}`)!;
    const reader = roster.person(line.person);
    const theirZone = reader ? roster.calendarOf(reader).zone : zone;
    if (isGathered(step, line.slot!, reader)) {
      const key = `${messageKey(step, line.slot!, reader, theirZone.dayAt(line.at!))}/${line.at}`;
      if (seen.has(key)) continue;
      seen.add(key);
    }
    mails += 1;
    if (day) {
      day.mails += 1;
      day.kinds[step.kind] = (day.kinds[step.kind] ?? 0) + 1;
    }
    hours[Math.floor(theirZone.toLocal(line.at!).ms / HOUR_MS)]! += 1;
    const hour = Math.floor(line.at! / HOUR_MS) * HOUR_MS;
    houseHours.set(hour, (houseHours.get(hour) ?? 0) + 1);
    if (reader) {
      let theirs = readers.get(reader.id);
      if (!theirs) readers.set(reader.id, (theirs = new Map()));
      const date = dateOf(theirZone.dayAt(line.at!));
      theirs.set(date, (theirs.get(date) ?? 0) + 1);
    }
  }
  const [busiest] = [...houseHours].sort(([at, a], [than, b]) => b - a || at - than);
  return {
    supposed,
    lines,
    days: [...days.values()],
    mails,
    notices,
    skipped: lines.filter(({ outcome }) => outcome === 'skip').length,
    held: lines.filter(({ outcome }) => outcome === 'hold').length,
    readers: [...readers]
      .map(([id, theirs]) => {
        const [on, most] = [...theirs].sort(([day, a], [other, b]) => b - a || dayOf(day) - dayOf(other))[0]!;
        return { id, name: roster.getPerson(id).name, mails: [...theirs.values()].reduce((sum, n) => sum + n, 0), most, on };
      })
      .sort((a, b) => b.mails - a.mails || b.most - a.most || (a.name < b.name ? -1 : 1))
      .slice(0, READERS),
    hours,
    busiest: busiest ? { at: busiest[0], mails: busiest[1] } : null,
    reasons: counted(lines.flatMap(({ because }) => because ?? [])),
    holds: counted(lines.flatMap(({ outcome, held }) => (outcome === 'hold' && held ? [held] : []))),
    people: readers.size,
    assignments: assignments.length,
    ahead: assignments.filter(({ id, assignedAt }) => ahead.has(id) && assignedAt < supposed.until).length,
  };
}

/** What is otherwise in another rehearsal: a notice that only one of them has, or that goes, or at another moment. */
export interface Otherwise {
  assignment: string;
  step: string;
  before: RehearsalLine | null;
  after: RehearsalLine | null;
}

const keyOfLine = ({ assignment, step, revision, occurrence, to }: RehearsalLine): string =>
  `${assignment}/${step}/${revision}/${occurrence}/${to}`;

/** Two rehearsals beside each other: what of the first is otherwise in the second, in the order of moments. */
export function compareForward(before: readonly RehearsalLine[], after: readonly RehearsalLine[]): Otherwise[] {
  const rest = new Map(after.map((line) => [keyOfLine(line), line]));
  const found: Otherwise[] = [];
  for (const line of before) {
    const key = keyOfLine(line);
    const other = rest.get(key) ?? null;
    rest.delete(key);
    if (other && other.outcome === line.outcome && other.at === line.at && other.person === line.person) continue;
    // what goes in neither is nobody's concern
    if (line.outcome === 'skip' && (other === null || other.outcome === 'skip')) continue;
    found.push({ assignment: line.assignment, step: line.step, before: line, after: other });
  }
  for (const line of rest.values())
    if (line.outcome !== 'skip') found.push({ assignment: line.assignment, step: line.step, before: null, after: line });
  const at = ({ before: was, after: is }: Otherwise): number => Math.min(was?.at ?? Infinity, is?.at ?? Infinity);
  return found.sort((a, b) => at(a) - at(b));
}
