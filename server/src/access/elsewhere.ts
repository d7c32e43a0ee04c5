import * as oidc from 'openid-client';
import { ROLES, type Account, type Role } from '@nudrik/contract';
import { announce, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { houseToday } from '../people/today.ts';
import type { ElsewhereSettings } from '../settings.ts';
import {
  addAccount,
  addAccountEvent,
  findByAddress,
  findBySubject,
  findPerson,
  lockAccount,
  lockAdministrators,
  putSubject,
  setRole,
} from './accounts.repo.ts';
import { hide, reveal } from './hidden.ts';
import { findAccount } from './sessions.ts';

// Entering by a sign-in service (OpenID Connect Core 1.0, authorization code flow with PKCE, state and nonce).

/** Why somebody who came back from the sign-in service is not let in; the sign-in page has the words. */
export type NotLetIn = 'away' | 'broken-off' | 'no-address' | 'no-account' | 'other-person' | 'ended';
export class NotLetInError extends Error {
  constructor(readonly why: NotLetIn) {
    super(why);
  }
}

const PURPOSE = 'way to the sign-in service';
export const BACK_PATH = '/api/session/elsewhere/back';

const known = new Map<string, Promise<oidc.Configuration>>();

/** What the service says of itself, asked once; where it did not answer, it is asked again the next time. */
function discover({ issuer, clientId, clientSecret }: ElsewhereSettings): Promise<oidc.Configuration> {
  const key = `${issuer} ${clientId}`;
  let found = known.get(key);
  if (!found) {
    const options = { timeout: 10, ...(issuer.startsWith('http:') && { execute: [oidc.allowInsecureRequests] }) };
    found = oidc.discovery(new URL(issuer), clientId, clientSecret, undefined, options);
    known.set(key, found);
    found.catch(() => known.delete(key));
  }
  return found;
}

/** What has to be known when somebody comes back; it travels with their browser, hidden. */
interface Way {
  state: string;
  nonce: string;
  verifier: string;
  back: string | null;
}

/**
 * Where somebody is sent to sign in, and what their browser brings back.
 * @param back the page that they wanted
 * @param asAnother whether the service asks who it is even of somebody who is signed in there
 */
export async function beginElsewhere(deps: Deps, back: string | null, asAnother: boolean): Promise<{ address: string; way: string }> {
  const settings = deps.settings.elsewhere!;
  const config = await discover(settings).catch((error: Error) => {
    deps.log.warn({ reason: error.message }, 'The sign-in service does not answer.');
    throw new NotLetInError('away');
  });
  const way: Way = { state: oidc.randomState(), nonce: oidc.randomNonce(), verifier: oidc.randomPKCECodeVerifier(), back };
  const address = oidc.buildAuthorizationUrl(config, {
    redirect_uri: `${deps.settings.baseUrl}${BACK_PATH}`,
    scope: 'openid email profile',
    code_challenge: await oidc.calculatePKCECodeChallenge(way.verifier),
    code_challenge_method: 'S256',
    state: way.state,
    nonce: way.nonce,
    ...(asAnother && { prompt: 'login' }),
  });
  return { address: address.href, way: hide(deps.settings.key, PURPOSE, Buffer.from(JSON.stringify(way))).toString('base64url') };
}

/** Somebody came back from the sign-in service: who it is. @throws NotLetInError */
export async function endElsewhere(deps: Deps, search: string, hidden: string | null): Promise<{ account: Account; back: string | null }> {
  const settings = deps.settings.elsewhere!;
  const found = hidden === null ? null : reveal(deps.settings.key, PURPOSE, Buffer.from(hidden, 'base64url'));
  if (!found) throw new NotLetInError('broken-off');
  const way = JSON.parse(found.toString()) as Way;
  const claims = await askForClaims(deps, settings, search, way);
  const email = typeof claims.email === 'string' ? claims.email.trim().toLowerCase() : '';
  const isChecked = [true, 'true'].includes(claims.email_verified as string | boolean);
  if (!email || !(isChecked || (settings.trustsAddresses && claims.email_verified === undefined))) throw new NotLetInError('no-address');
  const role = settings.roleClaim === null ? null : roleOf(claims[settings.roleClaim]);
  const subject = `${claims.iss} ${claims.sub}`;
  const name = typeof claims.name === 'string' && claims.name.trim() ? claims.name.trim().slice(0, 200) : email;
  const id = await transaction(deps.db, (client) => letIn(client, deps, { subject, email, name, role }));
  const account = await findAccount(deps.db, id, deps.clock.now());
  if (!account) throw new NotLetInError('ended');
  return { account, back: way.back };
}

async function askForClaims(deps: Deps, settings: ElsewhereSettings, search: string, way: Way): Promise<Claims> {
  try {
    const tokens = await oidc.authorizationCodeGrant(await discover(settings), new URL(`${deps.settings.baseUrl}${BACK_PATH}${search}`), {
      pkceCodeVerifier: way.verifier,
      expectedState: way.state,
      expectedNonce: way.nonce,
      idTokenExpected: true,
    });
    const claims: Claims & { sub: string } = tokens.claims()!;
    if (claims.email !== undefined) return claims;
    // some tell the address only when they are asked for it
    const info = await oidc.fetchUserInfo(await discover(settings), tokens.access_token, claims.sub);
    return { ...info, ...claims };
  } catch (error) {
    deps.log.warn({ reason: (error as Error).message }, 'Somebody came back from the sign-in service and was not let in.');
    throw new NotLetInError('broken-off');
  }
}

/** What the service says of somebody (OpenID Connect Core 1.0, 5.1). */
interface Claims {
  iss?: string;
  sub?: string;
  email?: unknown;
  email_verified?: unknown;
  name?: unknown;
  [claim: string]: unknown;
}

/** The first of our roles, the one that may most, that a claim names. */
function roleOf(claim: unknown): Role | null {
  const told = (Array.isArray(claim) ? claim : [claim])
    .filter((word): word is string => typeof word === 'string')
    .map((word) => word.toLowerCase());
  return ROLES.find((role) => told.includes(role)) ?? null;
}

interface Guest {
  subject: string;
  email: string;
  name: string;
  role: Role | null;
}

/** The account of who came: by the service's name for them, else by their address; made where they may enter without one. */
async function letIn(client: Client, deps: Deps, { subject, email, name, role }: Guest): Promise<string> {
  const now = deps.clock.now();
  const service = deps.settings.elsewhere!.name;
  let id = await findBySubject(client, subject);
  if (id === null) {
    let there = await findByAddress(client, email);
    if (!there) {
      const person = await findPerson(client, email, await houseToday(deps));
      if (!person && !role) throw new NotLetInError('no-account');
      const made = await addAccount(client, { email, name: person?.name ?? name, role: role ?? 'employee' });
      if (made) await addAccountEvent(client, made, now, person?.name ?? name, `Came in by ${service}.`);
      there = (await findByAddress(client, email))!;
    }
    ({ id } = there);
    // an address that was given to another person there opens nothing here
    if (!(await putSubject(client, id, subject)) && (await findBySubject(client, subject)) !== id) throw new NotLetInError('other-person');
  }
  // whoever signs in last is asked no less than the record: an account that has ended stays so
  const administrators = await lockAdministrators(client);
  const account = (await lockAccount(client, id))!;
  if (account.ended_at) throw new NotLetInError('ended');
  if (role && role !== account.role && !(administrators.length === 1 && administrators[0] === id)) {
    await setRole(client, id, role);
    await addAccountEvent(client, id, now, service, `Role changed from ${account.role} to ${role}.`);
    await announce(client, 'accounts');
  }
  return id;
}
