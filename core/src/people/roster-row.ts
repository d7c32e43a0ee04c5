import type { LocalDate } from '../time/calendar.ts';

/** One person as the roster and a file both write it. */
export interface RosterRow {
  personnelNumber: string | null;
  name: string;
  email: string;
  department: string;
  site: string;
  job: string | null;
  /** what messages are read in, as a tag (BCP 47) */
  language: string | null;
  /** what the workplace chat knows them by */
  chatName: string | null;
  managerEmail: string | null;
  joinedOn: LocalDate | null;
  leftOn: LocalDate | null;
}
/** Leave, both days inclusive, and who covers it, by e-mail. */
export interface RosterLeave {
  from: LocalDate;
  /** null until further notice */
  to: LocalDate | null;
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
  'language',
  'chatName',
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
  /** what the file calls as it was called before, with what it is called now */
  calledNow: FormerName[];
  /** rows left out since another one of the same person was chosen */
  passedOver: { row: number; chosen: number }[];
  /** people on the roster who have not left: what shares are counted of */
  rosterSize: number;
}

/** A department or site that was renamed: whoever writes its former name means it still. */
export interface FormerName {
  place: 'department' | 'site';
  was: string;
  name: string;
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
  /** names of departments and sites that are nobody's now, with what they are called since */
  formerNames?: readonly FormerName[];
  /** when somebody with this address or number was erased; they come back only by joining later than that */
  erasedOn?: (email: string, number: string | null) => LocalDate | null;
  /** who may be taken to have left by being missing; everyone where it is not given */
  mayLeave?: (person: RosterPerson) => boolean;
}
