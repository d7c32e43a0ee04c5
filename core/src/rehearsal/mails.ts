import { isGathered, messageKey } from '../notices/sending.ts';
import type { Roster } from '../people/person.ts';
import type { Step } from '../plans/step.ts';
import { dateOf, type LocalDate } from '../time/calendar.ts';
import type { Zone } from '../time/zone.ts';
import type { RehearsalLine } from './rehearse.ts';

/** Messages, not notices, by local day of a zone: gathered notices of one reader and moment are one. In the order of days. */
export function mailsByDay(
  lines: readonly RehearsalLine[],
  stepOf: (line: RehearsalLine) => Step,
  roster: Roster,
  zone: Zone,
): { day: LocalDate; count: number }[] {
  const seen = new Set<string>();
  const byDay = new Map<number, number>();
  for (const line of lines) {
    if (line.outcome !== 'send') continue;
    const step = stepOf(line);
    const day = zone.dayAt(line.at!);
    const person = roster.person(line.person);
    if (isGathered(step, line.slot!, person)) {
      const theirs = person ? roster.calendarOf(person).zone.dayAt(line.at!) : day;
      const key = `${messageKey(step, line.slot!, person, theirs)}/${line.at}`;
      if (seen.has(key)) continue;
      seen.add(key);
    }
    byDay.set(day, (byDay.get(day) ?? 0) + 1);
  }
  return [...byDay].sort(([a], [b]) => a - b).map(([day, count]) => ({ day: dateOf(day), count }));
}
