import { DemoSignIn, SignIn, type Account, type Session } from '@nudrik/contract';
import { parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { getHouse } from '../house/house.ts';
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
  const { token, csrf } = await openSession(deps.db, account.id, deps.settings.sessionHours);
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
