import { writeToJoiners } from './assignments/group-letters.ts';
import { DemoClock, findDemoClock, setDemoClock } from './clock/clock.ts';
import { carryClock } from './clock/move.ts';
import { wakeOpenings } from './courses/openings.repo.ts';
import { announce, severAll } from './db/db.ts';
import { isPassing } from './db/failures.ts';
import type { Deps } from './deps.ts';
import { endPassed } from './holding/holding.repo.ts';
import { listen } from './live/listen.ts';
import { forgetAnswerFiles } from './conversations/answer-files.ts';
import { sendChatPosts } from './chat/posts.ts';
import { sendCopies } from './copies/copies.ts';
import { sendOutbox } from './conversations/outbox.ts';
import { takeMail } from './messages/arrive.ts';
import { listenInbound } from './messages/inbound.ts';
import { checkLinks, gatherLinks } from './messages/links.ts';
import { MailboxReader } from './messages/mailbox.ts';
import type { Channel } from './messages/channel.ts';
import { claimOnto, dispatch } from './notices/dispatch.ts';
import { planWaiting } from './notices/plan.ts';
import { Wire } from './notices/wire.ts';
import { holdLease } from './work/lease.ts';
import { endRunOut } from './quizzes/attempts.ts';
import { retryAside } from './work/set-aside.ts';
import { foldFigures } from './work/figures.ts';
import { forgetUploads } from './files/uploads.repo.ts';
import { forgetOldJobs, freeLostJobs } from './work/jobs.ts';
import { startJobs } from './work/run-jobs.ts';
import { seldom } from './work/seldom.ts';
import { watchPlans } from './plans/warnings.ts';
import { tellPostRoom } from './standins/post-clock.ts';
import { pullIfDue } from './feed/feed.ts';
import { wakePeople } from './requirements/queue.ts';
import { tendSessions } from './sessions/sessions.ts';
import { keepAhead } from './rehearsal/ahead.ts';
import { sumNextDay } from './reports/day-sums.ts';
import { callHooks } from './programs/hooks.ts';
import { expireCalls, forgetCalls } from './programs/hooks.repo.ts';
import { settleAgain } from './programs/statements.ts';
import { keepNoLonger } from './keeping/keeping.ts';
import { sendDueReports } from './reports/sent.ts';
import { forgetReportFiles } from './reports/sent.repo.ts';
import { sealWaiting } from './seals/seals.ts';
import { reconcileWaiting } from './requirements/reconcile.ts';

/** Reconciles and plans whatever waits for it. */
async function prepare(deps: Deps): Promise<void> {
  await wakePeople(deps.db, deps.clock.now());
  await endRunOut(deps);
  while ((await reconcileWaiting(deps)) > 0);
  await writeToJoiners(deps);
  await tendSessions(deps);
  do while ((await planWaiting(deps)) > 0);
  while (await wakeOpenings(deps.db, deps.clock.now()));
}

/** Brings assignments and notices to what is due now, and sends it. */
export async function drain(deps: Deps, mailer: Channel): Promise<void> {
  await prepare(deps);
  while ((await dispatch(deps, mailer)) > 0) await prepare(deps);
  await sendCopies(deps);
  await sendDueReports(deps);
  await keepNoLonger(deps);
  while ((await sendOutbox(deps, mailer)) > 0);
  while ((await sendChatPosts(deps, mailer.chat)) > 0);
  while ((await callHooks(deps)) > 0);
}

/** What is on the wire may end within this when the worker is told to stop. */
const STOP_MS = 30_000;

/**
 * The worker's life: woken by announcements, and once a second for what the clock brings. Planning
 * goes on while letters are handed over.
 * @returns how to stop: nothing more is claimed, what is on the wire ends, the rest is given back
 */
export async function startWorker(deps: Deps, mailer: Channel): Promise<() => Promise<void>> {
  let stopped = false;
  let wake: () => void = () => undefined;
  let isWoken = false;
  const rouse = (): void => {
    isWoken = true;
    wake();
  };
  const unlisten = listen(deps.settings.directUrl, deps.log, (topics) => {
    if (topics.includes('work') || topics.includes('clock')) rouse();
  });
  const closeInbound = deps.settings.inboundPort
    ? await listenInbound(deps.settings.inboundPort, deps.log, (mail) => takeMail(deps, mail))
    : async (): Promise<void> => undefined;
  const mailbox = deps.settings.mailbox && new MailboxReader(deps, deps.settings.mailbox, rouse);
  const lease = holdLease(deps.settings.directUrl, deps.log, () => severAll(deps.db));
  const wire = new Wire(deps, mailer);
  const warnSeldom = seldom(60_000);

  /** One kind of work: what fails in it is told, and the other kinds go on. */
  const attempt = async (what: string, work: () => Promise<unknown>): Promise<void> => {
    if (stopped) return;
    try {
      await work();
    } catch (error) {
      if (isPassing(error))
        warnSeldom(() =>
          deps.log.warn({ what, reason: (error as Error).message }, 'The database does not answer; it is tried again each second.'),
        );
      else deps.log.error({ what, error: (error as Error).stack }, 'A round of work failed; the next one tries again.');
    }
  };
  const { clock } = deps;
  const adopt = async (): Promise<void> => {
    if (!(clock instanceof DemoClock)) return;
    const row = await findDemoClock(deps.db);
    if (row) clock.adopt(row);
    // simulated time waits for the roster of its day, and for all that is due then
    await carryClock(
      deps,
      clock,
      async () => {
        await pullIfDue(deps);
        await wire.idle();
        await drain(deps, mailer);
      },
      () => tellPostRoom(deps),
    );
  };
  if (clock instanceof DemoClock) await attempt('clock', () => rebase(deps, clock));
  /** Keeps the wire fed as long as anything is due. */
  const feed = async (): Promise<void> => {
    for (let held = lease.current(); held && !stopped; held = lease.current()) {
      if ((await claimOnto(deps, mailer, wire, held)) === 0 && wire.room > 0) return;
      while (wire.room === 0 && !stopped) await wire.changed();
    }
  };
  const stopJobs = startJobs(deps, () => lease.current()?.worker ?? null);
  let round = 0;
  let pulling: Promise<void> | null = null;
  let feeding: Promise<void> | null = null;
  let folding: Promise<void> | null = null;
  let summing: Promise<void> | null = null;
  let foreseeing: Promise<unknown> | null = null;
  let reporting: Promise<void> | null = null;
  let sealing: Promise<void> | null = null;
  let keeping: Promise<void> | null = null;
  let calling: Promise<void> | null = null;
  let writing: Promise<void> | null = null;
  let watching: Promise<unknown> | null = null;
  let fetching: Promise<void> | null = null;
  let looking: Promise<void> | null = null;
  let telling: Promise<void> | null = null;
  const ending = new AbortController();
  const life = (async () => {
    while (!stopped) {
      isWoken = false;
      await attempt('clock', adopt);
      // a slow feed holds up no notice
      pulling ??= attempt('feed', () => pullIfDue(deps)).then(() => void (pulling = null));
      await attempt('requirements', async () => {
        await wakePeople(deps.db, deps.clock.now());
        while (!stopped && (await reconcileWaiting(deps)) > 0);
      });
      await attempt('letters to groups', async () => void (await writeToJoiners(deps)));
      await attempt('quizzes', () => endRunOut(deps));
      if (round % 10 === 0) await attempt('sessions', () => tendSessions(deps));
      await attempt('plans', async () => {
        do while (!stopped && (await planWaiting(deps)) > 0);
        while (!stopped && (await wakeOpenings(deps.db, deps.clock.now())));
      });
      feeding ??= attempt('mail', feed).then(() => void (feeding = null));
      watching ??= attempt('plans watched', () => watchPlans(deps)).then(() => void (watching = null));
      if (clock instanceof DemoClock && round % 5 === 0) telling ??= attempt('post room', () => tellPostRoom(deps)).then(() => void (telling = null)); // prettier-ignore
      // addresses on the web take their time
      looking ??= attempt('links', async () => void (await checkLinks(deps, ending.signal))).then(() => void (looking = null));
      if (mailbox) fetching ??= attempt('mailbox', () => mailbox.lookIfDue()).then(() => void (fetching = null));
      writing ??= attempt('conversations', async () => {
        await sendCopies(deps);
        while (!stopped && (await sendOutbox(deps, mailer)) > 0);
        while (!stopped && (await sendChatPosts(deps, mailer.chat)) > 0);
      }).then(() => void (writing = null));
      sealing ??= attempt('seals', async () => {
        while (!stopped && (await sealWaiting(deps)) > 0);
      }).then(() => void (sealing = null));
      // a large one takes its time
      reporting ??= attempt('reports', async () => void (await sendDueReports(deps))).then(() => void (reporting = null));
      folding ??= attempt('figures', () => foldFigures(deps.db)).then(() => void (folding = null));
      // an address that is slow holds up nothing else
      calling ??= attempt('other programs', async () => {
        while (!stopped && (await callHooks(deps)) > 0);
      }).then(() => void (calling = null));
      if (round % 20 === 0) keeping ??= attempt('keeping', async () => void (await keepNoLonger(deps))).then(() => void (keeping = null));
      if (round % 5 === 2) foreseeing ??= attempt('days ahead', () => keepAhead(deps)).then(() => void (foreseeing = null));
      if (round % 5 === 0) summing ??= attempt('sums of days', () => sumNextDay(deps)).then(() => void (summing = null));
      if (round % 30 === 0) {
        await attempt('set aside', () => retryAside(deps, round === 0));
        await attempt('long work', () => freeLostJobs(deps.db));
        await attempt('links', () => gatherLinks(deps));
        await attempt('other programs', () => expireCalls(deps.db, deps.clock.now()));
        if (round % 3_600 === 0) {
          await attempt('long work', () => forgetOldJobs(deps.db));
          await attempt('uploads', () => forgetUploads(deps.db));
          await attempt('files of reports', () => forgetReportFiles(deps.db, deps.clock.now()));
          await attempt('files of answers', () => forgetAnswerFiles(deps.db));
          await attempt('other programs', () => forgetCalls(deps.db, deps.clock.now()));
          await attempt('statements', () => settleAgain(deps, null));
          await attempt('holds', () => endPassed(deps.db, deps.clock.now()));
        }
        if (clock instanceof DemoClock) await attempt('clock', () => rebase(deps, clock, clock.now()));
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
    ending.abort();
    wake();
    const jobsStopped = stopJobs();
    await wire.stop(STOP_MS);
    await life;
    await pulling;
    await feeding;
    await sealing;
    await keeping;
    await calling;
    await folding;
    await summing;
    await foreseeing;
    await reporting;
    await writing;
    await watching;
    await mailbox?.close();
    await fetching;
    await looking;
    await telling;
    await jobsStopped;
    await wire.stop(STOP_MS);
    await lease.end();
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
