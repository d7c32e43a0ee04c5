import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import express, { type Express, type NextFunction, type Request, type Response } from 'express';
import rateLimit from 'express-rate-limit';
import helmet from 'helmet';
import type { Account } from '@nudrik/contract';
import { accessRoutes, tokenOf } from './access/routes.ts';
import { findSession } from './access/sessions.ts';
import { assignmentRoutes } from './assignments/routes.ts';
import { chatRoutes } from './chat/routes.ts';
import { certificateRoutes } from './certificates/routes.ts';
import { clockRoutes } from './clock/routes.ts';
import { COURSE_FILE_LIMIT } from './courses/course-file.ts';
import { handoutRoutes } from './handouts/routes.ts';
import { declineRoutes } from './declines/routes.ts';
import { conversationRoutes } from './conversations/routes.ts';
import { courseRoutes } from './courses/routes.ts';
import { courseFileRoutes, lookRoutes } from './courses/look.routes.ts';
import { fileRoutes } from './files/routes.ts';
import { packageRoutes } from './packages/routes.ts';
import type { Deps } from './deps.ts';
import { houseRoutes } from './house/routes.ts';
import { learningRoutes } from './learning/routes.ts';
import { quizRoutes } from './quizzes/routes.ts';
import type { Live } from './live/live.ts';
import { noticeRoutes } from './notices/routes.ts';
import { holdingRoutes } from './holding/routes.ts';
import { feedRoutes } from './feed/routes.ts';
import { peopleRoutes } from './people/routes.ts';
import { structureRoutes } from './structure/routes.ts';
import { planRoutes } from './plans/routes.ts';
import { isPassing } from './db/failures.ts';
import { seldom } from './work/seldom.ts';
import { REFUSALS, Refused, type RefusalCode } from './refusal.ts';
import { rehearsalRoutes } from './rehearsal/routes.ts';
import { evidenceRoutes } from './evidence/routes.ts';
import { keepingRoutes } from './keeping/routes.ts';
import { look, takenFile, tellLook } from './evidence/looked.ts';
import { programApi, programRoutes, statementApi } from './programs/routes.ts';
import { reportRoutes } from './reports/routes.ts';
import { sealRoutes } from './seals/routes.ts';
import { sessionRoutes } from './sessions/routes.ts';
import { signOffRoutes } from './sign-offs/routes.ts';
import { surveyRoutes } from './surveys/routes.ts';
import { requirementRoutes } from './requirements/routes.ts';
import { isAllowed, OFFICE, type Route } from './route.ts';
import { standinRoutes } from './standins/routes.ts';
import { jobRoutes } from './work/routes.ts';

/** Every route of the API, with who may call it. */
export const ROUTES: readonly Route[] = [
  ...accessRoutes,
  ...feedRoutes,
  ...structureRoutes,
  ...peopleRoutes,
  ...courseRoutes,
  ...courseFileRoutes,
  ...lookRoutes,
  ...fileRoutes,
  ...packageRoutes,
  ...requirementRoutes,
  ...assignmentRoutes,
  ...sealRoutes,
  ...programRoutes,
  ...evidenceRoutes,
  ...keepingRoutes,
  ...planRoutes,
  ...holdingRoutes,
  ...rehearsalRoutes,
  ...noticeRoutes,
  ...conversationRoutes,
  ...chatRoutes,
  ...declineRoutes,
  ...handoutRoutes,
  ...reportRoutes,
  ...certificateRoutes,
  ...learningRoutes,
  ...quizRoutes,
  ...sessionRoutes,
  ...signOffRoutes,
  ...surveyRoutes,
  ...clockRoutes,
  ...houseRoutes,
  ...standinRoutes,
  ...jobRoutes,
];

const BODY_LIMIT = 20 * 1024 * 1024;

/** Keeps what an auditor looked at, and which files the office took. The answer is on its way: that it is not kept is told to the log. */
async function keepLooked(deps: Deps, path: string, req: Request, res: Response, account: Account, answer: unknown): Promise<void> {
  if (!OFFICE.includes(account.role) || res.statusCode !== 200) return;
  const file = takenFile(res.getHeader('content-disposition'), res.getHeader('content-type'), account);
  const words = file === null && account.role === 'auditor' ? tellLook(path, answer, req.query) : null;
  try {
    if (file !== null) await look(deps, account, 'took', file);
    else if (words !== null) await look(deps, account, 'looked', words);
  } catch (error) {
    deps.log.error({ error: (error as Error).stack }, 'What was looked at was not kept.');
  }
}

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
          // how long a video is is read before it is sent
          'media-src': ["'self'", 'blob:'],
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

  // other programs: by tokens, and by no session
  app.use('/api/v1', programApi(deps));
  app.use('/api/xapi', statementApi(deps));
  app.use('/api', async (req, res, next) => {
    const token = tokenOf(req.headers.cookie);
    const session = token ? await findSession(deps.db, token, deps.clock.now(), deps.settings.idleHours) : null;
    res.locals['account'] = session?.account ?? null;
    res.locals['csrf'] = session?.csrf ?? null;
    next();
  });
  // a browser sends this header only from our own pages: other sites would have to ask first, and are refused
  app.use('/api', (req, res, next) => {
    if (req.method === 'GET' || req.method === 'HEAD') return next();
    const expected = (res.locals['csrf'] as string | null) ?? 'nobody';
    const sent = req.headers['x-csrf-token'];
    // signed by the chat, and by no browser; or by a link of a letter, which mail programs post to by themselves
    if (req.path === '/chat/replies' || req.path.startsWith('/declines/')) return next();
    const isKeyed = ['/learning/', '/looks/', '/downloads/', '/sign-off/', '/session'].some((path) => req.path.startsWith(path));
    if (isKeyed && asksFromElsewhere(req, deps.settings.baseUrl)) throw new Refused('csrf');
    if (sent !== expected && !(isKeyed && sent !== undefined)) throw new Refused(res.locals['account'] ? 'csrf' : 'not-signed-in');
    next();
  });
  // keys are long enough not to be guessed; this keeps the trying from costing anything
  app.use(
    [
      '/api/learning',
      '/api/looks',
      '/api/team',
      '/api/calendars',
      '/api/downloads',
      '/api/chat',
      '/api/declines',
      '/api/shown',
      '/api/badges',
      '/api/sign-off',
    ],
    rateLimit({
      windowMs: 60_000,
      limit: 1_200,
      handler: () => {
        throw new Refused('too-many-tries', 'Too many requests from where you are. Wait a minute, then try again.');
      },
    }),
  );
  app.use(
    '/api/session',
    rateLimit({
      windowMs: 60_000,
      limit: 30,
      skip: (req) => req.method !== 'POST' || req.path === '/demo',
      handler: () => {
        throw new Refused('too-many-tries');
      },
    }),
  );

  const json = express.json({ limit: '5mb' });
  const raw = express.raw({ limit: BODY_LIMIT, type: () => true });
  const large = express.raw({ limit: COURSE_FILE_LIMIT, type: () => true });
  for (const route of ROUTES) {
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
      route.takes === 'stream' ? (_req, _res, next) => next() : route.takes === 'file' ? raw : route.takes === 'large file' ? large : json,
      async (req: Request, res: Response) => {
        const account = res.locals['account'] as Account | null;
        const answer = await route.handle({ deps, req, res, account });
        if (answer !== undefined && !res.headersSent) res.json(answer);
        if (route.method === 'get' && account) await keepLooked(deps, route.path, req, res, account, answer);
      },
    );
  }
  app.get('/api/live', (req, res) => {
    if (!res.locals['account']) throw new Refused('not-signed-in');
    const token = tokenOf(req.headers.cookie)!;
    // what somebody hears ends with the session
    if (live) live.add(res, async () => (await findSession(deps.db, token, deps.clock.now(), deps.settings.idleHours, false)) !== null);
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

  app.use(() => {
    throw new Refused('not-found', 'There is nothing at this address.');
  });

  const warnSeldom = seldom(60_000);
  app.use((error: unknown, req: Request, res: Response, next: NextFunction) => {
    if (res.headersSent) return next(error);
    const refused = asRefusal(error);
    if (refused.code === 'broken') deps.log.error({ error: (error as Error).stack, path: withoutKeys(req.path) }, 'A request failed.');
    else if (refused.status === 503 && !(error instanceof Refused))
      warnSeldom(() => deps.log.warn({ reason: (error as Error).message }, 'The database does not answer; requests are told so.'));
    res.status(refused.status).json({ code: refused.code, message: refused.message, details: refused.details });
  });
  return app;
}

/** Whether a browser says that another site asks: what is done through a link is asked by our own pages alone (Fetch Metadata). */
function asksFromElsewhere({ headers }: Request, baseUrl: string): boolean {
  const site = headers['sec-fetch-site'];
  if (site !== undefined) return site !== 'same-origin';
  const { origin } = headers;
  if (origin === undefined) return false;
  return !URL.canParse(origin) || ![headers.host, new URL(baseUrl).host].includes(new URL(origin).host);
}

/** PostgreSQL's refusals of what it was given, by SQLSTATE, longest prefix first: what they mean to whoever asked. */
const BY_SQLSTATE: readonly [string, RefusalCode, string][] = [
  [
    '23505',
    'conflict',
    'Somebody changed the same thing at the same moment, or there is one of this name already. Load it again; nothing was changed.',
  ],
  [
    '23503',
    'conflict',
    'What this belongs to is not there any more, or something still belongs to it. Load it again; nothing was changed.',
  ],
  ['23', 'wrong-input', 'This does not fit what is there already. Nothing was changed.'],
  ['22003', 'wrong-input', 'A number is out of range; nothing was changed.'],
  ['22021', 'wrong-input', 'A text has characters that cannot be stored; nothing was changed.'],
  ['22', 'wrong-input', 'A value cannot be stored as it is; nothing was changed.'],
  ['54', 'wrong-input', 'This is more than can be worked on at once; nothing was changed.'],
  ['40001', 'conflict', 'Somebody changed the same thing at the same moment. Load it again; nothing was changed.'],
  ['40P01', 'conflict', 'Somebody changed the same thing at the same moment. Load it again; nothing was changed.'],
  ['57014', 'out-of-order', 'This took longer than it may. Nothing was changed; ask for less at once.'],
];
/** What Express and its body reader refuse, by status. */
const BY_STATUS: Record<number, Refused> = {
  404: new Refused('not-found'),
  413: new Refused('too-large'),
  415: new Refused('wrong-kind'),
};
const AWAY = 'The database does not answer. Nothing was changed; try again in a moment.';

/** An address without the keys of links in it: they open something, and logs are read by many. */
const withoutKeys = (path: string): string =>
  path.replace(/\/(learning|looks|team|keys|pictures|packages|uploads|declines|downloads|shown|sign-off)\/[^/]+/g, '/$1/…');

/** What went wrong, by code, SQLSTATE or status, never by text. */
function asRefusal(error: unknown): Refused {
  if (error instanceof Refused) return error;
  const { type, code, status } = error as { type?: string; code?: unknown; status?: number };
  if (typeof code === 'string') {
    const known = BY_SQLSTATE.find(([state]) => code.startsWith(state) && code.length === 5);
    if (known) return new Refused(known[1], known[2]);
  }
  if (isPassing(error)) return new Refused('out-of-order', AWAY);
  if (type === 'entity.parse.failed') return new Refused('wrong-input', 'The request is not JSON; nothing was changed.');
  if (error instanceof URIError) return new Refused('wrong-input', 'The address has a % that stands for nothing; nothing was changed.');
  if (status !== undefined && status >= 400 && status < 500)
    return (
      BY_STATUS[status] ??
      new Refused('wrong-input', 'The request cannot be read: it was cut off, or is not what its head says. Nothing was changed.')
    );
  return new Refused('broken', REFUSALS.broken.message);
}
