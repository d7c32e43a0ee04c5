import type { HouseArea, HouseChange, Words } from '@nudrik/contract';
import { rows, type Client, type Queryable } from '../db/db.ts';

const ADD = `
insert into house_changes (at, by_whom, area, words)
values ($1::timestamptz, $2::text, $3::text, $4::text)
`;
const LIST = `
select at, by_whom as "byWhom", words
from house_changes
where area = $1::text
order by id desc
limit 100
`;

/** Whoever changes something, and when. */
export interface By {
  at: number;
  byWhom: string;
}

/**
 * Notes a change of what the house goes by, in words. Nothing is noted where nothing changed.
 * @param what it is: "The site Orla Quay"
 * @param before null where it was made now
 * @param after null where it was removed
 */
export async function recordHouse(
  db: Client,
  area: HouseArea,
  { at, byWhom }: By,
  what: string,
  before: Words | null,
  after: Words | null,
): Promise<void> {
  const words = tellChange(what, before, after);
  if (words) await db.query(ADD, [new Date(at), byWhom, area, words]);
}

/** Notes what was done with what is kept, in words. */
export const noteHouse = (db: Client, area: HouseArea, { at, byWhom }: By, words: string): Promise<unknown> =>
  db.query(ADD, [new Date(at), byWhom, area, words]);

/** What changed, in one sentence; null where nothing did. */
export function tellChange(what: string, before: Words | null, after: Words | null): string | null {
  if (after === null) return `${what} was removed.`;
  const told = (words: Words): string[] => Object.entries(words).map(([key, text]) => `${key} ${text}`);
  if (before === null) return `${what} was made: ${told(after).join('; ')}.`;
  const changed = Object.entries(after).filter(([key, text]) => before[key] !== text);
  if (changed.length === 0) return null;
  return `${what}: ${changed.map(([key, text]) => `${key} ${text}, before ${before[key]}`).join('; ')}.`;
}

/** The newest changes of an area. */
export const listHouseChanges = (db: Queryable, area: HouseArea): Promise<HouseChange[]> => rows<HouseChange>(db, LIST, [area]);
