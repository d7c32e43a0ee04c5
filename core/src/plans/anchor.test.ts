import { describe, expect, it, test } from 'vitest';
import type { AssignmentEvent } from '../assignments/event.ts';
import { aPerson, aRoster, anAssignment, aStep, utc } from '../testing.ts';
import { rehearse } from '../rehearsal/rehearse.ts';
import { ANCHORS, anchorEntry, anchorFault, anchorsOf, tellAnchor, type Anchor } from './anchor.ts';
import { Calendar } from '../time/calendar.ts';
import { OSLO } from '../testing.ts';

const oslo = new Calendar(OSLO);
const at = (iso: string) => utc(`2027-${iso}`);
const LATER = utc('2027-12-01T00:00');
/** Each revision: its number, when, and when it was replaced. */
const revisions = (anchor: Anchor, events: AssignmentEvent[], now = LATER): string[] =>
  anchorsOf(anchor, anAssignment({ events: events.map((event, i) => ({ ...event, id: String(i + 1) })) }), oslo, now).map(
    ({ revision, at: when, replacedAt }) =>
      `${revision} ${new Date(when).toISOString().slice(5, 16)}${replacedAt === null ? '' : ` until ${new Date(replacedAt).toISOString().slice(5, 16)}`}`,
  );
const unit = (type: 'unit-opened' | 'unit-finished', name: string, on: string): AssignmentEvent => ({ type, unit: name, at: at(on) });
const signedOff = (on: string, rest: { attended?: boolean; met?: boolean } = {}): AssignmentEvent => ({
  type: 'signed-off',
  at: at(on),
  ...rest,
});
const seat = (on: string, startsAt: string | null): AssignmentEvent => ({
  type: 'session-set',
  at: at(on),
  startsAt: startsAt === null ? null : at(startsAt),
});

describe('an anchor that comes more than once', () => {
  test.each<[string, Anchor, AssignmentEvent[], string[]]>([
    ['any unit, by instant, then unit', { event: 'unit-finished' }, [unit('unit-finished', 'u2', '03-02T09:00'), unit('unit-finished', 'u1', '03-02T09:00'), unit('unit-finished', 'u3', '03-03T09:00')], ['0 03-02T09:00', '1 03-02T09:00', '2 03-03T09:00']],
    ['one unit, from 0', { event: 'unit-finished', unit: 'u3' }, [unit('unit-finished', 'u2', '03-02T09:00'), unit('unit-finished', 'u3', '03-03T09:00')], ['0 03-03T09:00']],
    ['a unit that was taken back keeps its number', { event: 'unit-finished' }, [unit('unit-finished', 'u2', '03-02T09:00'), { type: 'undone', at: at('03-02T09:05'), event: '1' }, unit('unit-finished', 'u3', '03-03T09:00')], ['0 03-02T09:00 until 03-02T09:05', '1 03-03T09:00']],
    ['a quiz that was passed, of any unit', { event: 'quiz-passed' }, [{ type: 'quiz-submitted', at: at('03-02T09:00'), passed: false }, { type: 'quiz-submitted', at: at('03-03T09:00'), passed: true }], ['0 03-03T09:00']],
    ['any sign-off', { event: 'signed-off' }, [signedOff('03-02T09:00', { met: false }), signedOff('03-03T09:00', { met: true })], ['0 03-02T09:00', '1 03-03T09:00']],
    ['a sign-off by its outcome', { event: 'signed-off', outcome: 'met' }, [signedOff('03-02T09:00', { met: false }), signedOff('03-03T09:00', { met: true })], ['0 03-03T09:00']],
    ['who was absent met nothing', { event: 'signed-off', outcome: 'absent' }, [signedOff('03-02T09:00', { attended: false, met: false })], ['0 03-02T09:00']],
    ['a session that was moved, twice', { event: 'session-starts' }, [seat('03-02T09:00', '03-10T08:00'), seat('03-03T09:00', '03-12T08:00')], ['0 03-10T08:00 until 03-03T09:00', '1 03-12T08:00']],
    ['a seat given up', { event: 'session-starts' }, [seat('03-02T09:00', '03-10T08:00'), seat('03-03T09:00', null)], ['0 03-10T08:00 until 03-03T09:00']],
    ['a seat given up by mistake', { event: 'session-starts' }, [seat('03-02T09:00', '03-10T08:00'), seat('03-03T09:00', null), { type: 'undone', at: at('03-03T09:05'), event: '2' }], ['0 03-10T08:00']],
    ['no seat', { event: 'session-starts' }, [], []],
    ['idle since the assignment', { event: 'idle' }, [], ['0 03-01T09:30']],
    ['each activity begins anew', { event: 'idle' }, [{ type: 'started', at: at('03-02T09:00') }, unit('unit-finished', 'u1', '03-04T09:00')], ['0 03-01T09:30 until 03-02T09:00', '1 03-02T09:00 until 03-04T09:00', '2 03-04T09:00']],
    ['finishing counts once', { event: 'finished' }, [{ type: 'finished', at: at('03-02T09:00') }, { type: 'finished', at: at('03-03T09:00') }], ['0 03-02T09:00']],
    ['what finishes a waived assignment is no finishing', { event: 'finished' }, [{ type: 'waived', at: at('03-02T09:00') }, { type: 'finished', at: at('03-03T09:00') }], []],
    ['a survey that was answered', { event: 'survey-answered', unit: 'u1' }, [{ type: 'survey-answered', unit: 'u2', at: at('03-02T09:00') }, { type: 'survey-answered', unit: 'u1', at: at('03-03T09:00') }], ['0 03-03T09:00']],
    ['a due date that was moved', { event: 'extended' }, [{ type: 'extended', dueAt: at('04-01T16:00'), at: at('03-02T09:00') }, { type: 'extended', dueAt: at('04-09T16:00'), at: at('03-03T09:00') }], ['0 03-02T09:00', '1 03-03T09:00']],
    ['a waiver that was taken back', { event: 'waived' }, [{ type: 'waived', at: at('03-02T09:00') }, { type: 'undone', at: at('03-02T09:05'), event: '1' }], ['0 03-02T09:00 until 03-02T09:05']],
    ['withdrawn', { event: 'withdrawn' }, [{ type: 'withdrawn', at: at('03-02T09:00') }], ['0 03-02T09:00']],
    ['reminded by hand, with any letter', { event: 'reminded' }, [{ type: 'reminded', letter: '7', at: at('03-02T09:00') }, { type: 'reminded', letter: '8', at: at('03-03T09:00') }], ['0 03-02T09:00', '1 03-03T09:00']],
    ['reminded by hand, with one letter', { event: 'reminded', letter: '8' }, [{ type: 'reminded', letter: '7', at: at('03-02T09:00') }, { type: 'reminded', letter: '8', at: at('03-03T09:00') }], ['0 03-03T09:00']],
    ['a section, with the last of its units', { event: 'section-finished', section: 's', units: ['u1', 'u2'] }, [unit('unit-finished', 'u2', '03-02T09:00'), unit('unit-finished', 'u3', '03-03T09:00'), unit('unit-finished', 'u1', '03-04T09:00'), unit('unit-finished', 'u1', '03-05T09:00')], ['0 03-04T09:00']],
    ['a section of nothing', { event: 'section-finished', section: 's', units: [] }, [unit('unit-finished', 'u2', '03-02T09:00')], []],
    ['a section, one unit of which was taken back', { event: 'section-finished', section: 's', units: ['u1', 'u2'] }, [unit('unit-finished', 'u1', '03-02T09:00'), { type: 'undone', at: at('03-02T09:05'), event: '1' }, unit('unit-finished', 'u2', '03-04T09:00')], []],
    ['a completion that was recorded stands at its day', { event: 'finished' }, [{ type: 'finished', at: at('03-25T09:00'), on: '2027-03-10', onAt: at('03-09T23:00') }], ['0 03-09T23:00']],
  ])('%s', (_, anchor, events, expected) => expect(revisions(anchor, events)).toEqual(expected)); // prettier-ignore
  it('is known from its event on', () =>
    expect(revisions({ event: 'session-starts' }, [seat('03-02T09:00', '03-10T08:00')], at('03-02T08:59'))).toEqual([]));
});

describe('the catalogue', () => {
  it('has words for every anchor, and faults for what is missing or too much', () => {
    for (const event of ANCHORS) expect(tellAnchor({ event, date: '2027-03-01' }).length).toBeGreaterThan(2);
    expect(ANCHORS.filter((event) => anchorEntry(event).outlives)).toEqual([
      'waived',
      'withdrawn',
      'finished',
      'certificate-issued',
      'expires',
    ]);
    expect([anchorFault({ event: 'section-finished' }), anchorFault({ event: 'section-finished', section: 's', units: ['u1'] })]).toEqual([
      'the anchor "section-finished" needs a section',
      null,
    ]);
    expect([anchorFault({ event: 'date' }), anchorFault({ event: 'due', unit: 'u1' }), anchorFault({ event: 'unit-finished' })]).toEqual([
      'the anchor "date" needs a date',
      'the anchor "due" has no unit',
      null,
    ]);
  });
});

describe('played forward', () => {
  const lines = (step: Parameters<typeof aStep>[0], events: AssignmentEvent[], groups: string[] = []): string[] =>
    rehearse({
      from: at('03-01T00:00'),
      until: at('04-15T00:00'),
      roster: aRoster([aPerson('runa', { groups }), aPerson('tora')]),
      plans: [{ course: 'c1', publishedAt: at('03-01T00:00'), steps: [aStep({ window: 'exact', ...step })] }],
      assignments: [anAssignment({ events })],
    }).map((line) => `${line.outcome} ${line.at === null ? '' : new Date(line.at).toISOString().slice(5, 16)} r${line.revision}`);
  it('a session that is moved drops what hung on it, and hangs it on the new time', () =>
    expect(lines({ anchor: { event: 'session-starts' }, offset: { amount: -24, unit: 'hours' } }, [seat('03-02T09:00', '03-10T08:00'), seat('03-03T09:00', '03-12T08:00')])).toEqual(['send 03-11T08:00 r1'])); // prettier-ignore
  it('without a seat it waits', () =>
    expect(lines({ anchor: { event: 'session-starts' }, offset: { amount: -24, unit: 'hours' } }, [])).toEqual(['wait  r0']));
  it('seven days without activity, begun anew by each', () =>
    expect(lines({ anchor: { event: 'idle' }, offset: { amount: 7, unit: 'days' } }, [{ type: 'started', at: at('03-05T09:00') }])).toEqual(['send 03-12T09:00 r1'])); // prettier-ignore
  it('only for a group', () => {
    const step = { offset: { amount: -2, unit: 'days' }, onlyIf: { group: ['Night boat'] } } as const;
    expect([lines(step, [], ['Night boat']), lines(step, [])]).toEqual([['send 03-17T16:00 r0'], ['skip 03-17T16:00 r0']]);
  });
});
