import type { AsOfTold } from '@nudrik/contract';
import { CELL_WORDS, type Cell } from '@nudrik/core';
import type { Queryable } from '../db/db.ts';
import { listCandidates } from './as-of.repo.ts';
import type { At } from './as-of.ts';
import { listDiffering, listElsewhere } from './differing.repo.ts';
import { peopleOf, type Filter } from './matrix.repo.ts';

const wordsOf = (cell: Cell | ''): string => (cell === '' ? 'not asked' : CELL_WORDS[cell]);
const place = (isHere: boolean): string => (isHere ? 'on the roster' : 'not on the roster');

/** What the two readings of a day tell differently of the people that are looked at. @param course of one course alone */
export async function tellAsOf(db: Queryable, query: Filter, at: At, course: string | null = null): Promise<AsOfTold> {
  const { state: _, course: __, ...filter } = query;
  const candidates = await listCandidates(db, at);
  const told = { on: at.today, known: at.past! };
  if (candidates.length === 0) return { ...told, differs: { count: 0, first: [] } };
  const pairs = await listDiffering(db, filter, at, candidates, course);
  // a course tells of whoever was asked for it, wherever they were
  const moved = course === null && peopleOf(filter, at).isEveryone ? await listElsewhere(db, at, candidates) : [];
  return {
    ...told,
    differs: {
      count: (pairs[0]?.count ?? 0) + (moved[0]?.count ?? 0),
      first: [
        ...pairs.map((row) => ({
          person: { id: row.id, name: row.name },
          course: { id: row.course_id, title: row.title },
          then: wordsOf(row.was),
          now: wordsOf(row.is_now),
        })),
        ...moved.map((row) => ({
          person: { id: row.id, name: row.name },
          course: null,
          then: place(row.was_here),
          now: place(!row.was_here),
        })),
      ].slice(0, 20),
    },
  };
}
