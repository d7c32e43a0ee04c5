import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import type { AssignmentEvent } from '../assignments/event.ts';
import { standingAt } from '../assignments/state.ts';
import { STANDARD_PLAN } from '../plans/standard.ts';
import { stepFault } from '../plans/step.ts';
import { anAssignment, aPerson, aRoster, OSLO as OSLO_DAYS, utc } from '../testing.ts';
import { Calendar } from '../time/calendar.ts';
import { tellDistance } from '../time/relative.ts';
import { Zone } from '../time/zone.ts';
import { missingOf, valueFactsOf } from './facts.ts';
import { MERGE_FIELDS } from './fields.ts';
import { renderMessage } from './render.ts';
import { speechOf } from './speech.ts';
import { fieldsOf, templateFault, type Template } from './template.ts';
import { missingFields, valuesFor } from './values.ts';

const OSLO = Zone.of('Europe/Oslo');
const template = (body: string, subject = 'About {course}'): Template => ({ subject, body, button: null });
const facts = (now = '2027-03-17T16:00') => ({
  employee: aPerson('runa', { name: 'Runa Aske' }), recipientName: 'Runa Aske', manager: aPerson('odd', { name: 'Odd Brandal' }), trainer: null,
  course: { title: 'Fire Teams Aboard', code: null, summary: 'Two teams.' }, assignedAt: utc('2027-03-01T09:30'), standing: standingAt(anAssignment(), utc(now)),
  unitsDone: 2, unitsRequired: 5, certificate: null, quiz: null, event: null, unitAsked: null, titleOf: () => null, sender: 'Training', organisation: 'Orlasund Ferries', speech: speechOf('en'), zone: OSLO, calendar: new Calendar(OSLO_DAYS), now: utc(now),
}); // prettier-ignore

describe('a template', () => {
  test.each([
    [
      'an unknown field, with the nearest known one',
      template('Hello {given nam}'),
      'there is no such merge field. Did you mean {given name}?',
    ],
    ['a field in another style', template('Due {time_to_due}'), 'Did you mean {time to due}?'],
    ['a brace that stands alone', template('Hello {given name'), 'single "{"'],
    ['an empty subject', template('Hello', '  '), 'The subject is empty'],
    ['an empty text', template(' \n'), 'The text is empty'],
  ])('is refused for %s', (_, input, words) => expect(templateFault(input)).toContain(words));

  it('may use every field that there is', () =>
    expect(templateFault(template(MERGE_FIELDS.map(({ name }) => `{${name}}`).join(' ')))).toBeNull());

  it('names what has no value instead of leaving a gap', () => {
    const values = valuesFor(facts());
    const asked = template('Hello {given name}, code {course code}, ask {trainer}.');
    expect(missingFields(asked, facts())).toEqual(['course code', 'trainer']);
    expect(() => renderMessage({ template: template('{course code}'), values, link: null, table: null, footer: '' })).toThrow(
      '{course code} has no value',
    );
  });

  it('renders HTML that runs nothing and the same words as plain text', () => {
    const values = { ...valuesFor(facts()), course: 'Ropes <script>alert(1)</script> & knots' };
    const message = renderMessage({
      template: { ...template('Hello {given name},\n\n{course} is due {time to due}.'), button: 'Open' },
      values,
      link: 'https://x.example/go/a?b=1&c="2"',
      table: null,
      footer: 'Reply.',
    });
    expect(message.html).not.toContain('<script>');
    expect(message.html).toContain('Ropes &lt;script&gt;');
    expect(message.html).toContain('href="https://x.example/go/a?b=1&amp;c=&quot;2&quot;"');
    expect(message.text).toContain('Hello Runa,\n\nRopes <script>alert(1)</script> & knots is due in 2 days.');
    expect(message.text).toContain('Open:\nhttps://x.example/go/a?b=1&c="2"');
  });

  // words of a lower-case alphabet without n: "undefined", "null" and "NaN" can come from nowhere but a value that is missing
  const word = fc.stringMatching(/^[A-M][a-m]{0,8}$/);
  const maybe = <T>(value: fc.Arbitrary<T>): fc.Arbitrary<T | null> => fc.option(value, { nil: null });
  const somebody = maybe(word.map((name) => aPerson('p', { name })));
  const anyFacts = fc.record({
    employee: fc.record({ name: word, job: maybe(word), department: maybe(word), site: maybe(word) }).map((known) => aPerson('runa', known)),
    recipientName: maybe(word), manager: somebody, trainer: somebody, course: fc.record({ title: word, code: maybe(word), summary: maybe(word) }),
    standing: fc.constantFrom([], [{ type: 'finished', at: utc('2027-03-16T10:00') }] as const).map((events) => standingAt(anAssignment({ events: [...events] }), utc('2027-03-17T16:00'))),
    unitsDone: fc.nat(3), unitsRequired: fc.nat(5), certificate: maybe(fc.record({ serial: word, expiresOn: maybe(fc.constant('2028-03-17')) })),
    quiz: maybe(fc.record({ title: word, attempt: maybe(fc.nat(5)), score: maybe(fc.nat(100)), passed: maybe(fc.boolean()) })),
    unitAsked: maybe(word), sender: word, event: maybe(fc.oneof(
      fc.record({ type: fc.constant('unit-opened' as const), at: fc.constant(utc('2027-03-16T10:00')), unit: word }),
      fc.record({ type: fc.constant('signed-off' as const), at: fc.constant(utc('2027-03-16T10:00')), attended: maybe(fc.boolean()), met: maybe(fc.boolean()) }),
      fc.record({ type: fc.constant('session-set' as const), at: fc.constant(utc('2027-03-16T10:00')), session: maybe(word), startsAt: maybe(fc.constant(utc('2027-04-16T10:00'))) }),
      fc.record({ type: fc.constant('waived' as const), at: fc.constant(utc('2027-03-16T10:00')), told: maybe(word) }),
    )),
  }).map((known) => ({ ...facts(), organisation: 'Orla', titleOf: (unit: string) => (unit < 'D' ? null : `Unit ${unit}`), ...known })); // prettier-ignore
  const anyFields = fc.subarray(
    MERGE_FIELDS.map(({ name }) => name),
    { minLength: 1 },
  );

  it('prints a value for each field or is held: no undefined, null, NaN, brace or gap, whoever it is about', () =>
    void fc.assert(
      fc.property(anyFacts, anyFields, (known, used) => {
        const asked = template(used.map((name) => `[{${name}}]`).join(' '), `About {${used[0]!}}`);
        const values = valuesFor(known);
        const missing = missingFields(asked, known);
        const render = () => renderMessage({ template: asked, values, link: null, table: null, footer: 'x' });
        if (missing.length > 0) return void expect(render).toThrow('has no value');
        const { subject, text, html } = render();
        // rules for dark paper stand in braces, and in no text
        const read = html.replace(/<style>.*?<\/style>/, '');
        for (const told of [subject, text, read]) expect(told).not.toMatch(/undefined|null|NaN|Invalid|[{}]/);
        for (const told of [text, html]) expect(told).not.toMatch(/\[\s*\]/);
        expect(text.match(/\[[^\]]+\]/g)).toHaveLength(used.length);
      }),
      { numRuns: 500 },
    ));

  it('a look ahead finds the same fields missing, reading no more than the text asks for', () =>
    void fc.assert(
      fc.property(
        fc.record({ job: maybe(word), department: maybe(word), site: maybe(word), manager: fc.constantFrom(null, 'odd', 'gone') }),
        fc.record({ code: maybe(word), summary: maybe(word) }), fc.constantFrom(null, 'tora', 'gone'), anyFields, fc.constantFrom('due', 'signed-off', 'session-starts', 'quiz-passed'),
        (known, about, owner, used, event) => {
          const roster = aRoster([aPerson('runa', known), aPerson('odd', { name: 'Odd Brandal' }), aPerson('tora', { name: 'Tora' })], {}, owner);
          const course = { ...about, id: 'c1', title: 'Fire Teams Aboard', owner, units: ['u1'], required: ['u1'], needed: null, titles: { u1: 'Hoses' } };
          const house = { senderName: 'Training', replyTo: 'training@orlasund.example', repliesToTrainer: false };
          const step = { ...STANDARD_PLAN[2]!, anchor: { event: event as 'due' }, message: template(used.map((name) => `{${name}}`).join(' ')) };
          const reader = { person: roster.person(owner), address: null, path: [] };
          const at = utc('2027-03-17T16:00');
          const told = missingOf(roster, new Map([['c1', course]]), { organisation: 'Orla', house })(step, anAssignment(), reader, at);
          const whole = valueFactsOf(step, anAssignment(), reader, { roster, course, organisation: 'Orla', house, certificate: null }, at);
          // what finishing brings, or the event that it hangs on, is there by then
          const brings = { due: /^$/, 'signed-off': /^(signed off.*|unit)$/, 'session-starts': /^session/, 'quiz-passed': /^(quiz.*|unit)$/ }[event as 'due'];
          expect(told).toEqual(missingFields(step.message, whole).filter((field) => !/^(finished|certificate .*)$/.test(field) && !brings.test(field)));
        },
      ),
      { numRuns: 300 },
    )); // prettier-ignore

  it('takes nothing for missing that comes with what a step hangs on, before it happened; where it happened without, it is', () => {
    const roster = aRoster([aPerson('runa')]);
    const course = { id: 'c1', title: 'Fire Teams Aboard', code: null, summary: null, owner: null, units: ['u1'], required: ['u1'], needed: null, titles: {} }; // prettier-ignore
    const house = { senderName: 'Training', replyTo: 'training@orlasund.example', repliesToTrainer: false };
    const at = utc('2027-03-17T16:00');
    const look = missingOf(roster, new Map([['c1', course]]), { organisation: 'Orla', house });
    const told = (event: string, ...events: AssignmentEvent[]) => {
      const step = { ...STANDARD_PLAN[2]!, anchor: { event: event as 'due' }, message: template('{session} at {session place}, {course code}') }; // prettier-ignore
      return look(step, anAssignment({ events }), { person: roster.getPerson('runa'), address: null, path: [] }, at);
    };
    expect(told('seat-given')).toEqual(['course code']);
    expect(told('due')).toEqual(['session', 'session place', 'course code']);
    const seat = { type: 'session-set' as const, at: utc('2027-03-16T10:00'), unit: 'u1', session: 'Spring drill', startsAt: utc('2027-04-16T10:00'), place: null }; // prettier-ignore
    expect(told('seat-given', seat)).toEqual(['session place', 'course code']);
    expect(told('seat-given', { ...seat, place: 'Orla Quay' })).toEqual(['course code']);
  });

  it('takes a value of any letters for what it is', () =>
    void fc.assert(
      fc.property(fc.dictionary(fc.constantFrom(...MERGE_FIELDS.map(({ name }) => name)), fc.string()), anyFields, (values, used) => {
        const asked = template(used.map((name) => `<{${name}}>`).join(' '), 'Subject');
        if (used.some((name) => (values[name] ?? '').trim() === '')) return;
        const { text } = renderMessage({ template: asked, values, link: null, table: null, footer: 'x' });
        for (const name of used) expect(text).toContain(values[name]!.split('\n')[0]!.trim());
      }),
    ));

  it('lists a gathered message’s people in both forms', () => {
    const table = {
      head: ['Person', 'Days late'],
      rows: [
        ['Runa Aske', '3'],
        ['Per Holm', '12'],
      ],
    };
    const { html, text } = renderMessage({
      template: template('Late:', 'Late'),
      values: {},
      link: null,
      table,
      footer: 'x',
    });
    expect(html).toMatch(/<td[^>]*>Runa Aske<\/td><td[^>]*>3<\/td>/);
    expect(text).toMatch(/Per Holm +12/);
  });
});

describe('what happened', () => {
  const at = utc('2027-03-16T10:00');
  test.each<[string, AssignmentEvent | null, Record<string, string | null>]>([
    ['nothing', null, { unit: 'Knots', 'signed off': null, session: null, 'reason given': null }],
    ['another unit than the one asked for', { type: 'unit-opened', at, unit: 'u2' }, { unit: 'Splices' }],
    ['a sign-off that was not met', { type: 'signed-off', at, attended: true, met: false }, { 'signed off': 'not met', 'signed off on': 'Tue 16 Mar', unit: 'Knots' }],
    ['somebody absent', { type: 'signed-off', at, attended: false }, { 'signed off': 'absent' }],
    ['a seat in a session', { type: 'session-set', at, session: 'Spring', startsAt: utc('2027-04-16T07:00') }, { session: 'Spring', 'session starts': 'Fri 16 Apr 09:00' }],
    ['a seat given up', { type: 'session-set', at, session: 'Spring', startsAt: null }, { session: 'Spring', 'session starts': null }],
    ['a new due date, with a word', { type: 'extended', at, dueAt: at, reason: 'asked twice', told: 'You were at sea.' }, { 'reason given': 'You were at sea.' }],
    ['a waiver without one', { type: 'waived', at, reason: 'for the record' }, { 'reason given': null }],
  ])('%s', (_, event, expected) =>
    expect(valuesFor({ ...facts(), event, unitAsked: 'u1', titleOf: (unit) => ({ u1: 'Knots', u2: 'Splices' })[unit] ?? null })).toMatchObject(expected)); // prettier-ignore
});

test.each([
  ['in 2 days', '2027-03-17T16:00', '2027-03-19T16:00'],
  ['in 5 hours', '2027-03-17T08:00', '2027-03-17T13:00'],
  ['in 1 hour', '2027-03-17T08:00', '2027-03-17T09:10'],
  ['now', '2027-03-17T08:00', '2027-03-17T08:05'],
  ['3 days ago', '2027-03-22T08:00', '2027-03-19T16:00'],
])('distance: %s', (words, from, to) => expect(tellDistance(utc(from), utc(to), OSLO)).toBe(words));

describe('the standard plan', () => {
  it('has texts and timings without a fault, and ids that stand once', () => {
    for (const step of STANDARD_PLAN) expect([step.id, templateFault(step.message), stepFault(step)]).toEqual([step.id, null, null]);
    expect(new Set(STANDARD_PLAN.map(({ id }) => id)).size).toBe(STANDARD_PLAN.length);
  });
  it('needs nothing of an employee that somebody might lack', () => {
    const risky = ['job', 'manager', 'trainer', 'course code'];
    for (const step of STANDARD_PLAN) expect(fieldsOf(step.message).filter((field) => risky.includes(field))).toEqual([]);
  });
});
