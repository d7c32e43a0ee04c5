import type { Request, Response } from 'express';
import type { z } from 'zod';
import { Id, tellIssues, tidy, type Account, type Role } from '@nudrik/contract';
import { capital } from '@nudrik/core';
import type { Deps } from './deps.ts';
import { Refused } from './refusal.ts';

/** Who may call a route: some roles, anyone who is signed in, or anyone at all. */
export type Access = readonly Role[] | 'signed-in' | 'public';

export interface Call {
  deps: Deps;
  req: Request;
  res: Response;
  /** null on public routes when nobody is signed in */
  account: Account | null;
}

/** One route. What `handle` returns is sent as JSON; undefined means that it answered by itself. */
export interface Route {
  method: 'get' | 'head' | 'post' | 'put' | 'patch' | 'delete';
  path: string;
  access: Access;
  /** a body that is no JSON: a file as a whole, a large one, or one that is read as it comes */
  takes?: 'file' | 'large file' | 'stream';
  handle(call: Call): Promise<unknown>;
}

export const OFFICE: readonly Role[] = ['administrator', 'trainer', 'auditor'];
export const EDITORS: readonly Role[] = ['administrator', 'trainer'];
export const ADMINISTRATORS: readonly Role[] = ['administrator'];


/** Told of each schema that something is parsed by: how the generated requests of the tests know what a route expects. */
export const onParse: { seen: ((schema: z.ZodType) => void) | null } = { seen: null };

/** Parses what came in, its text composed and free of control characters, or refuses with where, expected, got. */
export function parse<T extends z.ZodType>(schema: T, input: unknown): z.infer<T> {
  const tidied = tidy(input);
  if ('fault' in tidied) throw new Refused('wrong-input', `${capital(tidied.fault)}. Nothing was changed.`);
  onParse.seen?.(schema);
  const parsed = schema.safeParse(tidied.value);
  if (parsed.success) return parsed.data;
  const details = tellIssues(parsed.error, input);
  const words = details.map(({ field, message }) => capital(field === '' ? message : `${field}: ${message}`)).join('. ');
  throw new Refused('wrong-input', `${words}. Nothing was changed.`, details);
}

/** The row that a path names, `/api/people/:id`. */
export const idOf = ({ req }: Call): string => parse(Id, req.params['id']);

/** A file that came as the body. */
export const bytesOf = ({ req }: Call): Buffer => (Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0));

/** Who an account is on the roster. @throws Refused where they are nobody; `what` ends the sentence */
export function ownPerson(account: Account | null, what: string): string {
  if (!account?.personId) throw new Refused('not-found', `This account belongs to nobody on the roster, so it has no ${what}.`);
  return account.personId;
}

/** The answer of an act that has nothing else to say. */
export const DONE = { done: true };

/** Reading, for the office unless it says otherwise. */
export const get = (path: string, handle: Route['handle'], access: Access = OFFICE): Route => ({ method: 'get', path, access, handle });

/** Changing, for administrators. */
export const act = (method: Exclude<Route['method'], 'get'>, path: string, handle: Route['handle'], takes?: Route['takes']): Route => ({
  method,
  path,
  access: ADMINISTRATORS,
  ...(takes && { takes }),
  handle,
});

export const isAllowed = (access: Access, account: Account | null): boolean =>
  access === 'public' || (account !== null && (access === 'signed-in' || access.includes(account.role)));
