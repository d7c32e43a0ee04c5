import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { LookRequest, type Account } from '@nudrik/contract';
import { signedToken } from '../access/personal-link.ts';
import { oneRow, rows } from '../db/db.ts';
import { putFile } from '../files/files.repo.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openMailSink, openTestHouse, republish, type TestHouse } from '../testing.ts';
import { lookAtCourse } from './look.ts';
import { endInvitation, invitedLook, invitedView, inviteToLook, remarkByLink, remarksView, tick } from './looks.ts';
import { readDraft, saveDraft } from './draft.ts';

/** A course looked at as somebody, on some day: what an employee would see, and nothing that anybody would find later. */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let units: string[];
let sink: Awaited<ReturnType<typeof openMailSink>>;
const account: Account = { id: '1', personId: null, name: 'Tora Hauge', email: 'tora@orlasund.example', role: 'trainer' } as Account;

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await republish(house, course, (content) => ({
    ...content,
    sections: content.sections.map((section) => ({ ...section, units: section.units.map((unit, i) => ({ ...unit, release: i === 1 ? { kind: 'after' as const, amount: 3, unit: 'days' as const, at: '08:00' } : null })) })), // prettier-ignore
  }));
  units = (await readDraft(house.db, course)).content.sections[0]!.units.map(({ id }) => id!);
  sink = await openMailSink();
  house.deps.settings.smtpUrl = sink.url;
  account.id = (await oneRow<{ id: string }>(house.db, "insert into accounts (email, name, role) values ('tora@orlasund.example', 'Tora Hauge', 'trainer') returning id", [])).id; // prettier-ignore
});
afterAll(async () => {
  await sink.close();
  await house.close();
});

const look = (request: object = {}) => lookAtCourse(house.deps, course, LookRequest.parse(request));
const iso = (days: number): string => new Date(house.clock.now() + days * 86_400_000).toISOString();

/** Everything that is kept, counted. */
async function counts(): Promise<Record<string, number>> {
  const tables = await rows<{ name: string }>(house.db, "select table_name as name from information_schema.tables where table_schema = 'public' and table_type = 'BASE TABLE' order by 1"); // prettier-ignore
  const found: Record<string, number> = {};
  for (const { name } of tables) found[name] = (await oneRow<{ count: number }>(house.db, `select count(*)::integer as count from "${name}"`, [])).count; // prettier-ignore
  return found;
}

describe('looking', () => {
  it('shows the course as an employee has it, and records nothing', async () => {
    const before = await counts();
    const seen = await look({ person: { id: crew['runa'] }, done: [{ type: 'unit-finished', at: iso(0), unit: units[0] }] });
    expect(seen.view).toMatchObject({ person: 'Runa Aske', state: 'in progress', percent: 50, unitsDone: 1, unitsRequired: 2 });
    expect(seen.view.sections[0]!.units.map(({ opens, body, doneAt }) => [opens !== null, body !== null, doneAt !== null])).toEqual([
      [false, true, true],
      [true, false, false],
    ]);
    expect(await counts()).toEqual(before);
  });

  it('says what the employee’s own page says', async () => {
    const [assignment] = (await assignAt(house, course, [crew['per']!], iso(14))) as [string];
    const link = await linkInto(house, assignment);
    await markUnitDone(house.deps, link, units[0]!);
    const own = await findLearning(house.deps, link);
    const seen = await look({ of: 'live', person: { id: crew['per'] }, done: [{ type: 'unit-finished', at: iso(0), unit: units[0] }] });
    const told = ({ sections, percent, unitsDone, unitsRequired, finishWords, state, zone, course: { title } }: typeof own): object => ({ sections, percent, unitsDone, unitsRequired, finishWords, state, zone, title }); // prettier-ignore
    expect(told(seen.view)).toEqual(told(own));
  });

  it('holds a message that would have a gap, as sending does', async () => {
    const put = (body: string): Promise<unknown> => house.db.query("update plans set steps = jsonb_set(steps, '{1,message,body}', to_jsonb($2::text)) where course_id = $1::bigint", [course, body]); // prettier-ignore
    const [{ body }] = (await house.db.query<{ body: string }>("select steps #>> '{1,message,body}' as body from plans where course_id = $1::bigint", [course])).rows as [{ body: string }]; // prettier-ignore
    await put('You are {job}.');
    const of = async (): Promise<object[]> => (await look({ at: iso(8) })).notices.filter(({ kind }) => kind === 'onboarding').map(({ outcome, held, letter }) => ({ outcome, held, said: letter?.text.split('\n')[0] })); // prettier-ignore
    expect(await of()).toEqual([{ outcome: 'hold', held: 'missing-value', said: undefined }]);
    await put('You are {job|new}.');
    expect(await of()).toEqual([{ outcome: 'send', held: null, said: 'You are new.' }]);
    await put(body);
  });

  it('later, what opens in time is open, and the messages have gone', async () => {
    const later = await look({ at: iso(8) });
    expect(later.view.sections[0]!.units[1]).toMatchObject({ opens: null, body: '<p>Read me.</p>' });
    expect(later.person).toMatchObject({ id: null, name: 'Somebody New' });
    const welcome = later.notices.find(({ kind }) => kind === 'invitation');
    expect(welcome).toMatchObject({ hasGone: true, outcome: 'send', letter: { subject: expect.stringContaining('Fire Teams Aboard') } });
    expect(later.notices.some(({ hasGone }) => !hasGone)).toBe(true);
  });

  it('comes to its end: finished, and no reminder after it', async () => {
    const done = units.map((unit, i) => ({ type: 'unit-finished', at: iso(4 + i / 10), unit }));
    const { view, notices } = await look({ at: iso(5), done });
    expect(view).toMatchObject({ state: 'finished', percent: 100 });
    expect(notices.filter(({ kind, outcome }) => kind === 'late' && outcome === 'send')).toEqual([]);
    expect(notices.find(({ kind }) => kind === 'certificate')).toMatchObject({ outcome: 'send' });
  });

  it('shows what is written, and what is live, of a course that is both', async () => {
    const { content, version } = await readDraft(house.db, course);
    await saveDraft(house.deps, course, { version, save: 'a-save-of-its-own', content: { ...content, sections: content.sections.map((section) => ({ ...section, title: 'Rewritten' })) } }, 'Tora Aske'); // prettier-ignore
    expect([(await look()).view.sections[0]!.title, (await look({ of: 'live' })).view.sections[0]!.title]).toEqual(['Rewritten', 'One']);
  });

  it('as nobody, or at no site, is refused', async () => {
    await expect(look({ person: { id: '999' } })).rejects.toThrow('no such person');
    await expect(look({ person: { name: 'X', siteId: '999' } })).rejects.toThrow('no such site');
  });
});

describe('a colleague by a link', () => {
  async function invite(days = 7): Promise<string> {
    sink.mails.length = 0;
    await inviteToLook(
      house.deps,
      course,
      { email: 'kai@yard.example', name: 'Kai Berg', days, words: 'Is the second page clear?' },
      account,
    );
    expect(sink.mails[0]).toContain('Is the second page clear?');
    return /\/look\/([\w-]+)/.exec(sink.mails[0]!)![1]!;
  }

  it('looks without an account, and leaves remarks that the author ticks off', async () => {
    const link = await invite();
    expect(await invitedView(house.deps, link)).toMatchObject({ course: 'Fire Teams Aboard', name: 'Kai Berg', by: 'Tora Hauge' });
    const seen = await invitedLook(house.deps, link, LookRequest.parse({ person: { id: crew['runa'] } }));
    // nobody of the roster, and no message that would name one
    expect([seen.person.name, seen.notices]).toEqual(['Kai Berg', []]);
    await remarkByLink(house.deps, link, { unitId: units[0]!, text: 'The hose is 40 mm here.' });
    await expect(remarkByLink(house.deps, link, { unitId: '999999', text: 'x' })).rejects.toThrow('no longer part of the course');
    const { remarks, invited } = await remarksView(house.deps, course);
    expect(remarks).toMatchObject([{ unitId: units[0], text: 'The hose is 40 mm here.', by: 'Kai Berg', doneBy: null }]);
    expect(invited[0]).toMatchObject({ name: 'Kai Berg', hasEnded: false, lookedAt: expect.any(String) });
    await tick(house.deps, remarks[0]!.id, true, account);
    expect((await remarksView(house.deps, course)).remarks[0]).toMatchObject({ doneBy: 'Tora Hauge' });
  });

  it('no longer once it has ended, and by no other kind of link', async () => {
    const link = await invite(1);
    house.clock.at += 2 * 86_400_000;
    await expect(invitedView(house.deps, link)).rejects.toThrow('has ended');
    house.clock.at -= 2 * 86_400_000;
    await endInvitation(house.deps, course, (await remarksView(house.deps, course)).invited[0]!.id);
    await expect(invitedLook(house.deps, link, LookRequest.parse({}))).rejects.toThrow('has ended');
    const { token } = await oneRow<{ token: string }>(house.db, 'select token from course_looks order by id limit 1', []);
    await expect(invitedView(house.deps, signedToken(house.deps.settings.key, 'go', token))).rejects.toThrow(
      'has ended or is not complete',
    );
  });

  it('who cannot be reached is not invited', async () => {
    sink.isOpen = false;
    await expect(invite()).rejects.toThrow('nobody was invited');
    sink.isOpen = true;
    expect((await remarksView(house.deps, course)).invited[0]).toMatchObject({ hasEnded: true });
  });

  it('sees the files of that course alone', async () => {
    const other = await putFile(house.db, { name: 'x.txt', type: 'text/plain', content: Buffer.from('x'), purpose: 'course' });
    const { default: request } = await import('supertest');
    const { createApp } = await import('../app.ts');
    const link = await invite();
    const app = createApp(house.deps, null);
    await request(app).get(`/api/looks/${link}/files/${other.id}`).expect(404);
    await request(app).post(`/api/looks/${link}/remarks`).set('x-csrf-token', 'none').set('sec-fetch-site', 'cross-site').send({ unitId: null, text: 'x' }).expect(403); // prettier-ignore
  });
});
