import { maybeRow, transaction, type Client, type Pool, type Queryable } from '../db/db.ts';

export interface UploadRow {
  id: string;
  file_id: string;
  account_id: string;
  size: number;
  came: number;
  is_taken: boolean;
  metadata: Record<string, string | null>;
  begun_at: Date;
}

const INSERT = `
with made as (
  insert into files (name, type, purpose, size, uploaded_at, uploaded_by)
  values ($4::text, 'application/octet-stream', 'course', $3::bigint, $6::timestamptz, $7::text)
  returning id
)
insert into uploads (id, account_id, size, metadata, file_id)
select $1::text, $2::bigint, $3::bigint, $5::jsonb, made.id
from made
`;

export const insertUpload = (
  db: Queryable,
  upload: { id: string; accountId: string; size: number; name: string; metadata: object; at: number; byWhom: string },
): Promise<unknown> =>
  db.query(INSERT, [
    upload.id,
    upload.accountId,
    upload.size,
    upload.name,
    JSON.stringify(upload.metadata),
    new Date(upload.at),
    upload.byWhom,
  ]);

const FIND = `
select id, file_id, account_id, size::float8 as size, came::float8 as came, is_taken, metadata, begun_at
from uploads
where id = $1::text
  and account_id = $2::bigint
`;

/** An upload of somebody; those of others are none. */
export const findUpload = (db: Queryable, id: string, accountId: string): Promise<UploadRow | null> => maybeRow(db, FIND, [id, accountId]);

export const lockUpload = (db: Client, id: string, accountId: string): Promise<UploadRow | null> =>
  maybeRow(db, `${FIND} for update`, [id, accountId]);

const GO_ON = `
update uploads
set came = came + $3::integer, last_at = now()
where id = $1::text
  and came = $2::bigint
  and came + $3::integer <= size
returning file_id
`;
const PUT_PART = 'insert into file_parts (file_id, start, content) values ($1::bigint, $2::bigint, $3::bytea)';

/** Keeps the next bytes of an upload. @returns false where others came there before */
export const addPart = (db: Pool, id: string, at: number, content: Buffer): Promise<boolean> =>
  transaction(db, async (client) => {
    const found = await maybeRow<{ file_id: string }>(client, GO_ON, [id, at, content.length]);
    if (found) await client.query(PUT_PART, [found.file_id, at, content]);
    return found !== null;
  });

export const setTaken = (db: Queryable, id: string): Promise<unknown> =>
  db.query('update uploads set is_taken = true where id = $1::text', [id]);

const ROOM = `
select coalesce(sum(size), 0)::float8 as bytes, count(*)::integer as count
from uploads
where account_id = $1::bigint
  and not is_taken
`;

/** What somebody has under way. */
export async function underWay(db: Queryable, accountId: string): Promise<{ bytes: number; count: number }> {
  return (await maybeRow<{ bytes: number; count: number }>(db, ROOM, [accountId]))!;
}

const FORGET = `
with old as (
  delete from uploads
  where last_at < now() - interval '2 days'
  returning file_id, is_taken
)
delete from files where id in (select file_id from old where not is_taken)
`;

/** Forgets uploads that nobody goes on with, and what came of them. */
export const forgetUploads = (db: Queryable): Promise<unknown> => db.query(FORGET);
