import { ClockMove, type ClockView } from '@nudrik/contract';
import { dayOf, msOfTime, tellDay, Zone } from '@nudrik/core';
import { announce } from '../db/db.ts';
import { ADMINISTRATORS, parse, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { DemoClock, findDemoClock } from './clock.ts';
import { nextNoticeAt } from './move.ts';

async function clockView(deps: Deps): Promise<ClockView> {
  if (!(deps.clock instanceof DemoClock))
    return {
      now: new Date(deps.clock.now()).toISOString(),
      isDemo: false,
      isMoving: false,
      nextNoticeAt: null,
      isTicking: true,
    };
  const row = await findDemoClock(deps.db);
  if (row) deps.clock.adopt(row);
  const next = await nextNoticeAt(deps.db, deps.clock.now(), false);
  return {
    now: new Date(deps.clock.now()).toISOString(),
    isDemo: true,
    isMoving: deps.clock.isMoving,
    nextNoticeAt: next === null ? null : new Date(next).toISOString(),
    isTicking: deps.clock.isTicking,
  };
}

const SET_CLOCK = 'update demo_clock set base_at = $1::timestamptz, set_at = now(), move_to = $2::timestamptz';

export const clockRoutes: Route[] = [
  { method: 'get', path: '/api/clock', access: 'public', handle: ({ deps }) => clockView(deps) },
  {
    method: 'post',
    path: '/api/clock/move',
    access: ADMINISTRATORS,
    async handle({ deps, req }) {
      if (!(deps.clock instanceof DemoClock)) throw new Refused('only-in-demo');
      const move = parse(ClockMove, req.body);
      const zone = Zone.of((await getHouse(deps.db)).zone);
      const now = deps.clock.now();
      const local = zone.toLocal(now);
      let target: number;
      if ('to' in move) {
        const next = await nextNoticeAt(deps.db, now, false);
        if (next === null) throw new Refused('conflict', 'Nothing is planned, so there is no next notice to go to. Assign a course first.');
        target = next;
      } else target = 'days' in move ? zone.toInstant(local.day + move.days, local.ms) : zone.toInstant(dayOf(move.day), msOfTime('09:00'));
      if (target <= now)
        throw new Refused(
          'wrong-input',
          `Time only goes forward; ${'day' in move ? tellDay(dayOf(move.day)) : 'that'} is not after now, ${tellDay(local.day)}.`,
        );
      // the worker carries the clock there, stopping at each notice
      await deps.db.query(SET_CLOCK, [new Date(now), new Date(target)]);
      await announce(deps.db, 'clock', 'work');
      return clockView(deps);
    },
  },
];
