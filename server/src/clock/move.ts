import { maybeRow, announce, type Queryable } from '../db/db.ts';
import { nextChatPostAt } from '../chat/chat.repo.ts';
import { nextOpeningAt } from '../courses/openings.repo.ts';
import type { Deps } from '../deps.ts';
import { nextPullAt } from '../feed/feed.ts';
import { nextTryAt } from '../messages/channels.repo.ts';
import { nextEndAt } from '../quizzes/attempts.repo.ts';
import { nextReportAt } from '../reports/sent.repo.ts';
import { nextWakeAt } from '../requirements/queue.ts';
import { type DemoClock, findDemoClock, setDemoClock } from './clock.ts';

const NEXT_NOTICE = `
select try_at
from notices
where try_at > $1::timestamptz
  and (attempts = 0 or $2::boolean)
order by try_at
limit 1
`;

/** @param withRetries also the moments at which a message is only tried again */
export async function nextNoticeAt(db: Queryable, after: number, withRetries: boolean): Promise<number | null> {
  return (await maybeRow<{ try_at: Date }>(db, NEXT_NOTICE, [new Date(after), withRetries]))?.try_at.getTime() ?? null;
}

/** The next moment at which anything happens by itself: a notice, a pull of the roster, somebody's day that has come, a unit that opens. */
async function nextWorkAt(db: Queryable, after: number): Promise<number | null> {
  const moments = [
    await nextNoticeAt(db, after, true),
    await nextPullAt(db),
    await nextWakeAt(db),
    await nextTryAt(db),
    await nextChatPostAt(db),
    await nextOpeningAt(db),
    await nextEndAt(db),
    await nextReportAt(db),
  ].filter((at) => at !== null && at > after);
  return moments.length ? Math.min(...(moments as number[])) : null;
}

/**
 * Carries simulated time to where somebody asked it to go, stopping at each notice, pull and wake on the way so that everything is
 * decided at its own moment and not in one heap at the end.
 * @param drain plans and sends whatever is due
 * @param outside tells the services around us what time it is; @returns when something is to come from there
 */
export async function carryClock(
  deps: Deps,
  clock: DemoClock,
  drain: () => Promise<void>,
  outside: () => Promise<number | null> = () => Promise.resolve(null),
): Promise<void> {
  for (;;) {
    const row = await findDemoClock(deps.db);
    if (!row?.move_to) return;
    clock.adopt(row);
    await drain();
    const target = row.move_to.getTime();
    const moments = [await nextWorkAt(deps.db, clock.now()), await outside()].filter((at) => at !== null && at > clock.now());
    const next = moments.length > 0 ? Math.min(...(moments as number[])) : null;
    const arrives = next === null || next > target;
    await setDemoClock(deps.db, arrives ? Math.max(target, clock.now()) : next, arrives ? null : target);
    clock.adopt((await findDemoClock(deps.db))!);
    await announce(deps.db, 'clock');
    if (arrives) {
      await drain();
      await outside();
      return;
    }
  }
}
