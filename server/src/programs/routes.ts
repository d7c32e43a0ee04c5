import express, { Router, type Request } from 'express';
import { ipKeyGenerator, rateLimit } from 'express-rate-limit';
import { ActivityCourse, HookDraft, Id, MOST_STATEMENTS, RESOURCES, Statement, StatementsAsked, StatementsQuery, TokenDraft, type Resource } from '@nudrik/contract'; // prettier-ignore
import { z } from 'zod';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { act, ADMINISTRATORS, DONE, get, idOf, parse, type Route } from '../route.ts';
import { listResource } from './programs.repo.ts';
import { callAgain, callsView, hooksView, leaveIt, makeHook, stopHook } from './hooks.ts';
import { seeOne, setActivityCourse, settleAgain, statementsView, takeStatements } from './statements.ts';
import { statementsOut } from './statements-out.ts';
import { makeToken, mayDo, mayRead, openApi, programOf, programsView, stopToken } from './programs.ts';

export const programRoutes: Route[] = [
  get('/api/programs', ({ deps }) => programsView(deps), ADMINISTRATORS),
  act('post', '/api/programs', ({ deps, req, account }) => makeToken(deps, parse(TokenDraft, req.body), account!.name)),
  act('delete', '/api/programs/:id', async (call) => {
    await stopToken(call.deps, idOf(call), call.account!.name);
    return DONE;
  }),
  get('/api/programs/statements', ({ deps, req }) => {
    const { show, after } = parse(StatementsAsked, req.query);
    return statementsView(deps, show, after);
  }, ADMINISTRATORS),
  act('put', '/api/programs/activities', ({ deps, req, account }) => {
    const { activity, courseId } = parse(ActivityCourse, req.body);
    return setActivityCourse(deps, activity, courseId, account!.name);
  }),
  act('post', '/api/programs/statements/again', async ({ deps }) => ({ recorded: await settleAgain(deps, null) })),
  act('post', '/api/programs/statements/:id/seen', async ({ deps, req, account }) => {
    await seeOne(deps, parse(z.uuid('expected the id of a statement'), req.params['id']), account!.name);
    return DONE;
  }),
  get('/api/programs/hooks', ({ deps }) => hooksView(deps), ADMINISTRATORS),
  act('post', '/api/programs/hooks', ({ deps, req, account }) => makeHook(deps, parse(HookDraft, req.body), account!.name)),
  act('delete', '/api/programs/hooks/:id', async (call) => {
    await stopHook(call.deps, idOf(call), call.account!.name);
    return DONE;
  }),
  get('/api/programs/hooks/:id/calls', (call) => callsView(call.deps, idOf(call), parse(Before, call.req.query).before ?? null), ADMINISTRATORS),
  act('post', '/api/programs/hooks/:id/again', (call) => callAgain(call.deps, idOf(call), parse(OneOrAll, call.req.body).call)),
  act('post', '/api/programs/hooks/:id/leave', (call) => leaveIt(call.deps, idOf(call), parse(OneOrAll, call.req.body).call, call.account!.name)),
]; // prettier-ignore
const Before = z.object({ before: Id.optional() });
/** Which call is told again; null is all that failed. */
/** One call of an address, or all of them that were not taken. */
const OneOrAll = z.object({ call: Id.nullable() });

/** Requests of one token in a minute. */
const MOST = 600;

/** What one program may ask in a minute. */
const limited = () =>
  rateLimit({
    windowMs: 60_000,
    limit: MOST,
    standardHeaders: 'draft-7',
    legacyHeaders: false,
    keyGenerator: (req: Request) => req.headers.authorization ?? ipKeyGenerator(req.ip ?? ''),
    handler: () => {
      throw new Refused('too-many-tries', `More than ${MOST} requests in a minute. Wait a minute, or ask for larger pages.`);
    },
  });

/** What other programs read, by tokens and without a session: GET alone. */
export function programApi(deps: Deps): Router {
  const router = Router();
  router.use(limited());
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

const VERSION = /^(1\.0(\.\d+)?|2\.0(\.\d+)?)$/;

/** Statements of xAPI (1.0.3, 2.0): completions that other programs bring, and those of this house for them. */
export function statementApi(deps: Deps): Router {
  const router = Router();
  router.use(limited());
  router.use((req, res, next) => {
    const version = req.headers['x-experience-api-version'];
    res.setHeader('x-experience-api-version', String(version).startsWith('1.0') ? '1.0.3' : '2.0.0');
    res.setHeader('cache-control', 'no-store');
    if (req.path !== '/about' && !VERSION.test(String(version)))
      throw new Refused('wrong-input', `Expected the header X-Experience-API-Version with 1.0.3 or 2.0.0; got ${version === undefined ? 'none' : `“${String(version).slice(0, 20)}”`}.`); // prettier-ignore
    next();
  });
  router.get('/about', (_req, res) => void res.json({ version: ['1.0.3', '2.0.0'] }));
  router.get('/statements', async (req, res) => {
    const program = await programOf(deps, req.headers.authorization);
    // they name people
    for (const scope of ['assignments', 'people'] as const) mayDo(program, scope);
    res.setHeader('x-experience-api-consistent-through', new Date(deps.clock.now()).toISOString());
    res.json(await statementsOut(deps, parse(StatementsQuery, req.query)));
  });
  const json = express.json({ limit: '2mb', strict: false });
  router.post('/statements', json, async (req, res) => {
    const program = await programOf(deps, req.headers.authorization);
    mayDo(program, 'completions');
    const many = Array.isArray(req.body);
    const list = many ? parse(Statements, req.body) : [parse(Statement, req.body)];
    res.json(await takeStatements(deps, program, list));
  });
  router.put('/statements', json, async (req, res) => {
    const program = await programOf(deps, req.headers.authorization);
    mayDo(program, 'completions');
    const { statementId } = parse(z.strictObject({ statementId: z.uuid() }), req.query);
    const one = parse(Statement, req.body);
    if (one.id !== undefined && one.id.toLowerCase() !== statementId.toLowerCase())
      throw new Refused(
        'wrong-input',
        `The statement says that its id is ${one.id}, and the address says ${statementId}. Nothing was taken.`,
      );
    await takeStatements(deps, program, [{ ...one, id: statementId }]);
    res.status(204).end();
  });
  router.use((req) => {
    throw new Refused(
      'not-found',
      `There is nothing for ${req.method} at this address. Expected POST, PUT or GET of statements, or GET of about.`,
    );
  });
  return router;
}
const Statements = z.array(Statement).min(1, 'expected at least one statement').max(MOST_STATEMENTS, `expected at most ${MOST_STATEMENTS} at once`); // prettier-ignore
