import { z } from 'zod';
import { Id, LocalDate } from '../common.ts';

/** Figures that help decide, each with its table. */
export const FIGURES = ['weeks', 'ageing', 'duration', 'after', 'managers', 'mail'] as const;
export type FigureName = (typeof FIGURES)[number];

/** GET /api/figures/:name: of assignments or notices between two days, both of them counted */
export const FigureQuery = z.object({
  from: LocalDate.optional(),
  to: LocalDate.optional(),
  course: Id.optional(),
  department: z.string().max(200).optional(),
  site: z.string().max(200).optional(),
  /** within how many days after a notice a finish counts as following it */
  days: z.coerce.number().int().min(1).max(90).default(7),
});
export type FigureQuery = z.infer<typeof FigureQuery>;

/** Where the people of a number are. */
export interface FigureLink {
  path: string[];
  query: Record<string, string>;
}
export interface FigureCell {
  value: number | null;
  link: FigureLink | null;
}
export interface FigureRow {
  label: string;
  link: FigureLink | null;
  cells: FigureCell[];
}

export interface FigureView {
  name: FigureName;
  from: string;
  to: string;
  /** what the rows are: "Course" */
  rowsAre: string;
  /** the columns, and what their numbers are */
  columns: { head: string; unit: 'people' | 'assignments' | 'notices' | 'days' | 'hours' | 'percent' | 'replies' }[];
  rows: FigureRow[];
  /** which columns are drawn, and how; null where there is nothing to draw */
  chart: { kind: 'bars' | 'stacked' | 'lines'; columns: number[] } | null;
}
