import { z } from 'zod';
import { Id, Line } from '@nudrik/contract';
import { FILE_KINDS } from '@nudrik/core';
import { readLink } from '../access/personal-link.ts';
import { TYPE } from '../answer-file.ts';
import { Refused } from '../refusal.ts';
import { bytesOf, EDITORS, get, idOf, parse, type Call, type Route } from '../route.ts';
import { nowOrLater } from '../work/routes.ts';
import { findOffice, pageOf, pdfOf } from './convert.ts';
import { findFileHead, insertFile } from './files.repo.ts';
import { answerFile } from './ranges.ts';
import { AT_ONCE } from '../work/jobs.ts';
import { answerUpload, takeUpload } from './uploads.ts';

const UploadId = z.string().regex(/^[\w-]{10,60}$/, 'expected an upload');

/** Requests of the upload protocol go to its library as they are. */
const upload = (method: Route['method'], path: string): Route => ({
  method,
  path,
  access: EDITORS,
  takes: 'stream',
  async handle({ deps, req, res, account }) {
    await answerUpload(deps, account!, req, res);
    return undefined;
  },
});

/**
 * Answers with a file of a course, shown in place where nothing of it can run.
 * @param isForGood its address names the file, and not the unit in which it stands now
 */
export async function answerCourseFile(
  { deps, req, res }: Pick<Call, 'deps' | 'req' | 'res'>,
  id: string | null,
  isForGood = true,
): Promise<undefined> {
  const file = id === null ? null : await findFileHead(deps.db, id);
  if (!file) throw new Refused('not-found', 'There is no such file, or not any more.');
  const isShown = ['shown', 'picture', 'text', 'played', 'captions'].includes(FILE_KINDS[file.type]?.as ?? '');
  await answerFile(
    deps.db,
    req,
    res,
    isShown ? file : { ...file, type: 'application/octet-stream' },
    isShown ? 'inline' : 'attachment',
    isForGood,
  );
  return undefined;
}

export const fileRoutes: Route[] = [
  upload('post', '/api/uploads'),
  upload('head', '/api/uploads/:id'),
  upload('patch', '/api/uploads/:id'),
  upload('delete', '/api/uploads/:id'),
  {
    method: 'post',
    path: '/api/uploads/:id/taken',
    access: EDITORS,
    handle: ({ deps, req, account }) => takeUpload(deps, account!, parse(UploadId, req.params['id'])),
  },
  get('/api/files/means', async ({ deps }) => ({ canConvert: (await findOffice(deps)) !== null }), EDITORS),
  get('/api/files/:id', (call) => answerCourseFile(call, parse(Id, call.req.params['id']))),
  { method: 'post', path: '/api/files/:id/page', access: EDITORS, handle: (call) => pageOf(call.deps, idOf(call)) },
  {
    method: 'post',
    path: '/api/files/:id/pdf',
    access: EDITORS,
    async handle(call) {
      const id = idOf(call);
      const file = await findFileHead(call.deps.db, id);
      if (!file) throw new Refused('not-found', 'There is no such file, or not any more.');
      const canConvert = (await findOffice(call.deps)) !== null;
      // what is refused is refused at once
      return nowOrLater(call, canConvert, { kind: 'office-pdf', words: `Turning ${file.name} into a PDF`, input: { id } }, () => pdfOf(call.deps, id, AT_ONCE)); // prettier-ignore
    },
  },
  {
    // a proof of a completion by hand, which is small and comes at once
    method: 'post',
    path: '/api/files',
    access: EDITORS,
    takes: 'file',
    async handle(call) {
      const { name, type } = parse(
        z.object({
          name: Line(255, 'expected a file name'),
          type: z.string().regex(TYPE, 'expected a type like application/pdf').default('application/octet-stream'),
        }),
        call.req.query,
      );
      const bytes = bytesOf(call);
      if (bytes.length === 0)
        throw new Refused('wrong-file', `${name}: the file is empty (0 bytes). Expected a file with something in it; nothing was stored.`);
      return insertFile(call.deps.db, name, type, bytes, 'proof');
    },
  },
  {
    // a picture of a page, by an address that we signed: it stands in pages that are looked at without an account
    method: 'get',
    path: '/api/pictures/:token',
    access: 'public',
    handle: (call) => {
      const { token } = readLink(call.deps.settings.key, 'picture', String(call.req.params['token']));
      return answerCourseFile(call, token !== null && /^[1-9]\d{0,17}$/.test(token) ? token : null);
    },
  },
];
