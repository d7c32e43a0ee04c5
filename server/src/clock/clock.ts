import type { Instant } from '@nudrik/core';
import type { Clock } from '../deps.ts';
import { maybeRow, type Queryable } from '../db/db.ts';

export const realClock: Clock = { now: () => Date.now() };

const FIND_DEMO_CLOCK = `
select base_at, set_at, is_ticking, move_to
from demo_clock
`;

export interface DemoClockRow {
  base_at: Date;
  set_at: Date;
  is_ticking: boolean;
  move_to: Date | null;
}

export const findDemoClock = (db: Queryable): Promise<DemoClockRow | null> => maybeRow<DemoClockRow>(db, FIND_DEMO_CLOCK);

/** Simulated time: a moment in the database and, while it ticks, the real time that passed since it was set. */
export class DemoClock implements Clock {
  private base: Instant;
  private setAt: Instant;
  isTicking: boolean;
  isMoving: boolean;

  constructor(row: DemoClockRow) {
    this.base = row.base_at.getTime();
    this.setAt = row.set_at.getTime();
    this.isTicking = row.is_ticking;
    this.isMoving = row.move_to !== null;
  }

  now(): Instant {
    return this.isTicking && !this.isMoving ? this.base + Math.max(0, Date.now() - this.setAt) : this.base;
  }

  /** Takes over what another process has set. */
  adopt(row: DemoClockRow): void {
    this.base = row.base_at.getTime();
    this.setAt = row.set_at.getTime();
    this.isTicking = row.is_ticking;
    this.isMoving = row.move_to !== null;
  }
}

const SET_CLOCK = `
update demo_clock
set base_at = $1::timestamptz, set_at = $2::timestamptz, move_to = $3::timestamptz
`;

/** Moves simulated time to `at`; it goes on from there. */
export async function setDemoClock(db: Queryable, at: Instant, moveTo: Instant | null): Promise<void> {
  await db.query(SET_CLOCK, [new Date(at), new Date(), moveTo === null ? null : new Date(moveTo)]);
}

/** The installation's clock: the demo's where there is one. */
export async function openClock(db: Queryable): Promise<Clock | DemoClock> {
  const row = await findDemoClock(db);
  return row ? new DemoClock(row) : realClock;
}
