import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { FeedPage, type FeedPerson } from '@nudrik/contract';
import { openPersonnelFeed, type PersonnelFeed } from './personnel-feed.ts';

const person = (number: number): FeedPerson => ({ number: `OF-${number}`, name: `Person ${number}`, email: `p${number}@orlasund.example`, department: 'Deck', site: 'Orla Quay', job: null, language: null, chatName: null, manager: null, joinedOn: null, leftOn: null }); // prettier-ignore
let feed: PersonnelFeed;
beforeAll(async () => {
  // somebody joins on 2 March
  feed = await openPersonnelFeed({
    port: 0,
    rosterOn: (date) => Array.from({ length: date < '2027-03-02' ? 25 : 26 }, (_, i) => person(i)),
  });
});
afterAll(() => feed.close());
beforeEach(() => {
  feed.mode = 'ok';
});
const get = (query = '', headers: Record<string, string> = {}) =>
  fetch(`http://127.0.0.1:${feed.port}/people${query}`, { headers: { date: new Date('2027-03-01T06:00:00Z').toUTCString(), ...headers } });

describe('the personnel feed', () => {
  it('hands out pages, each with the tag of the whole and a link to the next', async () => {
    const first = await get('?page=1&size=20');
    expect(first.headers.get('link')).toBe('</people?page=2&size=20>; rel="next"');
    const second = await get('?page=2&size=20');
    expect([second.headers.get('etag'), second.headers.get('link')]).toEqual([first.headers.get('etag'), null]);
    const pages = [FeedPage.parse(await first.json()), FeedPage.parse(await second.json())];
    expect(pages.map(({ people, total, pages: count }) => [people.length, total, count])).toEqual([[20, 25, 2], [5, 25, 2]]); // prettier-ignore
  });
  it('answers 304 where nothing is new, and the roster of the day that is asked for', async () => {
    const etag = (await get()).headers.get('etag')!;
    expect((await get('', { 'if-none-match': etag })).status).toBe(304);
    const later = await get('', { 'if-none-match': etag, date: new Date('2027-03-02T06:00:00Z').toUTCString() });
    expect([later.status, FeedPage.parse(await later.json()).total]).toEqual([200, 26]);
  });
  it('misbehaves on request', async () => {
    const put = await fetch(`http://127.0.0.1:${feed.port}/behaviour`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: '{"mode":"down"}' }); // prettier-ignore
    expect(await put.json()).toEqual({ mode: 'down' });
    expect((await get()).status).toBe(503);
    feed.mode = 'malformed';
    await expect((await get()).json()).rejects.toThrow();
    feed.mode = 'cut-off';
    await expect((await get()).text()).rejects.toThrow();
    feed.mode = 'half';
    expect(FeedPage.parse(await (await get()).json()).total).toBe(13);
    feed.mode = 'slow';
    await expect(fetch(`http://127.0.0.1:${feed.port}/people`, { signal: AbortSignal.timeout(50) })).rejects.toThrow();
  });
});
