import { createHash } from 'node:crypto';
import { createServer } from 'node:http';
import { FeedModeChange, type FeedMode, type FeedPage, type FeedPerson } from '@nudrik/contract';
import express, { type Request, type Response } from 'express';

export interface PersonnelFeedOptions {
  /** 0 takes any free port */
  port: number;
  /** the roster as the personnel department has it on a local date `YYYY-MM-DD` */
  rosterOn(date: string): FeedPerson[];
  mode?: FeedMode;
  /** how long a slow page takes */
  slowMs?: number;
}

export interface PersonnelFeed {
  port: number;
  mode: FeedMode;
  close(): Promise<void>;
}

const MOST_ON_A_PAGE = 500;

/**
 * A personnel system that hands out its roster as paged JSON: `GET /people?page=1&size=200`. Pages carry an entity tag for
 * the whole roster (RFC 9110 8.8.3) and a link to the next one (RFC 8288); `If-None-Match` is answered 304. The roster is
 * that of the day in the request's Date header. It misbehaves on request: `PUT /behaviour {"mode": "slow"}`.
 */
export async function openPersonnelFeed(options: PersonnelFeedOptions): Promise<PersonnelFeed> {
  let mode = options.mode ?? 'ok';
  const waiting = new Set<NodeJS.Timeout>();
  const app = express();
  app.disable('x-powered-by');
  app.set('etag', false);
  app.get('/behaviour', (_req, res) => void res.json({ mode }));
  app.put('/behaviour', express.json(), (req, res) => {
    mode = FeedModeChange.parse(req.body).mode;
    res.json({ mode });
  });
  app.get('/people', (req: Request, res: Response) => {
    if (mode === 'down') return void res.status(503).type('text/plain').send('The personnel system is being maintained.');
    if (mode === 'malformed') return void res.type('application/json').send('{"page": 1, "pages": 2, "people": [{"number": "OF-1001", "na');
    const asked = req.headers.date ? new Date(req.headers.date) : new Date();
    const date = (Number.isNaN(asked.getTime()) ? new Date() : asked).toISOString().slice(0, 10);
    const all = options.rosterOn(date);
    const people = mode === 'half' ? all.slice(0, Math.ceil(all.length / 2)) : all;
    const etag = `"${createHash('sha256').update(JSON.stringify(people)).digest('hex').slice(0, 24)}"`;
    res.setHeader('etag', etag);
    res.setHeader('cache-control', 'no-cache');
    if (mode !== 'cut-off' && mode !== 'slow' && req.headers['if-none-match']?.split(/\s*,\s*/).includes(etag))
      return void res.status(304).end();
    const size = Math.min(MOST_ON_A_PAGE, Math.max(1, Number(req.query['size'] ?? 100) || 100));
    const pages = Math.max(1, Math.ceil(people.length / size));
    const page = Math.min(pages, Math.max(1, Number(req.query['page'] ?? 1) || 1));
    if (page < pages) res.setHeader('link', `</people?page=${page + 1}&size=${size}>; rel="next"`);
    const body: FeedPage = { page, pages, total: people.length, people: people.slice((page - 1) * size, page * size) };
    const text = JSON.stringify(body);
    if (mode === 'cut-off' && page === pages) {
      // half of what was announced, and then the line is dead
      res.setHeader('content-length', Buffer.byteLength(text));
      res.type('application/json').write(text.slice(0, Math.floor(text.length / 2)), () => res.destroy());
      return;
    }
    const send = (): void => void res.type('application/json').send(text);
    if (mode !== 'slow') return send();
    const timer = setTimeout(() => {
      waiting.delete(timer);
      if (!res.destroyed) send();
    }, options.slowMs ?? 60_000);
    waiting.add(timer);
  });

  const http = createServer(app);
  await new Promise<void>((resolve, reject) => {
    http.once('error', reject);
    http.listen(options.port, '127.0.0.1', resolve);
  });
  return {
    port: (http.address() as { port: number }).port,
    get mode() {
      return mode;
    },
    set mode(next) {
      mode = next;
    },
    async close() {
      for (const timer of waiting) clearTimeout(timer);
      http.closeAllConnections();
      await new Promise((closed) => http.close(closed));
    },
  };
}
