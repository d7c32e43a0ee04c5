import type { PackageTold, Stretch, Video } from '@nudrik/core';
import type { FileAbout, Place } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Queryable } from '../db/db.ts';

/** What somebody did in a unit that is no event. */
export interface UnitWork {
  place: Place | null;
  played: Stretch[] | null;
  package: KeptPackage | null;
  /** seconds since the last that was told, by the clock of the machine */
  elapsed: number;
}
export interface KeptPackage {
  /** the package that it was: one that was replaced begins anew */
  fileId: string;
  /** its data model as JSON, as it stood */
  data: string;
  told: PackageTold;
}

const FIND = `
select place, played, package, extract(epoch from now() - told_at)::float8 as elapsed
from unit_work
where assignment_id = $1::bigint
  and unit_id = $2::bigint
`;
export const findWork = (db: Queryable, assignmentId: string, unitId: string): Promise<UnitWork | null> => maybeRow(db, FIND, [assignmentId, unitId]); // prettier-ignore

const LIST = 'select unit_id as unit, place, played from unit_work where assignment_id = $1::bigint';

/** Where somebody is in the units of a course. */
export const listWork = async (db: Queryable, assignmentId: string): Promise<Map<string, Pick<UnitWork, 'place' | 'played'>>> =>
  new Map((await rows<{ unit: string; place: Place | null; played: Stretch[] | null }>(db, LIST, [assignmentId])).map((row) => [row.unit, row])); // prettier-ignore

const PUT_PLACE = `
insert into unit_work (assignment_id, unit_id, place, at)
values ($1::bigint, $2::bigint, $3::jsonb, $4::timestamptz)
on conflict (assignment_id, unit_id) do update
set place = excluded.place, at = excluded.at
`;
export const putPlace = (db: Queryable, assignmentId: string, unitId: string, place: Place, at: number): Promise<unknown> =>
  db.query(PUT_PLACE, [assignmentId, unitId, JSON.stringify(place), new Date(at)]);

const PUT_PLAYED = `
insert into unit_work (assignment_id, unit_id, played, place, at)
values ($1::bigint, $2::bigint, $3::jsonb, $4::jsonb, $5::timestamptz)
on conflict (assignment_id, unit_id) do update
set played = excluded.played, place = excluded.place, at = excluded.at, told_at = now()
`;
export const putPlayed = (
  db: Queryable,
  assignmentId: string,
  unitId: string,
  played: readonly Stretch[],
  place: Place,
  at: number,
): Promise<unknown> => db.query(PUT_PLAYED, [assignmentId, unitId, JSON.stringify(played), JSON.stringify(place), new Date(at)]);

const PUT_PACKAGE = `
insert into unit_work (assignment_id, unit_id, package, at)
values ($1::bigint, $2::bigint, $3::jsonb, $4::timestamptz)
on conflict (assignment_id, unit_id) do update
set package = excluded.package, at = excluded.at
`;
export const putPackage = (db: Queryable, assignmentId: string, unitId: string, kept: KeptPackage, at: number): Promise<unknown> =>
  db.query(PUT_PACKAGE, [assignmentId, unitId, JSON.stringify(kept), new Date(at)]);

const GET_CONTENT = `
select u.file_id as "fileId", u.content -> 'video' as video, coalesce(f.about, '{}') as about
from units u
left join files f on f.id = u.file_id
where u.id = $1::bigint
`;
export const findUnitContent = (db: Queryable, unitId: string): Promise<{ fileId: string | null; video: Video | null; about: FileAbout }> => oneRow(db, GET_CONTENT, [unitId]); // prettier-ignore
