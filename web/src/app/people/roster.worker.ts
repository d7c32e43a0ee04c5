import { expose } from 'comlink';
import {
  ALL_GROUPS,
  chooseGroups,
  GROUPS,
  matchColumns,
  previewRoster,
  shareOf,
  takenOf,
  type ColumnMatch,
  type DateOrder,
  type Group,
  type Groups,
  type Matching,
  type PreviewOptions,
  type Rejection,
  type RosterPreview,
  type RowChange,
} from '@nudrik/core';
import { readTable, UnreadableFile, writeCsv, type TableFile } from '@nudrik/core/table-file';
import type { Refusal, RosterFacts } from '@nudrik/contract';

/** What was read of a file, before anything is compared. */
export interface OpenedFile {
  file: Omit<TableFile, 'cells'> & { rows: number };
  matches: ColumnMatch[];
  dateOrder: DateOrder;
  isDateOrderSure: boolean;
  mark: string;
  today: string;
  changeShare: number;
}

/** A comparison as the page shows it: the counts are over all, the lists are cut. */
export interface ShownPreview {
  groups: Record<Group, { count: number; rows: RowChange[] }>;
  unchanged: number;
  rejected: { count: number; rows: Rejection[] };
  newDepartments: string[];
  calledNow: RosterPreview['calledNow'];
  passedOver: { row: number; chosen: number }[];
  rosterSize: number;
  /** what would be taken with the groups that are chosen */
  taken: number;
  left: number;
  /** percent of the roster that would have left */
  leftShare: number;
}

/** Rows of one group that a page shows. */
const SHOWN = 200;

/** Reads and compares roster files beside the page: the page never waits, and nothing is stored. */
class RosterWork {
  private cells: string[][] = [];
  private facts: RosterFacts | null = null;
  private preview: RosterPreview | null = null;

  /** @throws Error with a sentence when the file cannot be read or the roster is not to be had */
  async open(file: File, onProgress: (words: string, share: number) => void): Promise<OpenedFile> {
    onProgress('Fetching the roster', 0);
    const response = await fetch('/api/people/roster');
    if (!response.ok)
      throw new Error(((await response.json().catch(() => null)) as Refusal | null)?.message ?? `The server answered ${response.status}.`);
    this.facts = (await response.json()) as RosterFacts;
    onProgress('Reading the file', 0.1);
    const bytes = new Uint8Array(await file.arrayBuffer());
    let read: TableFile;
    try {
      read = await readTable(bytes, (share) => onProgress('Reading the file', 0.1 + share * 0.4));
    } catch (error) {
      if (error instanceof UnreadableFile) throw new Error(`${file.name}: ${error.message}. Nothing was taken.`, { cause: error });
      throw error;
    }
    this.cells = read.cells;
    const { matches, dateOrder, isDateOrderSure } = matchColumns(this.cells, this.facts);
    const { mark, today, changeShare } = this.facts;
    const rows = this.cells.slice(1).filter((row) => row.some((cell) => cell.trim() !== '')).length;
    return {
      file: { kind: read.kind, encoding: read.encoding, delimiter: read.delimiter, rows },
      matches,
      dateOrder,
      isDateOrderSure,
      mark,
      today,
      changeShare,
    };
  }

  compare(
    matching: Matching,
    options: Omit<PreviewOptions, 'today'>,
    groups: Groups,
    onProgress: (words: string, share: number) => void,
  ): ShownPreview {
    const { people, sites, today, formerNames } = this.facts!;
    this.preview = previewRoster(this.cells, matching, people, sites, { ...options, today, formerNames }, (share) =>
      onProgress('Comparing with the roster', 0.5 + share * 0.5),
    );
    return this.choose(groups);
  }

  /** Every problem with its row and reason, and the row itself beside it, as CSV: for whoever keeps the file. */
  problems(groups: Groups): string {
    const { rejected } = chooseGroups(this.preview!, groups, this.facts!.people);
    const header = this.cells[0] ?? [];
    return writeCsv([
      ['row', 'column', 'reason', ...header],
      ...rejected.map(({ row, column, reason }) => [row, column, reason, ...(row === null ? [] : (this.cells[row - 1] ?? []))]),
    ]);
  }

  /** The same comparison with other groups taken. */
  choose(groups: Groups): ShownPreview {
    const all = this.preview!;
    const chosen = chooseGroups(all, groups, this.facts!.people);
    const shown = {} as ShownPreview['groups'];
    for (const group of GROUPS) {
      const rows = groups[group] ? chosen[group] : all[group];
      shown[group] = { count: rows.length, rows: rows.slice(0, SHOWN) };
    }
    return {
      groups: shown,
      unchanged: all.unchanged,
      rejected: { count: chosen.rejected.length, rows: chosen.rejected.slice(0, SHOWN) },
      newDepartments: groups.added || groups.changed ? all.newDepartments : [],
      calledNow: all.calledNow,
      passedOver: all.passedOver,
      rosterSize: all.rosterSize,
      taken: takenOf(chosen, ALL_GROUPS).length,
      left: chosen.left.length,
      leftShare: shareOf(chosen.left.length, all),
    };
  }
}

export type { RosterWork };
expose(new RosterWork());
