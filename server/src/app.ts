import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import express, { type Express, type NextFunction, type Request, type Response } from 'express';
import rateLimit from 'express-rate-limit';
import helmet from 'helmet';
import type { Account } from '@nudrik/contract';
import { accessRoutes, tokenOf } from './access/routes.ts';
import { findSession } from './access/sessions.ts';
import { assignmentRoutes } from './assignments/routes.ts';
import { certificateRoutes } from './certificates/routes.ts';
import { clockRoutes } from './clock/routes.ts';
import { courseRoutes } from './courses/routes.ts';
import type { Deps } from './deps.ts';
import { houseRoutes } from './house/routes.ts';
import { learningRoutes } from './learning/routes.ts';
import type { Live } from './live/live.ts';
import { noticeRoutes } from './notices/routes.ts';
import { feedRoutes } from './feed/routes.ts';
import { peopleRoutes } from './people/routes.ts';
import { structureRoutes } from './structure/routes.ts';
import { planRoutes } from './plans/routes.ts';
import { REFUSALS, Refused } from './refusal.ts';
import { reportRoutes } from './reports/routes.ts';
import { requirementRoutes } from './requirements/routes.ts';
import { isAllowed, type Route } from './route.ts';
import { standinRoutes } from './standins/routes.ts';

/** Every route of the API, with who may call it. */
export const ROUTES: readonly Route[] = [
  ...accessRoutes,
  ...feedRoutes,
  ...structureRoutes,
  ...peopleRoutes,
  ...courseRoutes,
  ...requirementRoutes,
  ...assignmentRoutes,
  ...planRoutes,
  ...noticeRoutes,
  ...reportRoutes,
  ...certificateRoutes,
  ...learningRoutes,
  ...clockRoutes,
  ...houseRoutes,
  ...standinRoutes,
];

/** Routes whose body is a file as it is. */
const FILE_ROUTES: readonly string[] = ['/api/people/imports', '/api/people/imports/foresee', '/api/people/holidays/read', '/api/files'];

const BODY_LIMIT = 20 * 1024 * 1024;

/** The HTTP face of Nudrik: the API, live events, and the web application where it is built. */
export function createApp(deps: Deps, live: Live | null): Express {
  const app = express();
  app.disable('x-powered-by');
  app.set('query parser', 'simple');
  app.set('trust proxy', 'loopback');
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          'default-src': ["'self'"],
          'script-src': ["'self'"],
          // Angular and PrimeNG write style elements as they go
          'style-src': ["'self'", "'unsafe-inline'"],
          'img-src': ["'self'", 'data:'],
          'font-src': ["'self'"],
          'connect-src': ["'self'"],
          'frame-src': ["'self'"],
          'object-src': ["'none'"],
          'base-uri': ["'self'"],
          'form-action': ["'self'"],
          'frame-ancestors': ["'self'"],
          'upgrade-insecure-requests': null,
        },
      },
      strictTransportSecurity: deps.settings.baseUrl.startsWith('https:'),
    }),
  );

  app.use('/api', async (req, res, next) => {
    const token = tokenOf(req.headers.cookie);
    const session = token ? await findSession(deps.db, token) : null;
    res.locals['account'] = session?.account ?? null;
    res.locals['csrf'] = session?.csrf ?? null;
    next();
  });
  // a browser sends this header only from our own pages: other sites would have to ask first, and are refused
  app.use('/api', (req, res, next) => {
    if (req.method === 'GET' || req.method === 'HEAD') return next();
    const expected = (res.locals['csrf'] as string | null) ?? 'nobody';
    const sent = req.headers['x-csrf-token'];
    const isKeyed = req.path.startsWith('/learning/') || req.path.startsWith('/session');
    if (sent !== expected && !(isKeyed && sent !== undefined)) throw new Refused(res.locals['account'] ? 'csrf' : 'not-signed-in');
    next();
  });
  app.use(
    '/api/session',
    rateLimit({
      windowMs: 60_000,
      limit: 30,
      skip: (req) => req.method !== 'POST' || req.path !== '/',
      handler: () => {
        throw new Refused('too-many-tries');
      },
    }),
  );

  const json = express.json({ limit: '5mb' });
  const raw = express.raw({ limit: BODY_LIMIT, type: () => true });
  for (const route of ROUTES) {
    const takesFile = FILE_ROUTES.includes(route.path);
    app[route.method](
      route.path,
      (_req, res, next) => {
        const account = res.locals['account'] as Account | null;
        if (isAllowed(route.access, account)) return next();
        throw new Refused(
          account ? 'not-allowed' : 'not-signed-in',
          account
            ? `Your role (${account.role}) does not allow this. Expected: ${(route.access as readonly string[]).join(', ')}.`
            : undefined,
        );
      },
      takesFile ? raw : json,
      async (req: Request, res: Response) => {
        const answer = await route.handle({ deps, req, res, account: res.locals['account'] as Account | null });
        if (answer !== undefined && !res.headersSent) res.json(answer);
      },
    );
  }
  app.get('/api/live', (_req, res) => {
    if (!res.locals['account']) throw new Refused('not-signed-in');
    if (live) live.add(res);
    else res.status(204).end();
  });
  app.use('/api', () => {
    throw new Refused('not-found', 'There is no such address in the API.');
  });

  const webDir = deps.settings.webDir && resolve(deps.settings.webDir);
  if (webDir && existsSync(webDir)) {
    app.use(
      express.static(webDir, {
        index: false,
        maxAge: '1y',
        immutable: true,
        setHeaders: (res, path) => {
          if (path.endsWith('.html')) res.setHeader('cache-control', 'no-cache');
        },
      }),
    );
    app.use((req, res, next) => {
      if ((req.method !== 'GET' && req.method !== 'HEAD') || /\.\w+$/.test(req.path)) return next();
      res.setHeader('cache-control', 'no-cache');
      res.sendFile(join(webDir, 'index.html'));
    });
  }

  app.use((error: unknown, req: Request, res: Response, next: NextFunction) => {
    if (res.headersSent) return next(error);
    const refused = asRefusal(error);
    if (refused.code === 'broken') deps.log.error({ error: (error as Error).stack, path: req.path }, 'A request failed.');
    res.status(refused.status).json({ code: refused.code, message: refused.message, details: refused.details });
  });
  return app;
}

/** What went wrong, by code or SQLSTATE, never by text. */
function asRefusal(error: unknown): Refused {
  if (error instanceof Refused) return error;
  const { type, code, status } = error as { type?: string; code?: string; status?: number };
  if (type === 'entity.too.large') return new Refused('too-large');
  if (type === 'entity.parse.failed') return new Refused('wrong-input', 'The request is not JSON; nothing was changed.');
  if (code === '23505' || code === '40001' || code === '40P01')
    return new Refused('conflict', 'Somebody changed the same thing at the same moment. Load it again; nothing was changed.');
  if (code === '22003') return new Refused('wrong-input', 'A number is out of range; nothing was changed.');
  if (code === 'ECONNREFUSED' || code === '57P01' || code === '57P03')
    return new Refused('out-of-order', 'The database does not answer. Nothing was changed; try again in a moment.');
  if (status === 404) return new Refused('not-found');
  return new Refused('broken', REFUSALS.broken.message);
}
