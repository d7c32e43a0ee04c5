import { Id, LinkToken } from '@nudrik/contract';
import type { Route } from '../route.ts';
import { parse } from '../route.ts';
import { Refused } from '../refusal.ts';
import { maybeRow } from '../db/db.ts';
import { findIdByLink } from '../assignments/assignments.repo.ts';
import { certificatePdf } from '../certificates/certificates.repo.ts';
import { sendPdf } from '../certificates/routes.ts';
import { findFile } from '../courses/courses.repo.ts';
import { showFile } from '../answer-file.ts';
import { houseToday } from '../people/today.ts';
import { renewLink } from './renew.ts';
import { findLearning, listMyTraining, markUnitDone, refuseClosed, startLearning } from './learn.ts';

/** A personal link is its own key: a token with a signature of 192 bits, good for one assignment and nothing else. */
const token = (value: unknown): string => {
  const parsed = LinkToken.safeParse(value);
  if (!parsed.success) throw new Refused('wrong-link', parsed.error.issues[0]!.message);
  return parsed.data;
};

const GET_FILE_ID = `
select u.file_id
from units u
join sections s on s.id = u.section_id
join assignments a on a.course_id = s.course_id
where a.id = $1::bigint
  and u.id = $2::bigint
  and u.file_id is not null
`;
const GET_SERIAL = 'select serial from certificates where assignment_id = $1::bigint';

export const learningRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/learning/:token',
    access: 'public',
    handle: ({ deps, req }) => findLearning(deps, token(req.params['token'])),
  },
  {
    method: 'post',
    path: '/api/learning/:token/start',
    access: 'public',
    async handle({ deps, req, account }) {
      await startLearning(deps, token(req.params['token']), account?.personId ?? null);
      return { done: true };
    },
  },
  {
    method: 'post',
    path: '/api/learning/:token/renew',
    access: 'public',
    handle: ({ deps, req }) => renewLink(deps, token(req.params['token']), req.ip ?? 'nowhere'),
  },
  {
    method: 'post',
    path: '/api/learning/:token/units/:unit/done',
    access: 'public',
    handle: ({ deps, req, account }) =>
      markUnitDone(deps, token(req.params['token']), parse(Id, req.params['unit']), account?.personId ?? null),
  },
  {
    method: 'get',
    path: '/api/learning/:token/units/:unit/file',
    access: 'public',
    async handle({ deps, req, res }) {
      const id = await findIdByLink(deps.db, deps.settings.key, token(req.params['token']), deps.clock.now());
      const unitId = parse(Id, req.params['unit']);
      const unit = await maybeRow<{ file_id: string }>(deps.db, GET_FILE_ID, [id, unitId]);
      if (id !== null && unit) await refuseClosed(deps.db, id, unitId, deps.clock.now());
      const file = unit && (await findFile(deps.db, unit.file_id));
      if (!file) throw new Refused('wrong-link');
      showFile(res, file);
      return undefined;
    },
  },
  {
    method: 'get',
    path: '/api/learning/:token/certificate',
    access: 'public',
    async handle({ deps, req, res }) {
      const id = await findIdByLink(deps.db, deps.settings.key, token(req.params['token']), deps.clock.now());
      const row = id === null ? null : await maybeRow<{ serial: string }>(deps.db, GET_SERIAL, [id]);
      if (!row) throw new Refused('wrong-link', 'There is no certificate behind this link yet: it comes with finishing the course.');
      sendPdf(res, (await certificatePdf(deps.db, row.serial, deps.settings.baseUrl))!, row.serial);
      return undefined;
    },
  },
  {
    method: 'get',
    path: '/api/my-training',
    access: 'signed-in',
    async handle({ deps, account }) {
      if (!account!.personId)
        throw new Refused('not-found', 'This account belongs to nobody on the roster, so it has no training of its own.');
      return listMyTraining(deps, account!.personId, await houseToday(deps));
    },
  },
];
