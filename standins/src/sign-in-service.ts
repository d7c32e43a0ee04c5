import { createHash, randomBytes } from 'node:crypto';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import express, { type Request, type Response } from 'express';
import type { default as ProviderType } from 'oidc-provider';

/** Somebody whom the sign-in service knows. */
export interface ServicePerson {
  /** the service's own name for them: it stays when the address changes */
  sub: string;
  email: string;
  name: string;
  /** null: the service does not say */
  isVerified?: boolean | null;
  roles?: readonly string[];
}

export interface SignInServiceOptions {
  /** 0 takes any free port */
  port: number;
  /** where it sends people back to */
  redirectUri: string;
  clientId: string;
  clientSecret: string;
  people: readonly ServicePerson[];
}

export interface SignInService {
  issuer: string;
  close(): Promise<void>;
}

const escaped = (text: string): string => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/"/g, '&quot;');

/** The library warns of what a stand-in is meant to be: in memory, with keys of its own. Nobody hears of it. */
async function makeProvider(...args: ConstructorParameters<typeof ProviderType>): Promise<ProviderType> {
  const { warn } = console;
  console.warn = () => undefined;
  try {
    const { Provider } = await import('oidc-provider');
    return new Provider(...args);
  } finally {
    console.warn = warn;
  }
}

/**
 * The sign-in service of a firm (OpenID Connect Core 1.0, Discovery 1.0): authorization code flow with PKCE, ID tokens signed by
 * RS256. There is no password: its page asks who one is. The claim `roles` tells what somebody may do.
 */
export async function openSignInService(options: SignInServiceOptions): Promise<SignInService> {
  const app = express();
  app.disable('x-powered-by');
  const server = createServer(app).listen(options.port, '127.0.0.1');
  await new Promise((ready) => server.once('listening', ready));
  const issuer = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const known = (sub: string): ServicePerson | undefined => options.people.find((person) => person.sub === sub);

  const provider = await makeProvider(issuer, {
    clients: [
      {
        client_id: options.clientId,
        client_secret: options.clientSecret,
        redirect_uris: [options.redirectUri],
        grant_types: ['authorization_code'],
        response_types: ['code'],
      },
    ],
    claims: { openid: ['sub'], email: ['email', 'email_verified'], profile: ['name', 'roles'] },
    conformIdTokenClaims: false,
    cookies: { keys: [randomBytes(24).toString('hex')] },
    features: { devInteractions: { enabled: false } },
    interactions: { url: (_ctx, { uid }) => `/who/${uid}` },
    findAccount: (_ctx, sub) => {
      const person = known(sub);
      if (!person) return undefined;
      const { email, name, isVerified = true, roles = [] } = person;
      return {
        accountId: sub,
        claims: () => ({ sub, email, ...(isVerified !== null && { email_verified: isVerified }), name, roles: [...roles] }),
      };
    },
    // the firm's own client is not asked about one by one
    async loadExistingGrant(ctx) {
      const grant = new ctx.oidc.provider.Grant({ clientId: ctx.oidc.client!.clientId, accountId: ctx.oidc.session!.accountId! });
      grant.addOIDCScope('openid email profile');
      await grant.save();
      return grant;
    },
    ttl: { AccessToken: 600, AuthorizationCode: 60, IdToken: 600, Interaction: 600, Session: 60, Grant: 600 },
    async renderError(ctx, out) {
      ctx.type = 'html';
      ctx.body = `<!doctype html><title>Not possible</title><p>${escaped(String(out.error_description ?? out.error))}</p>`;
      return Promise.resolve();
    },
  });

  app.get('/who/:uid', async (req: Request, res: Response) => {
    const { uid } = await provider.interactionDetails(req, res);
    const buttons = options.people.map(
      ({ sub, name, email }) => `<p><button name="sub" value="${escaped(sub)}">${escaped(name)}</button> ${escaped(email)}</p>`,
    );
    res.type('html').send(
      `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Who are you?</title>
<style>body{font:16px/1.5 sans-serif;max-width:560px;margin:48px auto;padding:0 20px}button{font:inherit;min-width:220px;text-align:left;padding:8px 12px}</style>
<h1>Who are you?</h1><p>The sign-in service of Orlasund Ferries, played by a stand-in: it asks for no password.</p>
<form method="post" action="/who/${escaped(uid)}">${buttons.join('')}<p><button name="sub" value="">Nobody: go back</button></p></form></html>`,
    );
  });
  app.post('/who/:uid', express.urlencoded({ extended: false, limit: '4kb' }), async (req: Request, res: Response) => {
    const { sub } = req.body as { sub?: string };
    await provider.interactionFinished(req, res, sub && known(sub) ? { login: { accountId: sub } } : { error: 'access_denied' });
  });
  app.use(provider.callback());
  return {
    issuer,
    close: () =>
      new Promise((closed) => {
        server.close(() => closed());
        server.closeAllConnections();
      }),
  };
}

/** A name that stays, made of an address. */
export const subOf = (email: string): string => createHash('sha256').update(email).digest('hex').slice(0, 16);
