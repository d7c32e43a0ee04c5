import type { PostRoomNext } from '@nudrik/contract';
import type { Deps } from '../deps.ts';

/**
 * Tells the demo's post room what simulated time it is: who writes back after some hours does so then.
 * @returns when something is to come from there; null where nothing is, or where there is no post room
 */
export async function tellPostRoom({ clock, settings }: Deps): Promise<number | null> {
  if (!settings.postRoomUrl) return null;
  try {
    const response = await fetch(`${settings.postRoomUrl}/clock`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ now: new Date(clock.now()).toISOString() }),
      signal: AbortSignal.timeout(10_000),
    });
    if (!response.ok) return null;
    const { nextAt } = (await response.json()) as PostRoomNext;
    return nextAt === null ? null : Date.parse(nextAt);
  } catch {
    return null; // it is down, and time goes on
  }
}
