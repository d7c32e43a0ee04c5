import type { LocalDate } from '../time/calendar.ts';
import { REQUIRED_COLUMNS, type Matching, type RosterColumn } from './matching.ts';
import type { RosterPerson, RosterRow } from './roster-row.ts';

/** What a file line says, before it is held against the rest of the file. */
export interface Line {
  /** line in the file, the header being 1 */
  row: number;
  cells: readonly string[];
  email: string;
  number: string | null;
  /** who it is on the roster: by personnel number first, then by e-mail */
  was: RosterPerson | null;
}

/** Whom a cell means: their e-mail as it will be, and who it is on the roster, if anybody. */
export interface Meant {
  email: string;
  person: RosterPerson | null;
}

export const lower = (text: string | null): string => (text ?? '').toLowerCase();

export const isHere = (person: RosterRow, today: LocalDate): boolean => person.leftOn === null || person.leftOn > today;

function push<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}

/** The columns of a file by what they are; the first of two that are the same counts. */
export class FileColumns {
  private readonly at = new Map<RosterColumn, number>();

  constructor(
    private readonly header: readonly string[],
    { columns }: Matching,
  ) {
    columns.forEach((column, index) => {
      if (column && !this.at.has(column)) this.at.set(column, index);
    });
  }

  has(column: RosterColumn): boolean {
    return this.at.has(column);
  }

  cell(cells: readonly string[], column: RosterColumn): string {
    return (cells[this.at.get(column) ?? -1] ?? '').trim();
  }

  /** Columns that have to be there and are not, each with the reason. */
  missing(): { column: RosterColumn; reason: string }[] {
    const names = this.header.map((text) => text.trim()).filter(Boolean);
    const reason = (column: string): string => `No column is matched to "${column}". The header has: ${names.join(', ') || 'nothing'}.`;
    return REQUIRED_COLUMNS.filter((column) => !this.has(column)).map((column) => ({ column, reason: reason(column) }));
  }
}

/** The lines of a file and the roster, ready to say who is who. */
export class FilePeople {
  readonly lines: Line[] = [];
  readonly byEmail: ReadonlyMap<string, RosterPerson>;
  /** for each line the others that stand for the same person, as long as none of them is chosen */
  readonly twins = new Map<Line, Line[]>();
  /** lines that another one was chosen before */
  readonly passedOver = new Map<Line, Line>();
  private readonly byNumber: ReadonlyMap<string, RosterPerson>;
  private readonly hereByName = new Map<string, RosterPerson[]>();
  private readonly lineOfEmail = new Map<string, Line>();
  private readonly lineOfNumber = new Map<string, Line>();
  private readonly lineOfPerson = new Map<string, Line>();
  private readonly linesOfName = new Map<string, Line[]>();

  constructor(
    table: readonly (readonly string[])[],
    private readonly columns: FileColumns,
    roster: readonly RosterPerson[],
    { today, chosenRows = [] }: { today: LocalDate; chosenRows?: readonly number[] },
  ) {
    this.byEmail = new Map(roster.map((person) => [lower(person.email), person]));
    this.byNumber = new Map(roster.flatMap((person) => (person.personnelNumber ? [[lower(person.personnelNumber), person] as const] : [])));
    for (const person of roster) if (isHere(person, today)) push(this.hereByName, lower(person.name), person);
    table.forEach((cells, index) => {
      if (index > 0 && cells.some((text) => text.trim() !== '')) this.lines.push(this.lineOf(cells, index + 1));
    });
    this.findTwins(chosenRows);
    for (const line of this.lines) if (!this.passedOver.has(line)) this.learn(line);
  }

  private lineOf(cells: readonly string[], row: number): Line {
    const email = this.columns.cell(cells, 'email').toLowerCase();
    const number = this.columns.cell(cells, 'personnel number') || null;
    return { row, cells, email, number, was: this.byNumber.get(lower(number)) ?? this.byEmail.get(email) ?? null };
  }

  private findTwins(chosenRows: readonly number[]): void {
    const byEmail = new Map<string, Line[]>();
    for (const line of this.lines) if (line.email) push(byEmail, line.email, line);
    for (const list of byEmail.values()) {
      if (list.length < 2) continue;
      const chosen = list.find(({ row }) => chosenRows.includes(row));
      for (const line of list) {
        if (!chosen)
          this.twins.set(line, list.filter((other) => other !== line)); // prettier-ignore
        else if (line !== chosen) this.passedOver.set(line, chosen);
      }
    }
  }

  private learn(line: Line): void {
    if (line.email && !this.lineOfEmail.has(line.email)) this.lineOfEmail.set(line.email, line);
    if (line.number && !this.lineOfNumber.has(lower(line.number))) this.lineOfNumber.set(lower(line.number), line);
    if (line.was && !this.lineOfPerson.has(line.was.id)) this.lineOfPerson.set(line.was.id, line);
    push(this.linesOfName, this.columns.cell(line.cells, 'name').toLowerCase(), line);
  }

  /** The first line with the personnel number of this one, which may be itself. */
  firstWithNumber(line: Line): Line | null {
    return this.lineOfNumber.get(lower(line.number)) ?? null;
  }

  /** Who stands in the file at all, refused rows included: nobody is taken to have left because of a mistyped date. */
  mentioned(): Set<string> {
    return new Set(this.lines.flatMap(({ was }) => (was ? [was.id] : [])));
  }

  /**
   * Who a cell means: an e-mail (as the file or the roster writes it), a personnel number, or a name, of the file or of
   * the roster, that only one person has. A number says how many have it.
   */
  meant(text: string): Meant | number {
    const key = text.toLowerCase();
    const line = this.lineOfEmail.get(key) ?? this.lineOfNumber.get(key);
    if (line) return { email: line.email, person: line.was };
    const known = this.byEmail.get(key) ?? this.byNumber.get(key);
    if (known) return this.meantBy(known);
    const named = new Map<string, Meant>();
    for (const { email, was } of this.linesOfName.get(key) ?? []) named.set(was?.id ?? email, { email, person: was });
    for (const person of this.hereByName.get(key) ?? []) named.set(person.id, this.meantBy(person));
    return named.size === 1 ? [...named.values()][0]! : named.size;
  }

  private meantBy(person: RosterPerson): Meant {
    return { email: this.lineOfPerson.get(person.id)?.email ?? lower(person.email), person };
  }

  /** The name that goes with an e-mail, as the file or the roster has it. */
  nameOf(email: string | null): string | null {
    if (email === null) return null;
    const line = this.lineOfEmail.get(email);
    return line ? this.columns.cell(line.cells, 'name') : (this.byEmail.get(email)?.name ?? email);
  }
}
