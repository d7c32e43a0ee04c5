import type { Resolved } from '@nudrik/contract';
import { dayOf, tellDate } from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';
import { Refused } from '../refusal.ts';

const LIST_CALLED = `
select id, name, email, lower(personnel_number) as number, left_on
from people
where email = any($1::text[])
  or lower(personnel_number) = any($1::text[])
  or lower(name) = any($1::text[])
`;

interface Called {
  id: string;
  name: string;
  email: string;
  number: string | null;
  left_on: string | null;
}

/** So many are looked for in one go, and in one list. */
const PART = 1_000;
const MOST = 50_000;

/**
 * Who stands in a pasted list: an e-mail (also as "Name <address>"), a personnel number or a full name, one a line or
 * between commas, semicolons and tabs.
 */
export async function resolvePeople(db: Queryable, text: string, today: string): Promise<Resolved> {
  const list = text
    .split(/[\n\r,;\t]+/)
    .map((part) => part.trim())
    .filter(Boolean);
  if (list.length > MOST)
    throw new Refused(
      'too-large',
      `The list has ${list.length.toLocaleString('en')} entries; expected at most ${MOST.toLocaleString('en')}. Nobody was chosen.`,
    );
  const found = new Map<string, string>();
  const unknown: Resolved['unknown'] = [];
  for (let from = 0; from < list.length; from += PART) {
    const part = list.slice(from, from + PART).map((written) => ({ written, key: keyOf(written) }));
    const called = await rows<Called>(db, LIST_CALLED, [[...new Set(part.map(({ key }) => key))]]);
    const byKey = new Map<string, Called>();
    const byName = new Map<string, Called[]>();
    for (const person of called) {
      byKey.set(person.email, person);
      if (person.number) byKey.set(person.number, person);
      const name = person.name.toLowerCase();
      byName.set(name, [...(byName.get(name) ?? []), person]);
    }
    for (const { written, key } of part) {
      const named = byName.get(key) ?? [];
      const person = byKey.get(key) ?? (named.length === 1 ? named[0] : undefined);
      if (!person)
        unknown.push({
          text: written,
          why: named.length > 1 ? `${named.length} people have this name; use the e-mail or the number` : 'nobody on the roster',
        });
      else if (person.left_on !== null && person.left_on <= today)
        unknown.push({ text: written, why: `${person.name} left on ${tellDate(dayOf(person.left_on))}` });
      else found.set(person.id, person.name);
    }
  }
  return { found: [...found].map(([id, name]) => ({ id, name })), unknown };
}

const keyOf = (written: string): string => (/<([^>]+)>/.exec(written)?.[1] ?? written).trim().toLowerCase();
