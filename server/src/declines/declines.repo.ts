import type { Declined } from '@nudrik/contract';
import type { Instant } from '@nudrik/core';
import { maybeRow, rows, type Client, type Queryable } from '../db/db.ts';

/** What a message may say at its end: whose, and which step of which course it was. */
export interface Meant {
  person_id: string;
  person: string;
  course_id: string;
  course: string;
  step_id: string;
  step_name: string;
  declined: string | null;
}

const MEANT = `
select n.person_id, p.name as person, n.course_id, c.title as course, n.step_id, n.step_name,
  (select d.id from declines d where d.person_id = n.person_id and d.course_id = n.course_id and d.step_id = n.step_id and d.ended_at is null) as declined
from notices n
join people p on p.id = n.person_id
join courses c on c.id = n.course_id
where n.id = $1::bigint
  and n.recipient_id = n.person_id
  and n.to_role = 'employee'
`;

/** @param notice whose message the link stood in */
export const findMeant = (db: Queryable, notice: string): Promise<Meant | null> => maybeRow<Meant>(db, MEANT, [notice]);

const OWN = `
select d.id as declined, d.person_id, p.name as person, d.course_id, c.title as course, d.step_id, d.step_name
from declines d
join people p on p.id = d.person_id
join courses c on c.id = d.course_id
where d.id = $1::bigint
  and d.person_id = $2::bigint
  and d.ended_at is null
`;

/** What somebody declined and has not taken back, by its number. */
export const findOwn = (db: Queryable, id: string, person: string): Promise<Meant | null> => maybeRow<Meant>(db, OWN, [id, person]);

const INSERT = `
insert into declines (person_id, course_id, step_id, step_name, at)
values ($1::bigint, $2::bigint, $3::text, $4::text, $5::timestamptz)
on conflict (person_id, course_id, step_id) where ended_at is null do nothing
returning id
`;
/** @returns whether it is news */
export const insertDecline = async (db: Client, { person_id, course_id, step_id, step_name }: Meant, at: Instant): Promise<boolean> =>
  (await rows(db, INSERT, [person_id, course_id, step_id, step_name, new Date(at)])).length > 0;

const END = 'update declines set ended_at = $2::timestamptz where id = $1::bigint and ended_at is null returning id';
/** @returns whether it stood until then */
export const endOne = async (db: Client, id: string, at: Instant): Promise<boolean> => (await rows(db, END, [id, new Date(at)])).length > 0;

/** What somebody declined and has not taken back, the newest first. */
export async function listDeclined(db: Queryable, person: string): Promise<Declined[]> {
  const found = await rows<{ id: string; step: string; course: string; at: Date }>(
    db,
    `select d.id, d.step_name as step, c.title as course, d.at
    from declines d
    join courses c on c.id = d.course_id
    where d.person_id = $1::bigint and d.ended_at is null
    order by d.at desc, d.id desc`,
    [person],
  );
  return found.map((row) => ({ ...row, at: row.at.toISOString() }));
}
