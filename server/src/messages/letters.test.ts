import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { addDays, bareStep, STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { LetterRequest } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { assignAt, makeCourse, makeCrew, openMailSink, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { publishPlan } from '../plans/publish.ts';
import { findTestLetter, listTestLetters } from './test-letters.repo.ts';
import { letterView, sendTestLetter } from './letters.ts';

let house: TestHouse;
let sink: Awaited<ReturnType<typeof openMailSink>>;
let crew: Record<string, string>;
let course: string;
beforeEach(async () => {
  await house?.close();
  await sink?.close();
  house = await openTestHouse();
  sink = await openMailSink();
  house.deps.settings.smtpUrl = sink.url;
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
  await drain(house.deps, house.mailer);
});
afterAll(async () => {
  await house.close();
  await sink.close();
});

const of = (id: string): PlanStep => STANDARD_PLAN.find((step) => step.id === id)!;
const saying = (body: PlanStep['message']['body'], subject = 'S', rest: Partial<PlanStep> = {}): PlanStep => ({ ...of('two-days-to-go'), ...rest, message: { subject, body, button: null } }); // prettier-ignore
const ask = (step: PlanStep, as: string | null = null) => LetterRequest.parse({ step, as });
const view = (step: PlanStep, as: string | null = null) => letterView(house.deps, course, ask(step, as));
const SIGRID = { id: '1', name: 'Sigrid Aune', email: 'sigrid.aune@orlasund.example' };

describe('a letter, looked at before it goes', () => {
  it('stands as each of its readers has it, at its own moment, without anybody’s personal link', async () => {
    const first = await view(of('two-days-to-go'));
    expect(first).toMatchObject({ fault: null, count: 2, inTrouble: 0, isInvented: false });
    expect(first.readers.map(({ employee, to }) => [employee, to])).toEqual([['Per Aske', 'Per Aske'], ['Runa Aske', 'Runa Aske']]); // prettier-ignore
    expect(first.letter).toMatchObject({ at: 'Wed 17 Mar 17:00, Oslo time', not: null, subject: 'Fire Teams Aboard is due in 2 days' });
    expect(first.letter!.text).toContain('Hello Per');
    const runa = await view(of('two-days-to-go'), first.readers[1]!.key);
    expect(runa.letter!.text).toContain('Hello Runa');
    expect(runa.letter!.values).toMatchObject({ 'given name': 'Runa', 'time to due': 'in 2 days', quiz: null });
    expect(JSON.stringify(runa)).not.toMatch(/\/go\/|\/team\//);
  });

  it('has those in trouble first: an address that bounced, a field without a value, a subject that is cut off', async () => {
    await house.db.query("update people set address_state = 'bounced' where name = 'Runa Aske'");
    await house.db.query("update people set job = null where name = 'Per Aske'");
    expect((await view(saying('{course}'))).readers.map(({ employee, troubles }) => [employee, troubles])).toEqual([
      ['Runa Aske', ['mail to Runa Aske comes back']],
      ['Per Aske', []],
    ]);
    const both = await view(saying('You are {job}.', `${'x'.repeat(70)} {given name}`));
    expect(both.inTrouble).toBe(2);
    expect(both.readers[0]).toMatchObject({ employee: 'Per Aske', troubles: ['{job} has no value'] });
    expect(both.letter!.text).toContain('You are ‹no job›.');
    expect(both.readers[1]!.troubles[1]).toMatch(/^the subject has 75 letters/);
    // what stands in for it takes the trouble away
    expect((await view(saying('You are {job|a colleague}.'))).readers.find(({ employee }) => employee === 'Per Aske')!.troubles).toEqual(
      [],
    );
  });

  it('has the parts that are for its reader, asks their fields of nobody else, and goes as it was looked at', async () => {
    await house.db.query("update people set job = case name when 'Runa Aske' then 'Bosun' end where name in ('Runa Aske', 'Per Aske')");
    const words = (text: string) => ({ type: 'paragraph' as const, content: [{ type: 'text' as const, text }] });
    const job = { type: 'field' as const, attrs: { name: 'job', fallback: null } };
    const step = saying({
      type: 'doc',
      content: [
        words('For all.'),
        { type: 'part', attrs: { onlyIf: { job: ['Bosun'] } }, content: [{ type: 'paragraph', content: [{ type: 'text', text: 'As ' }, job] }] },
        { type: 'part', attrs: { onlyIf: { not: { job: ['Bosun'] } } }, content: [words('For the others.')] },
      ],
    }); // prettier-ignore
    const found = await view(step);
    expect(found.inTrouble).toBe(0);
    const texts = await Promise.all(found.readers.map(async ({ key }) => (await view(step, key)).letter!.text.split('\n\n-- \n')[0]));
    expect(texts).toEqual(['For all.\n\nFor the others.', 'For all.\n\nAs Bosun']);
    await publishPlan(house.deps, course, { version: 1, steps: [{ ...step, on: true }] } as never, 'Sigrid Aune');
    await drain(house.deps, house.mailer);
    house.clock.at = Date.parse('2027-03-17T16:00:00Z');
    await drain(house.deps, house.mailer);
    const sent = house.mailer.letters.filter(({ subject }) => subject === 'S').sort((a, b) => (a.toAddress < b.toAddress ? -1 : 1));
    expect(sent.map(({ text }) => text.split('\n\n-- \n')[0])).toEqual(texts);
  });

  it('to a manager: one message a day for all it lists, and nobody to write to is a trouble', async () => {
    const found = await view(of('to-manager'));
    expect(found.readers.map(({ employee, to }) => [employee, to])).toEqual([['Per Aske', 'Odd Aske'], ['Runa Aske', 'Odd Aske']]); // prettier-ignore
    expect(found.letter!.text).toMatch(/Per Aske +Fire Teams Aboard[\s\S]*Runa Aske +Fire Teams Aboard/);
    await house.db.query('update people set manager_id = null');
    await house.db.query('update courses set owner_id = null');
    expect((await view(of('to-manager'))).readers[0]).toMatchObject({ to: null, troubles: [expect.stringMatching(/^nobody to write to: there is no manager/)] }); // prettier-ignore
  });

  it('of a course that nobody has yet is told of some people as if they had been assigned it now', async () => {
    const other = await makeCourse(house, crew['tora']!, undefined, 'Night Watch');
    const found = await letterView(house.deps, other, ask(of('two-days-to-go')));
    expect(found).toMatchObject({ isInvented: true, inTrouble: 0 });
    expect(found.letter!.subject).toBe('Night Watch is due in 2 days');
    expect(await rows(house.db, 'select id from assignments where course_id = $1::bigint', [other])).toEqual([]);
  });

  it('says what is wrong with the text or the step, and nothing else', async () => {
    expect(await view(saying('{given nam}'))).toMatchObject({ fault: expect.stringContaining('Did you mean {given name}?') as string, readers: [], letter: null }); // prettier-ignore
    expect((await view({ ...of('late'), at: '09:00', offset: { amount: 2, unit: 'hours' } })).fault).toMatch(/time of day/);
  });

  it('hangs on what may never happen, and says that nothing is to come', async () => {
    const found = await view(bareStep('failed', { name: 'Failed', kind: 'follow-up', anchor: { event: 'quiz-failed' }, offset: { amount: 0, unit: 'hours' }, message: { subject: 'About {quiz|the quiz}', body: 'x', button: null } })); // prettier-ignore
    expect(found.letter).toMatchObject({ subject: 'About (the title of the quiz)', at: null });
    expect(found.letter!.not).toBeTruthy();
  });
});

it('tells how it reaches its reader, where the house has a chat', async () => {
  const late = STANDARD_PLAN.find(({ id }) => id === 'late') as PlanStep;
  const wayOf = async (by?: 'chat' | 'both'): Promise<string | null> =>
    (await letterView(house.deps, course, LetterRequest.parse({ step: { ...late, ...(by && { by }) } }))).letter!.way;
  expect(await wayOf('chat')).toBeNull(); // there is none
  await house.db.query('update settings set has_chat = true');
  expect(await wayOf()).toBe('It reaches them by mail.');
  expect(await wayOf('chat')).toBe('It reaches them by mail: they have no name in the chat.');
  await house.db.query('update people set chat_name = name');
  expect(await wayOf('both')).toBe('It reaches them by mail, and in the chat beside it.');
  await house.db.query("update people set chat_state = 'refused'");
  expect(await wayOf('chat')).toBe('It reaches them by mail: the chat does not take what goes there.');
});

describe('a test', () => {
  const counts = () => rows(house.db, 'select (select count(*)::integer from notices) as notices, (select count(*)::integer from messages) as messages, (select sum(count)::integer from notices_of_days) as days'); // prettier-ignore

  it('goes to whoever asks, marked, as that reader would read it; in no figure, and on the record', async () => {
    const before = await counts();
    const { readers } = await view(of('two-days-to-go'));
    const said = await sendTestLetter(house.deps, course, ask(of('two-days-to-go'), readers[1]!.key), SIGRID);
    expect(said).toEqual({ isAccepted: true, words: 'Sent to sigrid.aune@orlasund.example, as Runa Aske would read it.' });
    const [mail] = sink.mails;
    expect(mail).toMatch(/^To: Sigrid Aune <sigrid.aune@orlasund.example>\r$/m);
    expect(mail).toMatch(/^Subject: Test: Fire Teams Aboard is due in 2 days\r$/m);
    expect(mail).toContain('A test, sent to you alone');
    expect(mail).not.toMatch(/\/go\//);
    expect(await counts()).toEqual(before);
    expect(await rows(house.db, 'select by_whom, step_name, read_as, outcome from test_letters')).toEqual([{ by_whom: 'Sigrid Aune', step_name: 'Two days to go', read_as: 'Runa Aske', outcome: 'accepted' }]); // prettier-ignore
    const { rows: kept } = await listTestLetters(house.db, {});
    expect(kept).toEqual([expect.objectContaining({ by: 'Sigrid Aune', to: 'sigrid.aune@orlasund.example', course: { id: course, title: 'Fire Teams Aboard' }, isAccepted: true })]); // prettier-ignore
    const [{ day }] = (await rows<{ day: string }>(house.db, "select ($1::timestamptz at time zone house_zone)::date as day from settings", [new Date(house.clock.at)])) as [{ day: string }]; // prettier-ignore
    const narrowed = async (query: object): Promise<number> => (await listTestLetters(house.db, query)).rows.length;
    expect([await narrowed({ from: day }), await narrowed({ from: addDays(day, -3), to: addDays(day, -1) }), await narrowed({ from: addDays(day, 1), to: addDays(day, 2) })]).toEqual([1, 0, 0]); // prettier-ignore
    expect([await narrowed({ course }), await narrowed({ course: '999' })]).toEqual([1, 0]);
    expect((await findTestLetter(house.db, kept[0]!.id))!.text).toContain('A test, sent to you alone');
    expect(await findTestLetter(house.db, '999')).toBeNull();
  });

  it('is refused where the text has a fault, and says what the server said where it did not take it', async () => {
    await expect(sendTestLetter(house.deps, course, ask(saying('{given nam}')), SIGRID)).rejects.toThrow('Nothing was sent.');
    house.deps.settings.smtpUrl = 'smtp://127.0.0.1:1';
    expect(await sendTestLetter(house.deps, course, ask(of('late')), SIGRID)).toMatchObject({ isAccepted: false, words: expect.stringContaining('did not take it') as string }); // prettier-ignore
  });

  it('comes thirty times an hour and no more', async () => {
    await house.db.query(
      "insert into test_letters (sent_at, by_whom, account_id, course_id, step_name, read_as, to_address, subject, html, body, outcome, answer) select $2::timestamptz, 'x', 1, $1::bigint, 'x', 'x', 'x', 'x', 'x', 'x', 'accepted', 'x' from generate_series(1, 30)",
      [course, new Date(house.clock.at)],
    );
    await expect(sendTestLetter(house.deps, course, ask(of('late')), SIGRID)).rejects.toThrow('30 tests within an hour');
  });
});
