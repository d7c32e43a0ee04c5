import { randomBytes } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Readable } from 'node:stream';
import { DataStore, ERRORS, Server, Upload } from '@tus/server';
import type { Account, StoredFile } from '@nudrik/contract';
import { Line } from '@nudrik/contract';
import { FILE_LIMIT, tellBytes } from '@nudrik/core';
import { transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { isPassing } from '../db/failures.ts';
import { Refused } from '../refusal.ts';
import { parse } from '../route.ts';
import { deleteFile, findFileHead, knowFile, listFiles, PART } from './files.repo.ts';
import { lookAt } from './look.ts';
import { addPart, findUpload, insertUpload, lockUpload, setTaken, underWay, type UploadRow } from './uploads.repo.ts';

/** What one person may have on its way at once. */
const MOST_AT_ONCE = 200;
const MOST_BYTES = 3 * FILE_LIMIT;

/** Uploads in the database, each of the account that began it (tus 1.0.0: core, creation, termination). */
class UploadStore extends DataStore {
  override extensions = ['creation', 'termination'];

  constructor(
    private readonly deps: Deps,
    private readonly account: Account,
  ) {
    super();
  }

  override async create(upload: Upload): Promise<Upload> {
    const { count, bytes } = await underWay(this.deps.db, this.account.id);
    const size = upload.size ?? 0;
    if (count >= MOST_AT_ONCE || bytes + size > MOST_BYTES)
      throw new Refused('too-large', `You have ${count} files of ${tellBytes(bytes)} on their way. Let them come, or leave some out; nothing was stored.`); // prettier-ignore
    const { name } = nameOf(upload.metadata);
    await insertUpload(this.deps.db, { id: upload.id, accountId: this.account.id, size, name, metadata: upload.metadata ?? {}, at: this.deps.clock.now(), byWhom: this.account.name }); // prettier-ignore
    return upload;
  }

  private async find(id: string): Promise<UploadRow> {
    const found = await findUpload(this.deps.db, id, this.account.id);
    if (!found) throw ERRORS.FILE_NOT_FOUND;
    return found;
  }

  override async getUpload(id: string): Promise<Upload> {
    const { size, came, metadata, begun_at } = await this.find(id);
    return new Upload({ id, size, offset: came, metadata, creation_date: begun_at.toISOString() });
  }

  override async remove(id: string): Promise<void> {
    const { file_id, is_taken } = await this.find(id);
    if (is_taken) throw new Refused('conflict', 'This file has been taken into a course; nothing was changed.');
    await deleteFile(this.deps.db, file_id);
  }

  /** Keeps what comes, part by part: what came before the connection was cut need not come again. */
  override async write(stream: Readable, id: string, offset: number): Promise<number> {
    let at = offset;
    let waiting: Buffer[] = [];
    let length = 0;
    const keep = async (): Promise<void> => {
      if (length === 0) return;
      const content = Buffer.concat(waiting);
      waiting = [];
      length = 0;
      if (!(await addPart(this.deps.db, id, at, content))) throw ERRORS.INVALID_OFFSET;
      at += content.length;
    };
    try {
      for await (const chunk of stream as AsyncIterable<Buffer>) {
        waiting.push(chunk);
        length += chunk.length;
        if (length >= PART) await keep();
      }
    } catch (error) {
      if (error === ERRORS.INVALID_OFFSET) throw error;
      await keep();
      throw error;
    }
    await keep();
    return at;
  }
}

/** @throws Refused where it is no name of a file */
const nameOf = (metadata: Upload['metadata']): { name: string } => ({
  name: parse(Line(255, 'expected a file name'), (metadata?.['filename'] ?? '').replace(/^.*[\\/]/, '')),
});

const whole = (text: string): boolean => /^(0|[1-9]\d{0,15})$/.test(text);
/** What the protocol asks of its heads, looked at first: what is wrong is told in a sentence, like everywhere. */
const HEADS: readonly [name: string, of: readonly string[], isRight: (text: string) => boolean, words: string][] = [
  ['tus-resumable', ['POST', 'HEAD', 'PATCH', 'DELETE'], (text) => text === '1.0.0', 'expected 1.0.0: uploads come by the protocol tus'],
  ['upload-length', ['POST'], whole, 'expected the bytes that the file has'],
  ['upload-offset', ['PATCH'], whole, 'expected the byte at which it goes on'],
  ['content-type', ['PATCH'], (text) => text === 'application/offset+octet-stream', 'expected application/offset+octet-stream'],
  ['upload-metadata', ['POST'], (text) => /^[\x21-\x2b\x2d-\x7e]+( [A-Za-z0-9+/]*={0,2})?(,[\x21-\x2b\x2d-\x7e]+( [A-Za-z0-9+/]*={0,2})?)*$/.test(text), 'expected names with their values in Base64'],
]; // prettier-ignore

/** Answers a request of the upload protocol, for one account. @throws Refused where its heads are not as they should be */
export function answerUpload(deps: Deps, account: Account, req: IncomingMessage, res: ServerResponse): Promise<void> {
  for (const [name, of, isRight, words] of HEADS) {
    const got = req.headers[name];
    if (of.includes(req.method ?? '') && !(typeof got === 'string' && isRight(got)))
      throw new Refused('wrong-input', `The head ${name}: ${words}; got ${got === undefined ? 'nothing' : `“${String(got).slice(0, 60)}”`}. Nothing was stored.`); // prettier-ignore
  }
  // what stands before us says the protocol, and may say nonsense
  delete req.headers['x-forwarded-proto'];
  delete req.headers['upload-concat'];
  delete req.headers['upload-defer-length'];
  if (req.method !== 'POST') delete req.headers['upload-metadata'];
  if (req.method !== 'PATCH') delete req.headers['content-type'];
  const server = new Server({
    path: '/api/uploads',
    datastore: new UploadStore(deps, account),
    relativeLocation: true,
    maxSize: FILE_LIMIT,
    namingFunction: () => randomBytes(18).toString('base64url'),
    onUploadCreate: (_req, upload) => {
      nameOf(upload.metadata);
      if (upload.size === undefined) throw new Refused('wrong-input', 'Upload-Length is missing: how large the file is is said first.');
      return Promise.resolve({});
    },
    onResponseError: (_req, error) => {
      const { status_code: status = 500 } = error as { status_code?: number };
      if (!(error instanceof Refused) && !isPassing(error) && status >= 500)
        deps.log.error({ error: (error as Error).stack }, 'An upload failed.');
      const refused = asRefused(error, status);
      return { status_code: refused.status, body: JSON.stringify({ code: refused.code, message: refused.message }) };
    },
  });
  return server.handle(req, res);
}

/** What the library refuses, as everything is refused here. */
function asRefused(error: unknown, status: number): Refused {
  if (error instanceof Refused) return error;
  if (isPassing(error)) return new Refused('out-of-order');
  if (status === 404 || status === 410) return new Refused('not-found', 'There is no such upload, or not any more. Choose the file again.');
  if (status === 409 || status === 423)
    return new Refused('conflict', 'The upload goes on elsewhere than where this would. Ask where it stands; nothing was stored.');
  if (status === 413) return new Refused('too-large', `${tellBytes(FILE_LIMIT)} are the most that a file may have. Nothing was stored.`);
  return status >= 500
    ? new Refused('broken')
    : new Refused('wrong-input', 'The upload is not as the protocol tus asks. Nothing was stored.');
}

/**
 * Takes a file that has come as a whole: looks at it, and keeps it as a file of courses. Asked again it answers the same.
 * @throws Refused with what is wrong with it; then nothing of it stays
 */
export async function takeUpload(deps: Deps, account: Account, id: string): Promise<StoredFile> {
  const answer = await transaction(deps.db, async (client) => {
    const upload = await lockUpload(client, id, account.id);
    if (!upload) throw new Refused('not-found', 'There is no such upload, or not any more. Choose the file again.');
    if (upload.came < upload.size)
      throw new Refused('conflict', `${tellBytes(upload.came)} of ${tellBytes(upload.size)} have come. The rest is to come first; nothing was changed.`); // prettier-ignore
    if (!upload.is_taken) {
      const file = (await findFileHead(client, upload.file_id))!;
      await client.query('savepoint looked');
      try {
        const { type, about } = await lookAt(client, file);
        await knowFile(client, file.id, file.name, type, about);
      } catch (error) {
        if (!(error instanceof Refused) || error.code === 'out-of-order') throw error;
        await client.query('rollback to savepoint looked');
        await deleteFile(client, file.id);
        return error;
      }
      await setTaken(client, id);
    }
    return (await listFiles(client, [upload.file_id])).get(upload.file_id)!;
  });
  if (answer instanceof Refused) throw answer;
  return answer;
}
