import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Temporal } from 'temporal-polyfill';
import { DEFAULT_SETTINGS, Roster } from '../people/person.ts';
import { rehearse } from '../rehearsal/rehearse.ts';
import { keyOf, slotsOf } from '../notices/slot.ts';
import { anAssignment, aPerson, aStep, utc } from '../testing.ts';
import type { CalendarFacts } from '../time/calendar.ts';
import { stepFault, windowOf, type Step, type Unit } from './step.ts';

/** The rules of a step's moment a second time, by another library's calendar and clocks, slowly and plainly. */
const ZONES = [
  'Asia/Kathmandu', 'Australia/Lord_Howe', 'America/St_Johns', 'Pacific/Apia', 'Africa/Casablanca', 'Europe/Dublin', 'Europe/Oslo', 'Pacific/Chatham', 'America/Sao_Paulo',
]; // prettier-ignore
const WINDOW = DEFAULT_SETTINGS.sendWindow;
type Zoned = Temporal.ZonedDateTime;

const isWorking = ({ workingDays, holidays }: CalendarFacts, date: Temporal.PlainDate): boolean =>
  workingDays.includes(date.dayOfWeek) && !holidays.includes(date.toString());

function addTo(date: Temporal.PlainDate, amount: number, unit: Unit, calendar: CalendarFacts): Temporal.PlainDate {
  if (unit !== 'working days') return date.add({ [unit]: amount });
  for (let left = Math.abs(amount); left > 0;) {
    date = date.add({ days: Math.sign(amount) });
    if (isWorking(calendar, date)) left -= 1;
  }
  return date;
}

const onDay = (date: Temporal.PlainDate, time: Temporal.PlainTime, zone: string): Zoned =>
  date.toZonedDateTime({ timeZone: zone, plainTime: time });

/** Rules 1 to 4 and 6, for one occurrence. */
function baseOf(step: Step, occurrence: number, anchor: number, assignee: CalendarFacts, recipient: CalendarFacts): Zoned {
  const begun = Temporal.Instant.fromEpochMilliseconds(anchor).toZonedDateTimeISO(assignee.zone);
  const { amount, unit } = step.offset;
  const isElapsed = unit === 'minutes' || unit === 'hours';
  const every = step.repeat?.every;
  const late = every ? every.amount * occurrence : 0;
  const isEveryElapsed = every?.unit === 'minutes' || every?.unit === 'hours';
  let date = begun.toPlainDate();
  let moment: Zoned;
  if (isElapsed) moment = begun.add({ [unit]: amount });
  else {
    date = addTo(date, amount, unit, assignee);
    // a day on which nothing is added is the anchor itself, also where its clock shows that time twice
    moment =
      step.at === null
        ? date.equals(begun.toPlainDate())
          ? begun
          : onDay(date, begun.toPlainTime(), assignee.zone)
        : onDay(date, Temporal.PlainTime.from(step.at), recipient.zone);
    if (step.at !== null && amount >= 0 && moment.epochMilliseconds < anchor) {
      date = addTo(date, 1, unit === 'working days' ? 'working days' : 'days', assignee);
      moment = onDay(date, Temporal.PlainTime.from(step.at), recipient.zone);
    }
  }
  if (!every || occurrence === 0) return moment;
  if (isEveryElapsed) return moment.add({ [every.unit]: late });
  const base = isElapsed ? moment.withTimeZone(assignee.zone).toPlainDate() : date;
  const then = addTo(base, late, every.unit, assignee);
  return isElapsed || step.at === null
    ? onDay(then, (isElapsed ? moment.withTimeZone(assignee.zone) : begun).toPlainTime(), assignee.zone)
    : onDay(then, Temporal.PlainTime.from(step.at), recipient.zone);
}

/** Rule 5, by looking at one minute after the other from a day's edge on. */
function fitOf(moment: Zoned, window: 'exact' | 'later' | 'earlier', calendar: CalendarFacts): number {
  if (window === 'exact') return moment.epochMilliseconds;
  const local = moment.withTimeZone(calendar.zone);
  const [from, to] = [Temporal.PlainTime.from(WINDOW.from), Temporal.PlainTime.from(WINDOW.to)];
  const time = local.toPlainTime();
  let date = local.toPlainDate();
  const compare = Temporal.PlainTime.compare;
  if (isWorking(calendar, date) && compare(time, from) >= 0 && compare(time, to) <= 0) return moment.epochMilliseconds;
  if (window === 'later') {
    if (!isWorking(calendar, date) || compare(time, to) > 0)
      do date = date.add({ days: 1 });
      while (!isWorking(calendar, date));
    return onDay(date, from, calendar.zone).epochMilliseconds;
  }
  if (!isWorking(calendar, date) || compare(time, from) < 0)
    do date = date.subtract({ days: 1 });
    while (!isWorking(calendar, date));
  return onDay(date, to, calendar.zone).epochMilliseconds;
}

const calendars = fc.record({
  zone: fc.constantFrom(...ZONES),
  workingDays: fc.subarray([1, 2, 3, 4, 5, 6, 7], { minLength: 1 }),
  holidays: fc.array(fc.integer({ min: 0, max: 6_000 }), { maxLength: 6 }),
}).map(({ zone, workingDays, holidays }, ): Omit<CalendarFacts, 'id'> => ({
  zone,
  workingDays,
  holidays: holidays.map((day) => new Date(utc('2011-11-01T00:00') + day * 86_400_000).toISOString().slice(0, 10)),
})); // prettier-ignore
const UNITS: Unit[] = ['minutes', 'hours', 'days', 'working days', 'weeks', 'months'];
const steps = fc
  .record({
    event: fc.constantFrom('due' as const, 'assigned' as const),
    amount: fc.integer({ min: -40, max: 40 }),
    unit: fc.constantFrom(...UNITS),
    at: fc.constantFrom(null, '00:30', '02:30', '09:00', '23:45'),
    window: fc.constantFrom(null, 'exact' as const, 'later' as const, 'earlier' as const),
    repeat: fc.option(fc.record({ amount: fc.integer({ min: 1, max: 9 }), unit: fc.constantFrom(...UNITS), times: fc.integer({ min: 2, max: 4 }) })),
  })
  .map(({ event, amount, unit, at, window, repeat }) =>
    aStep({
      anchor: { event },
      offset: { amount: event === 'due' ? amount : Math.abs(amount), unit },
      at: unit === 'minutes' || unit === 'hours' ? null : at,
      window,
      to: ['manager'],
      repeat: repeat && { every: { amount: repeat.amount, unit: repeat.unit }, times: repeat.times },
    }),
  )
  .filter((step) => stepFault(step) === null); // prettier-ignore
// from before the day that Apia never had, over all that zones have changed since
const minutes = fc.integer({ min: utc('2011-12-20T00:00') / 60_000, max: utc('2027-12-01T00:00') / 60_000 });

function houseOf(theirs: Omit<CalendarFacts, 'id'>, managers: Omit<CalendarFacts, 'id'>): Roster {
  return new Roster({
    people: [aPerson('runa', { calendar: 'a', manager: 'kari' }), aPerson('kari', { calendar: 'b' }), aPerson('tora', { calendar: 'b' })],
    calendars: [{ id: 'a', ...theirs }, { id: 'b', ...managers }],
    courses: [{ id: 'c1', title: 'Fire Teams Aboard', owner: 'tora', units: [] }],
    settings: { ...DEFAULT_SETTINGS, dailyLimit: null },
  }); // prettier-ignore
}

describe('a step’s moment, worked out a second time', () => {
  it('in zones with odd rules, for all units, repeats and windows', () => {
    fc.assert(
      fc.property(steps, minutes, calendars, calendars, (step, minute, theirs, managers) => {
        const anchor = minute * 60_000;
        const roster = houseOf(theirs, managers);
        const assignment = anAssignment(
          step.anchor.event === 'due' ? { assignedAt: anchor - 400 * 86_400_000, dueAt: anchor } : { assignedAt: anchor, dueAt: anchor + 400 * 86_400_000 },
        );
        const slots = slotsOf(step, assignment, roster, -Infinity, Infinity);
        const known = assignment.assignedAt;
        const expected = Array.from({ length: step.repeat?.times ?? 1 }, (_, occurrence) => {
          const base = baseOf(step, occurrence, anchor, { id: 'a', ...theirs }, { id: 'b', ...managers });
          const window = windowOf(step);
          const fitted = fitOf(base, window, { id: 'b', ...managers });
          return window === 'earlier' && fitted < known ? fitOf(base, 'later', { id: 'b', ...managers }) : fitted;
        });
        expect(slots.map(({ moment }) => moment)).toEqual(expected);
      }),
      { numRuns: 1_500 },
    );
  });
}); // prettier-ignore

describe('each person and step', () => {
  it('has exactly one outcome for each notice to be, and it is explained', () => {
    fc.assert(
      fc.property(fc.array(steps, { minLength: 1, maxLength: 4 }), minutes, calendars, calendars, fc.boolean(), (list, minute, theirs, managers, hasFinished) => {
        const now = minute * 60_000;
        const roster = houseOf(theirs, managers);
        const own = list.map((step, i) => ({ ...step, id: `s${i}`, on: i !== 3, to: i % 2 ? ['employee', 'manager'] : step.to }));
        const assignment = anAssignment({
          assignedAt: now,
          dueAt: now + 20 * 86_400_000,
          events: hasFinished ? [{ type: 'finished', at: now + 9 * 86_400_000 }] : [],
        });
        const lines = rehearse({ from: -1e15, until: 1e15, roster, assignments: [assignment], plans: [{ course: 'c1', publishedAt: 0, steps: own }], withHeld: true });
        const keys = lines.map(keyOf);
        const expected = own.flatMap((step) => slotsOf(step, assignment, roster, 0, 1e15)).map(keyOf);
        expect([...keys].sort()).toEqual(expected.sort());
        for (const line of lines) {
          expect(line.sentence).toMatch(/^(Goes to|Skipped:|Held:|Waits for:) ?.+\.$/);
          expect(line.outcome === 'send').toBe(line.reason === null);
          expect(line.outcome === 'skip').toBe(line.because !== null);
        }
      }),
      { numRuns: 150 },
    );
  });
}); // prettier-ignore
