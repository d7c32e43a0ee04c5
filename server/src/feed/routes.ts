import { FeedChange, FeedModeChange, type FeedMode, type FeedView } from '@nudrik/contract';
import { act, DONE, get, idOf, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { changeFeed, decidePull, feedView, previewPull, pullNow } from './feed.ts';

/** The demo's feed, where it can be told to misbehave. */
async function askStandIn({ deps }: Call, init: RequestInit = {}): Promise<FeedMode | null> {
  if (!deps.settings.feedStandInUrl) return null;
  try {
    const answer = await fetch(`${deps.settings.feedStandInUrl}/behaviour`, {
      ...init,
      headers: { 'content-type': 'application/json' },
      signal: AbortSignal.timeout(2_000),
    });
    return ((await answer.json()) as { mode: FeedMode }).mode;
  } catch {
    return null;
  }
}

export const feedRoutes: Route[] = [
  get('/api/people/feed', async (call): Promise<FeedView> => ({
    ...(await feedView(call.deps)),
    isStandIn: call.deps.settings.feedStandInUrl !== null,
    mode: await askStandIn(call),
  })),
  act('put', '/api/people/feed', async ({ deps, req, account }) => {
    await changeFeed(deps, parse(FeedChange, req.body), account!.name);
    return DONE;
  }),
  act('post', '/api/people/feed/pull', ({ deps, account }) => pullNow(deps, account!.name)),
  act('put', '/api/people/feed/mode', async (call) => {
    if (!call.deps.settings.feedStandInUrl) throw new Refused('only-in-demo', 'Only the demo’s feed can be told to misbehave.');
    return { mode: await askStandIn(call, { method: 'PUT', body: JSON.stringify(parse(FeedModeChange, call.req.body)) }) };
  }),
  get('/api/people/feed/pulls/:id', (call) => previewPull(call.deps, idOf(call))),
  ...(['approve', 'decline'] as const).map((word) =>
    act('post', `/api/people/feed/pulls/:id/${word}`, async (call) => {
      await decidePull(call.deps, idOf(call), word === 'approve', call.account!.name);
      return DONE;
    }),
  ),
];
