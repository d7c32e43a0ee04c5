import {
  DEFAULT_SETTINGS,
  forward,
  PLAINLY,
  rehearse,
  Roster,
  slotsOf,
  STANDARD_PLAN,
  type Assignment,
  type CalendarFacts,
  type Person,
  type RehearsalFacts,
} from '@nudrik/core';
import { report, timed } from './measure.ts';

const CALENDARS: CalendarFacts[] = [
  { id: 'orla', zone: 'Europe/Oslo', workingDays: [1, 2, 3, 4, 5], holidays: ['2027-03-25', '2027-03-26', '2027-03-29'] },
  { id: 'tarn', zone: 'Europe/London', workingDays: [1, 2, 3, 4, 5], holidays: ['2027-03-26', '2027-03-29'] },
];
const COURSE = { id: 'c1', title: 'Fire Teams Aboard', owner: 'p1', units: [] };

/** Pure planning, one core: no database, no clock. */
export function planningBench(): void {
  const people: Person[] = Array.from({ length: 5_000 }, (_, i) => ({
    id: `p${i}`,
    name: `Person ${i}`,
    email: `p${i}@orlasund.example`,
    calendar: i % 3 ? 'orla' : 'tarn',
    manager: i > 50 ? `p${i % 50}` : null,
    leave: i % 20 ? [] : [{ from: '2027-03-10', to: '2027-03-20', cover: null }],
    department: 'Deck',
    site: 'Orla Quay',
    groups: [],
    job: 'Deckhand',
    joinedOn: null,
    leftOn: null,
    isReachable: true,
  }));
  const roster = new Roster({ people, calendars: CALENDARS, courses: [COURSE], settings: DEFAULT_SETTINGS });
  const start = Date.parse('2027-03-01T08:00:00Z');
  const assignments = (count: number): Assignment[] =>
    Array.from({ length: count }, (_, i) => ({
      id: `a${i}`,
      person: `p${i % 5_000}`,
      course: 'c1',
      assignedAt: start + (i % 900) * 60_000,
      dueAt: start + (10 + (i % 25)) * 86_400_000 + (i % 540) * 60_000,
      events: [],
    }));

  const plan = (list: readonly Assignment[]): number => {
    let count = 0;
    for (const assignment of list) for (const step of STANDARD_PLAN) count += slotsOf(step, assignment, roster, start, start).length;
    return count;
  };
  plan(assignments(5_000)); // warm
  for (const size of [25_000, 100_000]) {
    const list = assignments(size);
    const { seconds, value } = timed(() => plan(list));
    report(
      `pure planning, ${size.toLocaleString('en')} assignments`,
      `${Math.round(value / seconds).toLocaleString('en')} notices a second`,
      'goal 200,000',
    );
  }
  const list = assignments(5_000);
  const play = () =>
    rehearse({
      from: start,
      until: start + 28 * 86_400_000,
      roster,
      assignments: list,
      plans: [{ course: 'c1', publishedAt: start, steps: STANDARD_PLAN }],
    });
  const runs = [timed(play), timed(play), timed(play)].sort((a, b) => a.seconds - b.seconds);
  const { seconds, value } = runs[1]!;
  report('rehearsing 28 days for 5,000 people', `${seconds.toFixed(2)} s, ${value.length.toLocaleString('en')} lines`, 'goal under 1 s');

  // what the browser's worker does: from plain data, with a day book and the sums of a page
  const facts: RehearsalFacts = {
    now: start,
    zone: 'Europe/Oslo',
    organisation: 'Orlasund Ferries',
    house: { senderName: 'Safety training', replyTo: 'training@orlasund.example', repliesToTrainer: false },
    people,
    calendars: CALENDARS,
    courses: [{ ...COURSE, code: null, summary: 'Two teams.', required: [], needed: null, titles: {} }],
    settings: DEFAULT_SETTINGS,
    parents: {},
    names: { department: {}, site: {}, group: {}, person: {}, course: {}, unit: {}, step: {} },
    holds: [],
    plans: [{ course: 'c1', title: 'Fire Teams Aboard', publishedAt: start, steps: STANDARD_PLAN, draft: null }],
    assignments: list,
    ledger: [],
    pace: {},
    leftOut: 0,
    ahead: [],
    aheadLeftOut: 0,
    certified: {},
    signOffs: {},
  };
  const looks = [1, 2, 3].map(() => timed(() => forward(facts, PLAINLY))).sort((a, b) => a.seconds - b.seconds);
  report(
    'the same as the rehearsal page asks for it, missing values and sums included',
    `${looks[1]!.seconds.toFixed(2)} s, ${looks[1]!.value.mails.toLocaleString('en')} mails; ${(looks[1]!.seconds / seconds).toFixed(2)} × the bare rehearsal`,
    'goal under 1 s',
  );

  // one step of eight, dragged: by itself for the 2,000 of a course, and beside the others for the six who are shown
  const few = list.slice(0, 2_000);
  const dragged = { ...STANDARD_PLAN[2]!, offset: { amount: -72, unit: 'hours' as const } };
  const steps = [
    ...STANDARD_PLAN.map((step) => (step.id === dragged.id ? dragged : step)),
    { ...STANDARD_PLAN[1]!, id: 'four-days-in', offset: { amount: 4, unit: 'days' as const } },
    { ...STANDARD_PLAN[2]!, id: 'a-week-to-go', offset: { amount: -7, unit: 'days' as const }, at: '10:00', window: null },
  ];
  const playFor = (who: readonly Assignment[], played: typeof steps) =>
    rehearse({
      from: start,
      until: start + 200 * 86_400_000,
      roster,
      assignments: who,
      plans: [{ course: 'c1', publishedAt: start, steps: played }],
      withHeld: true,
      isTold: ({ id }) => id === 'a1',
    });
  const drag = () => [...playFor(few, [dragged]), ...playFor(few.slice(0, 6), steps)];
  drag();
  const drags = [1, 2, 3].map(() => timed(drag)).sort((a, b) => a.seconds - b.seconds);
  report(
    'a step of eight dragged, for 2,000 people',
    `${Math.round(drags[1]!.seconds * 1_000)} ms, ${drags[1]!.value.length.toLocaleString('en')} moments`,
    'goal under 100 ms',
  );
}
