import { describe, expect, it, test } from 'vitest';
import { anchorsOf } from '../plans/anchor.ts';
import { anAssignment, aPerson, aRoster, utc } from '../testing.ts';
import { Zone } from '../time/zone.ts';
import { clashOf, nextSession, sessionFault, type SessionSpan } from './session.ts';

const OSLO = Zone.of('Europe/Oslo');
const span = (id: string, from: string, to: string): SessionSpan => ({ id, title: id, startsAt: utc(from), endsAt: utc(to) });
const morning = span('1', '2027-03-10T08:00', '2027-03-10T10:00');

describe('what keeps somebody from a session', () => {
  test.each([
    ['leave until that day', [{ from: '2027-03-08', to: '2027-03-10', cover: null }], [], 'leave'],
    ['leave without an end', [{ from: '2027-03-10', to: null, cover: null }], [], 'leave'],
    ['another one that runs into it', [], [span('2', '2027-03-10T09:59', '2027-03-10T11:00')], 'session'],
    ['leave that ended the day before', [{ from: '2027-03-08', to: '2027-03-09', cover: null }], [], undefined],
    ['one that begins as it ends', [], [span('2', '2027-03-10T10:00', '2027-03-10T11:00')], undefined],
    ['itself', [], [morning], undefined],
  ])('%s', (_, leave, others, kind) => expect(clashOf(morning, leave, others, OSLO)?.kind).toBe(kind));

  it('is looked at on their own calendar: a night in Oslo is the day before elsewhere', () => {
    const night = span('3', '2027-03-10T23:30', '2027-03-11T00:30');
    const leave = [{ from: '2027-03-11', to: '2027-03-11', cover: null }];
    expect(clashOf(night, leave, [], OSLO)?.kind).toBe('leave');
    expect(clashOf({ ...night, endsAt: utc('2027-03-10T23:50') }, leave, [], Zone.of('Europe/London'))).toBe(null);
  });
});

it('the next session is the first with room that does not clash', () => {
  const sessions = [{ ...span('5', '2027-03-12T08:00', '2027-03-12T09:00'), free: 2 }, { ...morning, free: 1 }, { ...span('4', '2027-03-09T08:00', '2027-03-09T09:00'), free: 0 }]; // prettier-ignore
  expect(nextSession(sessions, [], [], OSLO)?.id).toBe('1');
  expect(nextSession(sessions, [{ from: '2027-03-10', to: '2027-03-10' }] as never, [], OSLO)?.id).toBe('5');
  expect(nextSession([], [], [], OSLO)).toBe(null);
});

test.each([
  ['ends before it starts', { endsAt: morning.startsAt, seats: 3 }, 'ends before it starts'],
  ['lasts for weeks', { endsAt: morning.startsAt + 20 * 86_400_000, seats: 3 }, 'longer than two weeks'],
  ['has fewer seats than are taken', { endsAt: morning.endsAt, seats: 3 }, 'It has 3 seats, and 4 are taken'],
])('a session that %s is refused', (_, change, words) =>
  expect(sessionFault({ startsAt: morning.startsAt, ...change }, utc('2027-03-01T08:00'), 4)).toContain(words),
);

it('a seat is given, moved, waited for and lost, each its own anchor, counted by itself', () => {
  const set = (at: string, startsAt: string | null, rest: object = {}) => ({ type: 'session-set', at: utc(at), unit: 'u', ...(startsAt && { startsAt: utc(startsAt) }), ...rest }) as const; // prettier-ignore
  const assignment = anAssignment({
    events: [
      set('2027-03-02T09:00', null, { isWaiting: true }),
      set('2027-03-03T09:00', '2027-03-10T08:00'),
      set('2027-03-04T09:00', '2027-03-11T08:00'),
      set('2027-03-05T09:00', null),
      set('2027-03-06T09:00', '2027-03-12T08:00'),
      { type: 'session-set', at: utc('2027-03-06T10:00'), unit: 'other', startsAt: utc('2027-03-20T08:00') },
    ] as never,
  });
  const roster = aRoster([aPerson('runa')]);
  const calendar = roster.calendarOf(roster.getPerson('runa'));
  const days = (event: 'seat-given' | 'session-moved' | 'seat-lost' | 'seat-waiting' | 'session-starts'): string[] =>
    anchorsOf({ event, unit: 'u' }, assignment, calendar, Infinity)
      .filter(({ replacedAt }) => replacedAt === null)
      .map(({ at, revision }) => `${revision} ${new Date(at).toISOString().slice(5, 10)}`);
  expect([days('seat-waiting'), days('seat-given'), days('session-moved'), days('seat-lost'), days('session-starts')]).toEqual([['0 03-02'], ['0 03-03', '1 03-06'], ['0 03-04'], ['0 03-05'], ['2 03-12']]); // prettier-ignore
});
