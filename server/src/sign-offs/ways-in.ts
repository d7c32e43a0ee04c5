import { newToken, type PersonalLink } from '../access/personal-link.ts';
import { DAY_MS, type Instant } from '@nudrik/core';
import type { Client } from '../db/db.ts';
import { extendLink, findWays, insertLink } from './sign-offs.repo.ts';
import { BY_MESSAGE, hasRight } from './sign-offs.ts';

/** A message whose text leads to the list of a sign-off: whom it goes to, and what of. */
export interface AskedWay {
  key: string;
  course: string;
  /** the unit that its step hangs on; null is any of the course */
  unit: string | null;
  assignment: string;
  person: string;
}

/** Where it leads: by a link of its reader, as it is kept; or by signing in, for whoever has an account. */
export interface SignOffWay {
  url: string;
  link: PersonalLink | null;
}

/** Days that a link in a message works, counted from the last message that has it. */
const LINK_DAYS = 14;

/**
 * The ways in that messages give to whoever signs off, by their keys: none for whoever may not sign off for the one that the
 * message is about. One link a reader and list; each further message lets it work longer.
 */
export async function waysIn(
  client: Client,
  baseUrl: string,
  asked: readonly AskedWay[],
  at: { today: string; now: Instant },
): Promise<Map<string, SignOffWay>> {
  const ways = new Map<string, SignOffWay>();
  const tokens = new Map<string, string>();
  for (const found of asked.length === 0 ? [] : await findWays(client, asked)) {
    const { key, course, unit, session, assignment, person } = found;
    if (!(await hasRight(client, at, { course, unit, session }, person, assignment))) continue;
    if (found.has_account) {
      ways.set(key, { url: `${baseUrl}/sign-offs/${course}/${unit}${session ? `?session=${session}` : ''}`, link: null });
      continue;
    }
    const of = `${unit}/${session}/${person}`;
    let token = tokens.get(of);
    if (token === undefined) {
      const link = { unit, person, session, byWhom: BY_MESSAGE, until: at.now + LINK_DAYS * DAY_MS };
      const known = await extendLink(client, link);
      token = known ?? newToken();
      if (known === null) await insertLink(client, { ...link, token, course, at: at.now, endsAfterUse: false });
      tokens.set(of, token);
    }
    ways.set(key, { url: `${baseUrl}/sign-off/${token}`, link: { kind: 'sign-off', token } });
  }
  return ways;
}
