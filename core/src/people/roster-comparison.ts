import { isMailAddress } from './address.ts';
import { readChatName } from './ways.ts';
import { readLanguage } from './language.ts';
import { dayOf, type LocalDate } from '../time/calendar.ts';
import { tellDate, tellList } from '../time/words.ts';
import { dateFault, readDate, REQUIRED_COLUMNS, type Matching, type RosterColumn } from './matching.ts';
import { ROSTER_FIELDS, type FieldChange, type FormerName, type PreviewOptions, type RosterLeave, type RosterPerson, type RosterPreview, type RosterRow } from './roster-row.ts'; // prettier-ignore
import { capital, textFault } from './text.ts';
import { isHere, lower, type FileColumns, type FilePeople, type Line, type Meant } from './roster-lines.ts';

/** The longest text of each column: the same as what a hand may type. */
const MOST: readonly [RosterColumn, number][] = [
  ['personnel number', 60],
  ['name', 200],
  ['email', 320],
  ['department', 120],
  ['site', 120],
  ['job', 120],
  ['chat name', 80],
  ['manager', 320],
  ['cover', 320],
];

type LeaveColumn = 'leave from' | 'leave to' | 'cover';
type FieldColumn = Exclude<RosterColumn, LeaveColumn>;
export const FIELD_OF = {
  'personnel number': 'personnelNumber',
  name: 'name',
  email: 'email',
  department: 'department',
  site: 'site',
  job: 'job',
  language: 'language',
  'chat name': 'chatName',
  manager: 'managerEmail',
  'joined on': 'joinedOn',
  'left on': 'leftOn',
} as const satisfies Record<FieldColumn, keyof RosterRow>;
const DATES = ['joined on', 'left on', 'leave from', 'leave to'] as const;
type Dates = Record<(typeof DATES)[number], LocalDate | null>;

/** What a line refers to, read and found; null where its cell is empty. */
interface Read {
  dates: Dates;
  site: string | null;
  language: string | null;
  manager: Meant | null;
  leave: RosterLeave | null;
}

const oneSpace = (text: string): string => text.replace(/\s+/g, ' ');

/** Compares the lines of one file with the roster, each by itself, and puts what it finds into the preview. */
export class RosterComparison {
  private readonly sites: ReadonlyMap<string, string>;
  private readonly departments: Map<string, string>;
  private readonly formerNames: ReadonlyMap<string, FormerName>;
  /** whose each chat name is, by address */
  private readonly chatNames: Map<string, string>;

  constructor(
    private readonly preview: RosterPreview,
    private readonly columns: FileColumns,
    private readonly people: FilePeople,
    private readonly siteNames: readonly string[],
    roster: readonly RosterPerson[],
    private readonly options: PreviewOptions & Pick<Matching, 'dateOrder'>,
  ) {
    this.sites = new Map(siteNames.map((site) => [site.toLowerCase(), site]));
    this.departments = new Map(roster.map((person) => [person.department.toLowerCase(), person.department]));
    this.formerNames = new Map((options.formerNames ?? []).map((former) => [`${former.place} ${former.was.toLowerCase()}`, former]));
    this.chatNames = new Map(roster.flatMap(({ chatName, email }) => (chatName ? [[chatName.toLowerCase(), email] as const] : [])));
  }

  /** Takes one line in: into one of the groups, as unchanged, or refused with every reason there is. */
  compare(line: Line): void {
    const before = this.preview.rejected.length;
    this.checkWho(line);
    const read = this.read(line);
    if (this.preview.rejected.length > before) return;
    this.checkChatName(line);
    if (this.preview.rejected.length > before) return;
    const { was, row } = line;
    const isReturning = was !== null && !isHere(was, this.options.today) && !this.isGone(read.dates['left on']);
    const person = this.personOf(line, read, isReturning);
    if (person.joinedOn && person.leftOn && person.leftOn < person.joinedOn)
      return this.reject(line, 'left on', `The person would leave on ${person.leftOn}, before joining on ${person.joinedOn}.`);
    const erasedOn = was ? null : (this.options.erasedOn?.(line.email, line.number) ?? null);
    if (erasedOn !== null && !(person.joinedOn !== null && person.joinedOn > erasedOn))
      return this.reject(line, 'email', `This person was erased on ${erasedOn}; a row brings them back only with a later date of joining.`);
    const entered = read.leave && { leave: read.leave };
    if (!was) return void this.preview.added.push({ row, id: null, person, changes: [], ...entered });
    const changes = this.changesOf(was, person, read);
    if (changes.length === 0) return void (this.preview.unchanged += 1);
    const leaves = person.leftOn !== null && was.leftOn === null;
    this.preview[isReturning ? 'returned' : leaves ? 'left' : 'changed'].push({ row, id: was.id, person, changes, ...entered });
  }

  private reject({ row }: Line, column: RosterColumn, reason: string): void {
    this.preview.rejected.push({ row, column, reason });
  }

  private cell(line: Line, column: RosterColumn): string {
    return this.columns.cell(line.cells, column);
  }

  /** What was called so before, by its name of now; the preview says so. */
  private calledSince(place: FormerName['place'], typed: string): string | null {
    const found = this.formerNames.get(`${place} ${typed.toLowerCase()}`);
    if (!found) return null;
    if (!this.preview.calledNow.includes(found)) this.preview.calledNow.push(found);
    return found.name;
  }

  private isGone(leftOn: LocalDate | null): boolean {
    return leftOn !== null && leftOn <= this.options.today;
  }

  /** Refuses a line of which it is not clear whom it stands for. */
  private checkWho(line: Line): void {
    const { email, number, was, row } = line;
    for (const [column, most] of MOST) {
      const fault = textFault(this.cell(line, column), most);
      if (fault) this.reject(line, column, `${capital(fault)}.`);
    }
    for (const column of REQUIRED_COLUMNS)
      if (this.cell(line, column) === '') this.reject(line, column, `"${column}" is empty; expected a value.`);
    if (email !== '' && !isMailAddress(email))
      this.reject(line, 'email', `"${email}" is not a mail address; expected something like runa.aske@orlasund.example.`);
    // of two rows for one person nobody knows which is right: both wait until one is chosen
    const others = this.people.twins.get(line)?.map((other) => other.row);
    if (others) {
      const reason = `${email} stands in row ${tellList(others.map(String))} too; each person may stand in the file once. Choose one of them.`;
      this.preview.rejected.push({ row, column: 'email', reason, others });
    }
    const first = this.people.firstWithNumber(line);
    if (!others && number && first && first !== line)
      this.reject(line, 'personnel number', `${number} stands in row ${first.row} already.`);
    const holder = this.people.byEmail.get(email);
    const wrong = 'one of the two is wrong';
    if (holder && was && holder !== was)
      this.reject(line, 'email', `${email} is the address of ${holder.name} on the roster, and ${number} is ${was.name}: ${wrong}.`);
    else if (number && was?.personnelNumber && lower(was.personnelNumber) !== lower(number)) {
      const reason = `${email} has the personnel number ${was.personnelNumber} on the roster and ${number} in the file: ${wrong}.`;
      this.reject(line, 'personnel number', reason);
    }
  }

  private read(line: Line): Read {
    const dates = this.datesOf(line);
    return {
      dates,
      site: this.siteOf(line),
      language: this.languageOf(line),
      manager: this.managerOf(line),
      leave: this.leaveOf(line, dates),
    };
  }

  private datesOf(line: Line): Dates {
    const dates = {} as Dates;
    for (const column of DATES) {
      const text = this.cell(line, column);
      dates[column] = text === '' ? null : readDate(text, this.options.dateOrder);
      if (text !== '' && dates[column] === null) this.reject(line, column, dateFault(text, this.options.dateOrder));
    }
    return dates;
  }

  private siteOf(line: Line): string | null {
    const typed = this.cell(line, 'site');
    const site = this.sites.get(typed.toLowerCase()) ?? this.calledSince('site', typed);
    if (typed !== '' && site === null)
      this.reject(line, 'site', `There is no site "${typed}". Expected one of: ${this.siteNames.join(', ')}.`);
    return site;
  }

  private managerOf(line: Line): Meant | null {
    const typed = this.cell(line, 'manager');
    const found = typed === '' ? null : this.people.meant(typed);
    if (typeof found === 'number') {
      const many = `${found} people are called ${typed}; expected the manager's e-mail or personnel number.`;
      this.reject(line, 'manager', found === 0 ? `The manager ${typed} is neither on the roster nor in this file.` : many);
      return null;
    }
    if (found?.email === line.email) this.reject(line, 'manager', `${typed} would be their own manager.`);
    return found;
  }

  private languageOf(line: Line): string | null {
    const typed = this.cell(line, 'language');
    const found = typed === '' ? null : readLanguage(typed);
    if (typed !== '' && found === null)
      this.reject(line, 'language', `"${typed}" is no language that is known; expected a name such as Norwegian, or a tag such as nb.`);
    return found;
  }

  /** One chat name leads to one person: what somebody else is told there would be another's. */
  private checkChatName(line: Line): void {
    const typed = readChatName(this.cell(line, 'chat name'));
    if (typed === null) return;
    const key = typed.toLowerCase();
    const holder = this.chatNames.get(key);
    const own = line.was?.email ?? line.email;
    if (holder !== undefined && holder !== own && holder !== line.email)
      return this.reject(
        line,
        'chat name',
        `"${typed}" is the chat name of ${this.people.nameOf(holder) ?? holder}; each person needs their own.`,
      );
    this.chatNames.set(key, line.email);
  }

  private coverOf(line: Line): string | null {
    const typed = this.cell(line, 'cover');
    const found = typed === '' ? null : this.people.meant(typed);
    if (typeof found !== 'number') return found?.email ?? null;
    const many = `${found} people are called ${typed}; expected the e-mail or personnel number of who covers.`;
    this.reject(line, 'cover', found === 0 ? `${typed}, who is to cover, is neither on the roster nor in this file.` : many);
    return null;
  }

  /** The leave that a line enters; null where it says none, or what the roster has already. */
  private leaveOf(line: Line, dates: Dates): RosterLeave | null {
    const coverEmail = this.coverOf(line);
    const [from, to] = [dates['leave from'], dates['leave to']];
    if (from === null && to === null) {
      if (coverEmail !== null)
        this.reject(line, 'cover', `${coverEmail} would cover a leave that has no days; expected its first and last day.`);
      return null;
    }
    if (from === null) {
      this.reject(line, 'leave from', 'The leave has only its last day; expected its first day too.');
      return null;
    }
    if (to !== null && to < from) this.reject(line, 'leave to', `The leave would end on ${to}, before it begins on ${from}.`);
    if (coverEmail === line.email) this.reject(line, 'cover', `${line.email} would cover their own leave.`);
    const other = line.was?.leaves?.find((leave) => (to === null || leave.from <= to) && (leave.to === null || leave.to >= from));
    if (!other) return { from, to, coverEmail };
    const isSame = other.from === from && other.to === to && (coverEmail === null || lower(other.coverEmail) === coverEmail);
    const covered = other.coverEmail ? `, covered by ${other.coverEmail}` : '';
    if (!isSame)
      this.reject(line, 'leave from', `${line.was!.name} is on leave from ${other.from} ${other.to === null ? 'until further notice' : `to ${other.to}`} already${covered}; change that first.`);
    return null;
  } // prettier-ignore

  /** What the roster would know of somebody: what the file does not say stays as it is there. */
  private personOf(line: Line, { dates, site, language, manager }: Read, isReturning: boolean): RosterRow {
    const { was, email, number } = line;
    // a column that is missing, and an empty cell unless it clears, keep what there is
    const keep = (column: FieldColumn, value: string | null): string | null =>
      value === null && was && (this.options.emptyCells === 'keep' || !this.columns.has(column)) ? was[FIELD_OF[column]] : value;
    const typed = oneSpace(this.cell(line, 'department'));
    const department = this.departments.get(typed.toLowerCase()) ?? this.calledSince('department', typed) ?? typed;
    this.departments.set(department.toLowerCase(), department);
    return {
      personnelNumber: keep('personnel number', number),
      name: oneSpace(this.cell(line, 'name')),
      email,
      department,
      site: site!,
      job: keep('job', this.cell(line, 'job') || null),
      language: keep('language', language),
      chatName: keep('chat name', readChatName(this.cell(line, 'chat name'))),
      managerEmail: manager ? manager.email : keep('manager', null),
      joinedOn: keep('joined on', dates['joined on']),
      leftOn: isReturning ? dates['left on'] : keep('left on', dates['left on']),
    };
  }

  private changesOf(was: RosterPerson, person: RosterRow, { manager, leave }: Read): FieldChange[] {
    const before = was.managerEmail ? (this.people.byEmail.get(lower(was.managerEmail)) ?? null) : null;
    // a manager whose own address changes in this file is still the same manager
    const isSame = manager ? manager.person !== null && manager.person === before : person.managerEmail === was.managerEmail;
    const differs = (field: keyof RosterRow): boolean => (field === 'managerEmail' ? !isSame : person[field] !== was[field]);
    const changes = ROSTER_FIELDS.filter(differs).map((field): FieldChange => ({ field, from: was[field], to: person[field] }));
    if (leave) changes.push({ field: 'leave', from: null, to: tellLeave(leave, this.people.nameOf(leave.coverEmail)) });
    return changes;
  }
}

/** `1 Jun 2027 to 14 Jun 2027`, `from 1 Jun 2027 until further notice`. */
export const tellLeaveDays = ({ from, to }: { from: LocalDate; to: LocalDate | null }): string =>
  to === null ? `from ${tellDate(dayOf(from))} until further notice` : `${tellDate(dayOf(from))} to ${tellDate(dayOf(to))}`;

/** `1 Jun 2027 to 14 Jun 2027, Tora Hauge covers`. */
export const tellLeave = (leave: { from: LocalDate; to: LocalDate | null }, cover: string | null): string =>
  `${tellLeaveDays(leave)}${cover ? `, ${cover} covers` : ', without cover'}`;
