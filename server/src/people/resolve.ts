import type { Resolved } from '@nudrik/contract';
import { dayOf, tellDate } from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';

const LIST_KNOWN = `
select id, name, email, lower(personnel_number) as number, left_on
from people
`;

/**
 * Who stands in a pasted list: an e-mail (also as "Name <address>"), a personnel number or a full name, one a line or
 * between commas, semicolons and tabs.
 */
export async function resolvePeople(db: Queryable, text: string, today: string): Promise<Resolved> {
  const people = await rows<{ id: string; name: string; email: string; number: string | null; left_on: string | null }>(db, LIST_KNOWN);
  const byKey = new Map(people.flatMap((p) => [[p.email, p] as const, ...(p.number ? [[p.number, p] as const] : [])]));
  const byName = new Map<string, typeof people>();
  for (const person of people) byName.set(person.name.toLowerCase(), [...(byName.get(person.name.toLowerCase()) ?? []), person]);
  const found = new Map<string, string>();
  const unknown: Resolved['unknown'] = [];
  for (const written of text
    .split(/[\n\r,;\t]+/)
    .map((part) => part.trim())
    .filter(Boolean)) {
    const key = (/<([^>]+)>/.exec(written)?.[1] ?? written).trim().toLowerCase();
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
  return { found: [...found].map(([id, name]) => ({ id, name })), unknown };
}
