import { createHash, randomBytes } from 'node:crypto';
import { createDocument } from 'zod-openapi';
import { z } from 'zod';
import { RESOURCES, SCOPE_WORDS, type ProgramsView, type Resource, type Scope, type TokenDraft, type TokenMade } from '@nudrik/contract';
import { announce, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { endToken, findByHash, findToken, insertToken, listTokens, seeToken } from './programs.repo.ts';

const digest = (token: string): Buffer => createHash('sha256').update(token).digest();

export const programsView = async ({ db }: Deps): Promise<ProgramsView> => ({ tokens: await listTokens(db) });

/** Makes a token: what it is is told now, and never again. */
export function makeToken({ db, clock }: Deps, { name, scopes, until }: TokenDraft, byWhom: string): Promise<TokenMade> {
  const token = `nudrik_${randomBytes(32).toString('base64url')}`;
  return transaction(db, async (client) => {
    const id = await insertToken(client, { name, hash: digest(token), scopes: [...new Set(scopes)], byWhom, at: clock.now(), until });
    await announce(client, 'programs');
    return { id, token };
  });
}

/** Ends a token: whoever has it reads nothing from now on. */
export function stopToken({ db, clock }: Deps, id: string, byWhom: string): Promise<void> {
  return transaction(db, async (client) => {
    if (!(await endToken(client, id, clock.now(), byWhom)) && !(await findToken(client, id)))
      throw new Refused('not-found', 'There is no such token, or not any more.');
    await announce(client, 'programs');
  });
}

/** Of a name and a password, as programs that bring statements sign in, the password is the token; the name is any. */
const basicOf = (authorization: string | undefined): string | undefined => {
  const pair = /^Basic ([A-Za-z0-9+/=_-]{1,2000})$/i.exec(authorization ?? '')?.[1];
  return pair && /^[^:]*:(\S{1,200})$/.exec(Buffer.from(pair, 'base64').toString())?.[1];
};

export interface Program {
  id: string;
  name: string;
  scopes: readonly string[];
}
/** Whose a request of another program is. @throws Refused */
export async function programOf(deps: Deps, authorization: string | undefined): Promise<Program> {
  const token = /^Bearer (\S{1,200})$/i.exec(authorization ?? '')?.[1] ?? basicOf(authorization);
  if (!token) throw new Refused('not-signed-in', 'Expected a token: the header “Authorization: Bearer …”. An administrator makes one under Settings, Other programs.'); // prettier-ignore
  const found = await findByHash(deps.db, digest(token), await houseToday(deps));
  if (!found)
    throw new Refused('not-signed-in', 'This token opens nothing: there is none like it, it was ended, or its last day has passed.');
  await seeToken(deps.db, found.id, deps.clock.now());
  return found;
}

/** @throws Refused where a program may not read something */
export const mayRead = (program: Program, resource: Resource): void => mayDo(program, RESOURCES[resource].scope, `read ${resource}`);

/** @throws Refused where a token has not the scope for something */
export function mayDo(
  { name, scopes }: Program,
  scope: Scope,
  what = scope === 'completions' ? 'bring completions' : `read ${scope}`,
): void {
  if (!scopes.includes(scope))
    throw new Refused('not-allowed', `The token “${name}” may not ${what}: it has ${scopes.join(', ')}; expected ${scope}.`);
}

const Problem = z.object({
  code: z.string(),
  message: z.string().meta({ description: 'What is wrong, in a sentence: what, where, expected, got.' }),
  details: z.array(z.object({ field: z.string(), message: z.string() })).optional(),
});

/** The whole of it, as OpenAPI 3.1: made from what requests and answers are checked by. */
export function openApi(baseUrl: string): object {
  const refused = (description: string) => ({ description, content: { 'application/json': { schema: Problem } } });
  return createDocument({
    openapi: '3.1.0',
    info: {
      title: 'Nudrik',
      version: '1',
      description: 'Reads who is on the roster, what they were asked for, what was sent, and what they hold. It changes nothing; completions are brought as statements of xAPI to /api/xapi. Pages go by key: ask again with `after` as `next` of the page before, until `next` is null.', // prettier-ignore
    },
    servers: [{ url: `${baseUrl}/api/v1` }],
    security: [{ token: [] }],
    components: { securitySchemes: { token: { type: 'http', scheme: 'bearer', description: `One token may read: ${Object.entries(SCOPE_WORDS).map(([scope, words]) => `${scope} (${words})`).join('; ')}.` } } }, // prettier-ignore
    paths: Object.fromEntries(
      (Object.keys(RESOURCES) as Resource[]).map((resource) => {
        const { title, scope, query, row } = RESOURCES[resource];
        return [
          `/${resource}`,
          {
            get: {
              operationId: `list-${resource}`,
              summary: title,
              description: `A token with the scope \`${scope}\`.`,
              requestParams: { query },
              responses: {
                '200': {
                  description: 'A page of rows in the order of their ids.',
                  content: { 'application/json': { schema: z.object({ rows: z.array(row), next: z.string().nullable() }) } }, // prettier-ignore
                },
                '400': refused('Something in the question is not as expected.'),
                '401': refused('Without a token, or with one that opens nothing.'),
                '403': refused('The token may not read this.'),
                '429': refused('Too many requests; the header `Retry-After` says in how many seconds to go on.'),
              },
            },
          },
        ];
      }),
    ),
  });
}
