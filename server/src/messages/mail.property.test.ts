import fc from 'fast-check';
import ICAL from 'ical.js';
import { simpleParser } from 'mailparser';
import { createTransport } from 'nodemailer';
import { expect, it } from 'vitest';
import { speechOf, BEGINNINGS, MERGE_FIELDS, renderMessage, STANDARD_PLAN, type Template, type Values } from '@nudrik/core';
import type { Letter } from './channel.ts';
import { writeInvitation } from './calendar.ts';
import { mailOf } from './mail-channel.ts';

/** Whatever a roster, a course or a reader may hold: markup, turns of direction, breaks, heads of mails, long and odd. */
const hostile = fc.oneof(
  fc.constantFrom(
    '<script>alert(1)</script>', '"><img src=x onerror=alert(1)>', '&amp;&lt;', '\u202eevil\u2066', 'a\r\nBcc: x@elsewhere.example', 'a\n\nb', '\u0000\u0007\u001b[31m',
    '🚢'.repeat(40), 'שלום עולם', 'مرحبا', '{given name}', '=?utf-8?Q?=0ABcc:?=', 'x'.repeat(3_000), "Robert'); drop table people;--", 'Å̈ ǆ ﬁ', ' ', 'undefined', '.', '\r\n.\r\n',
  ),
  fc.string({ maxLength: 40, unit: 'grapheme' }),
); // prettier-ignore
const FALLBACKS: Values = Object.fromEntries(MERGE_FIELDS.map(({ name }) => [name, `the ${name}`]));
const TEXTS: Template[] = [
  ...STANDARD_PLAN.map(({ message }) => message),
  ...BEGINNINGS.map(({ make }) => make('x').message),
  // every field, in every place
  {
    subject: MERGE_FIELDS.map(({ name }) => `{${name}}`).join(' '),
    body: MERGE_FIELDS.map(({ name }) => `{${name}}`).join('\n\n'),
    button: '{course}',
  },
];
const HEADS = ['auto-submitted', 'content-type', 'date', 'from', 'list-id', 'message-id', 'mime-version', 'reply-to', 'subject', 'to'];
const ALIKE = /[^\p{L}\p{N}]+/gu;
const alike = (text: string): string => text.normalize('NFC').replace(ALIKE, '').toLowerCase();
const said = (html: string): string => html.replace(/<style>[^<]*<\/style>|<title>[^<]*<\/title>/g, '').replace(/<[^>]+>/g, ' ').replace(/&lt;/g, '<').replace(/&gt;/g, '>').replace(/&quot;/g, '"').replace(/&amp;/g, '&'); // prettier-ignore

it('what arrives says what was written, in both forms, and no value becomes a head, an addressee or markup', async () => {
  const writer = createTransport({ streamTransport: true, buffer: true });
  await fc.assert(
    fc.asyncProperty(
      fc.constantFrom(...TEXTS),
      fc.record(Object.fromEntries(MERGE_FIELDS.map(({ name }) => [name, fc.option(hostile, { nil: null })]))),
      hostile,
      hostile,
      async (template, found, toName, course) => {
        // without a value it is held, and never written
        const values = Object.fromEntries(
          Object.entries(FALLBACKS).map(([name, words]) => [name, alike(found[name] ?? '') ? found[name]! : words!]),
        );
        const rendered = renderMessage({
          template,
          values,
          link: 'https://nudrik.example/go/abc',
          table: null,
          footer: 'Safety training. Just reply.',
        });
        const letter: Letter = {
          messageId: '1', deliveryId: '1', envelopeId: '1.0', headerId: '<notice-1@orlasund.example>', fromName: toName, fromAddress: 'training@orlasund.example', replyTo: 'replies+n1-abc@orlasund.example',
          toName, toAddress: 'runa@orlasund.example', listId: 'training.orlasund.example', organisation: 'Orlasund Ferries', date: new Date('2027-03-17T16:00:00Z'), ...rendered,
          calendar: writeInvitation(
            { assignment: '7', course, dueAt: new Date('2027-03-19T16:00:00Z'), sequence: 3 },
            { listId: 'training.orlasund.example', url: 'https://nudrik.example/my-training', now: new Date(0), speech: speechOf('en'), from: { name: toName, address: 'training@orlasund.example' }, to: { name: toName, address: 'runa@orlasund.example' } },
          ),
        }; // prettier-ignore
        const mail = await simpleParser((await writer.sendMail(mailOf(letter))).message as Buffer);
        expect([...mail.headers.keys()].map((key) => (key === 'list' ? 'list-id' : key)).sort()).toEqual(HEADS);
        expect([mail.to, mail.from].flat().flatMap((list) => list!.value.map(({ address }) => address))).toEqual([
          'runa@orlasund.example',
          'training@orlasund.example',
        ]);
        expect(alike(mail.subject ?? '')).toBe(alike(rendered.subject));
        expect(rendered.subject).not.toMatch(/[\r\n\u0000-\u001f]/);
        // the text as it was written, and the HTML says the same words
        expect(alike(mail.text!)).toBe(alike(rendered.text));
        const words = (text: string): string => alike(text.replaceAll('https://nudrik.example/go/abc', ''));
        expect(words(said(String(mail.html)))).toBe(words(rendered.text));
        expect(String(mail.html)).not.toMatch(/<script|<img|onerror=[^&]*>/i);
        for (const part of [rendered.subject, rendered.text]) if (!Object.values(values).join('').includes('undefined')) expect(part).not.toMatch(/\bundefined\b|\bNaN\b|\bnull\b/); // prettier-ignore
        // the date, read by another program: one event of ours, and nobody else is asked
        const [ics] = mail.attachments;
        const calendar = new ICAL.Component(ICAL.parse(ics!.content.toString()) as unknown as string);
        const [event, ...more] = calendar.getAllSubcomponents('vevent');
        expect(more).toEqual([]);
        expect(event!.getAllProperties('attendee').map((one) => one.getFirstValue())).toEqual(['mailto:runa@orlasund.example']);
        expect(event!.getFirstPropertyValue('uid')).toBe('assignment-7@training.orlasund.example');
      },
    ),
    { numRuns: Number(process.env['NUDRIK_PROPERTY_RUNS'] ?? 150) },
  );
}, 120_000);
