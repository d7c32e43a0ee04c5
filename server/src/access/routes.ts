import {
  AccountChange,
  AccountInvite,
  DemoSignIn,
  ElsewhereQuery,
  FactorAsk,
  FactorConfirm,
  KeyUse,
  LinkRequest,
  PasswordChange,
  SignIn,
  type Account,
  type Session,
} from '@nudrik/contract';
import { act, ADMINISTRATORS, DONE, get, idOf, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { getHouse } from '../house/house.ts';
import { accountsView, askForLink, changeAccount, changePassword, endAccount, invite, lookAtKey, useKey, WORN } from './accounts.ts';
import { endOtherSessions, endSession, findKey, listSessions } from './accounts.repo.ts';
import { BACK_PATH, beginElsewhere, endElsewhere, NotLetInError } from './elsewhere.ts';
import { beginSecondFactor, checkFactor, confirmSecondFactor, endSecondFactor, factorState } from './second-factor.ts';
import { checkPassword, closeSession, countTry, forgetTries, findAccount, listDemoAccounts, openSession } from './sessions.ts';

export const COOKIE = 'nudrik_session';

function cookieOf(header: string | undefined, called: string): string | null {
  for (const part of (header ?? '').split(';')) {
    const [name, value] = part.trim().split('=');
    if (name === called && value) return value;
  }
  return null;
}
export const tokenOf = (cookieHeader: string | undefined): string | null => cookieOf(cookieHeader, COOKIE);

/** Opens a session in the browser that asks. @returns the page's token */
async function enter({ deps, req, res }: Call, account: Account): Promise<string> {
  const old = tokenOf(req.headers.cookie);
  if (old) await closeSession(deps.db, old);
  const from = { agent: req.headers['user-agent'] ?? '', address: req.ip ?? '', now: deps.clock.now() };
  const { token, csrf } = await openSession(deps.db, account.id, deps.settings.sessionHours, from);
  res.cookie(COOKIE, token, {
    httpOnly: true,
    sameSite: 'lax',
    secure: isSecure(deps),
    path: '/',
    maxAge: deps.settings.sessionHours * 3_600_000,
  });
  return csrf;
}

async function signIn(call: Call, account: Account): Promise<Session> {
  return sessionView(call.deps, account, await enter(call, account));
}

async function sessionView(deps: Call['deps'], account: Account | null, csrf: string | null): Promise<Session> {
  const house = await getHouse(deps.db);
  return {
    account,
    csrf,
    isDemo: house.isDemo,
    organisation: house.organisation,
    zone: house.zone,
    place: house.place,
    weekStartsOn: house.weekStartsOn,
    elsewhere: deps.settings.elsewhere?.name ?? null,
  };
}

const WAY_COOKIE = 'nudrik_way';
const isSecure = ({ settings }: Call['deps']): boolean => settings.baseUrl.startsWith('https:');

/** Back to the sign-in page, which says why. */
function turnAway(res: Call['res'], error: unknown): void {
  if (!(error instanceof NotLetInError)) throw error;
  res.redirect(303, `/sign-in?elsewhere=${error.why}`);
}

/** The key of an address; what is none opens nothing. */
function keyOf(text: unknown): string {
  if (typeof text !== 'string' || !/^[\w-]{43}$/.test(text)) throw new Refused('wrong-link', WORN);
  return text;
}

/** @throws Refused unless it is the password of who is signed in */
async function checkOwnPassword({ deps, req, account }: Call, password: string): Promise<void> {
  const { email } = account!;
  if (await countTry(deps.db, email, req.ip ?? 'nowhere')) throw new Refused('too-many-tries');
  if (!(await checkPassword(deps.db, email, password, deps.clock.now())))
    throw new Refused('wrong-input', 'This is not your password as it is now. Nothing was changed.');
  await forgetTries(deps.db, email);
}

/** A link that came by mail lets nobody past a second factor; it is not used up by asking. */
async function checkKeyFactor({ deps, req }: Call, key: string, code: string | null): Promise<void> {
  const found = await findKey(deps.db, key);
  if (!found) throw new Refused('wrong-link', WORN);
  if (code !== null && (await countTry(deps.db, found.email, req.ip ?? 'nowhere'))) throw new Refused('too-many-tries');
  await checkFactor(deps, found.account_id, code);
}

const ownToken = ({ req }: Call): string => tokenOf(req.headers.cookie) ?? '';

export const accessRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/session',
    access: 'public',
    handle: ({ deps, account, res }) => sessionView(deps, account, (res.locals['csrf'] as string | undefined) ?? null),
  },
  {
    method: 'post',
    path: '/api/session',
    access: 'public',
    async handle(call) {
      const { email, password, code } = parse(SignIn, call.req.body);
      if (await countTry(call.deps.db, email, call.req.ip ?? 'nowhere')) throw new Refused('too-many-tries');
      const account = await checkPassword(call.deps.db, email, password, call.deps.clock.now());
      if (!account) throw new Refused('wrong-password');
      await checkFactor(call.deps, account.id, code);
      await forgetTries(call.deps.db, email);
      return signIn(call, account);
    },
  },
  {
    method: 'get',
    path: '/api/session/elsewhere',
    access: 'public',
    // a page and not an answer: the browser goes from here to the sign-in service
    async handle({ deps, req, res }) {
      if (!deps.settings.elsewhere) throw new Refused('not-found', 'No sign-in service is set up here.');
      const { back, as } = parse(ElsewhereQuery, req.query);
      try {
        const { address, way } = await beginElsewhere(deps, back, as === 'another');
        res.cookie(WAY_COOKIE, way, { httpOnly: true, sameSite: 'lax', secure: isSecure(deps), path: BACK_PATH, maxAge: 600_000 });
        res.redirect(303, address);
      } catch (error) {
        turnAway(res, error);
      }
      return undefined;
    },
  },
  {
    method: 'get',
    path: BACK_PATH,
    access: 'public',
    async handle(call) {
      const { deps, req, res } = call;
      if (!deps.settings.elsewhere) throw new Refused('not-found', 'No sign-in service is set up here.');
      res.clearCookie(WAY_COOKIE, { path: BACK_PATH });
      try {
        const { account, back } = await endElsewhere(
          deps,
          new URL(req.originalUrl, deps.settings.baseUrl).search,
          cookieOf(req.headers.cookie, WAY_COOKIE),
        );
        await enter(call, account);
        res.redirect(303, back ?? '/');
      } catch (error) {
        turnAway(res, error);
      }
      return undefined;
    },
  },
  {
    method: 'get',
    path: '/api/demo/accounts',
    access: 'public',
    async handle({ deps }) {
      if (!(await getHouse(deps.db)).isDemo) return [];
      return listDemoAccounts(deps.db);
    },
  },
  {
    method: 'post',
    path: '/api/session/demo',
    access: 'public',
    async handle(call) {
      const { accountId } = parse(DemoSignIn, call.req.body);
      if (!(await getHouse(call.deps.db)).isDemo) throw new Refused('only-in-demo');
      const account = await findAccount(call.deps.db, accountId, call.deps.clock.now());
      if (!account) throw new Refused('not-found', `There is no account ${accountId}.`);
      return signIn(call, account);
    },
  },
  {
    method: 'post',
    path: '/api/session/link',
    access: 'public',
    async handle({ deps, req }) {
      const { email } = parse(LinkRequest, req.body);
      if (await countTry(deps.db, email, req.ip ?? 'nowhere')) throw new Refused('too-many-tries');
      // answered before it is sent, so that how long it takes tells nothing either
      askForLink(deps, email).catch((error: Error) => deps.log.error({ error: error.stack }, 'A link could not be sent.'));
      return DONE;
    },
  },
  {
    method: 'get',
    path: '/api/session/keys/:key',
    access: 'public',
    handle: ({ deps, req }) => lookAtKey(deps, keyOf(req.params['key'])),
  },
  {
    method: 'post',
    path: '/api/session/keys/:key',
    access: 'public',
    async handle(call) {
      const { deps, req } = call;
      const { password, code } = parse(KeyUse, req.body ?? {});
      const key = keyOf(req.params['key']);
      await checkKeyFactor(call, key, code);
      const id = await useKey(deps, key, password);
      const account = await findAccount(deps.db, id, deps.clock.now());
      if (!account) throw new Refused('wrong-link', WORN);
      return signIn(call, account);
    },
  },
  get(
    '/api/account/sessions',
    (call) => listSessions(call.deps.db, call.account!.id, ownToken(call), call.deps.settings.idleHours),
    'signed-in',
  ),
  {
    method: 'delete',
    path: '/api/account/sessions/:id',
    access: 'signed-in',
    async handle(call) {
      const { id } = call.account!;
      if (call.req.params['id'] === 'others') await endOtherSessions(call.deps.db, id, ownToken(call));
      else if (!(await endSession(call.deps.db, id, idOf(call)))) throw new Refused('not-found', 'This session has ended already.');
      return DONE;
    },
  },
  {
    method: 'put',
    path: '/api/account/password',
    access: 'signed-in',
    async handle(call) {
      const { deps, req, account } = call;
      const { current, password } = parse(PasswordChange, req.body);
      await checkOwnPassword(call, current);
      await changePassword(deps, account!, password);
      await endOtherSessions(deps.db, account!.id, ownToken(call));
      return DONE;
    },
  },
  get('/api/account/second-factor', ({ deps, account }) => factorState(deps.db, account!.id), 'signed-in'),
  {
    method: 'post',
    path: '/api/account/second-factor',
    access: 'signed-in',
    async handle(call) {
      await checkOwnPassword(call, parse(FactorAsk, call.req.body).password);
      return beginSecondFactor(call.deps, call.account!);
    },
  },
  {
    method: 'put',
    path: '/api/account/second-factor',
    access: 'signed-in',
    async handle({ deps, req, account }) {
      const { code } = parse(FactorConfirm, req.body);
      if (await countTry(deps.db, `code of ${account!.email}`, req.ip ?? 'nowhere')) throw new Refused('too-many-tries');
      return confirmSecondFactor(deps, account!, code);
    },
  },
  {
    method: 'delete',
    path: '/api/account/second-factor',
    access: 'signed-in',
    async handle(call) {
      await checkOwnPassword(call, parse(FactorAsk, call.req.body).password);
      await endSecondFactor(call.deps, call.account!.id, call.account!.name);
      return DONE;
    },
  },
  act('delete', '/api/accounts/:id/second-factor', async (call) => {
    await endSecondFactor(call.deps, idOf(call), call.account!.name);
    return DONE;
  }),
  get('/api/accounts', ({ deps }) => accountsView(deps), ADMINISTRATORS),
  act('post', '/api/accounts', ({ deps, req, account }) => invite(deps, parse(AccountInvite, req.body), account!.name)),
  act('patch', '/api/accounts/:id', async (call) => {
    await changeAccount(call.deps, idOf(call), parse(AccountChange, call.req.body), call.account!.name);
    return DONE;
  }),
  act('delete', '/api/accounts/:id', async (call) => {
    await endAccount(call.deps, idOf(call), call.account!);
    return DONE;
  }),
  {
    method: 'delete',
    path: '/api/session',
    access: 'public',
    async handle({ deps, req, res }) {
      const token = tokenOf(req.headers.cookie);
      if (token) await closeSession(deps.db, token);
      res.clearCookie(COOKIE, { path: '/' });
      return sessionView(deps, null, null);
    },
  },
];
