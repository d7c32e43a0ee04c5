import { Readable, Writable } from 'node:stream';
import type { FileAbout, StoredFile } from '@nudrik/contract';
import { maybeRow, oneRow, rows, type Queryable } from '../db/db.ts';

/** What a file belongs to; only those of courses are shown with courses. */
export type Purpose = 'house' | 'course' | 'proof' | 'letter' | 'logo' | 'handout' | 'picture' | 'certificate' | 'report';

export interface FoundFile {
  id: string;
  name: string;
  type: string;
  size: number;
}

/** Bytes of one part, and of one read. */
export const PART = 512 * 1024;

const INSERT_FILE = `
insert into files (name, type, size, purpose, about, made_from)
values ($1::text, $2::text, $3::bigint, $4::text, $5::jsonb, $6::bigint)
returning id
`;
const INSERT_PART = 'insert into file_parts (file_id, start, content) values ($1::bigint, $2::bigint, $3::bytea)';

export interface NewFile {
  name: string;
  type: string;
  content: Uint8Array;
  purpose?: Purpose;
  about?: FileAbout;
  madeFrom?: string;
}

/** Stores a file that is at hand as a whole. */
export async function putFile(db: Queryable, file: NewFile): Promise<StoredFile> {
  const { name, type, content, purpose = 'house', about = {} } = file;
  const { id } = await oneRow<{ id: string }>(db, INSERT_FILE, [name, type, content.length, purpose, JSON.stringify(about), file.madeFrom ?? null]); // prettier-ignore
  for (let start = 0; start < content.length; start += PART)
    await db.query(INSERT_PART, [id, start, Buffer.from(content.subarray(start, start + PART))]);
  return { id, name, bytes: content.length, type, about };
}

/** The same, as it was always asked: of the house. */
export const insertFile = (db: Queryable, name: string, type: string, content: Buffer, purpose: Purpose = 'house'): Promise<StoredFile> =>
  putFile(db, { name, type, content, purpose });

const DROP_OF_JOB = `
with former as (select result_file_id as id from jobs where id = $1::bigint),
cleared as (update jobs set result_file_id = null where id = $1::bigint)
delete from files
where id in (select id from former)
`;
/** Takes away what long work kept. */
export const dropFileOf = (db: Queryable, job: string): Promise<unknown> => db.query(DROP_OF_JOB, [job]);

const DROP_AND_INSERT = `
with former as (select result_file_id as id from jobs where id = $3::bigint),
cleared as (update jobs set result_file_id = null where id = $3::bigint),
gone as (delete from files where id in (select id from former)),
made as (insert into files (name, type, size, purpose) values ($1::text, $2::text, 0, 'house') returning id)
select id from made
`;
const SET_SIZE = 'update files set size = $2::bigint where id = $1::bigint';

/** A file of long work that is stored while it is written; one that a former try of the same work began is taken away. */
export async function openFile(
  db: Queryable,
  job: string,
  { name, type }: { name: string; type: string },
): Promise<{ id: string; out: Writable }> {
  const { id } = await oneRow<{ id: string }>(db, DROP_AND_INSERT, [name, type, job]);
  return { id, out: writerOf(db, id) };
}

/** The same of one that belongs to no work. */
export async function openFileFor(db: Queryable, { name, type }: { name: string; type: string }, purpose: Purpose): Promise<{ id: string; out: Writable }> {
  const { id } = await oneRow<{ id: string }>(db, INSERT_FILE, [name, type, 0, purpose, '{}', null]);
  return { id, out: writerOf(db, id) };
} // prettier-ignore

/** Stores what is written to it, a part after the other. */
function writerOf(db: Queryable, id: string): Writable {
  let [start, waiting, size]: [number, Buffer[], number] = [0, [], 0];
  const put = async (): Promise<void> => {
    const content = Buffer.concat(waiting);
    [waiting, size] = [[], 0];
    if (content.length === 0) return;
    await db.query(INSERT_PART, [id, start, content]);
    start += content.length;
  };
  const settle = (work: Promise<unknown>, done: (error?: Error | null) => void): void =>
    void work.then(
      () => done(),
      (error: unknown) => done(error as Error),
    );
  return new Writable({
    write(chunk: Buffer, _, done) {
      waiting.push(chunk);
      size += chunk.length;
      if (size < PART) done();
      else settle(put(), done);
    },
    final(done) {
      settle(
        put().then(() => db.query(SET_SIZE, [id, start])),
        done,
      );
    },
  });
}

const GET_FILE = `
select id, name, type, size::float8 as size
from files
where id = $1::bigint
  and purpose = any($2::text[])
`;

/** A file without what is in it; null where there is none for such a purpose. */
export const findFileHead = (db: Queryable, id: string, purposes: readonly Purpose[] = ['course']): Promise<FoundFile | null> =>
  maybeRow(db, GET_FILE, [id, purposes]);

const READ_FROM = `
select substring(content from ($2::bigint - start + 1)::integer for $3::integer) as content
from file_parts
where file_id = $1::bigint
  and start <= $2::bigint
order by start desc
limit 1
`;

/** Bytes of a file from `from` to before `to`, bit by bit: it is never as a whole in memory. */
export async function* readFile(db: Queryable, id: string, from: number, to: number): AsyncGenerator<Buffer> {
  for (let at = from; at < to;) {
    const part = await maybeRow<{ content: Buffer }>(db, READ_FROM, [id, at, Math.min(PART, to - at)]);
    if (!part || part.content.length === 0) throw new Error(`File ${id} ends at ${at}, before ${to}.`);
    yield part.content;
    at += part.content.length;
  }
}

export const streamFile = (db: Queryable, { id, size }: FoundFile, from = 0, to = size): Readable => Readable.from(readFile(db, id, from, to)); // prettier-ignore

/** Bytes of a file, at once. */
export async function readBytes(db: Queryable, id: string, from: number, to: number): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of readFile(db, id, from, to)) parts.push(part);
  return Buffer.concat(parts);
}

/** A file as a whole: of the house, or of what is small enough. */
export async function findFile(
  db: Queryable,
  id: string,
  purposes: readonly Purpose[] = ['house', 'course', 'proof'],
): Promise<(FoundFile & { content: Buffer }) | null> {
  const file = await findFileHead(db, id, purposes);
  return file && { ...file, content: await readBytes(db, id, 0, file.size) };
}

const LIST_FILES = `
select id, name, type, size::float8 as bytes, about
from files
where id = any($1::bigint[])
  and purpose = 'course'
`;

/** What files of units are called, what they are and how large. */
export const listFiles = async (db: Queryable, ids: readonly string[]): Promise<Map<string, StoredFile>> =>
  new Map((await rows<StoredFile>(db, LIST_FILES, [ids])).map((file) => [file.id, file]));

const KNOW_FILE = `
update files
set type = $2::text, about = $3::jsonb, name = $4::text
where id = $1::bigint
`;

/** What was found out about a file once it was here. */
export const knowFile = (db: Queryable, id: string, name: string, type: string, about: FileAbout): Promise<unknown> =>
  db.query(KNOW_FILE, [id, type, JSON.stringify(about), name]);

export const deleteFile = (db: Queryable, id: string): Promise<unknown> => db.query('delete from files where id = $1::bigint', [id]);

const LIST_THERE = 'select id::text from files where id = any($1::bigint[]) and purpose = $2::text';

/** Of some files those that are there for a purpose. */
export const listThere = async (db: Queryable, ids: readonly string[], purpose: Purpose): Promise<Set<string>> =>
  new Set((await rows<{ id: string }>(db, LIST_THERE, [ids, purpose])).map(({ id }) => id));
