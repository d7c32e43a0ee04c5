import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { newQuestion, QUESTION_KINDS, type Question } from '@nudrik/core';
import { readItem, type ReadItem } from './qti.read.ts';
import { QTI_SPACE, writeItem } from './qti.write.ts';

/** Words as somebody types them into one line: no space at their ends, none twice. */
const words = fc
  .string({ unit: fc.constantFrom('a', 'B', 'å', '<', '&', '"', "'", '>', ' ', '7', '中', '😀', '-', ']') , minLength: 1, maxLength: 24 })
  .map((text) => text.replace(/\s+/g, ' ').trim() || 'x'); // prettier-ignore
const plain = words.map((text) => text.replace(/[[\]|]/g, '') || 'x').map((text) => text.trim() || 'x');
const html = fc.constantFrom('<p>Which hose is for fire?</p>', '<p>A &amp; B &lt; C</p><ul><li>one</li></ul>', '<p><strong>Now</strong>,<br />what?</p>', '<p>See <img src="/api/files/7" alt="the ship" /></p>'); // prettier-ignore
const base = fc.record({ text: html, points: fc.integer({ min: 0, max: 20 }), partial: fc.boolean(), always: fc.boolean(), whenRight: fc.option(plain, { nil: '' }), whenWrong: fc.option(plain, { nil: '' }) }); // prettier-ignore
const loose = fc.record({ byCase: fc.boolean(), byAccent: fc.boolean() });
const choices = fc.array(fc.record({ text: words, isRight: fc.boolean(), words: fc.option(words, { nil: '' }) }), { minLength: 2, maxLength: 5 }).map((list) => list.map((one, i) => (i === 0 ? { ...one, isRight: true } : one))); // prettier-ignore
const rest: Record<string, fc.Arbitrary<object>> = {
  one: fc.record({ choices }),
  several: fc.record({ choices }),
  truth: fc.record({ isTrue: fc.boolean() }),
  text: fc.tuple(fc.record({ accepted: fc.array(words, { minLength: 1, maxLength: 4 }), isMarked: fc.boolean() }), loose).map(([a, b]) => ({ ...a, ...b })), // prettier-ignore
  number: fc.record({ value: fc.double({ min: -1e6, max: 1e6, noNaN: true }).map((n) => n + 0), tolerance: fc.double({ min: 0, max: 10, noNaN: true }), unit: fc.constantFrom('', 'bar', '°C', 'm³') }), // prettier-ignore
  order: fc.record({ items: fc.array(words, { minLength: 2, maxLength: 5 }) }),
  match: fc.record({ pairs: fc.array(fc.record({ left: words, right: words }), { minLength: 2, maxLength: 5 }) }),
  gaps: fc.tuple(fc.array(fc.tuple(plain, fc.array(plain, { minLength: 1, maxLength: 3 })), { minLength: 1, maxLength: 4 }), loose).map(([parts, b]) => ({ body: parts.map(([text, gap]) => `${text} [[${gap.join('|')}]]`).join(' '), ...b })), // prettier-ignore
};
const question = fc.constantFrom(...QUESTION_KINDS).chain((kind) => fc.tuple(base, rest[kind]!).map(([a, b]) => ({ ...newQuestion(kind, 'q1'), ...a, ...b }) as Question)); // prettier-ignore

const read = (xml: string): ReadItem => readItem(xml, () => 'q1');

describe('a question as an item of QTI 3.0', () => {
  it('comes back as it was, whatever its kind', () => {
    fc.assert(
      fc.property(question, (one) => {
        expect(read(writeItem(one))).toEqual({ question: one });
      }),
      { numRuns: 400 },
    );
  });

  it('has what other programs need of it', () => {
    const xml = writeItem({ ...newQuestion('one', 'q7'), text: '<p>Which?</p>', points: 2, choices: [{ text: 'Red', isRight: true, words: '' }, { text: 'Green', isRight: false, words: 'That is water.' }] } as Question); // prettier-ignore
    expect(xml).toContain('<qti-correct-response><qti-value>C1</qti-value></qti-correct-response>');
    expect(xml).toContain('template="https://purl.imsglobal.org/spec/qti/v3p0/rptemplates/match_correct"');
    expect(xml).toContain('normal-maximum="2"');
  });
});

const item = (body: string, declared = '', more = ''): string =>
  `<qti-assessment-item xmlns="${QTI_SPACE}" identifier="i" title="t">${declared}<qti-item-body>${body}</qti-item-body>${more}</qti-assessment-item>`; // prettier-ignore
const response = (cardinality: string, type: string, ...values: string[]): string => `<qti-response-declaration identifier="R" cardinality="${cardinality}" base-type="${type}"><qti-correct-response>${values.map((value) => `<qti-value>${value}</qti-value>`).join('')}</qti-correct-response></qti-response-declaration>`; // prettier-ignore
const two = '<qti-simple-choice identifier="A">Red</qti-simple-choice><qti-simple-choice identifier="B">Green</qti-simple-choice>';

describe('an item of another program', () => {
  it('is read by its prompt and what stands around it', () => {
    const xml = item(`<p>On deck.</p><qti-choice-interaction response-identifier="R" max-choices="1"><qti-prompt>Which <b>hose</b>?</qti-prompt>${two}</qti-choice-interaction>`, response('single', 'identifier', 'B')); // prettier-ignore
    expect(read(xml)).toMatchObject({ question: { kind: 'one', text: '<p>On deck.</p><p>Which hose?</p>', choices: [{ text: 'Red', isRight: false }, { text: 'Green', isRight: true }], points: 1 } }); // prettier-ignore
  });

  it('of several gaps is a text with its gaps', () => {
    const gap = (n: number, word: string): string => response('single', 'string', word).replace('"R"', `"R${n}"`);
    const xml = item('<p>Push the <qti-text-entry-interaction response-identifier="R1"/> one, then <qti-text-entry-interaction response-identifier="R2"/>.</p>', gap(1, 'red') + gap(2, 'run')); // prettier-ignore
    expect(read(xml)).toMatchObject({ question: { kind: 'gaps', body: 'Push the [[red]] one, then [[run]].' } });
  });

  test.each([
    ['that draws', item('<qti-hotspot-interaction response-identifier="R"/>', response('single', 'identifier', 'A')), /asks by <qti-hotspot-interaction>/],
    ['that asks for nothing', item('<p>Read.</p>'), /asks for no answer/],
    ['that asks two things', item(`<qti-choice-interaction response-identifier="R">${two}</qti-choice-interaction>`.repeat(2), response('single', 'identifier', 'A')), /asks 2 things at once/],
    ['without a right answer', item(`<qti-choice-interaction response-identifier="R">${two}</qti-choice-interaction>`, response('single', 'identifier')), /does not say which choice is right/],
    ['of an older edition', '<assessmentItem/>', /no item of QTI 3\.0 \(got <assessmentItem>\)/],
    ['that is broken', '<qti-assessment-item><p></qti', /cannot be read as XML/],
    ['with entities', '<!DOCTYPE x [<!ENTITY a "b">]><qti-assessment-item/>', /declares a document type/],
  ])('%s is named and not taken', (_, xml, words) => expect((read(xml) as { fault: string }).fault).toMatch(words)); // prettier-ignore

  it('brings nothing that runs', () => {
    const xml = item(`<div onclick="x()"><script>1</script><img src="https://elsewhere.example/p.png"/></div><qti-choice-interaction response-identifier="R">${two}</qti-choice-interaction>`, response('single', 'identifier', 'A')); // prettier-ignore
    expect((read(xml) as { question: Question }).question.text).not.toMatch(/script|onclick|elsewhere/);
  });
});
