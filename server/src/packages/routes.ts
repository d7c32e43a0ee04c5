import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import type { Response } from 'express';
import { readLink } from '../access/personal-link.ts';
import { maybeRow } from '../db/db.ts';
import { Refused } from '../refusal.ts';
import type { Route } from '../route.ts';

// beside the bundle, made by the build
const API = fileURLToPath(new URL('./package-api.js', import.meta.url));
const API_TAG = '<script src="/api/packages/api.js"></script>';

const FIND = 'select type, content from package_files where package_id = $1::bigint and path = $2::text';

/**
 * The heads of what is in a package: each of its pages stands in a sandbox, with an origin that is nobody's. It reads nothing of
 * ours, has no cookie and no storage, and fetches from nowhere but here.
 */
function headPackage(res: Response, type: string): void {
  res.setHeader('content-type', type);
  res.setHeader('x-content-type-options', 'nosniff');
  res.setHeader(
    'content-security-policy',
    "sandbox allow-scripts allow-forms allow-modals; default-src 'self' data: blob: 'unsafe-inline' 'unsafe-eval'; base-uri 'self'; form-action 'self'; object-src 'none'",
  );
  // its frames have no origin, and may stand within each other; what it loads comes from where it stands
  res.removeHeader('x-frame-options');
  res.removeHeader('origin-agent-cluster');
  res.setHeader('cross-origin-resource-policy', 'cross-origin');
  res.setHeader('access-control-allow-origin', '*');
  res.setHeader('cache-control', 'private, max-age=3600');
}

/** A page of a package with what it talks to put in first. */
export function withApi(content: Buffer): Buffer {
  // letter by letter, so that whatever its character set is stays as it is
  const html = content.toString('latin1');
  const at = /<head[^>]*>/i.exec(html) ?? /<html[^>]*>/i.exec(html) ?? /<!doctype[^>]*>/i.exec(html);
  const place = at ? at.index + at[0].length : 0;
  return Buffer.from(html.slice(0, place) + API_TAG + html.slice(place), 'latin1');
}

export const packageRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/packages/api.js',
    access: 'public',
    async handle({ res }) {
      if (!existsSync(API)) throw new Refused('not-found', 'The player of packages is not built here.');
      headPackage(res, 'text/javascript; charset=utf-8');
      res.end(await readFile(API));
      return undefined;
    },
  },
  {
    method: 'get',
    path: '/api/packages/:key/*path',
    access: 'public',
    async handle({ deps, req, res }) {
      const { token } = readLink(deps.settings.key, 'package', String(req.params['key']));
      const path = ([] as string[]).concat(req.params['path'] as unknown as string | string[]).join('/');
      const found = token && /^[1-9]\d{0,17}$/.test(token) && !path.includes('\u0000') ? await maybeRow<{ type: string; content: Buffer }>(deps.db, FIND, [token, path]) : null; // prettier-ignore
      if (!found) throw new Refused('not-found', 'There is no such file in this package.');
      headPackage(res, found.type);
      const isPage = /^(text\/html|application\/xhtml\+xml)/.test(found.type);
      const content = isPage ? withApi(found.content) : found.content;
      answerPart(res, content, isPage ? -2 : req.range(content.length, { combine: true }));
      return undefined;
    },
  },
];

/** A file that is at hand, or the one part of it that is asked for. */
function answerPart(res: Response, content: Buffer, ranges: ReturnType<Response['req']['range']>): void {
  res.setHeader('accept-ranges', 'bytes');
  if (!Array.isArray(ranges) || ranges.length !== 1) {
    res.end(content);
    return;
  }
  const { start, end } = ranges[0]!;
  res.status(206).setHeader('content-range', `bytes ${start}-${end}/${content.length}`);
  res.end(content.subarray(start, end + 1));
}
