import { describe, expect, it } from 'vitest';
import { DEFAULT_SETTINGS, PLAINLY, STANDARD_PLAN, type Person, type PlanStep, type RehearsalFacts } from '@nudrik/core';
import { openPage } from '../../testing/page.ts';
import { RehearsalDesk } from './rehearsal-desk.ts';
import { RehearsalLink } from './rehearsal-link.ts';
import { RehearsalPage } from './rehearsal.page.ts';

const NOW = Date.parse('2027-03-01T09:30:00Z');
const person = (id: string, name: string, rest: Partial<Person> = {}): Person => ({
  id, name, email: `${id}@orlasund.example`, calendar: '1', manager: null, leave: [], department: 'Deck', site: 'Orla Quay', groups: [], job: null, joinedOn: null, leftOn: null, isReachable: true, ...rest,
}); // prettier-ignore
const facts = (rest: Partial<RehearsalFacts> = {}): RehearsalFacts => ({
  now: NOW,
  zone: 'Europe/Oslo',
  organisation: 'Orlasund Ferries',
  house: { senderName: 'Safety training', replyTo: 'training@orlasund.example', repliesToTrainer: false },
  people: [person('9', 'Tora Hauge'), person('8', '=Kari Berg'), person('4', 'Runa Aske', { manager: '8' }), person('5', 'Per Moe', { manager: '8' })],
  calendars: [{ id: '1', zone: 'Europe/Oslo', workingDays: [1, 2, 3, 4, 5], holidays: [] }],
  courses: [{ id: '2', title: 'Fire Teams Aboard', owner: '9', units: ['u1'], code: null, summary: 'Hoses and words.', required: ['u1'], needed: null, titles: { u1: 'Hoses' } }],
  settings: DEFAULT_SETTINGS,
  parents: {},
  names: { department: {}, site: { 1: 'Orla Quay' }, group: {}, person: {}, course: {}, unit: {}, step: {} },
  holds: [],
  plans: [{ course: '2', title: 'Fire Teams Aboard', publishedAt: NOW, steps: STANDARD_PLAN, draft: STANDARD_PLAN.filter(({ id }) => id !== 'onboarding') }],
  assignments: ['4', '5'].map((id) => ({ id: `1${id}`, person: id, course: '2', assignedAt: NOW, dueAt: Date.parse('2027-03-19T16:00:00Z'), events: [] })),
  ledger: [],
  pace: { 2: { shares: [0.5], never: 0 } },
  leftOut: 0, ahead: [], aheadLeftOut: 0, certified: {}, signOffs: {},
  ...rest,
}); // prettier-ignore

describe('the desk that plays rehearsals', () => {
  const desk = new RehearsalDesk();
  it('tells what can be supposed, and how many there are', () => {
    expect(desk.take(facts())).toMatchObject({ plans: [{ title: 'Fire Teams Aboard', hasDraft: true }], sites: [{ name: 'Orla Quay', people: 4 }], hasPast: true, hasHolds: false }); // prettier-ignore
    expect(desk.play(PLAINLY, null)).toMatchObject({ shown: { mails: 11, people: 3 }, beside: null, otherwise: 0 });
  });
  it('tells the lines of a day with who reads them, and the text as they read it', () => {
    desk.play(PLAINLY, null);
    const { lines, total } = desk.day('2027-03-17', ['send']);
    expect(total).toBe(2);
    expect(lines[0]).toMatchObject({ person: 'Runa Aske', reader: null, at: 'Wed 17 Mar 17:00', stepName: 'Two days to go' });
    expect(desk.letter(lines[0]!.index)).toMatchObject({ subject: 'Fire Teams Aboard is due in 2 days', to: 'Runa Aske' });
    const [escalated] = desk.day('2027-03-24', ['send']).lines;
    expect(escalated).toMatchObject({ person: 'Runa Aske', reader: '=Kari Berg' });
    const gathered = desk.letter(escalated!.index)!;
    expect(gathered.text).toMatch(/Runa Aske .* 5\nPer Moe .* 5/s);
  });
  it('tells what is otherwise beside another supposition', () => {
    expect(desk.play({ ...PLAINLY, withDraft: true }, PLAINLY).otherwise).toBe(2);
    expect(desk.otherwise()[0]).toMatchObject({ person: 'Runa Aske', stepName: 'Getting started', before: 'Wed 3 Mar 09:00', after: 'not at all' }); // prettier-ignore
  });
  it('says of what is not sent why, and nothing that a spreadsheet would run stands in its CSV', () => {
    desk.play({ ...PLAINLY, act: { kind: 'all', after: 7 } }, null);
    const { lines } = desk.day('2027-03-17', ['skip']);
    expect(lines[0]!.sentence).toMatch(/Runa Aske finished on Mon 8 Mar 12:00/);
    desk.play(PLAINLY, null);
    const csv = desk.csv();
    expect(csv.split('\r\n')[0]).toContain('Day,Moment,Zone,Outcome,Step,Kind,Course,About,Reader,E-mail,Why');
    expect(csv).toContain(`2027-03-24,09:00,Europe/Oslo,sent,To the manager,manager,Fire Teams Aboard,Runa Aske,"'=Kari Berg"`);
  });
  /** the standard plan with one of its steps moved */
  const moved = (id: string, offset: PlanStep['offset']): PlanStep[] =>
    STANDARD_PLAN.map((step) => (step.id === id ? { ...step, offset } : step));
  it('a step that is dragged is worked out by itself for everybody, with the moments of some in words', () => {
    desk.take(facts());
    const found = desk.moments(moved('two-days-to-go', { amount: -72, unit: 'hours' }), 'two-days-to-go', ['14']);
    expect(found.days).toEqual([{ day: '2027-03-16', count: 2 }]);
    expect(Object.keys(found.of)).toEqual(['14']);
    expect(found.of['14']![0]).toMatchObject({ local: 'Tue 16 Mar 17:00', outcome: 'send', zone: 'Europe/Oslo' });
  });
  it('for those who are shown it stands beside the other steps: what the limit of a day leaves is told', () => {
    desk.take(facts({ settings: { ...DEFAULT_SETTINGS, dailyLimit: 1 } }));
    // on the day of “Two days to go”: a reminder goes before what accompanies the beginning
    const found = desk.moments(moved('onboarding', { amount: 16, unit: 'days' }), 'onboarding', ['14']);
    expect(found.days).toEqual([{ day: '2027-03-17', count: 2 }]);
    expect(found.of['14']![0]).toMatchObject({ local: 'Thu 18 Mar 08:00', outcome: 'send' });
  });
  it('a value that somebody lacks holds the text', () => {
    desk.take(facts({ courses: [{ ...facts().courses[0]!, summary: null }] }));
    expect(desk.play(PLAINLY, null).shown).toMatchObject({ holds: [{ because: 'missing-value', count: 2 }] });
  });
});

describe('the rehearsal page', () => {
  const open = async (inputs: Record<string, unknown> = {}, of = facts()) => {
    const desk = new RehearsalDesk();
    const asked: (string | null)[] = [];
    const link = {
      desk: {
        open: (course: string | null) => (asked.push(course), Promise.resolve(desk.take(of))),
        play: (...args: Parameters<RehearsalDesk['play']>) => Promise.resolve(desk.play(...args)),
        day: (...args: Parameters<RehearsalDesk['day']>) => Promise.resolve(desk.day(...args)),
        otherwise: () => Promise.resolve(desk.otherwise()),
        letter: (index: number) => Promise.resolve(desk.letter(index)),
        csv: () => Promise.resolve(desk.csv()),
      },
    };
    const page = await openPage(RehearsalPage, { inputs, overrides: [{ provide: RehearsalLink, useValue: link }] });
    await page.settle();
    return { ...page, asked };
  };
  it('says how much is to come, by day, with who reads it and why something does not go', async () => {
    const page = await open();
    expect(page.text()).toContain('11 mails to come to 3 people');
    expect(page.text()).toMatch(/Mon 1 Mar ?2 ?2 invitation/);
    await page.click(page.getByRole('button', { name: 'Read Invitation to Runa Aske' }));
    expect(page.text()).toContain('Fire Teams Aboard: yours to finish by Fri 19 Mar 17:00');
    expect(page.text()).toContain('Who reads most');
  });
  it('takes what is supposed from the address, and puts the two beside each other', async () => {
    const page = await open({ course: '2', draft: '1', beside: 'published', days: '14' });
    expect(page.asked).toEqual(['2']);
    await page.click(page.getByRole('button', { name: '2 notices are otherwise' }));
    expect(page.text()).toContain('Wed 3 Mar 09:00');
    expect(page.text()).toContain('not at all');
  });
  it('what stands wrongly in the address is passed over', async () => {
    const page = await open({ days: 'many', holiday: 'x', outage: '2027-99~2', joiners: '~~~~', act: 'perhaps' });
    expect(page.text()).toContain('11 mails to come');
  });
  it('says what requirements will assign in these days, and with each of its lines when', async () => {
    const later = { id: 'ahead 4/2/1', person: '4', course: '2', assignedAt: Date.parse('2027-03-08T07:00:00Z'), dueAt: Date.parse('2027-04-05T15:00:00Z'), events: [] }; // prettier-ignore
    const page = await open({}, facts({ assignments: [later], ahead: [later.id], aheadLeftOut: 1_200 }));
    expect(page.text()).toContain('One of the assignments is still to be made by requirements');
    expect(page.text()).toContain('1,200 people of later days were not asked of');
    expect(page.text()).toContain('Invitation, Fire Teams Aboard; will be assigned Mon 8 Mar 08:00');
  });
  it('of nothing to come says so', async () => {
    const page = await open({}, facts({ assignments: [] }));
    expect(page.text()).toContain('Nothing would go out in these days');
  });
});
