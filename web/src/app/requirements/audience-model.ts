import { isLeaf, leafName, type Audience, type Leaf, type LeafName } from '@nudrik/core';

/** Conditions that an audience may have: of people, not of an assignment. */
export type AudienceLeafName = Exclude<LeafName, 'state' | 'unitFinished'>;

/** An audience as the builder's rows hold it: each row with its "not", groups with all or any. */
export type Row = { isNot: boolean } & ({ kind: 'leaf'; leaf: Leaf } | { kind: 'group'; mode: 'all' | 'any'; rows: Row[] });
export type GroupRow = Extract<Row, { kind: 'group' }>;

const EMPTY: Record<AudienceLeafName, Leaf> = {
  department: { department: [], below: true },
  site: { site: [] },
  group: { group: [] },
  job: { job: [] },
  line: { line: [] },
  joinedBefore: { joinedBefore: '' },
  joinedAfter: { joinedAfter: '' },
  joinedWithin: { joinedWithin: 90 },
  number: { number: [] },
  holds: { holds: [] },
  lacks: { lacks: [] },
};

export const emptyLeaf = (name: AudienceLeafName): Leaf => structuredClone(EMPTY[name]);
export const newRow = (name: AudienceLeafName = 'department'): Row => ({ kind: 'leaf', isNot: false, leaf: emptyLeaf(name) });
export const newGroup = (mode: 'all' | 'any'): GroupRow => ({ kind: 'group', isNot: false, mode, rows: [newRow()] });

/** What a row's condition lists, by whatever key; null for dates and days. */
export function valuesOf(leaf: Leaf): readonly string[] | null {
  const value: unknown = (leaf as Record<string, unknown>)[leafName(leaf)];
  return Array.isArray(value) ? (value as string[]) : null;
}

export const withValues = (leaf: Leaf, values: readonly string[]): Leaf => ({ ...leaf, [leafName(leaf)]: values }) as Leaf;

/** Whether a condition says something yet; one that does not is left out of the question. */
export function isComplete(leaf: Leaf): boolean {
  const values = valuesOf(leaf);
  if (values) return values.length > 0;
  if ('joinedWithin' in leaf) return Number.isInteger(leaf.joinedWithin) && leaf.joinedWithin >= 0;
  return /^\d{4}-\d{2}-\d{2}$/.test('joinedBefore' in leaf ? leaf.joinedBefore : 'joinedAfter' in leaf ? leaf.joinedAfter : '');
}

export function rowsFrom(audience: Audience): GroupRow {
  const row = rowFrom(audience);
  return row.kind === 'group' && !row.isNot ? row : { kind: 'group', isNot: false, mode: 'all', rows: [row] };
}

function rowFrom(audience: Audience): Row {
  if ('not' in audience) {
    const inner = rowFrom(audience.not);
    return { ...inner, isNot: !inner.isNot };
  }
  if (isLeaf(audience)) return { kind: 'leaf', isNot: false, leaf: audience };
  const mode = 'all' in audience ? 'all' : 'any';
  return { kind: 'group', isNot: false, mode, rows: ('all' in audience ? audience.all : audience.any).map(rowFrom) };
}

/** The audience that the rows ask for; rows that say nothing yet are left out, and so are groups without a row. */
export function audienceFrom(row: Row): Audience | null {
  let audience: Audience | null;
  if (row.kind === 'leaf') audience = isComplete(row.leaf) ? row.leaf : null;
  else {
    const parts = row.rows.map(audienceFrom).filter((part) => part !== null);
    audience = parts.length === 0 ? null : row.mode === 'all' ? { all: parts } : { any: parts };
  }
  return audience && row.isNot ? { not: audience } : audience;
}
