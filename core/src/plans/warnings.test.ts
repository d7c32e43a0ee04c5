import { describe, expect, it } from 'vitest';
import { NAMES_THEMSELVES } from '../conditions/catalogue.ts';
import type { Person } from '../people/person.ts';
import { rehearse } from '../rehearsal/rehearse.ts';
import { anAssignment, aPerson, aRoster, utc } from '../testing.ts';
import { bareStep, STANDARD_PLAN, type PlanStep } from './standard.ts';
import { peopleWarnings, textWarnings, type PlanWarning } from './warnings.ts';

const step = (id: string, rest: Partial<PlanStep> = {}): PlanStep =>
  bareStep(id, {
    name: id,
    kind: 'reminder',
    anchor: { event: 'due' },
    offset: { amount: -2, unit: 'days' },
    message: { subject: `About ${id}`, body: `Words of ${id}.`, button: null },
    ...rest,
  });
const say = (body: string, rest: Partial<PlanStep> = {}): PlanStep =>
  step('a', { message: { subject: 'Soon', body, button: null }, ...rest });
const ofText = (...steps: PlanStep[]): PlanWarning[] =>
  textWarnings({ steps, names: NAMES_THEMSELVES, today: '2027-03-01', units: new Set(['u1']) });
const told = (list: readonly PlanWarning[]): string[] => list.map(({ kind, words }) => `${kind}: ${words}`);

describe('what can be seen of a plan without looking at anybody', () => {
  it('the standard plan has nothing', () => expect(told(ofText(...STANDARD_PLAN))).toEqual([]));

  it.each<[string, PlanStep, string | null]>([
    ['two days, and 72 hours', say('It is due in two days.', { offset: { amount: -72, unit: 'hours' } }), 'words: “a” says “in two days”, and it goes 72 hours before.'],
    ['two days, and 48 hours', say('It is due in two days.', { offset: { amount: -48, unit: 'hours' } }), null],
    ['48 hours to go, and 2 days', say('48 hours to go.'), null],
    ['a week, and 7 days', say('Due in a week.', { offset: { amount: -7, unit: 'days' } }), null],
    ['3 days left, and two', say('Only 3 days left!'), 'words: “a” says “3 days left”, and it goes 2 days before.'],
    ['a month is not compared', say('Due in a month.', { offset: { amount: -30, unit: 'days' } }), null],
    ['working days are not days', say('Due in two days.', { offset: { amount: -3, unit: 'working days' } }), null],
    ['two working days', say('Due in two working days.', { offset: { amount: -3, unit: 'working days' } }), 'words: “a” says “in two working days”, and it goes 3 working days before.'],
    ['how long it takes is no distance', say('It takes two hours. Set aside half an hour.'), null],
    ['in three days of training', say('You learn it in three days of training.'), null],
    ['tomorrow, and 2 days', say('It is due tomorrow.'), 'words: “a” says “tomorrow”, and it goes 2 days before.'],
    ['tomorrow, and 24 hours', say('It is due tomorrow.', { offset: { amount: -24, unit: 'hours' } }), null],
    ['what a field says is true', say('It is due {time to due}.'), null],
    ['each repeat is at another distance', say('Late for 1 day.', { offset: { amount: 1, unit: 'days' }, repeat: { every: { amount: 1, unit: 'days' }, times: 3 } }), 'words: “a” says “for 1 day”, and it goes 3 times, each at another distance.'],
    ['what follows at once says what it likes', say('Answer within two days.', { anchor: { event: 'quiz-failed' } }), null],
  ])('%s', (_, made, words) => expect(told(ofText(made))).toEqual(words === null ? [] : [words])); // prettier-ignore

  it('a mend lets a merge field say it, in subject and text', () => {
    const [warning] = ofText(step('a', { message: { subject: 'Due in two days', body: 'It is due in two days.', button: null }, offset: { amount: -72, unit: 'hours' } })); // prettier-ignore
    expect(warning!.mend).toMatchObject({
      step: 'a',
      change: { message: { subject: 'Due {time to due}', body: 'It is due {time to due}.' } },
    });
    expect(ofText(step('a', warning!.mend!.change!))).toEqual([]);
  });

  it('a name that tells another distance is mended with its own', () => {
    const [warning] = ofText(step('a', { name: 'Two days to go', offset: { amount: -72, unit: 'hours' } }));
    expect(told([warning!])).toEqual(['words: “Two days to go” goes 72 hours before: its name says another distance.']);
    expect(warning!.mend!.change).toEqual({ name: '3 days to go' });
    expect(ofText(step('a', { name: '3 days to go', offset: { amount: -72, unit: 'hours' } }))).toEqual([]);
  });

  it.each<[string, Partial<PlanStep>, RegExp | null]>([
    ['finished people get no reminder', { onlyIf: { state: ['finished'] } }, /not so at its moment/],
    ['whoever is late is no longer in progress', { offset: { amount: 1, unit: 'days' }, onlyIf: { state: ['in progress'] } }, /open then/],
    ['late people are', { offset: { amount: 1, unit: 'days' }, onlyIf: { state: ['overdue'] } }, null],
    ['a certificate goes to who finished', { anchor: { event: 'finished' }, offset: { amount: 0, unit: 'days' }, onlyIf: { state: ['finished'] } }, null],
    ['it stops always', { stopWhen: { not: { state: ['finished'] } } }, /stops when not finished, and that is always so/],
    ['it stops when finished', { stopWhen: { state: ['finished'] } }, null],
    ['it ended', { endsOn: '2027-02-01' }, /it ended on Mon 1 Feb/],
    ['a unit that is gone', { anchor: { event: 'unit-finished', unit: 'u7' } }, /unit that is no longer in the course/],
    ['its day has passed', { anchor: { event: 'date', date: '2027-01-04' }, offset: { amount: 0, unit: 'days' } }, /its day, Mon 4 Jan, has passed/],
    ['more silence than it waits for', { anchor: { event: 'idle' }, offset: { amount: 3, unit: 'days' }, onlyIf: { idleDays: 7 } }, /only if nothing was done for 7 days/],
    ['off, nobody minds', { on: false, onlyIf: { state: ['finished'] } }, null],
  ])('can never go: %s', (_, rest, words) => {
    const found = ofText(step('a', rest)).filter(({ kind }) => kind === 'never');
    if (words === null) return expect(found).toEqual([]);
    expect(found).toHaveLength(1);
    expect(found[0]!.words).toMatch(words);
    const change = found[0]!.mend?.change;
    if (change) expect(ofText(step('a', { ...rest, ...change }))).toEqual([]);
  }); // prettier-ignore

  it('two steps that say the same: at one moment the second is taken away, else it is only said', () => {
    const twin = step('b', { message: step('a').message });
    expect(told(ofText(step('a'), twin))).toEqual(['alike: “b” says word for word what “a” says, at the same moment.']);
    expect(ofText(step('a'), twin)[0]!.mend).toMatchObject({ step: 'b', change: null });
    const later = { ...twin, offset: { amount: -1, unit: 'days' as const } };
    expect(told(ofText(step('a'), later))).toEqual(['alike: “b” says word for word what “a” says.']);
    expect(ofText(step('a'), { ...twin, to: ['manager'] })).toEqual([]);
    const at = (site: string): Partial<PlanStep> => ({ onlyIf: { site: [site] } });
    expect(ofText(step('a', at('Orla Quay')), { ...twin, ...at('Tarn Ness') })).toEqual([]);
  });
});

const NOW = utc('2027-03-10T09:00');
const crew = (rest: Partial<Person>[] = []): Person[] => [
  aPerson('kari', { name: 'Kari Berg' }),
  aPerson('tora', { name: 'Tora Hauge' }),
  ...Array.from({ length: 7 }, (_, i) => aPerson(`p${i}`, { name: `Person ${i}`, manager: 'kari', ...rest[i] })),
];
function ofPeople(
  steps: PlanStep[],
  rest: Partial<Person>[] = [],
  assignedAt = utc('2027-03-01T09:30'),
  dueAt = utc('2027-03-19T16:00'),
): PlanWarning[] {
  const roster = aRoster(crew(rest));
  const assignments = Array.from({ length: 7 }, (_, i) => anAssignment({ id: `a${i}`, person: `p${i}`, assignedAt, dueAt }));
  const lines = rehearse({
    from: assignedAt,
    until: NOW + 200 * 86_400_000,
    roster,
    assignments,
    plans: [{ course: 'c1', publishedAt: assignedAt, steps }],
    withHeld: true,
    isTold: () => false,
  });
  return peopleWarnings({ steps, assignments, roster, now: NOW, lines });
}

describe('what can be seen in the people of a plan', () => {
  it('falls before the assignment, and a shorter distance reaches them', () => {
    const steps = [step('a', { offset: { amount: -30, unit: 'days' } })];
    const [warning] = ofPeople(steps);
    expect(told([warning!])).toEqual(['before-assignment: “a” falls before the assignment of 7 people, who do not get it.']);
    expect(warning!.people).toHaveLength(7);
    expect(warning!.mend).toMatchObject({ words: 'Move it to 18 days before due', change: { offset: { amount: -18, unit: 'days' } } });
    expect(ofPeople([{ ...steps[0]!, ...warning!.mend!.change }])).toEqual([]);
  });

  it('on a day off, at the exact moment; inside the window it is none', () => {
    const steps = [step('a', { offset: { amount: -5, unit: 'days' }, window: 'exact' })]; // Sunday 14 March
    const [warning] = ofPeople(steps);
    expect(told([warning!])).toEqual(['day-off: “a” goes at the exact moment, which is on a day off for 7 people, all at Orla Quay.']);
    expect(ofPeople([{ ...steps[0]!, ...warning!.mend!.change }])).toEqual([]);
  });

  it('on a holiday, too', () => {
    const steps = [step('a', { offset: { amount: -3, unit: 'days' }, window: 'exact' })];
    expect(told(ofPeople(steps, [], undefined, utc('2027-03-28T15:00')))).toEqual([
      'holiday: “a” goes at the exact moment, which is on a holiday for 7 people, all at Orla Quay.',
    ]);
  });

  it('one mail to the manager for each of their people; gathered it is one', () => {
    const steps = [step('a', { to: ['manager'], kind: 'manager', offset: { amount: 3, unit: 'days' } })];
    const [warning] = ofPeople(steps);
    expect(told([warning!])).toEqual(['flood: “a” would bring Kari Berg 7 mails on Mon 22 Mar, one for each of their people.']);
    expect(warning!.mend!.change).toEqual({ gather: 'per day', at: '09:00' });
    expect(ofPeople([{ ...steps[0]!, ...warning!.mend!.change }])).toEqual([]);
  });

  it('nobody to write to, and mail that comes back', () => {
    const steps = [step('a', { to: ['manager 2'], kind: 'manager', offset: { amount: 3, unit: 'days' }, gather: 'per day', at: '09:00' })];
    const orphan = aRoster([aPerson('p0', { name: 'Runa Aske' })], {}, null);
    const assignments = [anAssignment({ id: 'a0', person: 'p0' })];
    const lines = rehearse({ from: NOW - 9e8, until: NOW + 9e9, roster: orphan, assignments, plans: [{ course: 'c1', publishedAt: 0, steps }], withHeld: true }); // prettier-ignore
    expect(told(peopleWarnings({ steps, assignments, roster: orphan, now: NOW, lines }))).toEqual(['no-recipient: “a” finds nobody to write to for Runa Aske.']); // prettier-ignore
    expect(told(ofPeople([step('b')], [{ isReachable: false }]))).toEqual(['unreachable: Mail comes back: “b” waits for Person 0.']); // prettier-ignore
  });

  it('three messages to one person on one day', () => {
    const three = ['a', 'b', 'c'].map((id) => step(id));
    expect(told(ofPeople(three))).toEqual(['crowded: “a”, “b” and “c” reach 7 people on one day: 3 messages of one plan.']);
    expect(ofPeople(three.slice(1))).toEqual([]);
  });

  it('repeats that wait for leave reach somebody at once', () => {
    const late = step('late', { kind: 'late', offset: { amount: 1, unit: 'working days' }, repeat: { every: { amount: 1, unit: 'working days' }, times: 4 } }); // prettier-ignore
    const leave = [{ from: '2027-03-18', to: '2027-04-11', cover: null }];
    expect(told(ofPeople([late], [{ leave }]))).toContain('crowded: “late” reaches Person 0 3 times on one day, Mon 12 Apr.');
  });

  it('a late joiner’s welcome comes after the due date', () => {
    const late = step('a', { kind: 'onboarding', anchor: { event: 'assigned' }, offset: { amount: 14, unit: 'days' } });
    const [warning] = ofPeople([late], [], utc('2027-03-08T09:30'));
    expect(told([warning!])).toEqual(['after-due: “a” would reach 7 people after the due date.']);
  });

  it('goes to none of the people there are', () =>
    expect(told(ofPeople([step('a', { onlyIf: { site: ['Tarn Ness'] } })]))).toEqual([
      'never: “a” goes to none of the 7 people: it goes only if at Tarn Ness.',
    ]));
});
