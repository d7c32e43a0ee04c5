import { dayOf, type LocalDate } from '../time/calendar.ts';
import { tellDate, tellList } from '../time/words.ts';
import { readDate, REQUIRED_COLUMNS, type Matching, type RosterColumn } from './matching.ts';

/** One person as the roster and a file both write it. */
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
/** Leave, both days inclusive, and who covers it, by e-mail. */
export interface RosterLeave {
  from: LocalDate;
  to: LocalDate;
  coverEmail: string | null;
}
/** Somebody who is on the roster already, with the leave that is entered. */
export type RosterPerson = RosterRow & { id: string; leaves?: readonly RosterLeave[] };

export const ROSTER_FIELDS = [
  'personnelNumber',
  'name',
  'email',
  'department',
  'site',
  'job',
  'managerEmail',
  'joinedOn',
  'leftOn',
] as const satisfies readonly (keyof RosterRow)[];

export interface Rejection {
  /** line in the file, the header being 1; null for the file as a whole */
  row: number | null;
  column: string | null;
  reason: string;
  /** the other rows for the same person: somebody has to choose one of them */
  others?: number[];
}

export interface FieldChange {
  field: keyof RosterRow | 'leave';
  from: string | null;
  to: string | null;
}

export interface RowChange {
  /** line in the file; null for somebody who is missing from it */
  row: number | null;
  /** null for somebody new */
  id: string | null;
  person: RosterRow;
  changes: FieldChange[];
  /** leave to be entered with it */
  leave?: RosterLeave;
}

export const GROUPS = ['added', 'changed', 'returned', 'left'] as const;
export type Group = (typeof GROUPS)[number];
/** Which groups of a preview are taken. */
export type Groups = Record<Group, boolean>;
export const ALL_GROUPS: Groups = { added: true, changed: true, returned: true, left: true };

export interface RosterPreview extends Record<Group, RowChange[]> {
  unchanged: number;
  rejected: Rejection[];
  /** departments that the file names and the roster does not know: they would be made, or are mistyped */
  newDepartments: string[];
  /** rows left out since another one of the same person was chosen */
  passedOver: { row: number; chosen: number }[];
  /** people on the roster who have not left: what shares are counted of */
  rosterSize: number;
}

export interface PreviewOptions {
  /** the file lists everyone: who is missing from it has left */
  isComplete: boolean;
  /** what an empty cell does to a value that the roster knows */
  emptyCells: 'keep' | 'clear';
  /** the house's date: who leaves by it has left */
  today: LocalDate;
  /** of rows that stand for the same person, those that somebody chose: by their line in the file */
  chosenRows?: readonly number[];
  /** who may be taken to have left by being missing; everyone where it is not given */
  mayLeave?: (person: RosterPerson) => boolean;
}

const FIELD_OF: Record<Exclude<RosterColumn, LeaveColumn>, keyof RosterRow> = {
  'personnel number': 'personnelNumber',
  name: 'name',
  email: 'email',
  department: 'department',
  site: 'site',
  job: 'job',
  manager: 'managerEmail',
  'joined on': 'joinedOn',
  'left on': 'leftOn',
};

type LeaveColumn = 'leave from' | 'leave to' | 'cover';
const DATES = ['joined on', 'left on', 'leave from', 'leave to'] as const;

const EMAIL = /^[^\s@<>,;"]+@[^\s@<>,;"]+\.[^\s@<>,;".]+$/;
const DATE_WORDS = {
  ymd: 'YYYY-MM-DD, for example 2026-05-11',
  dmy: 'day, month, year, for example 11.05.2026',
  mdy: 'month, day, year, for example 05/11/2026',
};
const lower = (text: string | null): string => (text ?? '').toLowerCase();

/** Rows between two reports of how far the comparison is. */
const REPORT_EVERY = 2_000;

/** What a file line says, before it is held against the rest of the file. */
interface Line {
  row: number;
  cells: readonly string[];
  email: string;
  number: string | null;
  /** who it is on the roster: by personnel number first, then by e-mail */
  was: RosterPerson | null;
}

/**
 * Compares a roster file with the roster. Pure: nothing is taken yet.
 * @param table the file's cells, header first
 * @param matching which column is which field
 * @param roster everyone on the roster, those who left too
 * @param sites names of the sites there are: a site carries zone and calendar and is not made by a file
 * @param onProgress called with 0 … 1
 * @returns who is added, changed, returned, left and unchanged, and every row that is refused with its column and reason
 */
export function previewRoster(
  table: readonly (readonly string[])[],
  matching: Matching,
  roster: readonly RosterPerson[],
  sites: readonly string[],
  options: PreviewOptions,
  onProgress: (share: number) => void = () => undefined,
): RosterPreview {
  const isHere = (person: RosterRow): boolean => person.leftOn === null || person.leftOn > options.today;
  const preview: RosterPreview = {
    added: [],
    changed: [],
    returned: [],
    left: [],
    unchanged: 0,
    rejected: [],
    newDepartments: [],
    passedOver: [],
    rosterSize: roster.filter(isHere).length,
  };
  const columns = new Map<RosterColumn, number>();
  matching.columns.forEach((column, index) => {
    if (column && !columns.has(column)) columns.set(column, index);
  });
  const missing = REQUIRED_COLUMNS.filter((column) => !columns.has(column));
  if (missing.length > 0) {
    const header =
      (table[0] ?? [])
        .map((text) => text.trim())
        .filter(Boolean)
        .join(', ') || 'nothing';
    for (const column of missing)
      preview.rejected.push({ row: 1, column, reason: `No column is matched to "${column}". The header has: ${header}.` });
    return preview;
  }
  const cell = (cells: readonly string[], column: RosterColumn): string => (cells[columns.get(column) ?? -1] ?? '').trim();

  const byEmail = new Map(roster.map((person) => [lower(person.email), person]));
  const byNumber = new Map(roster.flatMap((person) => (person.personnelNumber ? [[lower(person.personnelNumber), person] as const] : [])));
  const siteNames = new Map(sites.map((site) => [site.toLowerCase(), site]));
  const departmentNames = new Map(roster.map((person) => [person.department.toLowerCase(), person.department]));
  const known = new Set(departmentNames.keys());

  const lines: Line[] = [];
  table.forEach((cells, index) => {
    if (index === 0 || !cells.some((text) => text.trim() !== '')) return;
    const email = cell(cells, 'email').toLowerCase();
    const number = cell(cells, 'personnel number') || null;
    lines.push({ row: index + 1, cells, email, number, was: byNumber.get(lower(number)) ?? byEmail.get(email) ?? null });
  });
  // who stands in the file at all, refused rows included: nobody is taken to have left because of a mistyped date
  const mentioned = new Set(lines.flatMap(({ was }) => (was ? [was.id] : [])));
  const lineOfEmail = new Map<string, Line>();
  const lineOfNumber = new Map<string, Line>();
  const lineOfPerson = new Map<string, Line>();
  const linesOfName = new Map<string, Line[]>();
  const twins = findTwins(lines, options.chosenRows ?? []);
  preview.passedOver = [...twins.passedOver].map(([line, chosen]) => ({ row: line.row, chosen: chosen.row }));
  for (const line of lines) {
    if (twins.passedOver.has(line)) continue;
    if (line.email && !lineOfEmail.has(line.email)) lineOfEmail.set(line.email, line);
    if (line.number && !lineOfNumber.has(lower(line.number))) lineOfNumber.set(lower(line.number), line);
    if (line.was && !lineOfPerson.has(line.was.id)) lineOfPerson.set(line.was.id, line);
    const name = cell(line.cells, 'name').toLowerCase();
    linesOfName.set(name, [...(linesOfName.get(name) ?? []), line]);
  }
  const hereByName = new Map<string, RosterPerson[]>();
  for (const person of roster)
    if (isHere(person)) hereByName.set(lower(person.name), [...(hereByName.get(lower(person.name)) ?? []), person]);
  type Meant = { email: string; person: RosterPerson | null };
  /**
   * Who a manager cell means: an e-mail (as the file or the roster writes it), a personnel number, or a name, of the file
   * or of the roster, that only one person has. A number says how many have it.
   */
  const managerOf = (text: string): Meant | number => {
    const key = text.toLowerCase();
    const line = lineOfEmail.get(key) ?? lineOfNumber.get(key);
    if (line) return { email: line.email, person: line.was };
    const known = byEmail.get(key) ?? byNumber.get(key);
    const meant = (person: RosterPerson): Meant => ({ email: lineOfPerson.get(person.id)?.email ?? lower(person.email), person });
    if (known) return meant(known);
    const named = new Map<string, Meant>();
    for (const { email, was } of linesOfName.get(key) ?? []) named.set(was?.id ?? email, { email, person: was });
    for (const person of hereByName.get(key) ?? []) named.set(person.id, meant(person));
    return named.size === 1 ? [...named.values()][0]! : named.size;
  };

  const coverName = (email: string | null): string | null => {
    const line = email === null ? undefined : lineOfEmail.get(email);
    return line ? cell(line.cells, 'name') : email === null ? null : (byEmail.get(email)?.name ?? email);
  };

  lines.forEach((line, index) => {
    if (index % REPORT_EVERY === 0) onProgress(index / lines.length);
    const { row, cells, email, number, was } = line;
    if (twins.passedOver.has(line)) return;
    const reject = (column: RosterColumn, reason: string): void => void preview.rejected.push({ row, column, reason });
    const before = preview.rejected.length;
    for (const column of REQUIRED_COLUMNS) if (cell(cells, column) === '') reject(column, `"${column}" is empty; expected a value.`);
    if (email !== '' && !EMAIL.test(email))
      reject('email', `"${email}" is not a mail address; expected something like runa.aske@orlasund.example.`);
    // of two rows for one person nobody knows which is right: both wait until one is chosen
    const others = twins.others.get(line);
    if (others) {
      const rows = tellList(others.map((other) => String(other.row)));
      preview.rejected.push({
        row,
        column: 'email',
        reason: `${email} stands in row ${rows} too; each person may stand in the file once. Choose one of them.`,
        others: others.map((other) => other.row),
      });
    }
    if (!others && number && lineOfNumber.get(lower(number)) !== line)
      reject('personnel number', `${number} stands in row ${lineOfNumber.get(lower(number))!.row} already.`);
    const holder = byEmail.get(email);
    if (holder && was && holder !== was)
      reject('email', `${email} is the address of ${holder.name} on the roster, and ${number} is ${was.name}: one of the two is wrong.`);
    else if (number && was?.personnelNumber && lower(was.personnelNumber) !== lower(number))
      reject(
        'personnel number',
        `${email} has the personnel number ${was.personnelNumber} on the roster and ${number} in the file: one of the two is wrong.`,
      );
    const siteTyped = cell(cells, 'site');
    const site = siteNames.get(siteTyped.toLowerCase());
    if (siteTyped !== '' && !site) reject('site', `There is no site "${siteTyped}". Expected one of: ${sites.join(', ')}.`);
    const managerTyped = cell(cells, 'manager');
    const found = managerTyped === '' ? null : managerOf(managerTyped);
    const manager = typeof found === 'number' ? null : found;
    if (found === 0) reject('manager', `The manager ${managerTyped} is neither on the roster nor in this file.`);
    else if (typeof found === 'number')
      reject('manager', `${found} people are called ${managerTyped}; expected the manager's e-mail or personnel number.`);
    else if (manager && manager.email === email) reject('manager', `${managerTyped} would be their own manager.`);
    const dates = new Map<RosterColumn, LocalDate | null>();
    for (const column of DATES) {
      const text = cell(cells, column);
      const date = text === '' ? null : readDate(text, matching.dateOrder);
      if (text !== '' && date === null) reject(column, `"${text}" is not a date; expected ${DATE_WORDS[matching.dateOrder]}.`);
      dates.set(column, date);
    }
    const covering = cell(cells, 'cover');
    const cover = covering === '' ? null : managerOf(covering);
    if (cover === 0) reject('cover', `${covering}, who is to cover, is neither on the roster nor in this file.`);
    else if (typeof cover === 'number')
      reject('cover', `${cover} people are called ${covering}; expected the e-mail or personnel number of who covers.`);
    const leave = leaveOf(
      { from: dates.get('leave from')!, to: dates.get('leave to')!, coverEmail: typeof cover === 'number' ? null : (cover?.email ?? null) },
      email,
      was,
      reject,
    );
    if (preview.rejected.length > before) return;

    // what the file does not say stays as the roster knows it: a column that is missing, and an empty cell unless it clears
    const keep = (column: keyof typeof FIELD_OF, value: string | null): string | null =>
      value === null && was && (options.emptyCells === 'keep' || !columns.has(column)) ? was[FIELD_OF[column]] : value;
    const departmentTyped = cell(cells, 'department').replace(/\s+/g, ' ');
    const department = departmentNames.get(departmentTyped.toLowerCase()) ?? departmentTyped;
    departmentNames.set(department.toLowerCase(), department);
    const managerBefore = was?.managerEmail ? (byEmail.get(lower(was.managerEmail)) ?? null) : null;
    const isReturning = was !== null && !isHere(was) && (dates.get('left on') === null || dates.get('left on')! > options.today);
    const person: RosterRow = {
      personnelNumber: keep('personnel number', number),
      name: cell(cells, 'name').replace(/\s+/g, ' '),
      email,
      department,
      site: site!,
      job: keep('job', cell(cells, 'job') || null),
      managerEmail: manager ? manager.email : keep('manager', null),
      joinedOn: keep('joined on', dates.get('joined on')!),
      leftOn: isReturning ? dates.get('left on')! : keep('left on', dates.get('left on')!),
    };
    if (person.joinedOn && person.leftOn && person.leftOn < person.joinedOn)
      return reject('left on', `The person would leave on ${person.leftOn}, before joining on ${person.joinedOn}.`);
    const entered = leave && { leave };
    if (!was) return void preview.added.push({ row, id: null, person, changes: [], ...entered });
    // a manager whose own address changes in this file is still the same manager
    const isSameManager = manager ? manager.person !== null && manager.person === managerBefore : person.managerEmail === was.managerEmail;
    const changes = ROSTER_FIELDS.filter((field) => (field === 'managerEmail' ? !isSameManager : person[field] !== was[field])).map(
      (field): FieldChange => ({ field, from: was[field], to: person[field] }),
    );
    if (leave) changes.push({ field: 'leave', from: null, to: tellLeave(leave, coverName(leave.coverEmail)) });
    if (changes.length === 0) preview.unchanged += 1;
    else {
      const leaves = person.leftOn !== null && was.leftOn === null;
      preview[isReturning ? 'returned' : leaves ? 'left' : 'changed'].push({ row, id: was.id, person, changes, ...entered });
    }
  });

  rejectLoops(preview, roster);
  rejectOrphans(preview, byEmail);
  if (options.isComplete)
    for (const person of roster)
      if (isHere(person) && !mentioned.has(person.id) && (options.mayLeave?.(person) ?? true))
        preview.left.push({
          row: null,
          id: person.id,
          person: { ...rowOf(person), leftOn: options.today },
          changes: [{ field: 'leftOn', from: person.leftOn, to: options.today }],
        });
  preview.newDepartments = [...new Set([...preview.added, ...preview.changed, ...preview.returned].map(({ person }) => person.department))]
    .filter((name) => !known.has(name.toLowerCase()))
    .sort();
  onProgress(1);
  return preview;
}

/**
 * The leave that a row enters; null where it says none, or what the roster has already.
 * @param reject told where the leave is not whole, or lies over another one
 */
function leaveOf(
  said: { from: LocalDate | null; to: LocalDate | null; coverEmail: string | null },
  email: string,
  was: RosterPerson | null,
  reject: (column: RosterColumn, reason: string) => void,
): RosterLeave | null {
  const { from, to, coverEmail } = said;
  if (from === null && to === null) {
    if (coverEmail !== null) reject('cover', `${coverEmail} would cover a leave that has no days; expected its first and last day.`);
    return null;
  }
  if (from === null || to === null) {
    reject(
      from === null ? 'leave from' : 'leave to',
      `The leave has only one of its two days; expected its ${from === null ? 'first' : 'last'} day too.`,
    );
    return null;
  }
  if (to < from) reject('leave to', `The leave would end on ${to}, before it begins on ${from}.`);
  if (coverEmail === email) reject('cover', `${email} would cover their own leave.`);
  const other = was?.leaves?.find((leave) => leave.from <= to && leave.to >= from);
  if (!other) return { from, to, coverEmail };
  const isSame = other.from === from && other.to === to && (coverEmail === null || lower(other.coverEmail) === coverEmail);
  if (!isSame)
    reject(
      'leave from',
      `${was!.name} is on leave from ${other.from} to ${other.to} already${other.coverEmail ? `, covered by ${other.coverEmail}` : ''}; take that away first.`,
    );
  return null;
}

/** `1 Jun 2027 to 14 Jun 2027, Tora Hauge covers`. */
export const tellLeave = (leave: { from: LocalDate; to: LocalDate }, cover: string | null): string =>
  `${tellDate(dayOf(leave.from))} to ${tellDate(dayOf(leave.to))}${cover ? `, ${cover} covers` : ', without cover'}`;

/**
 * Lines that stand for one person, by their e-mail.
 * @returns for each the others; and those that are passed over since another one was chosen
 */
function findTwins(lines: readonly Line[], chosenRows: readonly number[]): { others: Map<Line, Line[]>; passedOver: Map<Line, Line> } {
  const byEmail = new Map<string, Line[]>();
  for (const line of lines) if (line.email) byEmail.set(line.email, [...(byEmail.get(line.email) ?? []), line]);
  const others = new Map<Line, Line[]>();
  const passedOver = new Map<Line, Line>();
  for (const list of byEmail.values()) {
    if (list.length < 2) continue;
    const chosen = list.find(({ row }) => chosenRows.includes(row));
    for (const line of list) {
      if (!chosen)
        others.set(
          line,
          list.filter((other) => other !== line),
        );
      else if (line !== chosen) passedOver.set(line, chosen);
    }
  }
  return { others, passedOver };
}

const rowOf = ({ id: _, leaves: __, ...row }: RosterPerson): RosterRow => row;

/** Everything that a preview would take, of the groups that are taken. */
export const takenOf = (preview: RosterPreview, groups: Groups): RowChange[] =>
  GROUPS.flatMap((group) => (groups[group] ? preview[group] : []));

/**
 * Leaves out groups. A row whose manager would only come with a group that is left out is refused, with that reason.
 * @returns the preview as it would be taken
 */
export function chooseGroups(preview: RosterPreview, groups: Groups, roster: readonly RosterPerson[]): RosterPreview {
  const chosen: RosterPreview = { ...preview, rejected: [...preview.rejected] };
  for (const group of GROUPS) chosen[group] = groups[group] ? [...preview[group]] : [];
  rejectOrphans(chosen, new Map(roster.map((person) => [lower(person.email), person])));
  return chosen;
}

/** How much of the roster a preview would change, in percent. */
export const shareOf = (changes: number, preview: RosterPreview): number =>
  preview.rosterSize === 0 ? 0 : (100 * changes) / preview.rosterSize;

const COMING: readonly Group[] = ['added', 'changed', 'returned'];

/** Refuses rows whose manager would only come by a row that is not taken itself, down the whole line. */
function rejectOrphans(preview: RosterPreview, onRoster: ReadonlyMap<string, RosterPerson>): void {
  for (;;) {
    const coming = new Set(COMING.flatMap((group) => preview[group].map(({ person }) => person.email)));
    const isThere = (email: string): boolean => onRoster.has(email) || coming.has(email);
    const orphaned = ({ person, changes, id, leave }: RowChange): Rejection | null => {
      const row = null;
      const isNewManager = id === null || changes.some(({ field }) => field === 'managerEmail');
      if (person.managerEmail !== null && isNewManager && !isThere(person.managerEmail))
        return {
          row,
          column: 'manager',
          reason: `The row of the manager ${person.managerEmail} is not taken, so there would be no manager.`,
        };
      if (leave?.coverEmail && !isThere(leave.coverEmail))
        return { row, column: 'cover', reason: `The row of ${leave.coverEmail}, who is to cover, is not taken.` };
      return null;
    };
    const isOrphan = (entry: RowChange): boolean => orphaned(entry) !== null;
    const orphans = COMING.flatMap((group) => preview[group].filter(isOrphan));
    if (orphans.length === 0) return;
    for (const entry of orphans) preview.rejected.push({ ...orphaned(entry)!, row: entry.row });
    for (const group of COMING) preview[group] = preview[group].filter((entry) => !isOrphan(entry));
  }
}

/** Refuses rows after which a chain of managers would run in a circle, naming the circle. */
function rejectLoops(preview: RosterPreview, roster: readonly RosterPerson[]): void {
  // by address as it will be: a person keeps being the same one when the address changes
  const emailAfter = new Map(roster.map((person) => [lower(person.email), lower(person.email)]));
  const taken = COMING.flatMap((group) => preview[group]);
  for (const { person, changes } of taken)
    for (const { field, from } of changes) if (field === 'email' && from) emailAfter.set(lower(from), person.email);
  const managerOf = new Map(
    roster.map((person) => [
      emailAfter.get(lower(person.email))!,
      person.managerEmail && (emailAfter.get(lower(person.managerEmail)) ?? person.managerEmail),
    ]),
  );
  for (const { person } of taken) managerOf.set(person.email, person.managerEmail);
  const looping = new Set<RowChange>();
  const isClear = new Set<string>();
  for (const change of taken) {
    const path = [change.person.email];
    const seen = new Set(path);
    let ends = true; // at somebody without a manager, or in a chain that does
    for (let next = change.person.managerEmail; next && !isClear.has(next); next = managerOf.get(next) ?? null) {
      path.push(next);
      if (next === change.person.email) {
        preview.rejected.push({ row: change.row, column: 'manager', reason: `The managers would run in a circle: ${path.join(' → ')}.` });
        looping.add(change);
      }
      if (seen.has(next)) {
        ends = false;
        break;
      }
      seen.add(next);
    }
    if (ends) for (const email of path) isClear.add(email);
  }
  for (const group of COMING) preview[group] = preview[group].filter((change) => !looping.has(change));
}
