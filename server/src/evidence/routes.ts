import { LookedQuery, PackRequest, SampleQuery } from '@nudrik/contract';
import { headFile } from '../answer-file.ts';
import { findFileHead } from '../files/files.repo.ts';
import { sendStored } from '../files/stored.ts';
import { Refused } from '../refusal.ts';
import { ADMINISTRATORS, get, idOf, OFFICE, parse, type Route } from '../route.ts';
import { later } from '../work/routes.ts';
import { lookedView } from './looked.ts';
import { ownData } from './own-data.ts';
import { findPackFile } from './packs.repo.ts';
import { packsView, previewPack } from './packs.ts';
import { sampleView } from './sample.ts';

export const evidenceRoutes: Route[] = [
  get('/api/evidence/sample', ({ deps, req }) => sampleView(deps, parse(SampleQuery, req.query))),
  get('/api/evidence/packs', ({ deps }) => packsView(deps)),
  get('/api/evidence/packs/:id/file', async (call) => {
    const id = await findPackFile(call.deps.db, idOf(call));
    const file = id === null ? null : await findFileHead(call.deps.db, id, ['house']);
    if (!file) throw new Refused('not-found', 'That pack is not kept any more. Make it anew: its facts are still on the record.');
    return sendStored(call.res, call.deps.db, file);
  }),
  get(
    '/api/people/:id/data',
    async (call) => {
      const data = await ownData(call.deps, idOf(call));
      headFile(call.res, data.name, 'application/zip');
      await data.write(call.res);
      return undefined;
    },
    ADMINISTRATORS,
  ),
  get('/api/evidence/looked', (call) => lookedView(call.deps, call.account!, parse(LookedQuery, call.req.query)), ['administrator', 'auditor']),
  // whoever reads the record may take evidence of it
  { method: 'post', path: '/api/evidence/preview', access: OFFICE, handle: ({ deps, req }) => previewPack(deps, parse(PackRequest, req.body)) },
  {
    method: 'post',
    path: '/api/evidence/packs',
    access: OFFICE,
    async handle(call) {
      const input = parse(PackRequest, call.req.body);
      const { title, fault } = await previewPack(call.deps, input);
      if (fault !== null) throw new Refused('wrong-input', `${fault} Nothing was made.`);
      return later(call, { kind: 'evidence-pack', words: `Evidence: ${title}`.slice(0, 200), input });
    },
  },
]; // prettier-ignore
