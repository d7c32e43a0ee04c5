import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { LetterRequest, NoticesQuery, PersonChange, TemplateSchema } from '@nudrik/contract';
import { changePerson } from '../people/change.ts';
import { listRoster } from '../people/people.repo.ts';
import { timelineOf } from '../people/timeline.ts';
import { publishPlan } from '../plans/publish.ts';
import { todayNeeds } from '../reports/needs.ts';
import { listNotices } from '../notices/ledger.list.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { letterView } from './letters.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
});
afterAll(() => house.close());

const DUE = '2027-03-19T16:00:00Z';
const nb = { subject: 'Til deg: {course}', body: 'Hei {given name}, fristen er {due}.', button: 'Åpne' };
const change = (id: string, change: object) => changePerson(house.deps, crew[id]!, PersonChange.parse(change), 'Sigrid Aune');
const written = (id: string, texts: PlanStep['message']['texts']): PlanStep[] => STANDARD_PLAN.map((step) => (step.id === id ? { ...step, message: { ...step.message, texts } } : step)); // prettier-ignore
const publish = (steps: readonly PlanStep[]) => publishPlan(house.deps, course, { version: 1, steps } as never, 'Sigrid Aune');
const send = async () => {
  house.mailer.letters = [];
  await drain(house.deps, house.mailer);
  return new Map(house.mailer.letters.map((letter) => [letter.toName, letter]));
};

describe('a message in several languages', () => {
  it('goes to each in their own, dates and footer with it; to all others as the house writes', async () => {
    await change('runa', { language: 'nb' });
    await change('per', { language: 'lt' });
    await publish(written('invitation', { nb }));
    await assignAt(house, course, [crew['runa']!, crew['per']!, crew['odd']!], DUE);
    const sent = await send();
    const runa = sent.get('Runa Aske')!;
    expect(runa.subject).toBe('Til deg: Fire Teams Aboard');
    expect(runa.text).toContain('Hei Runa, fristen er fre. 19. mars 17:00.');
    expect(runa.text).toContain('Står du fast? Bare svar');
    expect(runa.html).toContain('<html lang="nb">');
    for (const other of ['Per Aske', 'Odd Aske']) {
      expect(sent.get(other)!.subject).not.toContain('Til deg');
      expect(sent.get(other)!.html).toContain('<html lang="en">');
    }
  });

  it('says to who stands in for somebody why it reaches them, in the language of the text', async () => {
    await change('tora', { language: 'nb' });
    await house.db.query("insert into leaves (person_id, from_on, to_on, cover_id) values ($1::bigint, '2027-03-20', '2027-03-31', $2::bigint)", [crew['odd'], crew['tora']]); // prettier-ignore
    await publish(written('to-manager', { nb: { subject: 'Folk av dine', body: 'Hei {recipient}.', button: null } }));
    await assignAt(house, course, [crew['runa']!], DUE);
    await send();
    house.clock.at = Date.parse('2027-03-24T09:00:00Z');
    const told = (await send()).get('Tora Aske')!;
    expect(told.subject).toBe('Folk av dine');
    expect(told.text).toContain('Hvorfor du får dette: Odd Aske har permisjon, og Tora Aske vikarierer.');
    expect(told.html).toContain('Hvorfor du får dette');
  });

  it('is looked at in the language of each, with who reads in which; and a field of one text holds only its readers', async () => {
    await change('runa', { language: 'nb' });
    await change('per', { language: 'pl', job: null });
    await change('odd', { job: null });
    await assignAt(house, course, [crew['runa']!, crew['per']!, crew['odd']!], DUE);
    await send();
    const step = written('two-days-to-go', { nb, pl: { ...nb, body: 'Praca: {job}' } }).find(({ id }) => id === 'two-days-to-go')!;
    const view = await letterView(house.deps, course, LetterRequest.parse({ step, as: null }));
    expect(view).toMatchObject({ language: 'en', inTrouble: 1, languages: [{ tag: 'nb', count: 1, isWritten: true }, { tag: 'pl', name: 'Polish', count: 1, isWritten: true }] }); // prettier-ignore
    expect(view.readers[0]).toMatchObject({ employee: 'Per Aske', language: 'pl', troubles: ['{job} has no value'] });
    expect(view.letter!.inLanguage).toBe('In Polish.');
    const without = { ...step, message: { ...step.message, texts: { nb } } };
    const per = await letterView(house.deps, course, LetterRequest.parse({ step: without, as: view.readers[0]!.key }));
    expect(per.letter!.inLanguage).toBe('Reads in Polish; there is no text in it, so it goes in English.');
    // somebody looks at a text that this reader does not get
    const runa = view.readers.find(({ employee }) => employee === 'Runa Aske')!;
    const shown = await letterView(house.deps, course, LetterRequest.parse({ step, as: runa.key, language: 'pl' }));
    expect(shown.letter!.inLanguage).toBe('Shown in Polish; Runa Aske would get the Norwegian text.');
    expect(shown.letter!.text).toContain('Praca: Deckhand');
    // the same on Today and in the ledger, before the moment
    await publish(STANDARD_PLAN.map((one) => (one.id === step.id ? step : one)));
    await send();
    house.clock.at = Date.parse('2027-03-10T09:00:00Z');
    const needs = (await todayNeeds(house.deps)).filter(({ kind }) => kind === 'missing-value');
    expect(needs.map(({ words }) => words)).toEqual([expect.stringContaining('Per Aske has no job')]);
    const list = await listNotices(house.db, NoticesQuery.parse({ lacks: 'job' }), house.clock.at, '2027-03-10');
    expect(list.rows.map(({ person }) => person.name)).toEqual(['Per Aske']);
  });

  it('is told on Today of a written text too', async () => {
    const job = { type: 'field' as const, attrs: { name: 'job', fallback: null } };
    const body = {
      type: 'doc' as const,
      content: [{ type: 'paragraph' as const, content: [{ type: 'text' as const, text: 'As ' }, job] }],
    };
    await publish(STANDARD_PLAN.map((step) => (step.id === 'two-days-to-go' ? { ...step, message: { ...step.message, body } } : step)));
    await change('per', { job: null });
    await assignAt(house, course, [crew['per']!, crew['runa']!], DUE);
    await send();
    house.clock.at = Date.parse('2027-03-10T09:00:00Z');
    const needs = (await todayNeeds(house.deps)).filter(({ kind }) => kind === 'missing-value');
    expect(needs.map(({ words }) => words)).toEqual([expect.stringContaining('Per Aske has no job')]);
  });

  it('of a house that writes in another, dates and all are told in that', async () => {
    await house.db.query("update settings set language = 'de'");
    await assignAt(house, course, [crew['runa']!], DUE);
    const runa = (await send()).get('Runa Aske')!;
    expect(runa.text).toContain('Fr., 19. März 17:00');
    expect(runa.text).toContain('Antworten Sie einfach');
  });

  it('is refused in a language that is none, and in one text as in the others', () => {
    expect(TemplateSchema.safeParse({ subject: 'a', body: 'b', button: null, texts: { xx: nb } }).success).toBe(false);
    expect(TemplateSchema.safeParse({ subject: 'a', body: 'b', button: null, texts: { nb: { ...nb, withDate: true } } }).success).toBe(
      false,
    );
    expect(TemplateSchema.parse({ subject: 'a', body: 'b', button: null, texts: { nb } }).texts).toEqual({ nb });
  });
});

it('what somebody reads in is set by hand, on the record, and refused where it is no language', async () => {
  expect(PersonChange.safeParse({ language: 'Norwegian' }).success).toBe(false);
  await change('runa', { language: 'nb' });
  expect((await listRoster(house.db, crew['runa']!))[0]).toMatchObject({ language: 'nb' });
  await change('runa', { job: 'Bosun' });
  expect((await listRoster(house.db, crew['runa']!))[0]).toMatchObject({ language: 'nb', job: 'Bosun' });
  const record = (await timelineOf(house.db, crew['runa']!, house.clock.at)).map(({ words }) => words);
  expect(record).toContain('Changed language from none to Norwegian');
});
