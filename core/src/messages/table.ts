import type { Person } from '../people/person.ts';
import { tellMoment, zoneWords } from '../time/words.ts';
import type { Instant, Zone } from '../time/zone.ts';
import { TABLE_COLUMNS, type TableColumn } from './body.ts';
import type { TableOfPeople } from './render.ts';
import { tellTold, type Told } from './told.ts';
import { daysLate } from './values.ts';

/** One of those that a gathered message tells of. */
export interface PersonLine {
  employee: Person;
  course: string;
  dueAt: Instant;
  /** what they were told so far; left out where nobody knows, as in a look ahead */
  told?: Told | undefined;
}

const CELLS: Readonly<Record<TableColumn, (line: PersonLine, zone: Zone, now: Instant) => string>> = {
  person: ({ employee }) => employee.name,
  course: ({ course }) => course,
  due: ({ dueAt }, zone, now) => tellMoment(dueAt, zone, now),
  late: ({ dueAt }, zone, now) => String(daysLate(dueAt, now, zone)),
  told: ({ told }, zone, now) => tellTold(told, zone, now),
  department: ({ employee }) => employee.department ?? '',
  site: ({ employee }) => employee.site ?? '',
  job: ({ employee }) => employee.job ?? '',
};

const OWN: readonly TableColumn[] = ['person', 'course', 'due', 'late', 'told'];

/** The table of a gathered message, in the columns that its text asks for, in the reader's zone. */
export const tableOfPeople =
  (lines: readonly PersonLine[], zone: Zone, now: Instant, knowsTold = false) =>
  (asked: readonly TableColumn[] | null): TableOfPeople => {
    const columns = (asked ?? OWN).filter((column) => column !== 'told' || knowsTold);
    return {
      head: columns.map((column) => TABLE_COLUMNS[column]),
      rows: lines.map((line) => columns.map((column) => CELLS[column](line, zone, now))),
      ...(columns.includes('due') || columns.includes('told') ? { note: `Times are ${zoneWords(zone.name)}.` } : {}),
    };
  };
