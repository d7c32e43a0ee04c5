import {
  AccountChange,
  AccountInvite,
  DemoSignIn,
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
import { endOtherSessions, endSession, listSessions } from './accounts.repo.ts';
import { checkPassword, closeSession, countTry, forgetTries, findAccount, listDemoAccounts, openSession } from './sessions.ts';

export const COOKIE = 'nudrik_session';

export function tokenOf(cookieHeader: string | undefined): string | null {
  for (const part of (cookieHeader ?? '').split(';')) {
    const [name, value] = part.trim().split('=');
    if (name === COOKIE && value) return value;
  }
  return null;
}

async function signIn({ deps, req, res }: Call, account: Account): Promise<Session> {
  const old = tokenOf(req.headers.cookie);
  if (old) await closeSession(deps.db, old);
  const from = { agent: req.headers['user-agent'] ?? '', address: req.ip ?? '', now: deps.clock.now() };
  const { token, csrf } = await openSession(deps.db, account.id, deps.settings.sessionHours, from);
  res.cookie(COOKIE, token, {
    httpOnly: true,
    sameSite: 'lax',
    secure: deps.settings.baseUrl.startsWith('https:'),
    path: '/',
    maxAge: deps.settings.sessionHours * 3_600_000,
  });
  return sessionView(deps, account, csrf);
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
  };
}

/** The key of an address; what is none opens nothing. */
function keyOf(text: unknown): string {
  if (typeof text !== 'string' || !/^[\w-]{43}$/.test(text)) throw new Refused('wrong-link', WORN);
  return text;
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
      const { email, password } = parse(SignIn, call.req.body);
      if (await countTry(call.deps.db, email, call.req.ip ?? 'nowhere')) throw new Refused('too-many-tries');
      const account = await checkPassword(call.deps.db, email, password, call.deps.clock.now());
      if (!account) throw new Refused('wrong-password');
      await forgetTries(call.deps.db, email);
      return signIn(call, account);
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
      const { password } = parse(KeyUse, req.body ?? {});
      const id = await useKey(deps, keyOf(req.params['key']), password);
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
      if (await countTry(deps.db, account!.email, req.ip ?? 'nowhere')) throw new Refused('too-many-tries');
      if (!(await checkPassword(deps.db, account!.email, current, deps.clock.now())))
        throw new Refused('wrong-input', 'This is not your password as it is now. Nothing was changed.');
      await forgetTries(deps.db, account!.email);
      await changePassword(deps, account!, password);
      await endOtherSessions(deps.db, account!.id, ownToken(call));
      return DONE;
    },
  },
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
