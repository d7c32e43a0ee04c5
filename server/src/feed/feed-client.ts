import { FeedPage, tellIssues, type FeedPerson } from '@nudrik/contract';
import type { Instant } from '@nudrik/core';

/** What came of asking the feed: everyone, or nothing new since the last time. */
export type FeedAnswer = { kind: 'unchanged' } | { kind: 'people'; etag: string | null; people: FeedPerson[] };

/** A feed that did not hand out a whole roster: in a sentence. Nothing of a roster that is not whole is ever used. */
export class FeedFault extends Error {}

const PAGE_SIZE = 200;
const MOST_PAGES = 2_000;

async function fetchPage(url: URL, etag: string | null, now: Instant, timeoutMs: number): Promise<Response> {
  const host = url.host;
  try {
    // RFC 9110 6.6.1: the date of the one who asks; the demo's feed hands out the roster of that day
    const headers: Record<string, string> = { accept: 'application/json', date: new Date(now).toUTCString() };
    if (etag) headers['if-none-match'] = etag;
    return await fetch(url, { headers, signal: AbortSignal.timeout(timeoutMs) });
  } catch (error) {
    const { name, cause, message } = error as Error & { cause?: Error };
    throw new FeedFault(
      name === 'TimeoutError'
        ? `${host} did not answer within ${timeoutMs / 1000} seconds`
        : `${host} cannot be reached: ${cause?.message ?? message}`,
      { cause: error },
    );
  }
}

async function readPage(response: Response, page: number): Promise<FeedPage> {
  let text: string;
  try {
    text = await response.text();
  } catch (error) {
    throw new FeedFault(
      (error as Error).name === 'TimeoutError' ? `page ${page} did not come to its end in time` : `page ${page} was cut off before its end`,
      { cause: error },
    );
  }
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    throw new FeedFault(`page ${page} is not JSON; it begins with “${text.slice(0, 40).replace(/\s+/g, ' ')}”`, { cause: error });
  }
  const parsed = FeedPage.safeParse(value);
  if (!parsed.success) {
    const [issue] = tellIssues(parsed.error, value);
    throw new FeedFault(`page ${page} is not as expected: ${issue!.where}: ${issue!.message}`);
  }
  return parsed.data;
}

/**
 * Reads a personnel feed to its end: pages of JSON, one roster under one entity tag.
 * @param etag of the last roster that was taken: the feed answers 304 where nothing is new
 * @throws FeedFault when it is down, slow, cut off, malformed, or changes while it is read
 */
export async function readFeed(address: string, etag: string | null, now: Instant, timeoutMs: number): Promise<FeedAnswer> {
  const people: FeedPerson[] = [];
  let tag: string | null = null;
  for (let page = 1, pages = 1; page <= pages; page++) {
    const url = new URL(address);
    url.searchParams.set('page', String(page));
    url.searchParams.set('size', String(PAGE_SIZE));
    const response = await fetchPage(url, page === 1 ? etag : null, now, timeoutMs);
    if (response.status === 304 && page === 1) return { kind: 'unchanged' };
    if (response.status !== 200) {
      await response.body?.cancel();
      throw new FeedFault(`${url.host} answered ${response.status} ${response.statusText}`.trim());
    }
    const own = response.headers.get('etag');
    if (page === 1) tag = own;
    const read = await readPage(response, page);
    if (own !== tag) throw new FeedFault(`the roster changed while it was read (page ${page} of ${pages})`);
    if (read.page !== page) throw new FeedFault(`page ${page} was asked for and page ${read.page} came`);
    if (read.pages > MOST_PAGES) throw new FeedFault(`it has ${read.pages} pages; expected ${MOST_PAGES} at the most`);
    pages = read.pages;
    people.push(...read.people);
    if (page >= pages && people.length !== read.total)
      throw new FeedFault(`it announced ${read.total} people and handed out ${people.length}`);
  }
  if (people.length === 0) throw new FeedFault('it handed out nobody');
  return { kind: 'people', etag: tag, people };
}
