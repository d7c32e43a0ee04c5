import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { EraseRequest, ImportOrder, KeepChange, tellSeals } from '@nudrik/contract';
import { extend } from '../assignments/change.ts';
import { ask, writeOn } from '../conversations/asked.ts';
import { answer, conversationView, takeOff } from '../conversations/conversations.ts';
import { oneRow, openPool, rows, transaction } from '../db/db.ts';
import { finishAssignments } from '../learning/finish.ts';
import { changePerson } from '../people/change.ts';
import { rosterFacts, takeImport } from '../people/import.ts';
import { findPersonSheet, listPeople } from '../people/people.repo.ts';
import { timelineOf } from '../people/timeline.ts';
import { sealWaiting, verifyNow } from '../seals/seals.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { eraseAgain } from './erase-again.ts';
import { keepList } from './erased-list.ts';
import { erasePerson, previewErase } from './erase.ts';
import { changeKeeping, keepingView, keepNoLonger, previewKeeping } from './keeping.ts';
import { addressOf, pseudonymOf } from './marks.ts';
import { asWritten, exactTrace, wholeTrace, wordsTrace, type Trace } from './traces.ts';

const folder = mkdtempSync(join(tmpdir(), 'erased-'));
const sealAll = async ({ deps }: TestHouse): Promise<void> => {
  while ((await sealWaiting(deps)) > 0);
};
const DUMPED = "select relname as name from pg_class where relnamespace = 'public'::regnamespace and relkind = 'r' order by 1";
/** Every row of every table as text, with its table. */
async function dump({ db }: TestHouse): Promise<string[]> {
  const lines: string[] = [];
  for (const { name } of await rows<{ name: string }>(db, DUMPED))
    for (const { row } of await rows<{ row: string }>(db, `select t::text as row from "${name}" t`)) lines.push(`${name}: ${row}`);
  return lines;
}

/** A crew that was asked for a course, told, reminded and escalated; Runa finished it, Per left without. */
async function openHouse(): Promise<{ house: TestHouse; crew: Record<string, string>; ids: string[]; course: string }> {
  const house = await openTestHouse('2027-03-01T09:30:00Z');
  const crew = await makeCrew(house);
  await house.db.query('update settings set daily_limit = null, settle_minutes = 0');
  await house.db.query("update people set personnel_number = 'OF-204', chat_name = 'runa.aske', joined_on = '2020-04-01' where name = 'Runa Aske'"); // prettier-ignore
  await house.db.query("insert into accounts (email, name, role, person_id) select email, name, 'trainer', id from people where name = 'Runa Aske'"); // prettier-ignore
  await house.db.query("insert into accounts (email, name, role) values ('sigrid@orlasund.example', 'Sigrid Aune', 'administrator')");
  // others whose address or name has hers within it
  await house.db.query("insert into people (name, email, department_id, site_id) select x.name, x.email, department_id, site_id from people, (values ('Bruna Aske', 'x.r.aske@orlasund.example'), ('Kim Askerunason', 'a-runa@orlasund.example.org')) as x (name, email) where people.name = 'Per Aske'"); // prettier-ignore
  const course = await makeCourse(house, crew['tora']!);
  const ids = await assignAt(house, course, ['runa', 'per', 'odd'].map((name) => crew[name]!), '2027-03-04T16:00:00Z'); // prettier-ignore
  await drain(house.deps, house.mailer);
  // what she did by hand for others is under her name
  await extend(house.deps, { assignmentIds: [ids[1]!, ids[2]!], dueOn: '2027-03-05', dueTime: '17:00', reason: 'Runa Aske asked for it', told: null } as never, 'Runa Aske'); // prettier-ignore
  await extend(house.deps, { assignmentIds: [ids[0]!], dueOn: '2027-03-05', dueTime: '17:00', reason: 'ill since Monday', told: null } as never, 'Sigrid Aune'); // prettier-ignore
  for (const at of ['2027-03-02T09:00:00Z', '2027-03-08T09:00:00Z', '2027-03-20T09:00:00Z']) {
    house.clock.at = Date.parse(at);
    await drain(house.deps, house.mailer);
  }
  // on the page of the course: what she asked, and what she wrote to somebody else
  await house.db.query("update courses set asks = 'course'");
  const asking = async (id: string) => ({ link: await linkInto(house, id), account: null });
  await ask(house.deps, await asking(ids[0]!), { words: 'Is cabin 12 mine?', to: 'course', unit: null, key: 'a-first-key' });
  const { mine: [asked] } = await ask(house.deps, await asking(ids[1]!), { words: 'Which boat is ours?', to: 'course', unit: null, key: 'another-key' }); // prettier-ignore
  await writeOn(house.deps, await asking(ids[0]!), asked!.id, { words: 'The one below cabin 12.', to: 'course', key: 'a-third-key' });
  const { posts } = await conversationView(house.deps, asked!.id);
  await answer(house.deps, asked!.id, { words: 'Boat 4.', seen: posts.at(-1)!.id, isDone: true }, 'Tora Aske');
  await takeOff(house.deps, asked!.id, posts.at(-1)!.id, true, 'Tora Aske');
  await transaction(house.db, (client) => finishAssignments(house.deps, client, course, [{ id: ids[0]!, zone: 'Europe/Oslo' }], 'Runa Aske')); // prettier-ignore
  house.clock.at = Date.parse('2027-04-08T09:00:00Z');
  await drain(house.deps, house.mailer);
  await changePerson(house.deps, crew['runa']!, { email: 'r.aske@orlasund.example' }, 'Sigrid Aune');
  await changePerson(house.deps, crew['runa']!, { leftOn: '2027-04-01' }, 'Sigrid Aune');
  await house.db.query("insert into arrivals (at, digest, kind, from_address, from_name, subject, body, person_id, waits) values (now(), 'x', 'reply', 'runa@orlasund.example', 'Runa Aske', 'late', 'it is Runa', $1::bigint, false)", [crew['runa']]); // prettier-ignore
  await drain(house.deps, house.mailer);
  await sealAll(house);
  return { house, crew, ids, course };
}

describe('what is looked for', () => {
  let house: TestHouse;
  beforeAll(async () => void (house = await openTestHouse()));
  afterAll(() => house.close());
  const replace = async (text: string, { pattern, instead }: Trace): Promise<string> =>
    (await oneRow<{ said: string }>(house.db, 'select regexp_replace($1::text, $2::text, $3::text, $4::text) as said', [text, pattern, instead, 'gi'])).said; // prettier-ignore

  test.each([
    ['Runa Aske', 'Runa Aske is late', 'X is late'],
    ['Runa Aske', 'RUNA  ASKE, Runa%20Aske, find=runa+aske', 'X, X, find=X'],
    ['Runa Aske', 'Runa Askeland and Bruna Aske', 'Runa Askeland and Bruna Aske'],
    ['Runa Aske', '{"text": "Hello,\\nRuna Aske is late"}', '{"text": "Hello,\\nX is late"}'],
    ["Sinéad O'Dálaigh", "Sin%C3%A9ad O&#39;D%C3%A1laigh; Sinéad O'Dálaigh", 'X; X'],
    ['A & B (Inc.) [x]', 'of A &amp; B (Inc.) [x].', 'of X.'],
    ['Åse Øy', 'ÅSE ØY', 'X'],
    ['Runa Aske', 'Anne-Runa Aske, Runa Aske-Lund, to=Runa%20Aske, %20Runa Aske', 'Anne-Runa Aske, Runa Aske-Lund, to=X, %20X'],
    ['r.aske@orlasund.example', 'mailto:r.aske@orlasund.example, xr.aske@orlasund.example, rxaske@orlasund.example', 'mailto:X, xr.aske@orlasund.example, rxaske@orlasund.example'], // prettier-ignore
    ['r.aske@orlasund.example', 'u.r.aske@orlasund.example, r.aske@orlasund.example.org, r.aske%40orlasund.example, r.aske@orlasund.example.', 'u.r.aske@orlasund.example, r.aske@orlasund.example.org, X, X.'], // prettier-ignore
    ['OF-20', 'OF-20, OF-204, OF-20-4, xOF-20 (OF-20)', 'X, OF-204, OF-20-4, xOF-20 (X)'],
    ['runa.aske', 'runa.aske, runa.aske@other.example', 'X, runa.aske@other.example'],
  ])('%s in %s', async (words, text, expected) => {
    const isName = /^\p{Lu}.* /u.test(words);
    expect(await replace(text, isName ? wordsTrace(words, 'X') : exactTrace(words, 'X'))).toBe(expected);
  });

  it('a name of one word only where it is all that there is', async () => {
    expect(await replace('Per', wholeTrace('Per', 'X'))).toBe('X');
    expect(await replace('5 % per year', wholeTrace('Per', 'X'))).toBe('5 % per year');
    expect(await replace('Per is late: 5 % per day', asWritten(wordsTrace('Per', 'X')))).toBe('X is late: 5 % per day');
  });
});

describe('somebody is erased', () => {
  let house: TestHouse;
  let crew: Record<string, string>;
  let ids: string[];
  let before: { sheet: unknown; notices: unknown };
  const pseudonym = (): string => pseudonymOf(house.deps.settings.key, houseId, crew['runa']!);
  let houseId: string;
  const factsOf = async (): Promise<typeof before> => ({
    sheet: await rows(house.db, 'select id, state, course_id, step_id, at, sent_at, to_role from notices order by id'),
    notices: await rows(house.db, 'select serial, issued_on, expires_on, course_title from certificates order by id'),
  });
  beforeAll(async () => {
    ({ house, crew, ids } = await openHouse());
    house.deps.settings.erasedFile = join(folder, 'list');
    ({ house_id: houseId } = await oneRow<{ house_id: string }>(house.db, 'select house_id from settings'));
  });
  afterAll(() => house.close());

  it('only who left, and whom nobody hangs on; the preview says it, and what goes', async () => {
    expect((await previewErase(house.deps, crew['tora']!)).faults.join(' ')).toMatch(/is here.*trainer of Fire Teams Aboard/);
    expect((await previewErase(house.deps, crew['odd']!)).faults.join(' ')).toMatch(/manager of Per Aske/);
    await expect(erasePerson(house.deps, crew['odd']!, 'x', 'Sigrid Aune')).rejects.toThrow('Nothing was erased');
    const preview = await previewErase(house.deps, crew['runa']!);
    expect(preview).toMatchObject({ name: 'Runa Aske', pseudonym: pseudonym(), faults: [] });
    expect(preview.goes.map(({ what }) => what)).toEqual(expect.arrayContaining(['messages that they read, as texts', 'conversations', 'words to what others asked', 'mails of theirs that came in', 'accounts'])); // prettier-ignore
    expect(preview.stays).toContainEqual({ what: 'certificates', count: 1 });
    expect(preview.notes.join(' ')).not.toContain('Somebody else is called');
  });

  it('leaves no word of them anywhere, and all facts', async () => {
    before = await factsOf();
    const seals = await verifyNow(house.deps, null);
    expect(seals.faults).toEqual([]);
    await erasePerson(house.deps, crew['runa']!, 'asked for by Runa Aske herself', 'Sigrid Aune');
    const others = /Bruna Aske|x\.r\.aske@orlasund\.example|Kim Askerunason|a-runa@orlasund\.example\.org/g;
    const left = (await dump(house)).map((line) => line.replace(others, '')).filter((line) => /runa|r\.aske|of-204|cabin 12/i.test(line));
    expect(left).toEqual([]);
    expect(
      await rows(house.db, "select 1 from people where email in ('x.r.aske@orlasund.example', 'a-runa@orlasund.example.org')"),
    ).toHaveLength(2);
    expect(await factsOf()).toEqual(before);
    // what others asked stays, without what she wrote to it
    const talks = await rows<{ body: string }>(house.db, "select body from conversation_posts where side <> 'record' order by id");
    expect(talks.map(({ body }) => body)).toEqual(['Which boat is ours?', 'Boat 4.']);
    // what they did by hand for others, and what was said to others of them
    const act = await oneRow<{ by_whom: string; reason: string }>(house.db, 'select by_whom, reason from acts order by id limit 1');
    expect(act).toEqual({ by_whom: pseudonym(), reason: `${pseudonym()} asked for it` });
    const told = await rows<{ body: string }>(house.db, "select body from messages where to_name = 'Odd Aske' and body like '%' || $1::text || '%'", [pseudonym()]); // prettier-ignore
    expect(told.length).toBeGreaterThan(0);
    // why a date of theirs was moved says how they are
    expect(await rows(house.db, "select 1 from acts where reason like '%ill since%'")).toEqual([]);
    expect(await rows(house.db, "select 1 from assignment_events where data::text like '%ill since%'")).toEqual([]);
  });

  it('what was sealed is sealed anew as that; what somebody else changes is found as before', async () => {
    await sealAll(house);
    const report = await verifyNow(house.deps, null);
    expect(report.faults).toEqual([]);
    expect(report.erased).toBeGreaterThan(5);
    expect(tellSeals(report)).toContain('sealed anew after erasing');
    const client = await house.db.connect();
    try {
      for (const [statement, found] of [
        ["update messages set body = body || 'x' where id = (select min(id) from messages)", 'was changed since'],
        // sealed anew as if an erasure had done it
        ["with x as (update acts set reason = 'none' where id = (select max(id) from acts) returning id) insert into seal_queue (kind, of_id, erasure_id) select 'act', id, 1 from x", 'were sealed anew by it'], // prettier-ignore
        ['update erasures set entries = entries + 1', 'the record of an erasure'],
        ['delete from erasures', 'the record of an erasure'],
      ] as const) {
        await client.query('begin');
        await client.query('set local session_replication_role = replica');
        await client.query(statement);
        const { verifySeals } = await import('../seals/seals.ts');
        expect((await verifySeals(client)).faults.map(({ words }) => words).join('\n')).toContain(found);
        await client.query('rollback');
      }
    } finally {
      client.release();
    }
  });

  it('their sheet says it and takes nothing more; nobody signs in as them', async () => {
    const now = house.clock.now();
    const sheet = (await findPersonSheet(house.db, crew['runa']!, now, '2027-04-08'))!;
    expect(sheet.person).toMatchObject({ name: pseudonym(), email: addressOf(pseudonym()), job: null, personnelNumber: null });
    expect(sheet.assignments).toHaveLength(1);
    expect((await timelineOf(house.db, crew['runa']!, now)).map(({ words }) => words).join('\n')).toMatch(/Erased/);
    await expect(changePerson(house.deps, crew['runa']!, { leftOn: null }, 'Sigrid Aune')).rejects.toThrow('was erased');
    await expect(erasePerson(house.deps, crew['runa']!, 'twice', 'Sigrid Aune')).rejects.toThrow('Nothing was erased');
    expect(await rows(house.db, 'select 1 from accounts where ended_at is null and name = $1::text', [pseudonym()])).toEqual([]);
    expect((await listPeople(house.db, { find: 'OF-204', show: 'all', sort: 'name', order: 'asc', page: 0, size: 10 } as never, now, '2027-04-08')).total).toBe(0); // prettier-ignore
  });

  it('a roster brings them back only where they joined later', async () => {
    const take = async (joined: string): Promise<{ added: number; rejected: number }> => {
      const file = `name,email,department,site,joined on\nRuna Aske,runa@orlasund.example,Deck,Orla Quay,${joined}\n`;
      const { mark } = await rosterFacts(house.deps);
      const order = ImportOrder.parse({ confirmedLeft: 0, fileName: 'people.csv', columns: ['name', 'email', 'department', 'site', 'joined on'], dateOrder: 'ymd', isComplete: false, emptyCells: 'keep', mark, groups: { added: true, changed: true, returned: true, left: true } }); // prettier-ignore
      return takeImport(house.deps, Buffer.from(file), order, 'Sigrid Aune');
    };
    expect(await take('2020-04-01')).toMatchObject({ added: 0, rejected: 1 });
    expect(await take('2028-01-01')).toMatchObject({ added: 1, rejected: 0 });
  });

  it('a backup that is restored erases again, once, with the words of the first time; somebody else of the same number is left', async () => {
    const list = house.deps.settings.erasedFile;
    expect(readFileSync(list, 'utf8')).not.toMatch(/runa/i);
    const { at, reason } = await oneRow<{ at: Date; reason: string }>(house.db, "select at, reason from erasures where kind = 'person'");
    // as a backup of before has them
    await house.db.query("delete from erasures where kind = 'person'");
    await house.db.query("update people set erased_at = null, name = 'Runa Aske', email = 'r.aske@orlasund.example', personnel_number = 'OF-204' where id = $1::bigint", [crew['runa']]); // prettier-ignore
    await house.db.query("delete from people where email = 'runa@orlasund.example'").catch(() => undefined);
    expect(await eraseAgain(house.deps)).toBe(1);
    expect(await eraseAgain(house.deps)).toBe(0);
    expect(await oneRow(house.db, "select at, reason, pseudonym from erasures where kind = 'person'")).toEqual({ at, reason, pseudonym: pseudonym() }); // prettier-ignore
    expect((await oneRow<{ name: string }>(house.db, 'select name from people where id = $1::bigint', [crew['runa']])).name).toBe(pseudonym()); // prettier-ignore
    // the list names another person of that number, and has a line that was torn
    writeFileSync(list, `${readFileSync(list, 'utf8').replace(/"person":"\d+"/, `"person":"${crew['per']}"`)}{"house": "torn`);
    expect(await eraseAgain(house.deps)).toBe(0);
    expect((await oneRow<{ name: string }>(house.db, 'select name from people where id = $1::bigint', [crew['per']])).name).toBe('Per Aske'); // prettier-ignore
    // and whoever it lacks was written into it, on a line of its own
    const lines = readFileSync(list, 'utf8').trim().split('\n');
    expect(JSON.parse(lines.at(-1)!)).toMatchObject({ person: crew['runa'], pseudonym: pseudonym() });
    await keepList(house.deps);
    expect(readFileSync(list, 'utf8').trim().split('\n')).toHaveLength(lines.length);
    expect(ids).toHaveLength(3);
  });

  it('asks for why, and for a place to keep the list', async () => {
    expect(EraseRequest.safeParse({ name: 'x', reason: ' ' }).success).toBe(false);
    const is = house.deps.settings.erasedFile;
    house.deps.settings.erasedFile = '/proc/nowhere/list';
    expect((await previewErase(house.deps, crew['per']!)).faults.join(' ')).toContain('NUDRIK_ERASED_FILE');
    house.deps.settings.erasedFile = is;
  });
});

test('what was said to others of nobody else has not even the given name, in any of its forms', async () => {
  const { house, crew } = await openHouse();
  const { message_id } = await oneRow<{ message_id: string }>(house.db, "select message_id from notices where person_id = $1::bigint and recipient_id = $2::bigint and message_id is not null limit 1", [crew['runa'], crew['odd']]); // prettier-ignore
  await house.db.query('update notices set message_id = null where message_id = $1::bigint and person_id <> $2::bigint', [message_id, crew['runa']]); // prettier-ignore
  await house.db.query("update messages set body = 'Runa is late. Please ask Runa why; runaways are others.' where id = $1::bigint", [message_id]); // prettier-ignore
  const { pseudonym } = await erasePerson(house.deps, crew['runa']!, 'asked for', 'Sigrid Aune');
  expect(await oneRow(house.db, 'select body from messages where id = $1::bigint', [message_id])).toEqual({ body: `${pseudonym} is late. Please ask ${pseudonym} why; runaways are others.` }); // prettier-ignore
  await house.close();
});

test('whom two are called like: texts about others keep the name, and the preview says so', async () => {
  const { house, crew } = await openHouse();
  await house.db.query("update people set name = 'Per Aske' where name = 'Runa Aske'");
  await house.db.query("update accounts set name = 'Per Aske' where name = 'Runa Aske'");
  const count = async (): Promise<number> => (await dump(house)).filter((line) => line.startsWith('messages') && /Per Aske/.test(line)).length; // prettier-ignore
  expect((await previewErase(house.deps, crew['runa']!)).notes.join(' ')).toContain('Somebody else is called Per Aske too');
  const messages = await count();
  await erasePerson(house.deps, crew['runa']!, 'asked for', 'Sigrid Aune');
  expect(await count()).toBeGreaterThan(messages / 2);
  expect((await oneRow<{ name: string }>(house.db, 'select name from people where id = $1::bigint', [crew['per']])).name).toBe('Per Aske'); // prettier-ignore
  await sealAll(house);
  expect((await verifyNow(house.deps, null)).faults).toEqual([]);
  await house.close();
});

test('somebody with an open assignment is withdrawn with it; in the middle of it nothing is half', async () => {
  const { house, crew, ids } = await openHouse();
  await changePerson(house.deps, crew['per']!, { leftOn: '2027-04-02' }, 'Sigrid Aune');
  const client = openPool(house.databaseUrl, 1);
  await client.query('begin');
  await client.query('select 1 from people where id = $1::bigint for update', [crew['per']]);
  const erasing = erasePerson(house.deps, crew['per']!, 'asked for', 'Sigrid Aune');
  await new Promise((resolve) => setImmediate(resolve));
  expect((await oneRow<{ name: string }>(house.db, 'select name from people where id = $1::bigint', [crew['per']])).name).toBe('Per Aske'); // prettier-ignore
  await client.query('rollback');
  await client.end();
  await erasing;
  expect(await oneRow(house.db, 'select closed_by, closed_reason from assignments where id = $1::bigint', [ids[1]])).toEqual({ closed_by: 'withdrawn', closed_reason: 'erased' }); // prettier-ignore
  await drain(house.deps, house.mailer);
  await house.close();
});

describe('what is kept no longer', () => {
  let house: TestHouse;
  let crew: Record<string, string>;
  beforeAll(async () => {
    ({ house, crew } = await openHouse());
  });
  afterAll(() => house.close());
  const change = (kind: string, months: number | null): Promise<void> =>
    changeKeeping(house.deps, KeepChange.parse({ kind, months }), 'Sigrid Aune');

  it('is looked at before; times that are too short are refused with the shortest', async () => {
    expect(KeepChange.safeParse({ kind: 'leavers', months: 3 }).error!.issues[0]!.message).toBe('expected at least 12 months for this kind; got 3'); // prettier-ignore
    expect(await previewKeeping(house.deps, KeepChange.parse({ kind: 'messages', months: 3 }))).toEqual({ count: 0, from: null, to: null, words: 'Nothing is from before 8 Jan 2027.' }); // prettier-ignore
    house.clock.at = Date.parse('2027-06-03T09:00:00Z');
    const preview = await previewKeeping(house.deps, KeepChange.parse({ kind: 'messages', months: 3 }));
    expect(preview).toMatchObject({ from: '2027-03-01', to: '2027-03-01' });
    expect(preview.words).toMatch(/^\d+ entries from before 3 Mar 2027 go: of 1 Mar 2027\.$/);
  });

  it('goes in the first night that is a day away, and each night after; what it was stays on the record, and sealed', async () => {
    const { count } = await previewKeeping(house.deps, KeepChange.parse({ kind: 'messages', months: 3 }));
    await change('messages', 3);
    const said = (): Promise<number> => oneRow<{ n: number }>(house.db, "select count(*)::integer as n from messages where body like '%kept no longer%'").then(({ n }) => n); // prettier-ignore
    expect((await keepingView(house.deps, null)).kinds.find(({ kind }) => kind === 'messages')).toMatchObject({ months: 3, firstNight: '2027-06-05' }); // prettier-ignore
    house.clock.at = Date.parse('2027-06-04T23:30:00Z');
    expect(await keepNoLonger(house.deps)).toBe(0);
    house.clock.at = Date.parse('2027-06-05T00:30:00Z');
    const gone = await keepNoLonger(house.deps);
    expect(gone).toBeGreaterThanOrEqual(count);
    expect(await keepNoLonger(house.deps)).toBe(0);
    expect(await said()).toBe(gone);
    const { kinds, erasures } = await keepingView(house.deps, null);
    expect(kinds.find(({ kind }) => kind === 'messages')).toMatchObject({ ranOn: '2027-06-05', firstNight: null, next: { count: 0 } });
    expect(erasures[0]).toMatchObject({ kind: 'kept-no-longer', title: 'What messages said, from before 5 Mar 2027', byWhom: 'Nudrik', reason: 'kept for 3 months, as Sigrid Aune set it' }); // prettier-ignore
    await sealAll(house);
    const report = await verifyNow(house.deps, null);
    expect(report).toMatchObject({ faults: [], erased: gone });
  });

  it('whoever left is erased when the time is over; whoever cannot be is passed over, and the record says why', async () => {
    await change('messages', null);
    await change('leavers', 12);
    house.clock.at = Date.parse('2028-05-01T02:00:00Z');
    await changePerson(house.deps, crew['tora']!, { leftOn: '2027-04-03' }, 'Sigrid Aune');
    expect(await keepNoLonger(house.deps)).toBe(1);
    expect((await rows<{ name: string }>(house.db, 'select name from people where erased_at is not null')).map(({ name }) => name)).toEqual([expect.stringMatching(/^Person /)]); // prettier-ignore
    expect((await rows<{ words: string }>(house.db, "select words from house_changes where area = 'keeping' order by id")).map(({ words }) => words).join('\n')).toMatch(/Somebody who left was not erased\. They are the trainer of Fire Teams Aboard/); // prettier-ignore
  });

  test.each(['answers', 'places', 'conversations', 'arrivals', 'tests', 'rosters', 'looks'])('%s', async (kind) => {
    house.clock.at += 2 * 86_400_000;
    await house.db.query("insert into arrivals (at, digest, kind, from_name, subject, body, waits) values ($1::timestamptz, sha256(random()::text::bytea), 'strange', 'x', 'x', 'x', false), ($1::timestamptz, sha256(random()::text::bytea), 'strange', 'x', 'x', 'x', true)", [new Date('2026-01-01')]); // prettier-ignore
    await change(kind, 12);
    const { count } = await previewKeeping(house.deps, KeepChange.parse({ kind, months: 12 }));
    expect(await keepNoLonger(house.deps)).toBe(0);
    house.clock.at += 2 * 86_400_000;
    const gone = await keepNoLonger(house.deps);
    expect(gone).toBe(count);
    if (kind === 'arrivals') expect(gone).toBeGreaterThan(0);
    await change(kind, null);
    expect((await keepingView(house.deps, null)).kinds.find((row) => row.kind === kind)).toMatchObject({ months: null, next: null });
  });
});

afterAll(() => rmSync(folder, { recursive: true }));
