import type { Person } from '../people/person.ts';
import type { Instant, Zone } from '../time/zone.ts';
import type { TableColumn } from './body.ts';
import type { TableOfPeople } from './render.ts';
import { speechOf, timesAre, type Speech } from './speech.ts';
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

const CELLS: Readonly<Record<TableColumn, (line: PersonLine, zone: Zone, now: Instant, speech: Speech) => string>> = {
  person: ({ employee }) => employee.name,
  course: ({ course }) => course,
  due: ({ dueAt }, zone, now, speech) => speech.moment(dueAt, zone, now),
  late: ({ dueAt }, zone, now) => String(daysLate(dueAt, now, zone)),
  told: ({ told }, zone, now, speech) => tellTold(told, zone, now, speech),
  department: ({ employee }) => employee.department ?? '',
  site: ({ employee }) => employee.site ?? '',
  job: ({ employee }) => employee.job ?? '',
};

const OWN: readonly TableColumn[] = ['person', 'course', 'due', 'late', 'told'];

/** The table of a gathered message, in the columns that its text asks for, in the reader's zone. */
export const tableOfPeople =
  (lines: readonly PersonLine[], zone: Zone, now: Instant, knowsTold = false, speech = speechOf('en')) =>
  (asked: readonly TableColumn[] | null): TableOfPeople => {
    const columns = (asked ?? OWN).filter((column) => column !== 'told' || knowsTold);
    return {
      head: columns.map((column) => speech.columns[column]),
      rows: lines.map((line) => columns.map((column) => CELLS[column](line, zone, now, speech))),
      ...(columns.includes('due') || columns.includes('told') ? { note: timesAre(speech, zone) } : {}),
    };
  };
