import { maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';

export interface HandoutRow {
  id: string;
  course_id: string;
  version: number;
  file_id: string;
  name: string;
  type: string;
  bytes: number;
  put_at: Date;
  put_by: string;
}

const COLUMNS = `
select h.id, h.course_id, h.version, f.id as file_id, f.name, f.type, f.size::float8 as bytes, k.put_at, k.put_by
from handouts h
join handout_files k on k.handout_id = h.id and k.version = h.version
join files f on f.id = k.file_id
`;

/** Files for messages, as they are right now, by id. */
export const listHandouts = async (db: Queryable, ids: readonly string[]): Promise<Map<string, HandoutRow>> =>
  new Map(
    ids.length === 0 ? [] : (await rows<HandoutRow>(db, `${COLUMNS} where h.id = any($1::bigint[])`, [ids])).map((row) => [row.id, row]),
  );

export const listHandoutsOf = (db: Queryable, course: string): Promise<HandoutRow[]> =>
  rows(db, `${COLUMNS} where h.course_id = $1::bigint order by f.name, h.id`, [course]);

export const lockHandout = (db: Client, id: string): Promise<{ id: string; version: number; course_id: string } | null> =>
  maybeRow(db, 'select id, version, course_id from handouts where id = $1::bigint for update', [id]);

export const insertHandout = async (db: Client, course: string): Promise<string> =>
  (await oneRow<{ id: string }>(db, 'insert into handouts (course_id) values ($1::bigint) returning id', [course])).id;

const PUT_FILE = `
insert into handout_files (handout_id, version, file_id, put_at, put_by)
values ($1::bigint, $2::integer, $3::bigint, $4::timestamptz, $5::text)
`;

export async function putHandoutFile(
  db: Client,
  id: string,
  version: number,
  file: string,
  { at, byWhom }: { at: number; byWhom: string },
): Promise<void> {
  await db.query(PUT_FILE, [id, version, file, new Date(at), byWhom]);
  await db.query('update handouts set version = $2::integer where id = $1::bigint', [id, version]);
}

export interface DownloadDraft {
  token: string;
  handout: string;
  notice: string;
  person: string | null;
  toName: string;
  toAddress: string;
  until: Date;
  times: number | null;
  mayAsk: boolean;
}

// a message that goes again gives its reader the whole of the time again
const PUT_DOWNLOADS = `
insert into downloads (token, handout_id, notice_id, person_id, to_name, to_address, until, times, may_ask)
select *
from jsonb_to_recordset($1::jsonb) as d (
  token text, handout bigint, notice bigint, person bigint, "toName" text, "toAddress" text, until timestamptz, times integer, "mayAsk" boolean
)
on conflict (token) do update
set until = greatest(downloads.until, excluded.until), to_name = excluded.to_name, to_address = excluded.to_address,
  person_id = excluded.person_id, times = excluded.times, may_ask = excluded.may_ask
`;

export const putDownloads = async (db: Client, drafts: readonly DownloadDraft[]): Promise<void> => {
  if (drafts.length > 0) await db.query(PUT_DOWNLOADS, [JSON.stringify(drafts)]);
};

export interface DownloadRow {
  token: string;
  handout_id: string;
  notice_id: string | null;
  person_id: string | null;
  to_name: string;
  to_address: string;
  until: Date;
  times: number | null;
  used: number;
  may_ask: boolean;
  holder: Buffer | null;
  asked: number;
  zone: string;
  /** whose it is has left */
  has_left: boolean;
}

const FIND = `
select d.token, d.handout_id, d.notice_id, d.person_id, d.to_name, d.to_address, d.until, d.times, d.used, d.may_ask, d.holder, d.asked,
  coalesce(s.zone, (select house_zone from settings)) as zone,
  p.left_on <= ($2::timestamptz at time zone coalesce(s.zone, 'UTC'))::date is true as has_left
from downloads d
left join people p on p.id = d.person_id
left join sites s on s.id = p.site_id
where d.token = $1::text
`;

export const findDownload = (db: Queryable, token: string, now: number): Promise<DownloadRow | null> => maybeRow(db, FIND, [token, new Date(now)]); // prettier-ignore
export const lockDownload = (db: Client, token: string, now: number): Promise<DownloadRow | null> => maybeRow(db, `${FIND} for update of d`, [token, new Date(now)]); // prettier-ignore

/** One opening, on the record; the device that opened it first is the one that opens it. */
export async function useDownload(db: Client, token: string, holder: Buffer, version: number, at: number): Promise<void> {
  await db.query('update downloads set used = used + 1, holder = coalesce(holder, $2::bytea) where token = $1::text', [token, holder]);
  await db.query('insert into download_uses (token, at, version) values ($1::text, $2::timestamptz, $3::integer)', [token, new Date(at), version]); // prettier-ignore
}

const ADD_RENEWED = `
insert into downloads (token, handout_id, notice_id, person_id, to_name, to_address, until, times, may_ask, asked)
select $2::text, handout_id, notice_id, person_id, to_name, to_address, $3::timestamptz, times, may_ask, asked + 1
from downloads
where token = $1::text
on conflict do nothing
returning token
`;

/** The next link of a download that is asked for anew. @returns false where there is one already */
export const addRenewed = async (db: Queryable, { token }: DownloadRow, next: string, until: Date): Promise<boolean> =>
  (await rows(db, ADD_RENEWED, [token, next, until])).length > 0;
export const dropRenewed = (db: Queryable, token: string): Promise<unknown> => db.query('delete from downloads where token = $1::text', [token]); // prettier-ignore

/** Ends a link in whose place another came. */
export const endDownload = (db: Queryable, token: string, now: number): Promise<unknown> =>
  db.query('update downloads set until = least(until, $2::timestamptz), may_ask = false where token = $1::text', [token, new Date(now)]);

const LIST_USES = `
select u.at, f.name, u.version
from download_uses u
join downloads d on d.token = u.token
join handout_files k on k.handout_id = d.handout_id and k.version = u.version
join files f on f.id = k.file_id
where d.notice_id = any($1::bigint[])
order by u.at, u.id
`;

/** When the files of a notice were opened. */
export const listUses = (db: Queryable, notices: readonly string[]): Promise<{ at: Date; name: string; version: number }[]> =>
  rows(db, LIST_USES, [notices]);
