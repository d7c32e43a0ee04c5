import { STARTING_DESIGNS, type Design } from '@nudrik/core';
import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface DesignDbRow {
  id: string;
  name: string;
  version: number;
  retired_at: Date | null;
  changed_at: Date;
  changed_by: string;
  design: Design;
  is_house: boolean;
  courses: { id: string; title: string }[];
  issued: number;
}

const COLUMNS = `
  d.id, d.name, d.version, d.retired_at, d.changed_at, d.changed_by, v.design, h.certificate_design_id is not distinct from d.id as is_house,
  (
    select coalesce(jsonb_agg(jsonb_build_object('id', c.id::text, 'title', c.title) order by c.title), '[]')
    from courses c
    where c.certificate_design_id = d.id
      and c.state <> 'retired'
  ) as courses,
  (select count(*)::integer from certificates k where k.design_id = d.id) as issued
`;
const FROM = `
from certificate_designs d
join certificate_design_versions v on v.design_id = d.id and v.version = d.version
cross join settings h
`;
const LIST = `select ${COLUMNS} ${FROM} order by d.retired_at is not null, lower(d.name)`;
const FIND = `select ${COLUMNS} ${FROM} where d.id = $1::bigint`;
const LOCK =
  'select id, name, version, retired_at, changed_at, changed_by from certificate_designs where id = $1::bigint for no key update';

export const listDesigns = (db: Queryable): Promise<DesignDbRow[]> => rows(db, LIST);
export const findDesign = (db: Queryable, id: string): Promise<DesignDbRow | null> => maybeRow(db, FIND, [id]);
export const lockDesign = (db: Client, id: string): Promise<Omit<DesignDbRow, 'design' | 'is_house' | 'courses' | 'issued'> | null> =>
  maybeRow(db, LOCK, [id]);

const INSERT = `
insert into certificate_designs (name, changed_at, changed_by)
values ($1::text, $2::timestamptz, $3::text)
returning id
`;
const INSERT_VERSION = `
insert into certificate_design_versions (design_id, version, design, at, by_whom, save)
values ($1::bigint, $2::integer, $3::jsonb, $4::timestamptz, $5::text, $6::text)
`;
const UPDATE = `
update certificate_designs
set name = $2::text, version = $3::integer, changed_at = $4::timestamptz, changed_by = $5::text
where id = $1::bigint
`;

export async function insertDesign(db: Client, name: string, at: Date, byWhom: string): Promise<string> {
  return (await oneRow<{ id: string }>(db, INSERT, [name, at, byWhom])).id;
}
export const insertDesignVersion = (
  db: Client,
  id: string,
  version: number,
  { design, at, byWhom, save }: { design: Design; at: Date; byWhom: string; save: string },
): Promise<unknown> => db.query(INSERT_VERSION, [id, version, JSON.stringify(design), at, byWhom, save]);
export const updateDesign = (db: Client, id: string, name: string, version: number, at: Date, byWhom: string): Promise<unknown> =>
  db.query(UPDATE, [id, name, version, at, byWhom]);

const RETIRE = 'update certificate_designs set retired_at = $2::timestamptz where id = $1::bigint';
export const retireDesign = (db: Client, id: string, at: Date | null): Promise<unknown> => db.query(RETIRE, [id, at]);

const SET_HOUSE = 'update settings set certificate_design_id = $1::bigint';
export const setHouseDesign = (db: Client, id: string | null): Promise<unknown> => db.query(SET_HOUSE, [id]);

const GET_NAME = `
select d.name
from settings h
join certificate_designs d on d.id = coalesce($1::bigint, h.certificate_design_id)
`;
/** What the design is called that certificates of a course have. @param own that of the course; null is the house's */
export const designName = async (db: Queryable, own: string | null): Promise<string> =>
  (await maybeRow<{ name: string }>(db, GET_NAME, [own]))?.name ?? STARTING_DESIGNS[0].name;

const LIST_VERSIONS = `
select v.version, v.at, v.by_whom, (select count(*)::integer from certificates k where k.design_id = v.design_id and k.design_version = v.version) as issued
from certificate_design_versions v
where v.design_id = $1::bigint
order by v.version desc
`;
export const listDesignVersions = (db: Queryable, id: string): Promise<{ version: number; at: Date; by_whom: string; issued: number }[]> =>
  rows(db, LIST_VERSIONS, [id]);

const FIND_VERSION = 'select design, save from certificate_design_versions where design_id = $1::bigint and version = $2::integer';
export const findDesignVersion = (db: Queryable, id: string, version: number): Promise<{ design: Design; save: string } | null> =>
  maybeRow(db, FIND_VERSION, [id, version]);

const FIND_NAMESAKE = 'select name from certificate_designs where lower(name) = lower($1::text) and id is distinct from $2::bigint';
export const findNamesake = (db: Queryable, name: string, id: string | null): Promise<{ name: string } | null> =>
  maybeRow(db, FIND_NAMESAKE, [name, id]);

// what certificates of a course look like: its own design, else the house's; null is the one that comes with the software
const GET_DESIGN_OF = `
select d.id, d.version
from courses c
cross join settings h
join certificate_designs d on d.id = coalesce(c.certificate_design_id, h.certificate_design_id)
where c.id = $1::bigint
`;
export const designOfCourse = (db: Queryable, courseId: string): Promise<{ id: string; version: number } | null> =>
  maybeRow(db, GET_DESIGN_OF, [courseId]);

// names that show what a design does: the longest, the shortest, and one that Latin letters do not write
const LIST_NAMES = `
select * from (
  (select id, name, 'longest name' as why from people where is_here(left_on, $1::date) order by length(name) desc, id limit 1)
  union all
  (select id, name, 'shortest name' from people where is_here(left_on, $1::date) order by length(name), id limit 1)
  union all
  (
    select id, name, 'another script'
    from people
    where is_here(left_on, $1::date)
      and name ~ '[^\\u0001-\\u024f\\u02bc\\u1e00-\\u1eff\\u2010-\\u2019]'
    order by length(name) desc, id
    limit 1
  )
) n
`;
export const listShowingNames = (db: Queryable, today: string): Promise<{ id: string; name: string; why: string }[]> =>
  rows(db, LIST_NAMES, [today]);

const LIST_LETTERS = `
select string_agg(distinct l, ' ') as letters
from people
cross join lateral regexp_split_to_table(name, '') l
where is_here(left_on, $1::date)
`;
const LIST_WITH_LETTERS = `
select id, name, count(*) over ()::integer as total
from people
where is_here(left_on, $1::date)
  and name ~ $2::text
order by name, id
limit 3
`;
/** All letters of the roster's names, each once. */
export const lettersOfRoster = async (db: Queryable, today: string): Promise<string> =>
  (await oneRow<{ letters: string | null }>(db, LIST_LETTERS, [today])).letters ?? '';
/** People whose names hold one of some letters: the first few, and how many there are. */
export const listWithLetters = (
  db: Queryable,
  today: string,
  letters: readonly string[],
): Promise<{ id: string; name: string; total: number }[]> =>
  rows(db, LIST_WITH_LETTERS, [today, letters.map((letter) => letter.replace(/[\\^$.*+?()[\]{}|-]/g, '\\$&')).join('|')]);

const LIST_COURSES = "select id, title from courses where state <> 'retired' and certificate is distinct from 'none' order by title";
export const listCertified = (db: Queryable): Promise<{ id: string; title: string }[]> => rows(db, LIST_COURSES);
