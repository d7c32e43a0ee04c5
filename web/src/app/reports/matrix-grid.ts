import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  type ElementRef,
  input,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { RouterLink } from '@angular/router';
import type { MatrixBy, MatrixCell, MatrixRow, MatrixSums, MatrixView } from '@nudrik/contract';
import { CELL_MARKS, dayOf, tellAmount, tellCell, tellDate } from '@nudrik/core';

const ROW = 30;
/** a column is as wide as there is room, within these */
const NARROW = 60;
const WIDE = 108;
const NAME = 240;
const LATE = 52;
const HEADS = 132;
const SUMS = 40;
/** rows and columns that stand ready beyond what is in sight */
const BEYOND = 6;

export interface Spot {
  row: number;
  course: number;
}
/** What is chosen: from one corner to the other, both with it. */
export interface Area {
  from: Spot;
  to: Spot;
}

const GROUP_WORDS: Readonly<Record<MatrixBy, string>> = { person: 'Person', department: 'Department', site: 'Site', manager: 'Manager' };

/** People or groups by courses, as large as it may be: what is in sight is drawn, with its heads beside it. It is walked like a table of numbers. */
@Component({
  selector: 'nk-matrix-grid',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  templateUrl: './matrix-grid.html',
  styleUrl: './matrix-grid.css',
})
export class MatrixGrid {
  readonly by = input.required<MatrixBy>();
  readonly courses = input.required<MatrixView['courses']>();
  readonly people = input.required<number>();
  readonly total = input.required<number>();
  /** the rows that are there, the first of them being row `from` */
  readonly rows = input.required<readonly MatrixRow[]>();
  /** the day that it is of, which goes along */
  readonly on = input<string>();
  readonly known = input<string>();
  readonly from = input.required<number>();
  /** the first row in sight: what is fetched goes by it */
  readonly seen = output<number>();
  readonly chosen = output<Area | null>();
  readonly opened = output<Spot>();
  protected readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  protected readonly top = signal(0);
  protected readonly left = signal(0);
  private readonly size = signal({ width: 1_000, height: 560 });
  protected readonly at = signal<Spot>({ row: 0, course: 0 });
  private readonly corner = signal<Spot | null>(null);
  /** which row stood where, and which course, when they were shown last */
  private readonly stood = new Map<number, string>();
  private columnsStood: string[] = [];
  protected readonly area = computed(() => {
    const [from, to] = [this.corner(), this.at()];
    if (from === null) return null;
    return {
      from: { row: Math.min(from.row, to.row), course: Math.max(0, Math.min(from.course, to.course)) },
      to: { row: Math.max(from.row, to.row), course: Math.max(0, Math.max(from.course, to.course)) },
    };
  });
  private readonly column = computed(() =>
    Math.max(NARROW, Math.min(WIDE, Math.floor((this.size().width - NAME - LATE - 1) / Math.max(1, this.courses().length)))),
  );
  protected readonly lanes = computed(() => ({ name: NAME, late: LATE, column: this.column(), row: ROW, heads: HEADS, sums: SUMS }));
  protected readonly word = computed(() => GROUP_WORDS[this.by()]);
  protected readonly width = computed(() => NAME + LATE + this.courses().length * this.column());
  protected readonly height = computed(() => HEADS + SUMS + this.total() * ROW);
  protected readonly columns = computed(() => {
    const first = Math.max(0, Math.floor(this.left() / this.column()) - BEYOND);
    const last = Math.min(this.courses().length, Math.ceil((this.left() + this.size().width) / this.column()) + BEYOND);
    return this.courses()
      .slice(first, last)
      .map((course, i) => ({ ...course, index: first + i, left: NAME + LATE + (first + i) * this.column(), words: tellSums(course.sums), share: shareOf(course.sums) }));
  }); // prettier-ignore
  private readonly firstRow = computed(() => Math.max(0, Math.floor(this.top() / ROW) - BEYOND));
  protected readonly shown = computed(() => {
    const last = Math.min(this.total(), Math.ceil((this.top() + this.size().height) / ROW) + BEYOND);
    const [from, rows] = [this.from(), this.rows()];
    return Array.from({ length: Math.max(0, last - this.firstRow()) }, (_, i) => {
      const index = this.firstRow() + i;
      return { index, top: HEADS + SUMS + index * ROW, row: this.read(rows[index - from]) };
    });
  });

  constructor() {
    afterNextRender(() => this.measure());
    effect(() => this.seen.emit(Math.floor(this.top() / ROW)));
    effect(() => this.chosen.emit(this.area()));
    // what is chosen is these people and courses: where others come to stand there, nothing is chosen any more
    effect(() => {
      const [from, rows, courses, total] = [this.from(), this.rows(), this.courses(), this.total()];
      const area = untracked(this.area);
      const isOther = (known: string | undefined, id: string | undefined): boolean => known !== undefined && known !== id;
      const isMoved =
        area !== null &&
        (area.to.row >= total ||
          rows.some(({ id }, i) => from + i >= area.from.row && from + i <= area.to.row && isOther(this.stood.get(from + i), id)) ||
          courses.some(({ id }, i) => isOther(this.columnsStood[i], id)));
      if (isMoved) this.corner.set(null);
      if (isMoved || area === null) this.stood.clear();
      rows.forEach(({ id }, i) => this.stood.set(from + i, id));
      this.columnsStood = courses.map(({ id }) => id);
    });
  }

  /** What is read of a row: each cell by its course. */
  private read(row: MatrixRow | undefined) {
    if (!row) return null;
    const cells = new Map<string, { mark: string; state: string; words: string }>();
    let late = 0;
    for (const cell of row.cells) {
      cells.set(cell.course, { mark: CELL_MARKS[cell.state], state: cell.state, words: tellCell(cell.state, cell.on && tellDate(dayOf(cell.on))) });
      if (cell.state === 'late') late++;
    }
    for (const { course, ...sums } of row.sums) {
      cells.set(course, { mark: shareOf(sums), state: sums.late > 0 ? 'late' : sums.current < sums.asked ? 'due' : 'held', words: tellSums(sums) });
      late += sums.late;
    }
    return { id: row.id, name: row.name, where: row.where ?? tellAmount(row.people ?? 0, 'people'), late, cells };
  } // prettier-ignore

  protected measure(): void {
    const { clientWidth, clientHeight, scrollTop, scrollLeft } = this.box().nativeElement;
    if (clientHeight > 0) this.size.set({ width: clientWidth, height: clientHeight });
    this.top.set(scrollTop);
    this.left.set(scrollLeft);
  }

  protected isChosen(row: number, course: number): boolean {
    const area = this.area();
    return area !== null && row >= area.from.row && row <= area.to.row && course >= area.from.course && course <= area.to.course;
  }

  protected isAt(row: number, course: number): boolean {
    const at = this.at();
    return at.row === row && at.course === course;
  }

  /** A press on a cell: it is the one walked from; with the shift key, all up to it are chosen. */
  protected press(event: MouseEvent, row: number, course: number): void {
    const isFurther = event.shiftKey && course >= 0;
    if (isFurther && this.corner() === null) this.corner.set(this.at());
    if (!isFurther) this.corner.set(null);
    this.at.set({ row, course });
    if (!isFurther && course >= 0) this.opened.emit({ row, course });
  }

  protected key(event: KeyboardEvent): void {
    const { row, course } = this.at();
    const [lastRow, lastCourse] = [this.total() - 1, this.courses().length - 1];
    const page = Math.max(1, Math.floor((this.size().height - HEADS - SUMS) / ROW) - 1);
    const isFar = event.ctrlKey || event.metaKey;
    const to: Partial<Record<string, Spot>> = {
      ArrowDown: { row: isFar ? lastRow : row + 1, course },
      ArrowUp: { row: isFar ? 0 : row - 1, course },
      ArrowRight: { row, course: isFar ? lastCourse : course + 1 },
      ArrowLeft: { row, course: isFar ? 0 : course - 1 },
      j: { row: row + 1, course },
      k: { row: row - 1, course },
      PageDown: { row: row + page, course },
      PageUp: { row: row - page, course },
      Home: { row: isFar ? 0 : row, course: 0 },
      End: { row: isFar ? lastRow : row, course: lastCourse },
    };
    const next = to[event.key];
    if (next) {
      event.preventDefault();
      if (event.shiftKey && this.corner() === null) this.corner.set({ row, course: Math.max(0, course) });
      if (!event.shiftKey) this.corner.set(null);
      this.go({ row: Math.max(0, Math.min(lastRow, next.row)), course: Math.max(-1, Math.min(lastCourse, next.course)) });
    } else if (event.key === 'Enter') {
      event.preventDefault();
      this.opened.emit(this.at());
    } else if (event.key === ' ') {
      event.preventDefault();
      this.corner.set(this.corner() === null ? { row, course: Math.max(0, course) } : null);
    } else if (event.key === 'Escape' && this.corner() !== null) {
      event.preventDefault();
      event.stopPropagation();
      this.corner.set(null);
    }
  }

  /** Nothing is chosen any more. */
  clear(): void {
    this.corner.set(null);
  }

  /** Goes to a cell, and brings it in sight beside the heads. */
  private go(spot: Spot): void {
    this.at.set(spot);
    const box = this.box().nativeElement;
    const { width, height } = this.size();
    const top = spot.row * ROW;
    if (top < box.scrollTop) box.scrollTop = top;
    else if (top + ROW > box.scrollTop + height - HEADS - SUMS) box.scrollTop = top + ROW - height + HEADS + SUMS;
    const left = Math.max(0, spot.course) * this.column();
    if (left < box.scrollLeft) box.scrollLeft = left;
    else if (left + this.column() > box.scrollLeft + width - NAME - LATE) box.scrollLeft = left + this.column() - width + NAME + LATE;
    this.measure();
  }
}

const shareOf = ({ current, asked }: MatrixSums): string => (asked === 0 ? '' : `${current}/${asked}`);

/** The sums of a course in words. */
export const tellSums = ({ current, asked, open, late }: MatrixSums): string =>
  asked === 0 ? 'nobody was asked' : `${current} of ${asked} hold it, ${open} open${late > 0 ? `, ${late} late` : ''}`;

/** The cells of an area, row by row, with the row they stand in; what is not there yet is left out. */
export function cellsIn({ from, to }: Area, rows: readonly MatrixRow[], first: number, courses: MatrixView['courses']): { row: MatrixRow; course: string; cell: MatrixCell | null }[] {
  const within = courses.slice(from.course, to.course + 1);
  return rows.slice(Math.max(0, from.row - first), Math.max(0, to.row + 1 - first)).flatMap((row) => {
    const of = new Map(row.cells.map((cell) => [cell.course, cell]));
    return within.map(({ id }) => ({ row, course: id, cell: of.get(id) ?? null }));
  });
} // prettier-ignore
