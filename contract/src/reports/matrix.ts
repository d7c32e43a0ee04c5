import { z } from 'zod';
import { CELLS, type Cell } from '@nudrik/core';
import { Id } from '../common.ts';
import { AsOfQuery, type AsOfTold } from './as-of.ts';
import type { ReportRow } from './reports.ts';

/** Rows of the matrix: people, or whom they belong to. */
export const MATRIX_ROWS = ['person', 'department', 'site', 'manager'] as const;
export type MatrixBy = (typeof MATRIX_ROWS)[number];

/** GET /api/matrix: rows of people or groups by courses, as many as are looked at */
export const MatrixQuery = AsOfQuery.extend({
  by: z.enum(MATRIX_ROWS).default('person'),
  find: z.string().max(200).optional(),
  /** with whatever stands below it */
  department: z.string().max(200).optional(),
  site: z.string().max(200).optional(),
  /** whoever reports to them */
  manager: Id.optional(),
  group: Id.optional(),
  /** whoever stands so with the course below, or with any; `none` is never asked */
  state: z.enum([...CELLS, 'none']).optional(),
  course: Id.optional(),
  sort: z.enum(['name', 'department', 'site', 'manager', 'late']).default('name'),
  order: z.enum(['asc', 'desc']).default('asc'),
  from: z.coerce.number().int().min(0).max(10_000_000).default(0),
  size: z.coerce.number().int().min(1).max(200).default(100),
});
export type MatrixQuery = z.infer<typeof MatrixQuery>;

/** How many people: who holds it, was asked for it, has it open, is late on it. */
export interface MatrixSums {
  current: number;
  asked: number;
  open: number;
  late: number;
}

export interface MatrixCell {
  course: string;
  state: Cell;
  on: string | null;
  /** what is open, for acting on it */
  open: string | null;
}

/** One person, with how they stand; or a group, with how many of it do. */
export interface MatrixRow {
  id: string;
  name: string;
  /** department and site of a person; of a group nothing */
  where: string | null;
  /** people of a group */
  people: number | null;
  cells: MatrixCell[];
  sums: ({ course: string } & MatrixSums)[];
}

export interface MatrixView {
  by: MatrixBy;
  /** which row the first of these is */
  from: number;
  courses: { id: string; title: string; isRetired: boolean; sums: MatrixSums }[];
  rows: MatrixRow[];
  /** rows that fit */
  total: number;
  /** people that fit */
  people: number;
  /** null is now */
  asOf: AsOfTold | null;
}

/** GET /api/matrix/cells/:person/:course: what stands behind one */
export interface MatrixCellSheet {
  person: { id: string; name: string; where: string };
  course: { id: string; title: string };
  state: Cell | null;
  on: string | null;
  /** as the report of the course has it */
  assignment: Omit<ReportRow, 'person' | 'department' | 'site' | 'manager'> | null;
}
