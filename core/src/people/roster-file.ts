import type { LocalDate } from '../time/calendar.ts';

/** The columns of a roster file. A header is matched without regard to case, spaces, hyphens and underscores. */
export const ROSTER_COLUMNS = [
  'personnel number',
  'name',
  'email',
  'department',
  'site',
  'job',
  'manager email',
  'joined on',
  'left on',
] as const;
export type RosterColumn = (typeof ROSTER_COLUMNS)[number];
const REQUIRED: readonly RosterColumn[] = ['name', 'email', 'department', 'site'];

const ALIASES: Record<string, RosterColumn> = {
  personnelno: 'personnel number', number: 'personnel number', employeenumber: 'personnel number', fullname: 'name', mail: 'email', emailaddress: 'email',
  jobtitle: 'job', title: 'job', manager: 'manager email', manageremailaddress: 'manager email', joined: 'joined on', joindate: 'joined on', startdate: 'joined on',
  left: 'left on', leavedate: 'left on', enddate: 'left on', location: 'site',
}; // prettier-ignore
const plain = (header: string): string => header.toLowerCase().replace(/[^a-z0-9]/g, '');
const COLUMN_OF = new Map<string, RosterColumn>([
  ...ROSTER_COLUMNS.map((column) => [plain(column), column] as const),
  ...Object.entries(ALIASES),
]);

/** One person as the roster and the file both write it. */
export interface RosterRow {
  personnelNumber: string | null;
  name: string;
  email: string;
  department: string;
  site: string;
  job: string | null;
  managerEmail: string | null;
  joinedOn: LocalDate | null;
  leftOn: LocalDate | null;
}

export interface Rejection {
  /** line in the file, the header being 1; null for the file as a whole */
  row: number | null;
  column: string | null;
  reason: string;
}

export interface FieldChange {
  field: keyof RosterRow;
  from: string | null;
  to: string | null;
}

export interface RosterPreview {
  added: { row: number; person: RosterRow }[];
  changed: { row: number; person: RosterRow; was: RosterRow; changes: FieldChange[] }[];
  unchanged: number;
  rejected: Rejection[];
}

const FIELD_OF: Record<RosterColumn, keyof RosterRow> = {
  'personnel number': 'personnelNumber', name: 'name', email: 'email', department: 'department', site: 'site', job: 'job',
  'manager email': 'managerEmail', 'joined on': 'joinedOn', 'left on': 'leftOn',
}; // prettier-ignore

const EMAIL = /^[^\s@<>,;"]+@[^\s@<>,;"]+\.[^\s@<>,;".]+$/;

function isDate(text: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return false;
  const date = new Date(`${text}T00:00:00Z`);
  return !Number.isNaN(date.getTime()) && date.toISOString().slice(0, 10) === text;
}

/**
 * Compares a roster file with the roster. Pure: nothing is taken yet.
 * @param table the parsed file, header first
 * @param roster everyone on the roster
 * @param sites names of the sites there are: a site carries zone and calendar and is not made by a file
 * @returns who is added, changed and unchanged, and every row that is refused with its column and reason
 */
export function previewRoster(
  table: readonly (readonly string[])[],
  roster: readonly RosterRow[],
  sites: readonly string[],
): RosterPreview {
  const preview: RosterPreview = { added: [], changed: [], unchanged: 0, rejected: [] };
  const header = table[0] ?? [];
  const columns = new Map<RosterColumn, number>();
  header.forEach((text, index) => {
    const column = COLUMN_OF.get(plain(text));
    if (column && !columns.has(column)) columns.set(column, index);
  });
  const missing = REQUIRED.filter((column) => !columns.has(column));
  if (missing.length > 0) {
    for (const column of missing)
      preview.rejected.push({
        row: 1,
        column,
        reason: `The column "${column}" is missing. The header has: ${
          header
            .map((h) => h.trim())
            .filter(Boolean)
            .join(', ') || 'nothing'
        }.`,
      });
    return preview;
  }

  const onRoster = new Map(roster.map((person) => [person.email.toLowerCase(), person]));
  const emailOfNumber = new Map(
    roster.flatMap((person) => (person.personnelNumber ? [[person.personnelNumber, person.email.toLowerCase()] as const] : [])),
  );
  const siteNames = new Map(sites.map((site) => [site.toLowerCase(), site]));
  const rows = table
    .slice(1)
    .map((cells, index) => ({ row: index + 2, cells }))
    .filter(({ cells }) => cells.some((cell) => cell.trim() !== ''));
  const cell = (cells: readonly string[], column: RosterColumn): string => (cells[columns.get(column) ?? -1] ?? '').trim();
  const inFile = new Map<string, number>();
  for (const { row, cells } of rows) {
    const email = cell(cells, 'email').toLowerCase();
    if (email && !inFile.has(email)) inFile.set(email, row);
  }
  const numberInFile = new Map<string, number>();

  for (const { row, cells } of rows) {
    const reject = (column: RosterColumn, reason: string): void => void preview.rejected.push({ row, column, reason });
    const before = preview.rejected.length;
    const email = cell(cells, 'email').toLowerCase();
    for (const column of REQUIRED) if (cell(cells, column) === '') reject(column, `"${column}" is empty; expected a value.`);
    if (email !== '' && !EMAIL.test(email))
      reject('email', `"${email}" is not a mail address; expected something like runa.aske@orlasund.example.`);
    const firstRow = inFile.get(email);
    if (email !== '' && firstRow !== undefined && firstRow !== row)
      reject('email', `${email} stands in row ${firstRow} already; each person may stand in the file once.`);
    const number = cell(cells, 'personnel number') || null;
    if (number) {
      const sameNumber = numberInFile.get(number);
      const holder = emailOfNumber.get(number);
      if (sameNumber !== undefined) reject('personnel number', `${number} stands in row ${sameNumber} already.`);
      else if (holder !== undefined && holder !== email) reject('personnel number', `${number} belongs to ${holder} on the roster.`);
      else numberInFile.set(number, row);
    }
    const siteTyped = cell(cells, 'site');
    const site = siteNames.get(siteTyped.toLowerCase());
    if (siteTyped !== '' && !site) reject('site', `There is no site "${siteTyped}". Expected one of: ${sites.join(', ')}.`);
    const managerEmail = cell(cells, 'manager email').toLowerCase() || null;
    if (managerEmail) {
      if (managerEmail === email) reject('manager email', `${managerEmail} would be their own manager.`);
      else if (!onRoster.has(managerEmail) && !inFile.has(managerEmail))
        reject('manager email', `The manager ${managerEmail} is neither on the roster nor in this file.`);
    }
    for (const column of ['joined on', 'left on'] as const) {
      const date = cell(cells, column);
      if (date !== '' && !isDate(date)) reject(column, `"${date}" is not a date; expected YYYY-MM-DD, for example 2026-05-11.`);
    }
    if (preview.rejected.length > before) continue;

    const was = onRoster.get(email);
    // a column that the file does not have leaves what the roster knows
    const keep = (column: RosterColumn): string | null =>
      columns.has(column) ? cell(cells, column) || null : was ? was[FIELD_OF[column]] : null;
    const person: RosterRow = {
      personnelNumber: columns.has('personnel number') ? number : (was?.personnelNumber ?? null),
      name: cell(cells, 'name').replace(/\s+/g, ' '),
      email,
      department: cell(cells, 'department'),
      site: site!,
      job: keep('job'),
      managerEmail: columns.has('manager email') ? managerEmail : (was?.managerEmail ?? null),
      joinedOn: keep('joined on'),
      leftOn: keep('left on'),
    };
    if (person.joinedOn && person.leftOn && person.leftOn < person.joinedOn) {
      reject('left on', `The person would leave on ${person.leftOn}, before joining on ${person.joinedOn}.`);
      continue;
    }
    if (!was) {
      preview.added.push({ row, person });
      continue;
    }
    const changes = (Object.keys(person) as (keyof RosterRow)[])
      .filter((field) => person[field] !== was[field])
      .map((field) => ({ field, from: was[field], to: person[field] }));
    if (changes.length === 0) preview.unchanged += 1;
    else preview.changed.push({ row, person, was, changes });
  }
  rejectLoops(preview, roster);
  rejectOrphans(preview, onRoster);
  return preview;
}

/** Refuses rows whose manager would only come by a row that is refused itself, down the whole line. */
function rejectOrphans(preview: RosterPreview, onRoster: ReadonlyMap<string, RosterRow>): void {
  for (;;) {
    const added = new Set(preview.added.map(({ person }) => person.email));
    const isOrphan = ({ person }: { person: RosterRow }): boolean =>
      person.managerEmail !== null && !onRoster.has(person.managerEmail) && !added.has(person.managerEmail);
    const orphans = [...preview.added, ...preview.changed].filter(isOrphan);
    if (orphans.length === 0) return;
    for (const { row, person } of orphans)
      preview.rejected.push({
        row,
        column: 'manager email',
        reason: `The row of the manager ${person.managerEmail} is refused, so there would be no manager.`,
      });
    preview.added = preview.added.filter((entry) => !isOrphan(entry));
    preview.changed = preview.changed.filter((entry) => !isOrphan(entry));
  }
}

/** Refuses rows after which a chain of managers would run in a circle, naming the circle. */
function rejectLoops(preview: RosterPreview, roster: readonly RosterRow[]): void {
  const managerOf = new Map(roster.map((person) => [person.email.toLowerCase(), person.managerEmail]));
  const taken = [...preview.added, ...preview.changed];
  for (const { person } of taken) managerOf.set(person.email, person.managerEmail);
  const looping = new Set<number>();
  for (const { row, person } of taken) {
    const path = [person.email];
    for (let next = person.managerEmail; next && path.length < 100; next = managerOf.get(next) ?? null) {
      path.push(next);
      if (next === person.email) {
        preview.rejected.push({
          row,
          column: 'manager email',
          reason: `The managers would run in a circle: ${path.join(' → ')}.`,
        });
        looping.add(row);
        break;
      }
      if (path.indexOf(next) < path.length - 1) break;
    }
  }
  preview.added = preview.added.filter(({ row }) => !looping.has(row));
  preview.changed = preview.changed.filter(({ row }) => !looping.has(row));
}
