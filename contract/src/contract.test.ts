import { describe, expect, it, test } from 'vitest';
import { z } from 'zod';
import { AssignRequest } from './assignments/assignments.ts';
import { tellIssues } from './common.ts';
import { CourseDraft, NewCourse } from './courses/courses.ts';
import { LinkToken } from './learning/learning.ts';
import { NoticesQuery, outcomeWords, type OutcomeFilter } from './notices/notices.ts';
import { tellNarrower } from './reports/lists.ts';
import { PeopleQuery, PersonChange } from './people/people.ts';
import { ConditionSchema } from './conditions.ts';
import { PlanStepSchema, StepSchema } from './plans/plans.ts';
import { danglingPeople, RehearsalFile } from './plans/rehearsal-file.ts';

/** What a schema says of an input: nothing, or each issue as `where: words`. */
const told = (schema: z.ZodType, input: unknown): string[] => {
  const parsed = schema.safeParse(input);
  return parsed.success ? [] : tellIssues(parsed.error, input).map(({ where, message }) => `${where}: ${message}`);
};

describe('a refusal tells where, expected and got', () => {
  const schema = z.object({ list: z.array(z.object({ kind: z.enum(['a', 'b']), count: z.number() })) });
  test.each<[string, unknown, string[]]>([
    ['a wrong word', { list: [{ kind: 'c', count: 1 }] }, ['list[0].kind: expected one of "a"|"b"; got "c"']],
    ['a wrong type', { list: [{ kind: 'a', count: '1' }] }, ['list[0].count: expected number; got "1"']],
    ['nothing at all', { list: [{ kind: 'a' }] }, ['list[0].count: expected number; got nothing']],
    ['the whole', 7, ['(top): expected object; got 7']],
  ])('%s', (_, input, expected) => expect(told(schema, input)).toEqual(expected));
});

describe('a condition', () => {
  test.each<[string, unknown]>([
    ['one line', { department: ['Deck'] }],
    ['nested', { all: [{ any: [{ site: ['Orla Quay'] }, { job: ['Cook'] }] }, { not: { state: ['finished late'] } }] }],
    ['dates and units', { all: [{ joinedBefore: '2027-01-01' }, { joinedAfter: '2020-02-29' }, { unitFinished: 'u1' }] }],
  ])('%s is taken as it stands', (_, condition) => expect(ConditionSchema.parse(condition)).toEqual(condition));

  test.each<[string, unknown, RegExp]>([
    ['one that is not known', { mood: 'good' }, /^\(top\): expected a condition with one of all, any, not, .*; got mood$/],
    ['a score without its quiz', { quizScore: { atLeast: 60 } }, /^quizScore\.unit: /],
    ['a reply that is none', { replied: false }, /^replied: /],
    ['two in one', { department: ['Deck'], site: ['Orla Quay'] }, /got department, site/],
    ['an empty list', { department: [] }, /^department: /],
    ['a state that is none', { state: ['done'] }, /^state\[0\]: expected one of "not started"/],
    ['deep inside', { all: [{ not: { joinedBefore: '2027-13-01' } }] }, /^all\[0\]\.not\.joinedBefore: /],
    ['a list instead', [{ department: ['Deck'] }], /got \[\{"department"/],
    ['nothing', null, /got null/],
    [
      'too many in all',
      { all: Array.from({ length: 20 }, () => ({ any: Array.from({ length: 20 }, () => ({ state: ['finished'] })) })) },
      /expected at most 300 conditions in 12 levels, got more conditions/,
    ],
    ['too many levels', Array.from({ length: 14 }).reduce<object>((inner) => ({ not: inner }), { state: ['finished'] }), /got 13 levels/],
  ])('refuses %s', (_, condition, words) => expect(told(ConditionSchema, condition).join('\n')).toMatch(words));
});

describe('a step', () => {
  const step = {
    id: 's1',
    name: 'Before due',
    kind: 'reminder',
    on: true,
    anchor: { event: 'due' },
    offset: { amount: -2, unit: 'days' },
    to: ['employee'],
  };
  it('has a default for everything that may be left out', () =>
    expect(StepSchema.parse(step)).toEqual({
      ...step,
      at: null,
      window: null,
      repeat: null,
      gather: 'none',
      endsOn: null,
      onlyIf: null,
      stopWhen: null,
    }));
  test.each<[string, object, string]>([
    ['a time of day that is none', { at: '25:00' }, 'at: expected a time of day like 09:00; got "25:00"'],
    ['half an hour', { offset: { amount: 0.5, unit: 'hours' } }, 'offset.amount: expected int; got 0.5'],
    ['an unknown anchor', { anchor: { event: 'birthday' } }, 'anchor.event: expected one of'],
    ['a repeat of no times', { repeat: { every: { amount: 1, unit: 'days' }, times: 0 } }, 'repeat.times:'],
    ['nobody to write to', { to: [] }, 'to:'],
    ['a key of its own', { colour: 'red' }, 'Unrecognized key: "colour"'],
  ])('refuses %s', (_, change, words) => expect(told(StepSchema, { ...step, ...change }).join('\n')).toContain(words));
  it('of a plan has its message', () => expect(told(PlanStepSchema, step)[0]).toContain('message: expected object'));
});

describe('what the pages send', () => {
  test.each<[string, z.ZodType, unknown, string]>([
    ['assigning to nobody', AssignRequest, { courseId: '1', dueOn: '2027-03-19' }, 'personIds: expected somebody'],
    ['a date that does not exist', AssignRequest, { courseId: '1', departments: ['Deck'], dueOn: '2027-02-30' }, 'dueOn:'],
    [
      'an id that is none',
      AssignRequest,
      { courseId: '1; drop', departments: ['Deck'], dueOn: '2027-03-19' },
      'courseId: expected a whole number',
    ],
    ['a course without a title', NewCourse, { title: '  ' }, 'title: a course needs a title'],
    [
      'a unit that opens in twelve years',
      CourseDraft,
      {
        title: 'A',
        sections: [{ title: 'S', units: [{ kind: 'page', title: 'P', release: { kind: 'after', amount: 600, unit: 'weeks' } }] }],
      },
      'sections[0].units[0].release.amount: expected at most ten years (522 weeks); got 600 weeks',
    ],
    [
      'a release of no kind',
      CourseDraft,
      { title: 'A', sections: [{ title: 'S', units: [{ kind: 'page', title: 'P', release: { kind: 'never' } }] }] },
      'sections[0].units[0].release',
    ],
    ['a change of nothing', PersonChange, {}, 'expected something to change'],
    ['a page size beyond bounds', PeopleQuery, { size: '5000' }, 'size:'],
    ['an outcome that is none', NoticesQuery, { outcome: 'lost' }, 'outcome: expected one of'],
    ['a link cut short', LinkToken, 'abc', 'This link is not complete'],
  ])('refuses %s', (_, schema, input, words) => expect(told(schema, input).join('\n')).toContain(words));

  it('reads pages from a query string', () =>
    expect(PeopleQuery.parse({ page: '2', size: '50' })).toMatchObject({ page: 2, size: 50, sort: 'name', order: 'asc', show: 'here' }));
});

describe('the rehearsal file', () => {
  const file = () => ({
    from: '2027-03-01T00:00:00Z',
    until: '2027-06-01T00:00:00Z',
    calendars: { orla: { zone: 'Europe/Oslo', workingDays: [1, 2, 3, 4, 5] } },
    people: [{ id: 'p1', name: 'Runa Aske', email: 'runa.aske@orlasund.example', calendar: 'orla', manager: 'p9' }] as Record<
      string,
      unknown
    >[],
    courses: [{ id: 'c1', title: 'Fire Teams Aboard' }],
    plan: {
      course: 'c1',
      steps: [{ id: 's1', kind: 'reminder', anchor: { event: 'due' }, offset: { amount: 0, unit: 'days' }, to: ['employee'] }] as Record<
        string,
        unknown
      >[],
    },
    assignments: [{ id: 'a1', person: 'p1', course: 'c1', assignedAt: '2027-03-01T09:30:00Z', dueAt: '2027-03-19T16:00:00Z' }],
    events: [] as Record<string, unknown>[],
  });
  it('takes the least that makes sense', () => expect(told(RehearsalFile, file())).toEqual([]));
  it('warns of who is named and not there', () =>
    expect(danglingPeople(RehearsalFile.parse(file()))).toEqual([{ where: 'people[0].manager', id: 'p9' }]));

  test.each<[string, (f: ReturnType<typeof file>) => unknown, string]>([
    ['an end before its beginning', (f) => (f.until = '2027-02-01T00:00:00Z'), 'until: expected a moment after "from"'],
    ['an instant without its zone', (f) => (f.from = '2027-03-01T00:00:00'), 'from:'],
    [
      'an id that stands twice',
      (f) => f.people.push({ ...f.people[0] }),
      'people[1].id: expected each id once; "p1" stands more than once',
    ],
    ['a step that stands twice', (f) => f.plan.steps.push({ ...f.plan.steps[0] }), 'plan.steps[1].id: expected each id once'],
    [
      'a calendar that is not there',
      (f) => (f.people[0]!['calendar'] = 'tarn'),
      'people[0].calendar: expected one of the calendars orla; got "tarn"',
    ],
    [
      'a leave that ends before it begins',
      (f) => (f.people[0]!['leave'] = [{ from: '2027-03-05', to: '2027-03-04' }]),
      'people[0].leave[0]: expected "from" not after "to"',
    ],
    [
      'an event of an unknown kind',
      (f) => f.events.push({ assignment: 'a1', type: 'vanished', at: '2027-03-02T00:00:00Z' }),
      'events[0].type:',
    ],
    [
      'an event of no assignment',
      (f) => f.events.push({ assignment: 'a9', type: 'finished', at: '2027-03-02T00:00:00Z' }),
      'events[0].assignment: expected the id of one of the assignments; got "a9"',
    ],
    [
      'an extension without its date',
      (f) => f.events.push({ assignment: 'a1', type: 'extended', at: '2027-03-02T00:00:00Z' }),
      'events[0].dueAt:',
    ],
    [
      'a recipient it cannot find',
      (f) => (f.plan.steps[0]!['to'] = ['everyone']),
      'plan.steps[0].to[0]: expected employee, manager, manager 2 …, trainer, assistants, person <id> or a mail address; got "everyone"',
    ],
    [
      'taking back what is not there',
      (f) => (f.events = [{ assignment: 'a1', type: 'undone', at: '2027-03-15T08:00:00Z', event: 'e7' }]),
      'events[0].event: expected the id of an event of this file; got "e7"',
    ],
    ['gathering without a time of day', (f) => (f.plan.steps[0]!['gather'] = 'per day'), 'needs a time of day'],
    [
      'a send window that ends before it begins',
      (f) => Object.assign(f, { settings: { sendWindow: { from: '18:00', to: '08:00' } } }),
      'settings.sendWindow: expected "from" not after "to"',
    ],
    ['a calendar without a working day', (f) => Object.assign(f.calendars.orla, { workingDays: [] }), 'calendars.orla.workingDays'],
  ])('refuses %s', (_, spoil, words) => {
    const spoilt = file();
    spoil(spoilt);
    expect(told(RehearsalFile, spoilt).join('\n')).toContain(words);
  });
});

describe('what a list is narrowed down to', () => {
  test.each<[object, string | null]>([
    [{ who: 'late' }, null],
    [{ who: 'late', days: '0-' }, null],
    [{ who: 'late', days: '0-2' }, 'late by up to 2 days'],
    [{ who: 'late', days: '8-30' }, 'late by 8 to 30 days'],
    [{ who: 'late', days: '91-' }, 'late by over 90 days'],
    [{ who: 'finished', days: '0-7', since: '2027-02-01' }, 'who took up to 7 days, finished since 1 Feb 2027'],
    [{ who: 'finished', since: '2027-02-01' }, 'finished since 1 Feb 2027'],
  ])('%j', (query, words) => expect(tellNarrower(query)).toBe(words));
  test.each<[OutcomeFilter, string]>([
    ['went', 'sent, delivered or bounced'],
    ['trouble', 'bounced, failed or held'],
    ['skipped', 'skipped'],
  ])('by outcome: %s', (outcome, words) => expect(outcomeWords(outcome)).toBe(words));
});
