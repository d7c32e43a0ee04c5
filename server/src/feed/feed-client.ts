import { FeedPage, tellIssues, type FeedPerson } from '@nudrik/contract';
import type { Instant } from '@nudrik/core';
import { findOwnHost } from '../own-hosts.ts';

/** What came of asking the feed: everyone, or nothing new since the last time. */
export type FeedAnswer = { kind: 'unchanged' } | { kind: 'people'; etag: string | null; people: FeedPerson[] };

/** A feed that did not hand out a whole roster: in a sentence. Nothing of a roster that is not whole is ever used. */
export class FeedFault extends Error {}

const PAGE_SIZE = 200;
const MOST_PAGES = 2_000;

/** Bytes of one page, and of all together. */
const MOST_PAGE = 20 * 1024 * 1024;
const MOST_BYTES = 400 * 1024 * 1024;

/**
 * Lets nobody use the feed to look into the network that Nudrik stands in.
 * @param allowed hosts that are meant, as the settings of the process list them
 */
async function refuseOwnHosts(url: URL, allowed: readonly string[]): Promise<void> {
  const own = await findOwnHost(url, allowed);
  if (own) throw new FeedFault(`${url.host} is an address inside (${own}); it is asked only where NUDRIK_FEED_HOSTS lists it`);
}

async function fetchPage(url: URL, etag: string | null, now: Instant, timeoutMs: number): Promise<Response> {
  const host = url.host;
  try {
    // RFC 9110 6.6.1: the date of the one who asks; the demo's feed hands out the roster of that day
    const headers: Record<string, string> = { accept: 'application/json', date: new Date(now).toUTCString() };
    if (etag) headers['if-none-match'] = etag;
    return await fetch(url, { headers, redirect: 'manual', signal: AbortSignal.timeout(timeoutMs) });
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

/** The body of a page, as far as it may be long. */
async function readText(response: Response, page: number): Promise<string> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  for await (const chunk of (response.body ?? []) as unknown as AsyncIterable<Uint8Array>) {
    size += chunk.byteLength;
    if (size > MOST_PAGE) throw new FeedFault(`page ${page} is longer than ${MOST_PAGE / 1024 / 1024} MB`);
    chunks.push(chunk);
  }
  return new TextDecoder('utf-8').decode(Buffer.concat(chunks));
}

async function readPage(response: Response, page: number): Promise<FeedPage> {
  let text: string;
  try {
    text = await readText(response, page);
  } catch (error) {
    if (error instanceof FeedFault) throw error;
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
export async function readFeed(
  address: string,
  etag: string | null,
  now: Instant,
  { timeoutMs, hosts, onPage }: { timeoutMs: number; hosts: readonly string[]; onPage?: () => Promise<void> },
): Promise<FeedAnswer> {
  await refuseOwnHosts(new URL(address), hosts);
  const people: FeedPerson[] = [];
  let bytes = 0;
  let tag: string | null = null;
  for (let page = 1, pages = 1; page <= pages; page++) {
    const url = new URL(address);
    url.searchParams.set('page', String(page));
    url.searchParams.set('size', String(PAGE_SIZE));
    const response = await fetchPage(url, page === 1 ? etag : null, now, timeoutMs);
    if (response.status === 304 && page === 1) return { kind: 'unchanged' };
    if (response.status >= 300 && response.status < 400) {
      await response.body?.cancel();
      const to = response.headers.get('location') ?? 'nowhere';
      throw new FeedFault(`${url.host} leads on to ${to.slice(0, 200)}; enter that address where it is the right one`);
    }
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
    for (const person of read.people) people.push(person);
    bytes += Number(response.headers.get('content-length') ?? 0);
    if (bytes > MOST_BYTES) throw new FeedFault(`it is longer than ${MOST_BYTES / 1024 / 1024} MB`);
    await onPage?.();
    if (page >= pages && people.length !== read.total)
      throw new FeedFault(`it announced ${read.total} people and handed out ${people.length}`);
  }
  if (people.length === 0) throw new FeedFault('it handed out nobody');
  return { kind: 'people', etag: tag, people };
}
