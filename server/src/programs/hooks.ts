import { randomBytes } from 'node:crypto';
import type { HookCallsView, HookDraft, HookMade, HooksView } from '@nudrik/contract';
import { hide, reveal } from '../access/hidden.ts';
import { signCall } from '../chat/webhook.ts';
import { announce, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findOwnHost } from '../own-hosts.ts';
import { Refused } from '../refusal.ts';
import {
  callLater,
  claimCalls,
  endHook,
  findHook,
  leaveCalls,
  insertHook,
  listCalls,
  listHooks,
  releaseCall,
  settleCall,
  tellAgain,
  type CallDue,
} from './hooks.repo.ts';

export const hooksView = async ({ db }: Deps): Promise<HooksView> => ({ hooks: await listHooks(db) });

const refuseOwn = async ({ settings }: Deps, url: string): Promise<void> => {
  const own = await findOwnHost(new URL(url), settings.feedHosts);
  if (own !== null)
    throw new Refused('wrong-input', `url: ${new URL(url).host} stands inside the network of this house (${own}). Expected an address outside, or a host that NUDRIK_FEED_HOSTS names. Nothing was changed.`);
}; // prettier-ignore

/** Tells an address of what happens from now on: what its calls are signed with is told once. */
export async function makeHook(deps: Deps, draft: HookDraft, byWhom: string): Promise<HookMade> {
  const { username, password } = new URL(draft.url);
  if (username || password) throw new Refused('wrong-input', 'url: expected an address without a name and a password in it; calls are signed. Nothing was changed.'); // prettier-ignore
  await refuseOwn(deps, draft.url);
  const secret = `whsec_${randomBytes(32).toString('base64')}`;
  return transaction(deps.db, async (client) => {
    const hidden = hide(deps.settings.key, 'hook', Buffer.from(secret));
    const id = await insertHook(client, { ...draft, what: [...new Set(draft.what)] }, hidden, new Date(deps.clock.now()), byWhom);
    await announce(client, 'programs');
    return { id, secret };
  });
}

export function stopHook({ db, clock }: Deps, id: string, byWhom: string): Promise<void> {
  return transaction(db, async (client) => {
    if (!(await endHook(client, id, new Date(clock.now()), byWhom)) && !(await findHook(client, id)))
      throw new Refused('not-found', 'There is no such address, or not any more.');
    await announce(client, 'programs');
  });
}

const MOST = 50;
export async function callsView({ db }: Deps, hook: string, before: string | null): Promise<HookCallsView> {
  if (!(await findHook(db, hook))) throw new Refused('not-found', 'There is no such address, or not any more.');
  const found = await listCalls(db, hook, before, MOST + 1);
  return { rows: found.slice(0, MOST), next: found.length > MOST ? found[MOST - 1]!.id : null };
}

/** Tells again what failed, and what waits, at once. */
export function callAgain({ db, clock }: Deps, hook: string, call: string | null): Promise<{ again: number }> {
  return transaction(db, async (client) => {
    if (!(await findHook(client, hook))) throw new Refused('not-found', 'There is no such address, or not any more.');
    const again = await tellAgain(client, hook, call, new Date(clock.now()));
    await announce(client, 'programs', 'work');
    return { again };
  });
}

/** Leaves what an address did not take: Today asks about it no more. */
export function leaveIt({ db, clock }: Deps, hook: string, call: string | null, byWhom: string): Promise<{ left: number }> {
  return transaction(db, async (client) => {
    if (!(await findHook(client, hook))) throw new Refused('not-found', 'There is no such address, or not any more.');
    const left = await leaveCalls(client, hook, call, new Date(clock.now()), byWhom);
    await announce(client, 'programs');
    return { left };
  });
}

/** What a call says; the same over its tries but for what changed of the person and of the course. */
export const bodyOf = (due: CallDue): object => ({
  id: due.event,
  type: due.type,
  at: due.at.toISOString(),
  by: due.by_whom,
  ...(due.undoes === null ? {} : { undoes: { id: due.undoes, type: due.undone } }),
  assignment: { id: due.assignment, round: due.round, dueAt: due.due_at.toISOString(), closed: due.closed_by },
  person: { id: due.person, number: due.number, name: due.name, email: due.email },
  course: { id: due.course, code: due.code, title: due.title },
  data: due.data ?? {},
});

const TIMEOUT_MS = 10_000;
/** Milliseconds until the next try: longer with each, six hours at the most, not all at one moment. */
export const waitAfter = (failures: number, random = Math.random()): number => Math.min(21_600_000, 30_000 * 2 ** Math.min(20, failures)) * (0.8 + 0.4 * random); // prettier-ignore

type Answer = { outcome: 'told' | 'refused' | 'down'; words: string };

/** Calls an address; where it leads elsewhere is not followed: what is told is meant for whom the address is of. */
async function call(deps: Deps, due: CallDue): Promise<Answer> {
  const secret = reveal(deps.settings.key, 'hook', due.secret)?.toString();
  if (secret === undefined) return { outcome: 'refused', words: 'What it is signed with cannot be read any more: the key of the house is another. Make the address anew.' };
  const own = await findOwnHost(new URL(due.url), deps.settings.feedHosts);
  if (own !== null) return { outcome: 'down', words: `Its host stands inside the network of this house now (${own}); it was not called.` };
  const body = JSON.stringify(bodyOf(due));
  try {
    const response = await fetch(due.url, {
      method: 'POST',
      body,
      redirect: 'manual',
      signal: AbortSignal.timeout(TIMEOUT_MS),
      headers: { 'content-type': 'application/json', 'user-agent': 'nudrik', ...signCall(secret, `call_${due.id}`, body, new Date()) },
    });
    await response.body?.cancel();
    const words = `answered ${response.status}${response.statusText ? ` ${response.statusText.slice(0, 80)}` : ''}`;
    if (response.ok) return { outcome: 'told', words };
    // it will not take this one, however often it is asked; 408, 429 and what is broken over there may pass
    const isFinal = response.status >= 300 && response.status < 500 && ![401, 403, 404, 408, 425, 429].includes(response.status);
    return { outcome: isFinal ? 'refused' : 'down', words };
  } catch (error) {
    const { name, message, cause } = error as Error & { cause?: { code?: string; message?: string } };
    return { outcome: 'down', words: name === 'TimeoutError' ? `did not answer within ${TIMEOUT_MS / 1000} seconds` : `could not be reached: ${cause?.code ?? cause?.message ?? message}` };
  }
} // prettier-ignore

const AT_ONCE = 40;
/** Tells other programs what happened. @returns how many calls were tried */
export async function callHooks(deps: Deps): Promise<number> {
  const { db, clock } = deps;
  const due = await claimCalls(db, new Date(clock.now()), AT_ONCE);
  if (due.length === 0) return 0;
  const down = new Set<string>();
  const byHook = new Map<string, CallDue[]>();
  for (const one of due) byHook.set(one.hook_id, [...(byHook.get(one.hook_id) ?? []), one]);
  // addresses apart from each other; of one in the order in which it happened
  await Promise.all(
    [...byHook].map(async ([hook, list]) => {
      for (const one of list) {
        const now = new Date(clock.now());
        if (down.has(hook)) {
          await releaseCall(db, one.id, now);
          continue;
        }
        const { outcome, words } = await call(deps, one);
        if (outcome === 'told') await settleCall(db, one.id, 'told', words, now);
        else if (outcome === 'refused') await settleCall(db, one.id, 'failed', words, now);
        else {
          await callLater(db, one.id, words, now, new Date(now.getTime() + waitAfter(one.failures)));
          down.add(hook);
        }
      }
    }),
  );
  await announce(db, 'programs');
  return due.length;
} // prettier-ignore
