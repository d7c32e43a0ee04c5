import { describe, expect, it, test } from 'vitest';
import { STANDARD_PLAN } from '@nudrik/core';
import { DocSchema, TemplateSchema } from './template.ts';

const p = (text: string): object => ({ type: 'paragraph', content: [{ type: 'text', text }] });
const doc = (...content: object[]): object => ({ type: 'doc', content });
const part = (onlyIf: unknown, ...content: object[]): object => ({ type: 'part', attrs: { onlyIf }, content });
const quoted = (depth: number): object => (depth === 0 ? p('deep') : { type: 'blockquote', content: [quoted(depth - 1)] });

describe('the text of a message', () => {
  it('may be written or plain', () => {
    for (const { message } of STANDARD_PLAN) expect(TemplateSchema.parse(message)).toEqual(message);
    const written = doc(p('a'), { type: 'people', attrs: { columns: ['person', 'late'] } }, quoted(4));
    const parts = doc(p('a'), part({ department: ['Deck'] }, quoted(4)), part(null, p('b')));
    expect(DocSchema.parse(parts)).toEqual(parts);
    expect(TemplateSchema.parse({ subject: 'S', body: written, button: null, plain: 'x' })).toMatchObject({ body: written });
  });

  test.each<[string, unknown]>([
    ['nested deeper than anybody reads', doc(quoted(5))],
    ['nested without end', doc(quoted(5_000))],
    ['of a kind that there is not', doc({ type: 'script', content: [] })],
    ['with an attribute more', doc({ type: 'horizontalRule', attrs: { onclick: 'x' } })],
    ['that leads to a script', doc({ type: 'button', attrs: { href: 'javascript:alert(1)' } })],
    ['with a link that breaks out', doc({ type: 'paragraph', content: [{ type: 'text', text: 'x', marks: [{ type: 'link', attrs: { href: 'https://x"onmouseover="y' } }] }] })],
    ['without a block', doc()],
    ['too long as a whole', doc(...Array.from({ length: 40 }, () => p('x'.repeat(2_000))))],
    ['with a column that there is not', doc({ type: 'people', attrs: { columns: ['salary'] } })],
    ['with a part in a part', doc(part({ site: ['x'] }, part({ site: ['y'] }, p('a'))))],
    ['with a part in a quote', doc({ type: 'blockquote', content: [part({ site: ['x'] }, p('a'))] })],
    ['with a part that asks what went before', doc(part({ stepSent: 'invitation' }, p('a')))],
    ['with a part that asks for nothing known', doc(part({ shoeSize: 43 }, p('a')))],
    ['that is no object', 7],
  ])('%s is refused', (_, body) => expect(DocSchema.safeParse(body).success).toBe(false)); // prettier-ignore
});
