import { addMonths, msOfTime, type Calendar } from '../time/calendar.ts';
import { HOUR, MINUTE, type Day, type Instant } from '../time/zone.ts';
import { isElapsed, type Duration, type Step, type Unit } from './step.ts';

/** Adds calendar units to a local day; working days by the given calendar. */
function addToDay(day: Day, amount: number, unit: Unit, calendar: Calendar): Day {
  switch (unit) {
    case 'days':
      return day + amount;
    case 'weeks':
      return day + 7 * amount;
    case 'months':
      return addMonths(day, amount);
    case 'working days':
      return calendar.addWorkingDays(day, amount);
    default:
      throw new RangeError(`${unit} are elapsed time, not days.`);
  }
}

const elapsed = ({ amount, unit }: Duration): number => amount * (unit === 'hours' ? HOUR : MINUTE);

/** The base of a step: an instant, and the local day, wall clock and zone from which calendar repeats go on. */
interface Base {
  instant: Instant;
  day: Day;
  ms: number;
  zone: Calendar['zone'];
}

function baseOf(step: Pick<Step, 'offset' | 'at'>, anchorAt: Instant, assignee: Calendar, recipient: Calendar): Base {
  const { amount, unit } = step.offset;
  if (isElapsed(unit)) {
    const instant = anchorAt + elapsed(step.offset);
    return { instant, ...assignee.zone.toLocal(instant), zone: assignee.zone };
  }
  const anchor = assignee.zone.toLocal(anchorAt);
  let day = addToDay(anchor.day, amount, unit, assignee);
  if (step.at === null) {
    // 0 days after is the anchor itself, also where its wall clock happens twice
    const instant = day === anchor.day ? anchorAt : assignee.zone.toInstant(day, anchor.ms);
    return { instant, day, ms: anchor.ms, zone: assignee.zone };
  }
  const ms = msOfTime(step.at);
  let instant = recipient.zone.toInstant(day, ms);
  if (amount >= 0 && instant < anchorAt) {
    day = unit === 'working days' ? assignee.addWorkingDays(day, 1) : day + 1;
    instant = recipient.zone.toInstant(day, ms);
  }
  return { instant, day, ms, zone: recipient.zone };
}

/** A moment that lies so long after another, in one calendar: by the rule of a step's offset. */
export const momentAfter = (offset: Duration, at: string | null, from: Instant, calendar: Calendar): Instant =>
  baseOf({ offset, at }, from, calendar, calendar).instant;

/**
 * The moments of a step before they are fitted to the send window: one for each occurrence.
 * @param anchorAt the instant of the anchor event
 * @param assignee calendar of the employee: dates, working days, the anchor's own wall clock
 * @param recipient calendar of the nominal recipient: the zone of `at`
 */
export function baseMoments(step: Step, anchorAt: Instant, assignee: Calendar, recipient: Calendar): Instant[] {
  const base = baseOf(step, anchorAt, assignee, recipient);
  if (!step.repeat || step.repeat.times <= 1) return [base.instant];
  const { every, times } = step.repeat;
  const moments = [base.instant];
  let { day } = base;
  for (let k = 1; k < times; k++) {
    if (isElapsed(every.unit)) moments.push(base.instant + k * elapsed(every));
    else {
      // working days are counted on from the repeat before, months from the first: the end of a month clamps
      day =
        every.unit === 'working days'
          ? assignee.addWorkingDays(day, every.amount)
          : addToDay(base.day, k * every.amount, every.unit, assignee);
      moments.push(base.zone.toInstant(day, base.ms));
    }
  }
  return moments;
}
