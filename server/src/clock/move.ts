import { maybeRow, announce, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { DemoClock, findDemoClock, setDemoClock } from './clock.ts';

const NEXT_NOTICE = `
select try_at
from notices
where try_at > $1::timestamptz
order by try_at
limit 1
`;

export async function nextNoticeAt(db: Queryable, after: number): Promise<number | null> {
  return (await maybeRow<{ try_at: Date }>(db, NEXT_NOTICE, [new Date(after)]))?.try_at.getTime() ?? null;
}

/**
 * Carries simulated time to where somebody asked it to go, stopping at each notice on the way so that everything is
 * decided at its own moment and not in one heap at the end.
 * @param drain plans and sends whatever is due
 */
export async function carryClock(deps: Deps, clock: DemoClock, drain: () => Promise<void>): Promise<void> {
  for (;;) {
    const row = await findDemoClock(deps.db);
    if (!row?.move_to) return;
    clock.adopt(row);
    await drain();
    const target = row.move_to.getTime();
    const next = await nextNoticeAt(deps.db, clock.now());
    const arrives = next === null || next > target;
    await setDemoClock(deps.db, arrives ? Math.max(target, clock.now()) : next, arrives ? null : target);
    clock.adopt((await findDemoClock(deps.db))!);
    await announce(deps.db, 'clock');
    if (arrives) {
      await drain();
      return;
    }
  }
}
