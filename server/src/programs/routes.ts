import { Router, type Request } from 'express';
import { ipKeyGenerator, rateLimit } from 'express-rate-limit';
import { RESOURCES, TokenDraft, type Resource } from '@nudrik/contract';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { act, ADMINISTRATORS, DONE, get, idOf, parse, type Route } from '../route.ts';
import { listResource } from './programs.repo.ts';
import { makeToken, mayRead, openApi, programOf, programsView, stopToken } from './programs.ts';

export const programRoutes: Route[] = [
  get('/api/programs', ({ deps }) => programsView(deps), ADMINISTRATORS),
  act('post', '/api/programs', ({ deps, req, account }) => makeToken(deps, parse(TokenDraft, req.body), account!.name)),
  act('delete', '/api/programs/:id', async (call) => {
    await stopToken(call.deps, idOf(call), call.account!.name);
    return DONE;
  }),
];

/** Requests of one token in a minute. */
const MOST = 600;

/** What other programs read, by tokens and without a session: GET alone. */
export function programApi(deps: Deps): Router {
  const router = Router();
  router.use(
    rateLimit({
      windowMs: 60_000,
      limit: MOST,
      standardHeaders: 'draft-7',
      legacyHeaders: false,
      keyGenerator: (req: Request) => req.headers.authorization ?? ipKeyGenerator(req.ip ?? ''),
      handler: () => {
        throw new Refused('too-many-tries', `More than ${MOST} requests in a minute. Wait a minute, or ask for larger pages.`);
      },
    }),
  );
  router.get('/openapi.json', (_req, res) => void res.json(openApi(deps.settings.baseUrl)));
  for (const resource of Object.keys(RESOURCES) as Resource[])
    router.get(`/${resource}`, async (req, res) => {
      res.setHeader('cache-control', 'no-store');
      mayRead(await programOf(deps, req.headers.authorization), resource);
      const { query } = RESOURCES[resource];
      // a filter that is mistyped would give everything
      const unknown = Object.keys(req.query).filter((name) => !(name in query.shape));
      if (unknown.length > 0)
        throw new Refused('wrong-input', `There is no filter “${unknown[0]!.slice(0, 40)}”; expected some of ${Object.keys(query.shape).join(', ')}.`); // prettier-ignore
      res.json(await listResource(deps.db, resource, parse(query, req.query), deps.clock.now()));
    });
  router.use((req) => {
    if (req.method !== 'GET') throw new Refused('not-allowed', 'Other programs read here, and change nothing. Expected GET.');
    throw new Refused(
      'not-found',
      `There is nothing at this address. Expected one of ${Object.keys(RESOURCES).join(', ')}, or openapi.json.`,
    );
  });
  return router;
}
