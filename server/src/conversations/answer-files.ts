import { lookup } from 'mime-types';
import { safeFileName, tellBytes } from '@nudrik/core';
import type { Account } from '@nudrik/contract';
import { oneRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { putFile } from '../files/files.repo.ts';
import { Refused } from '../refusal.ts';
import { insertPostFile } from './conversations.repo.ts';

/** Bytes of all files of one answer: what mail servers take. */
const MOST_BYTES = 10_000_000;
const MOST_FILES = 10;

const SUM = `
select count(*)::integer as count, coalesce(sum(f.size), 0)::float8 as bytes
from answer_files a
join files f on f.id = a.file_id
where a.conversation_id = $1::bigint
  and a.account_id = $2::bigint
`;
const EXISTS = 'select exists (select from conversations where id = $1::bigint) as is_there';
const INSERT = 'insert into answer_files (file_id, conversation_id, account_id) values ($1::bigint, $2::bigint, $3::bigint)';

/** Takes a file for an answer that is being written. @throws Refused where it is too much */
export function putAnswerFile(
  deps: Deps,
  conversation: string,
  account: Pick<Account, 'id'>,
  { name, content }: { name: string; content: Buffer },
): Promise<{ id: string; name: string; bytes: number }> {
  return transaction(deps.db, async (client) => {
    const { is_there } = await oneRow<{ is_there: boolean }>(client, EXISTS, [conversation]);
    if (!is_there) throw new Refused('not-found', 'There is no such conversation, or not any more. Nothing was taken.');
    if (content.length === 0) throw new Refused('wrong-file', `${name}: the file is empty (0 bytes). Nothing was taken.`);
    const { count, bytes } = await oneRow<{ count: number; bytes: number }>(client, SUM, [conversation, account.id]);
    if (count >= MOST_FILES) throw new Refused('wrong-file', `${name}: an answer has ${MOST_FILES} files at the most. Nothing was taken.`);
    if (bytes + content.length > MOST_BYTES)
      throw new Refused('wrong-file', `${name}: with it the files of the answer would have ${tellBytes(bytes + content.length)}; ${tellBytes(MOST_BYTES)} are the most that goes by mail. Nothing was taken.`); // prettier-ignore
    const safe = safeFileName(name);
    const file = await putFile(client, { name: safe, type: lookup(safe) || 'application/octet-stream', content, purpose: 'letter' });
    await client.query(INSERT, [file.id, conversation, account.id]);
    return { id: file.id, name: safe, bytes: content.length };
  });
}

const LIST = `
select f.id, f.name, f.size::float8 as bytes
from answer_files a
join files f on f.id = a.file_id
where a.conversation_id = $1::bigint
  and a.account_id = $2::bigint
order by a.put_at, f.id
`;

/** The files that somebody put to an answer which has not gone. */
export const listAnswerFiles = (
  db: Queryable,
  conversation: string,
  account: string,
): Promise<{ id: string; name: string; bytes: number }[]> => rows(db, LIST, [conversation, account]);

const TAKE = `
delete from answer_files
where file_id = $1::bigint
  and conversation_id = $2::bigint
  and account_id = $3::bigint
returning file_id
`;

/** Puts files to a word that goes: their own alone, each once. @throws Refused where one is not theirs, or went already */
export async function attachFiles(
  client: Client,
  post: string,
  conversation: string,
  account: string,
  files: readonly string[],
): Promise<void> {
  for (const [i, file] of files.entries()) {
    if ((await rows(client, TAKE, [file, conversation, account])).length === 0)
      throw new Refused('conflict', 'A file of the answer is not there any more. Choose it again; nothing was sent.');
    await insertPostFile(client, post, i, file);
  }
}

/** Leaves out one that was put to an answer. */
export const dropAnswerFile = async (db: Queryable, conversation: string, account: string, file: string): Promise<void> => {
  if ((await rows(db, TAKE, [file, conversation, account])).length > 0) await db.query('delete from files where id = $1::bigint', [file]);
};

const FORGET = `
with old as (
  delete from answer_files
  where put_at < now() - interval '2 days'
  returning file_id
)
delete from files where id in (select file_id from old)
`;

/** Forgets files of answers that never went. */
export const forgetAnswerFiles = (db: Queryable): Promise<unknown> => db.query(FORGET);
