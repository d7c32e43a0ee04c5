import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import {
  docOf,
  fieldsIn,
  hrefsIn,
  isHref,
  keptForm,
  partsOf,
  picturesIn,
  plainWords,
  withConditions,
  withoutPictures,
  withPhrase,
  type Block,
  type Body,
  type Doc,
  type Inline,
} from './body.ts';
import type { Condition } from '../conditions/condition.ts';
import { MERGE_FIELDS } from './fields.ts';
import { fillLine, renderMessage, type RenderInput } from './render.ts';
import { fieldsNeeded, fieldsOf, templateFault, templateFor, type Template } from './template.ts';

const text = (words: string, ...marks: Extract<Inline, { type: 'text' }>['marks'] & object): Inline => ({ type: 'text', text: words, ...(marks.length ? { marks } : {}) }); // prettier-ignore
const field = (name: string, fallback: string | null = null): Inline => ({ type: 'field', attrs: { name, fallback } });
const p = (...content: Inline[]): Block => ({ type: 'paragraph', content });
const li = (...content: Inline[]) => ({ type: 'listItem' as const, content: [p(...content)] });
const doc = (...content: Block[]): Doc => ({ type: 'doc', content });
const template = (body: Body, rest: Partial<Template> = {}): Template => ({ subject: 'S', body, button: null, ...rest });
const values = { 'given name': 'Runa', course: 'Ropes & <knots>', due: 'Fri 8 May 17:00' };
const render = (body: Body, rest: Partial<RenderInput> = {}) =>
  renderMessage({ template: template(body), values, link: 'https://x.example/go/1', table: null, footer: 'F', ...rest });
/** what stands in the sheet, without the line at its end */
const inner = (html: string): string => /color:#1E2430">(.*)<p class="quiet"/.exec(html)![1]!.replace(/ style="[^"]*"/g, '');
const words = (rendered: string): string => rendered.split('\n\n-- \n')[0]!;

describe('a written text', () => {
  test.each<[string, Block, string, string]>([
    ['a paragraph with marks', p(text('Please '), text('finish', { type: 'bold' }), text(' it', { type: 'italic' })), '<p>Please <strong>finish</strong><em> it</em></p>', 'Please finish it'],
    ['fields', p(field('given name'), text(', '), field('course')), '<p>Runa, Ropes &amp; &lt;knots&gt;</p>', 'Runa, Ropes & <knots>'],
    ['a field without a value, and what stands in for it', p(text('Dear '), field('job', 'colleague')), '<p>Dear colleague</p>', 'Dear colleague'],
    ['a line that ends', p(text('one'), { type: 'hardBreak' }, text('two')), '<p>one<br>two</p>', 'one\ntwo'],
    ['a heading', { type: 'heading', attrs: { level: 2 }, content: [text('To bring')] }, '<h2>To bring</h2>', 'To bring'],
    ['a list', { type: 'bulletList', content: [li(text('boots')), li(text('gloves'))] }, '<ul><li><p>boots</p></li><li><p>gloves</p></li></ul>', '- boots\n- gloves'],
    ['numbers, and a list in them', { type: 'orderedList', content: [{ type: 'listItem', content: [p(text('one')), { type: 'bulletList', content: [li(text('in it'))] }] }, li(text('two'))] }, '<ol><li><p>one</p><ul><li><p>in it</p></li></ul></li><li><p>two</p></li></ol>', '1. one\n   - in it\n2. two'],
    ['a quote', { type: 'blockquote', content: [p(text('said')), p(text('so'))] }, '<blockquote class="quiet"><p>said</p><p>so</p></blockquote>', '> said\n>\n> so'],
    ['a divider', { type: 'horizontalRule' }, '<hr>', '* * *'],
    ['a picture', { type: 'picture', attrs: { file: '7', alt: 'Our "hooks"', width: 320 } }, '<p><img src="/api/brand/7" alt="Our &quot;hooks&quot;" width="320"></p>', '[Our "hooks"]'],
    ['a link', p(text('see '), text('the rules', { type: 'link', attrs: { href: 'https://r.example/a?b=1&c' } })), '<p>see <a class="link" href="https://r.example/a?b=1&amp;c">the rules</a></p>', 'see the rules (https://r.example/a?b=1&c)'],
    ['a link over two runs', p(text('the ', { type: 'link', attrs: { href: 'to:course' } }), text('course', { type: 'bold' }, { type: 'link', attrs: { href: 'to:course' } })), '<p><a class="link" href="https://x.example/go/1">the </a><a class="link" href="https://x.example/go/1"><strong>course</strong></a></p>', 'the course (https://x.example/go/1)'],
    ['a button', { type: 'button', attrs: { href: 'to:dates' }, content: [text('My dates')] }, '<p><a href="https://x.example/mine">My dates</a></p>', 'My dates:\nhttps://x.example/mine'],
  ])('%s', (_, block, html, plain) => {
    const rendered = render(doc(block), { links: { dates: 'https://x.example/mine' } });
    expect(inner(rendered.html)).toBe(html);
    expect(words(rendered.text)).toBe(plain);
  }); // prettier-ignore

  it('has the table of people where it stands, in the columns that it asks for; and once', () => {
    const table = (asked: readonly string[] | null) => ({ head: asked ?? ['own'], rows: [(asked ?? ['own']).map((column) => `a ${column}`)], note: 'N' }); // prettier-ignore
    const body = doc(p(text('before')), { type: 'people', attrs: { columns: ['person', 'late'] } }, p(text('after')));
    expect(words(render(body, { table }).text)).toBe('before\n\nperson    late\n--------  ------\na person  a late\n\nN\n\nafter');
    expect(words(render('before', { table }).text)).toBe('before\n\nown\n-----\na own\n\nN');
    expect(inner(render(body, { table }).html).match(/<table/g)).toHaveLength(1);
    // a message about one person has no table, though its text asks for one
    expect(words(render(body).text)).toBe('before\n\nafter');
  });

  it('says in plain text what its author wrote there, and keeps its button', () => {
    const rendered = renderMessage({ template: template(doc(p(text('rich'))), { plain: 'plain for {given name}', button: 'Open' }), values, link: 'https://x.example', table: null, footer: 'F' }); // prettier-ignore
    expect(words(rendered.text)).toBe('plain for Runa\n\nOpen:\nhttps://x.example');
    expect(inner(rendered.html)).toContain('rich');
  });

  it('draws a button that leads nowhere yet, and prints a link’s words alone', () => {
    const body = doc(p(text('here', { type: 'link', attrs: { href: 'to:course' } })), { type: 'button', attrs: { href: 'to:own' }, content: [text('Open')] }); // prettier-ignore
    const { html, text: plain } = render(body, { link: null });
    expect(inner(html)).toBe('<p>here</p><p><span>Open</span></p>');
    expect(words(plain)).toBe('here\n\nOpen');
  });
});

describe('a part that only some read', () => {
  const part = (onlyIf: Condition | null, ...content: Block[]): Block => ({ type: 'part', attrs: { onlyIf }, content });
  const deck: Condition = { department: ['Deck'] };
  const two = template(doc(p(text('All.')), part(deck, p(text('Deck: '), field('job')), { type: 'horizontalRule' }), part({ not: deck }, p(text('Others.')))));

  it('stands in the text for those for whom its condition holds, among the other blocks', () => {
    const forDeck = templateFor(two, (condition) => condition === deck);
    const forOthers = templateFor(two, (condition) => condition !== deck);
    expect([words(render(forDeck.body, { values: { ...values, job: 'Bosun' } }).text), words(render(forOthers.body).text)]).toEqual(['All.\n\nDeck: Bosun\n\n* * *', 'All.\n\nOthers.']);
    // the same text for everybody who reads the same
    expect(templateFor(two, (condition) => condition === deck)).toBe(forDeck);
    expect(templateFor(template('plain'), () => false).body).toBe('plain');
  });

  it('asks its fields of those who read it, and of nobody else', () => {
    expect(fieldsNeeded(templateFor(two, () => true))).toEqual(['job']);
    expect(fieldsNeeded(templateFor(two, () => false))).toEqual([]);
    expect(fieldsOf(two)).toEqual(['job']);
  });

  it('is told apart in words, keeps its form, and has its conditions put otherwise', () => {
    expect(plainWords(two.body)).toBe('All.\n\n(for some) Deck: {job}\n           * * *\n\n(for some) Others.');
    expect(keptForm(two.body as Doc)).toEqual(two.body);
    const renamed = withConditions(two.body, () => ({ department: ['7'] }));
    expect(partsOf(renamed).map(({ attrs }) => attrs.onlyIf)).toEqual([{ department: ['7'] }, { department: ['7'] }]);
    expect(plainWords(withPhrase(two.body, 'Others', 'The rest'))).toContain('(for some) The rest.');
  });

  test.each<[string, Doc, RegExp, Partial<Template>?]>([
    ['for nobody in particular', doc(p(text('x')), part(null, p(text('y')))), /nothing says for whom/],
    ['beside nothing that everybody reads', doc(part(deck, p(text('y')))), /others would get an empty message/],
    ['beside a plain text by hand', doc(p(text('x')), part(deck, p(text('y')))), /plain text that was written by hand/, { plain: 'x' }],
    ['with a field that there is not', doc(p(text('x')), part(deck, p(field('nme')))), /no such merge field/],
  ])('%s is said', (_, body, fault, rest) => expect(templateFault(template(body, rest))).toMatch(fault));
}); // prettier-ignore

describe('a field', () => {
  it('with something that stands in for it holds nothing; without, somewhere, it does', () => {
    const body = doc(p(field('job', 'colleague'), field('manager')));
    expect(fieldsOf(template(body, { subject: '{site|here} {due}' }))).toEqual(['site', 'due', 'job', 'manager']);
    expect(fieldsNeeded(template(body, { subject: '{site|here} {due}' }))).toEqual(['due', 'manager']);
    expect(fieldsNeeded(template('{job|colleague} and {job}'))).toEqual(['job']);
    expect(fillLine('{job|colleague} of {given name|nobody}', values)).toBe('colleague of Runa');
    expect(() => fillLine('{job}', values)).toThrow('{job} has no value');
  });

  it('prints no letter that turns the text around, hides in it or begins a line of a head', () => {
    const hurt = 'a\u202eb\u0000c\r\nBcc: x\u2066d';
    const { html, text: plain, subject } = renderMessage({ template: template('{course}', { subject: '{course}' }), values: { course: hurt }, link: null, table: null, footer: 'F' }); // prettier-ignore
    expect(subject).toBe('abc Bcc: xd');
    expect(words(plain)).toBe('abc\nBcc: xd');
    expect(inner(html)).toBe('<p>abc<br>Bcc: xd</p>');
    expect(inner(render('{course}', { values: { course: 'שלום' } }).html)).toBe('<p><bdi>שלום</bdi></p>');
  });
});

const anyText = fc.string({ minLength: 1, maxLength: 8, unit: fc.constantFrom('a', 'b', ' ', '*', '{', '-', '>', '"', '&', 'é', '\u{1F6A2}') }).filter((one) => !/[{}]/.test(one)); // prettier-ignore
const anyField = fc.record({ name: fc.constantFrom(...MERGE_FIELDS.map(({ name }) => name)), fallback: fc.option(fc.constantFrom('you', 'a colleague'), { nil: null }) }); // prettier-ignore
const anyMarks = fc.subarray([{ type: 'bold' } as const, { type: 'italic' } as const, { type: 'link', attrs: { href: 'to:course' } } as const]); // prettier-ignore
const anyInline: fc.Arbitrary<Inline> = fc.oneof(
  fc.record({ words: anyText, marks: anyMarks }).map(({ words: some, marks }) => text(some, ...marks)),
  anyField.map((attrs): Inline => ({ type: 'field', attrs })),
  fc.constant<Inline>({ type: 'hardBreak' }),
);
const anyInlines = fc.array(anyInline, { maxLength: 5 });
const { block: anyBlock } = fc.letrec<{ block: Block; leaf: Block }>((tie) => ({
  leaf: fc.oneof(
    anyInlines.map((content): Block => ({ type: 'paragraph', content })),
    anyInlines.map((content): Block => ({ type: 'heading', attrs: { level: 2 }, content })),
    fc.constant<Block>({ type: 'horizontalRule' }),
    fc.constant<Block>({ type: 'people', attrs: { columns: ['person'] } }),
    fc.constant<Block>({ type: 'picture', attrs: { file: '7', alt: '', width: 320 } }),
    anyInlines.map((content): Block => ({ type: 'button', attrs: { href: 'https://b.example' }, content })),
  ),
  block: fc.oneof(
    { depthSize: 'small' },
    tie('leaf'),
    fc.array(tie('block'), { minLength: 1, maxLength: 3 }).map((content): Block => ({ type: 'blockquote', content })),
    fc.array(tie('block'), { minLength: 1, maxLength: 3 }).map((content): Block => ({ type: 'bulletList', content: [{ type: 'listItem', content }] })), // prettier-ignore
  ),
}));
const anyDoc = fc.array(anyBlock, { minLength: 1, maxLength: 4 }).map((content): Doc => ({ type: 'doc', content }));

it('a text goes without its pictures where the house that has them is another', () => {
  const picture: Block = { type: 'picture', attrs: { file: '7', alt: '', width: 320 } };
  const body = doc(picture, p(text('a')), { type: 'blockquote', content: [picture] }, { type: 'bulletList', content: [{ type: 'listItem', content: [p(text('b')), picture] }] }, { type: 'part', attrs: { onlyIf: null }, content: [picture] }); // prettier-ignore
  expect(picturesIn(body)).toHaveLength(4);
  const without = withoutPictures(body);
  expect(picturesIn(without)).toEqual([]);
  expect(plainWords(without)).toContain('a');
  expect(withoutPictures('plain')).toBe('plain');
});

describe('property', () => {
  it('a text in its kept form is the same text, and a plain one stays plain', () =>
    void fc.assert(
      fc.property(anyDoc, (written) => {
        const kept = docOf(keptForm(written));
        // empty lines around it go; nothing else does
        const at = written.content.findIndex(({ type, ...rest }) => type !== 'paragraph' || (rest as { content?: [] }).content?.length);
        if (at >= 0) expect(written.content.slice(at, at + kept.content.length)).toEqual(kept.content);
        expect(docOf(keptForm(kept))).toEqual(kept);
        expect(plainWords(kept).trim()).toBe(plainWords(written).trim());
        expect(fieldsIn(keptForm(written))).toEqual(fieldsIn(written));
        expect(hrefsIn(keptForm(written))).toEqual(hrefsIn(written));
      }),
    ));

  it('what is written plainly stays so, and reads the same', () =>
    void fc.assert(
      fc.property(fc.array(anyText.map((one) => one.trim()).filter(Boolean), { minLength: 1 }), (lines) => {
        const body = lines.join('\n\n');
        expect(keptForm(docOf(body))).toBe(body);
        expect(plainWords(docOf(body))).toBe(body);
      }),
    ));

  it('HTML opens and closes what it opens, and says the words that the text says, whatever the values are', () =>
    void fc.assert(
      fc.property(anyDoc, fc.string(), (written, value) => {
        const all = Object.fromEntries(MERGE_FIELDS.map(({ name }) => [name, `v${value}`]));
        const table = { head: ['Person'], rows: [[value]] };
        const { html, text: plain } = render(written, { values: all, table });
        const open: string[] = [];
        for (const [, closing, name] of inner(html).matchAll(/<(\/?)([a-z0-9]+)[^>]*>/g)) {
          if (['br', 'hr', 'img'].includes(name!)) continue;
          if (closing) expect(open.pop()).toBe(name);
          else open.push(name!);
        }
        expect(open).toEqual([]);
        const letters = (some: string): string => some.replace(/[^a-zé\u{1F6A2}]/gu, '');
        const said = letters(inner(html).replace(/<[^>]*>/g, ' ').replace(/&[a-z]+;/g, ' ')); // prettier-ignore
        const told = letters(words(plain).replace(/\(?https:[^\s)]*\)?/g, ' ')); // prettier-ignore
        if (/^[a-z ]*$/.test(value)) expect(said).toBe(told);
      }),
      { numRuns: 300 },
    ));
});

describe('what is wrong with a text', () => {
  test.each<[string, Template, string]>([
    ['a link that leads nowhere', template(doc(p(text('x', { type: 'link', attrs: { href: 'javascript:alert(1)' } })))), 'leads to “javascript:alert(1)”'],
    ['a button without words', template(doc(p(text('x')), { type: 'button', attrs: { href: 'to:own' } })), 'A button has no words on it'],
    ['two tables', template(doc({ type: 'people', attrs: { columns: ['person'] } }, { type: 'people', attrs: { columns: ['due'] } })), 'stands twice'],
    ['a table without columns', template(doc({ type: 'people', attrs: { columns: [] } })), 'has no column'],
    ['a written text with nothing in it', template(doc(p())), 'The text is empty'],
    ['an unknown field in a written text', template(doc(p(field('given nam')))), 'Did you mean {given name}?'],
    ['a brace in the subject', template('x', { subject: 'a {due' }), 'a single "{"'],
    ['an unknown field in the plain text', template('x', { plain: '{dues}' }), 'Did you mean {due}?'],
  ])('%s', (_, input, fault) => expect(templateFault(input)).toContain(fault)); // prettier-ignore

  it.each([
    ['to:course', true],
    ['to:nowhere', false],
    ['https://a.example/x?y=z#q', true],
    ['http://a.example/" onclick="x', false],
    ['mailto:a@b.example', true],
    ['data:text/html,x', false],
    ['//a.example', false],
  ])('an address: %s', (href, is) => expect(isHref(href)).toBe(is));
});

it('a phrase gives way to a field where it stands, and keeps its marks', () => {
  expect(withPhrase('due in 2 days, yes', 'in 2 days', '{time to due}')).toBe('due {time to due}, yes');
  const body = doc({ type: 'blockquote', content: [p(text('due in 2 days!', { type: 'bold' }))] });
  expect(plainWords(withPhrase(body, 'in 2 days', '{time to due}'))).toBe('> due {time to due}!');
  expect(JSON.stringify(withPhrase(body, 'in 2 days', '{time to due}')).match(/bold/g)).toHaveLength(3);
});
