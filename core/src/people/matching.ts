import { isKept } from '../time/calendar.ts';

/** The columns of a roster file. */
export const ROSTER_COLUMNS = [
  'personnel number',
  'name',
  'email',
  'department',
  'site',
  'job',
  'language',
  'chat name',
  'manager',
  'joined on',
  'left on',
  'leave from',
  'leave to',
  'cover',
] as const;
export type RosterColumn = (typeof ROSTER_COLUMNS)[number];
export const REQUIRED_COLUMNS: readonly RosterColumn[] = ['name', 'email', 'department', 'site'];

/** How a date like 03.04.2026 is meant. `ymd` is 2026-04-03 and never ambiguous. */
export type DateOrder = 'ymd' | 'dmy' | 'mdy';

export interface ColumnMatch {
  header: string;
  column: RosterColumn | null;
  /** why it was matched so: for the reader who corrects it */
  how: 'remembered' | 'name' | 'content' | 'none';
  /** the first values that are not empty */
  sample: string[];
}

/** Which column of a file is which field, and how its dates are meant. */
export interface Matching {
  columns: (RosterColumn | null)[];
  dateOrder: DateOrder;
}

export interface ProposedMatching extends Matching {
  matches: ColumnMatch[];
  /** false where the dates could be read both ways: somebody has to look */
  isDateOrderSure: boolean;
}

const ALIASES: Record<RosterColumn, string> = {
  'personnel number':
    'personnel number,personnel no,personnelno,number,employee number,employee no,employee id,staff number,staff id,id,ansattnummer',
  name: 'name,full name,employee,employee name,navn',
  email: 'email,mail,work mail,e-mail,email address,work email,epost',
  department: 'department,dept,unit,team,avdeling',
  site: 'site,location,place,base,work site,sted,arbeidssted',
  job: 'job,job title,title,position,role,stilling',
  language: 'language,preferred language,mail language,locale,lang,språk,sprache,langue,språkkode,language code',
  'chat name': 'chat name,chat,chat id,chat user,chat handle,chat account,handle,chatnavn',
  manager: 'manager,manager email,manager e-mail,manager mail,manager email address,reports to,supervisor,manager number,leder',
  'joined on': 'joined on,joined,start,join date,start date,started,hired on,hire date,startdato',
  'left on': 'left on,left,leave date,end date,leaving date,sluttdato',
  'leave from': 'leave from,leave start,on leave from,absence from,absence start,absent from,away from,fravær fra',
  'leave to':
    'leave to,leave until,leave end,on leave until,on leave to,absence to,absence until,absence end,absent until,away until,away to,fravær til',
  cover: 'cover,covered by,cover email,cover e-mail,who covers,stand in,stand-in,deputy,vikar',
};

/** A header without case, spaces and marks: what it is remembered by. */
export const plainHeader = (header: string): string => header.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');
const COLUMN_OF = new Map(
  ROSTER_COLUMNS.flatMap((column) => ALIASES[column].split(',').map((alias) => [plainHeader(alias), column] as const)),
);

const EMAIL = /^[^\s@]+@[^\s@]+\.[^\s@]+$/;
const NUMERIC_DATE = /^(\d{1,4})[./-](\d{1,2})[./-](\d{1,4})(?:[ T].*)?$/;

/** @returns the date as `YYYY-MM-DD`, or null where the text is not a date by this order */
export function readDate(text: string, order: DateOrder): string | null {
  const parts = NUMERIC_DATE.exec(text.trim());
  if (!parts) return null;
  const [a, b, c] = [Number(parts[1]), Number(parts[2]), Number(parts[3])];
  const isIso = parts[1]!.length === 4;
  if (!isIso && (order === 'ymd' || parts[3]!.length !== 4)) return null;
  const [year, month, day] = isIso ? [a, b, c] : order === 'dmy' ? [c, b, a] : [c, a, b];
  const date = new Date(Date.UTC(year, month - 1, day));
  if (date.getUTCFullYear() !== year || date.getUTCMonth() !== month - 1 || date.getUTCDate() !== day) return null;
  const read = date.toISOString().slice(0, 10);
  return isKept(read) ? read : null;
}

const DATE_WORDS: Record<DateOrder, string> = { ymd: '2026-05-11', dmy: '11.05.2026', mdy: '05/11/2026' };

/** Why some text is no date: its year is none that is kept, or it is none at all. A sentence. */
export function dateFault(text: string, order: DateOrder): string {
  const year = /\d{4}/.exec(text)?.[0];
  return year && NUMERIC_DATE.test(text.trim()) && !isKept(`${year}-01-01`)
    ? `"${text}" is not a date that can be kept; expected a year from 1970 to 2199.`
    : `"${text}" is not a date; expected one like ${DATE_WORDS[order]}.`;
}

/** How the dates of some cells must be meant: the order under which all of them are dates. */
export function findDateOrder(values: readonly string[]): { dateOrder: DateOrder; isDateOrderSure: boolean } {
  const numeric = values.filter((value) => NUMERIC_DATE.test(value.trim()) && !/^\d{4}/.test(value.trim()));
  if (numeric.length === 0) return { dateOrder: 'ymd', isDateOrderSure: true };
  const fits = (order: DateOrder): number => numeric.filter((value) => readDate(value, order) !== null).length;
  const [dmy, mdy] = [fits('dmy'), fits('mdy')];
  // dots stand between day, month and year everywhere; where else both fit, day first, and the reader is asked to look
  const isDotted = numeric.every((value) => value.includes('.'));
  return { dateOrder: mdy > dmy ? 'mdy' : 'dmy', isDateOrderSure: dmy !== mdy || isDotted };
}

const share = (values: readonly string[], test: (value: string) => boolean): number =>
  values.length === 0 ? 0 : values.filter(test).length / values.length;

const DATE_COLUMNS: ReadonlySet<RosterColumn> = new Set(['joined on', 'left on', 'leave from', 'leave to']);

/** The rows that a column is judged by. */
const LOOKED_AT = 400;

/**
 * Finds which column is which: as somebody corrected it the last time, by its name, or by what stands in it.
 * @param table the file's cells, header first
 * @param known headers (plain) remembered from earlier files, and the names on the roster
 */
export function matchColumns(
  table: readonly (readonly string[])[],
  known: { remembered: Readonly<Record<string, RosterColumn | null>>; sites: readonly string[]; departments: readonly string[] },
): ProposedMatching {
  const header = table[0] ?? [];
  const body = table.slice(1, 1 + LOOKED_AT);
  const values = header.map((_, index) => body.map((row) => (row[index] ?? '').trim()).filter(Boolean));
  const matches: ColumnMatch[] = header.map((text, index) => ({
    header: text.trim(),
    column: null,
    how: 'none',
    sample: values[index]!.slice(0, 3),
  }));
  const free = new Set<RosterColumn>(ROSTER_COLUMNS);
  const take = (index: number, column: RosterColumn | null, how: ColumnMatch['how']): void => {
    matches[index] = { ...matches[index]!, column, how };
    if (column) free.delete(column);
  };
  header.forEach((text, index) => {
    const memory = known.remembered[plainHeader(text)];
    if (memory === null || (memory && free.has(memory))) take(index, memory, 'remembered');
  });
  const isOpen = (index: number): boolean => matches[index]!.how === 'none';
  header.forEach((text, index) => {
    const column = COLUMN_OF.get(plainHeader(text));
    if (isOpen(index) && column && free.has(column)) take(index, column, 'name');
  });
  const sites = new Set(known.sites.map((name) => name.toLowerCase()));
  const departments = new Set(known.departments.map((name) => name.toLowerCase()));
  const isDate = (value: string): boolean => readDate(value, 'dmy') !== null || readDate(value, 'mdy') !== null;
  const distinct = (list: readonly string[]): number => new Set(list).size / Math.max(1, list.length);
  const judge: [RosterColumn, (list: readonly string[]) => boolean][] = [
    ['email', (list) => share(list, (value) => EMAIL.test(value)) > 0.8 && distinct(list) > 0.95],
    ['manager', (list) => share(list, (value) => EMAIL.test(value)) > 0.8],
    ['joined on', (list) => share(list, isDate) > 0.8],
    ['site', (list) => share(list, (value) => sites.has(value.toLowerCase())) > 0.6],
    ['department', (list) => share(list, (value) => departments.has(value.toLowerCase())) > 0.6],
    [
      'personnel number',
      (list) => share(list, (value) => /\d/.test(value) && /^[\w./-]{1,20}$/.test(value) && !isDate(value)) > 0.9 && distinct(list) > 0.99,
    ],
    ['name', (list) => share(list, (value) => /^\p{L}[\p{L}'.-]*( \p{L}[\p{L}'.-]*)+$/u.test(value)) > 0.8 && distinct(list) > 0.8],
  ];
  for (const [column, fits] of judge) {
    if (!free.has(column)) continue;
    const index = matches.findIndex((_, i) => isOpen(i) && values[i]!.length > 0 && fits(values[i]!));
    if (index >= 0) take(index, column, 'content');
  }
  const dates = table
    .slice(1)
    .flatMap((row) => matches.flatMap(({ column }, index) => (column !== null && DATE_COLUMNS.has(column) ? [row[index] ?? ''] : [])));
  return { matches, columns: matches.map(({ column }) => column), ...findDateOrder(dates) };
}
