import { DemoClock, findDemoClock, setDemoClock } from './clock/clock.ts';
import { carryClock } from './clock/move.ts';
import { announce } from './db/db.ts';
import type { Deps } from './deps.ts';
import { listen } from './live/listen.ts';
import { listenInbound } from './messages/inbound.ts';
import type { Channel } from './messages/channel.ts';
import { dispatch, recordDelivery, resumeCutOff } from './notices/dispatch.ts';
import { planWaiting } from './notices/plan.ts';
import { retryAside } from './work/set-aside.ts';
import { pullIfDue } from './feed/feed.ts';
import { wakePeople } from './requirements/queue.ts';
import { reconcileWaiting } from './requirements/reconcile.ts';

/** Reconciles and plans whatever waits for it. */
async function prepare(deps: Deps): Promise<void> {
  await wakePeople(deps.db, deps.clock.now());
  while ((await reconcileWaiting(deps)) > 0);
  while ((await planWaiting(deps)) > 0);
}

/** Brings assignments and notices to what is due now, and sends it. */
export async function drain(deps: Deps, mailer: Channel): Promise<void> {
  await prepare(deps);
  while ((await dispatch(deps, mailer)) > 0) await prepare(deps);
}

/** The worker's life: woken by announcements, and once a second for what the clock brings. @returns how to stop */
export async function startWorker(deps: Deps, mailer: Channel): Promise<() => Promise<void>> {
  let stopped = false;
  let wake: () => void = () => undefined;
  let isWoken = false;
  const unlisten = listen(deps.settings.databaseUrl, deps.log, (topics) => {
    if (!topics.includes('work') && !topics.includes('clock')) return;
    isWoken = true;
    wake();
  });
  const closeInbound = deps.settings.inboundPort
    ? await listenInbound(deps.settings.inboundPort, async (report) => {
        if (report.action === 'delivered') await recordDelivery(deps, report.envelopeId, report.words, report.at);
      })
    : async (): Promise<void> => undefined;

  if (deps.clock instanceof DemoClock) await rebase(deps, deps.clock);
  let round = 0;
  let pulling: Promise<void> | null = null;
  const life = (async () => {
    while (!stopped) {
      isWoken = false;
      try {
        if (deps.clock instanceof DemoClock) {
          const row = await findDemoClock(deps.db);
          if (row) deps.clock.adopt(row);
          // simulated time waits for the roster of its day
          await carryClock(deps, deps.clock, async () => {
            await pullIfDue(deps);
            await drain(deps, mailer);
          });
        }
        // real time does not: a slow feed holds up no notice
        pulling ??= pullIfDue(deps)
          .catch((error: Error) => deps.log.error({ error: error.stack }, 'A pull of the personnel feed failed.'))
          .then(() => void (pulling = null));
        await drain(deps, mailer);
        if (round % 30 === 0) {
          await resumeCutOff(deps, mailer);
          await retryAside(deps, round === 0);
          if (deps.clock instanceof DemoClock) await rebase(deps, deps.clock, deps.clock.now());
        }
      } catch (error) {
        deps.log.error({ error: (error as Error).stack }, 'A round of work failed; the next one tries again.');
      }
      round += 1;
      if (!isWoken && !stopped)
        await new Promise<void>((resolve) => {
          const timer = setTimeout(resolve, 1_000);
          wake = () => (clearTimeout(timer), resolve());
        });
    }
  })();
  return async () => {
    stopped = true;
    wake();
    await life;
    await pulling;
    await unlisten();
    await closeInbound();
  };
}

/** Simulated time stands still while nobody runs it: at the start it goes on from where it was last seen. */
async function rebase(deps: Deps, clock: DemoClock, at?: number): Promise<void> {
  const row = await findDemoClock(deps.db);
  if (!row || row.move_to) return;
  await setDemoClock(deps.db, at ?? row.base_at.getTime(), null);
  clock.adopt((await findDemoClock(deps.db))!);
  await announce(deps.db, 'clock');
}
