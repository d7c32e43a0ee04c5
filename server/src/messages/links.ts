import { DAY_MS, HOUR, hrefsIn, linkPlaceOf, tellDate, textsOf, type Zone, type Instant, type PlanStep, type Template } from '@nudrik/core';
import { announce } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findOwnHost } from '../own-hosts.ts';
import { canReachOut, claimLinks, findLinks, forgetLinks, listBroken, listPlansInForce, lookedAtLink, nameLinks, type LinkRow, type LinkState } from './links.repo.ts'; // prettier-ignore
import { messageLibrary } from './library.ts';

const PATIENCE_MS = 10_000;
const MOST_STEPS = 5;
/** Links of one look, and of one text. */
const AT_ONCE = 10;
const MOST_OF_TEXT = 50;
/** How long what was found holds before it is looked at again. */
const HOLDS: Readonly<Record<LinkState, number>> = { unknown: 0, ok: DAY_MS, dead: 6 * HOUR, unreachable: HOUR, inside: 7 * DAY_MS };

/** The addresses on the web that a text leads to; the house's own are its own matter. */
export const webLinksOf = (texts: readonly Pick<Template, 'body'>[], baseUrl: string): string[] =>
  [...new Set(texts.flatMap(({ body }) => hrefsIn(body)))]
    .filter((href) => linkPlaceOf(href) === null && /^https?:/i.test(href) && !`${href}/`.startsWith(`${baseUrl}/`) && URL.canParse(href))
    .slice(0, MOST_OF_TEXT);

interface Found {
  state: LinkState;
  words: string | null;
}

/** Asks for an address as a browser would, without its content. What asks for a sign-in, or refuses machines, is there. */
async function lookAt(href: string, allowed: readonly string[], stop: AbortSignal): Promise<Found> {
  let url = new URL(href);
  for (let step = 0; step <= MOST_STEPS; step++) {
    if (!/^https?:$/.test(url.protocol)) return { state: 'dead', words: `it leads on to ${url.protocol}` };
    if (await findOwnHost(url, allowed)) return { state: 'inside', words: null };
    let response: Response;
    try {
      response = await ask(url, 'HEAD', stop);
      // some servers know no HEAD
      if ([400, 403, 404, 405, 410, 501].includes(response.status)) response = await ask(url, 'GET', stop);
    } catch (error) {
      const { name, cause } = error as Error & { cause?: { code?: string } };
      const isSlow = name === 'TimeoutError';
      return { state: 'unreachable', words: isSlow ? 'it does not answer in time' : cause?.code === 'ENOTFOUND' ? `there is no ${url.hostname}` : 'it does not answer' }; // prettier-ignore
    }
    const to = response.headers.get('location');
    if (response.status >= 300 && response.status < 400 && to && URL.canParse(to, url)) {
      url = new URL(to, url);
      continue;
    }
    if (response.status === 404 || response.status === 410) return { state: 'dead', words: `it answers “${response.status} ${response.statusText || 'not found'}”` }; // prettier-ignore
    if (response.status >= 500) return { state: 'unreachable', words: `it answers “${response.status} ${response.statusText}”`.replace(' ”', '”') }; // prettier-ignore
    return { state: 'ok', words: null };
  }
  return { state: 'dead', words: 'it leads in a circle' };
}

async function ask(url: URL, method: 'HEAD' | 'GET', stop: AbortSignal): Promise<Response> {
  const response = await fetch(url, { method, redirect: 'manual', signal: AbortSignal.any([stop, AbortSignal.timeout(PATIENCE_MS)]), headers: { accept: '*/*', 'user-agent': 'Nudrik link check' } }); // prettier-ignore
  await response.body?.cancel();
  return response;
}

/** Looks at links that it is time for. @param stop nothing more is waited for, and nothing of it is kept @returns how many were looked at */
export async function checkLinks(deps: Deps, stop = new AbortController().signal): Promise<number> {
  const { db, settings } = deps;
  const due = await claimLinks(db, deps.clock.now(), AT_ONCE);
  const changed = await Promise.all(
    due.map(async ({ href, state: was }) => {
      const { state, words } = await lookAt(href, settings.feedHosts, stop).catch((): Found => ({ state: 'unreachable', words: 'it cannot be asked' })); // prettier-ignore
      if (stop.aborted) return false;
      const now = deps.clock.now();
      await lookedAtLink(db, href, state, words, now, now + HOLDS[state]);
      return state !== was;
    }),
  );
  if (changed.some(Boolean)) await announce(db, 'plans', 'people');
  return due.length;
}

/** Names the links of the messages that go, and forgets those that no message leads to any more. */
export async function gatherLinks({ db, clock, settings }: Deps): Promise<void> {
  const now = clock.now();
  const steps = (await listPlansInForce(db)).flat().filter(({ on }) => on);
  const texts = steps.flatMap(({ message }) => textsOf(message).map(({ text }) => text));
  await nameLinks(db, [...new Set(texts.flatMap((text) => webLinksOf([text], settings.baseUrl)))], now);
  await forgetLinks(db, now - 7 * DAY_MS);
}

/** What is the matter with a link, in words for whoever writes; null where nothing is, or nothing can be said. */
const tellBroken = ({ href, state, words }: LinkRow, isOut: boolean): string | null =>
  state === 'dead' ? `a link leads nowhere: ${href}, ${words}` : state === 'unreachable' && isOut ? `a link cannot be reached: ${href}, ${words}` : null; // prettier-ignore

/** What is the matter with the links of a message, by what they lead to; those that nobody has looked at are looked at soon. */
export async function linkTroubles(deps: Deps, message: Template): Promise<(text: Template) => string[]> {
  const { db, settings } = deps;
  const now = deps.clock.now();
  const hrefs = linksOf(message, settings.baseUrl);
  if (hrefs.length === 0) return () => [];
  await nameLinks(db, hrefs, now);
  const found = await findLinks(db, hrefs);
  const isOut = await canReachOut(db, now - 2 * DAY_MS);
  return (text) =>
    webLinksOf([text], settings.baseUrl).flatMap((href) => {
      const row = found.get(href);
      return (row && tellBroken(row, isOut)) ?? [];
    });
}

/**
 * Steps that are to be switched on, or go with another text, and lead to where nothing is any more: each with a sentence. What goes already as
 * it is written keeps nothing else back; it is on Today.
 * @param inForce the steps as they go now
 */
export async function deadLinkFaults(
  { db, settings }: Pick<Deps, 'db' | 'settings'>,
  steps: readonly PlanStep[],
  inForce: readonly PlanStep[],
): Promise<{ step: string; message: string }[]> {
  const goes = new Map(inForce.filter(({ on }) => on).map(({ id, message }) => [id, new Set(linksOf(message, settings.baseUrl))]));
  const fresh = steps
    .filter(({ on }) => on)
    .map(({ id, name, message }) => ({ id, name, hrefs: linksOf(message, settings.baseUrl).filter((href) => !goes.get(id)?.has(href)) }));
  const found = await findLinks(db, [...new Set(fresh.flatMap(({ hrefs }) => hrefs))]);
  return fresh.flatMap(({ id, name, hrefs }) => {
    const dead = hrefs.map((href) => found.get(href)).find((row) => row?.state === 'dead');
    return dead ? [{ step: id, message: `“${name}”: ${tellBroken(dead, true)!}.` }] : [];
  });
}

const linksOf = (message: Template, baseUrl: string): string[] => webLinksOf(textsOf(message).map(({ text }) => text), baseUrl); // prettier-ignore

/** A message that goes, with a link that leads nowhere. */
export interface BrokenMessage {
  course: { id: string; title: string };
  step: { id: string; name: string };
  /** planned notices of the next 28 days */
  next28: number;
  words: string;
}

/** The messages that go and lead nowhere: before their moment. */
export async function brokenMessages(deps: Deps, today: string, zone: Zone, now: Instant): Promise<BrokenMessage[]> {
  const { db } = deps;
  const isOut = await canReachOut(db, now - 2 * DAY_MS);
  const broken = (await listBroken(db)).filter(({ state }) => state === 'dead' || isOut);
  if (broken.length === 0) return [];
  const byHref = new Map(broken.map((row) => [row.href, row]));
  return (await messageLibrary(db, today)).flatMap(({ course, step, message, next28 }) => {
    if (!step.on) return [];
    const texts = textsOf(message as PlanStep['message']).map(({ text }) => text);
    return webLinksOf(texts, deps.settings.baseUrl).flatMap((href) => {
      const row = byHref.get(href);
      if (!row) return [];
      const since = row.since ? `, since ${tellDate(zone.dayAt(row.since.getTime()))}` : '';
      return [{ course, step: { id: step.id, name: step.name }, next28, words: `${href} ${row.state === 'dead' ? 'leads nowhere' : 'cannot be reached'}: ${row.words}${since}` }]; // prettier-ignore
    });
  });
}
