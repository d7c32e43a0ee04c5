import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { PassThrough, type Writable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { fileURLToPath } from 'node:url';
import { unzipSync, zipSync } from 'fflate';
import { simpleParser } from 'mailparser';
import papa from 'papaparse';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { CompletionsRequest, PackRequest, SampleQuery } from '@nudrik/contract';
import { close } from '../assignments/change.ts';
import { recordCompletions } from '../assignments/completions.ts';
import { transaction } from '../db/db.ts';
import { signingKey } from '../house/signing-key.ts';
import { finishAssignments } from '../learning/finish.ts';
import { sealWaiting } from '../seals/seals.ts';
import { wordsOfPdf } from '../testing-pdf.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { AT_ONCE, Cancelled, type Work } from '../work/jobs.ts';
import { drain } from '../worker.ts';
import { printOf, signManifest } from './manifest.ts';
import { makePack, packsView, previewPack, rulesAt } from './packs.ts';
import { ownData } from './own-data.ts';
import { sampleView } from './sample.ts';
import { tellPack, verifyPack } from './verify-pack.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let ids: string[];
const dir = mkdtempSync(join(tmpdir(), 'packs-'));
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  crew = await makeCrew(house);
  await house.db.query('update settings set daily_limit = null');
  course = await makeCourse(house, crew['tora']!);
  ids = await assignAt(house, course, ['runa', 'per', 'odd', 'kari'].map((name) => crew[name]!), '2027-03-04T16:00:00Z'); // prettier-ignore
  await close(house.deps, 'waived', { assignmentIds: [ids[1]!], reason: 'ashore, =HYPERLINK("x")', until: '2027-06-01', told: null } as never, 'Sigrid Aune'); // prettier-ignore
  for (const at of ['2027-03-01T10:00:00Z', '2027-03-02T09:00:00Z']) {
    house.clock.at = Date.parse(at);
    await drain(house.deps, house.mailer);
  }
  house.clock.at = Date.parse('2027-03-03T11:00:00Z');
  await transaction(house.db, (client) =>
    finishAssignments(house.deps, client, course, [{ id: ids[0]!, zone: 'Europe/Oslo' }], 'Runa Aske'),
  );
  await house.db.query(
    `insert into holds (scope, of_id, name, reason, made_at, made_by, ended_at, ended_by, ended_how) values
       ('course', $1::bigint, 'Fire Teams Aboard', 'dry dock', '2027-03-03T10:00:00Z', 'Sigrid Aune', '2027-03-03T10:30:00Z', 'Tora Aske', 'let-pass'),
       ('person', $2::bigint, 'Per Aske', 'asked for', '2027-03-03T10:00:00Z', 'Sigrid Aune', '2027-03-03T10:30:00Z', 'Sigrid Aune', 'send')`,
    [course, crew['per']],
  );
  house.clock.at = Date.parse('2027-04-08T09:00:00Z');
  await drain(house.deps, house.mailer);
  while ((await sealWaiting(house.deps)) > 0);
});
afterAll(async () => {
  rmSync(dir, { recursive: true });
  await house.close();
});

/** Long work whose file is kept here. */
function workInto(kept: { name: string; bytes: Buffer }[]): Work {
  return {
    ...AT_ONCE,
    async keepWritten({ name }, write) {
      const out = new PassThrough();
      const [bytes] = await Promise.all([buffer(out), write(out as Writable)]);
      kept.push({ name, bytes });
      return '/api/jobs/999999/file';
    },
  };
}
async function pack(request: object): Promise<{ path: string; files: Record<string, Buffer>; text: (path: string) => string }> {
  const kept: { name: string; bytes: Buffer }[] = [];
  await makePack(house.deps, PackRequest.parse({ from: null, to: null, ...request }), 'Elias Brekke', workInto(kept));
  const path = join(dir, `${Math.random()}.zip`);
  writeFileSync(path, kept[0]!.bytes);
  const files = Object.fromEntries(Object.entries(unzipSync(kept[0]!.bytes)).map(([name, bytes]) => [name, Buffer.from(bytes)]));
  return { path, files, text: (name) => files[name]!.toString('utf8') };
}
const table = (text: string): Record<string, string>[] =>
  papa.parse<Record<string, string>>(text.replace('\ufeff', ''), { header: true, skipEmptyLines: true }).data;
const names = (files: Record<string, Buffer>, folder: string): string[] => Object.keys(files).filter((path) => path.startsWith(folder));
/** The same pack with something done to it. */
async function tampered(files: Record<string, Buffer>, change: (files: Record<string, Buffer>) => void | Promise<void>): Promise<string> {
  const copy = { ...files };
  await change(copy);
  const path = join(dir, `${Math.random()}.zip`);
  writeFileSync(path, zipSync(copy));
  return path;
}

describe('a pack about a person', () => {
  let made: Awaited<ReturnType<typeof pack>>;
  beforeAll(async () => {
    made = await pack({ of: { kind: 'person', id: crew['runa'] } });
  });

  it('has what was said before it was made, the facts, each message as read, the certificate, the rules, and an index in two forms', async () => {
    const { files, text } = made;
    const preview = await previewPack(house.deps, PackRequest.parse({ of: { kind: 'person', id: crew['runa'] }, from: null, to: null }));
    expect(preview).toMatchObject({ title: 'Runa Aske', people: 1, assignments: 1, fault: null });
    expect(table(text('facts/assignments.csv'))).toEqual([expect.objectContaining({ Person: 'Runa Aske', 'State at the end': 'finished', 'Asked for by': 'by hand' })]); // prettier-ignore
    // what held messages of hers back, and not of others
    expect(table(text('facts/holds.csv'))).toEqual([expect.objectContaining({ 'What was held': '“Fire Teams Aboard” is held', By: 'Sigrid Aune', Reason: 'dry dock', 'Ended by': 'Tora Aske', 'What waited': 'was let pass' })]); // prettier-ignore
    const notices = table(text('facts/notices.csv'));
    expect(notices).toHaveLength(preview.notices);
    const told = notices.filter((row) => row['Message'] !== '');
    expect(new Set(told.map((row) => row['Message'])).size).toBe(preview.messages);
    for (const row of told) expect(files[row['Message']!]).toBeDefined();
    expect(names(files, 'messages/')).toHaveLength(preview.messages);
    const mail = await simpleParser(files[names(files, 'messages/')[0]!]!);
    expect(mail.subject).toBeTruthy();
    expect(mail.text).toContain('(personal link)');
    expect(`${mail.text}${String(mail.html)}`).not.toMatch(/\/learn\/[\w-]{10}/);
    const certificate = names(files, 'certificates/');
    expect(certificate).toEqual([expect.stringMatching(/^certificates\/Runa Aske, .*\.pdf$/)]);
    expect((await wordsOfPdf(files[certificate[0]!]!)).join(' ')).toContain('Runa Aske');
    expect(text('rules/Plan of Fire Teams Aboard.txt')).toMatch(/Version 1 of the plan\nIn force from 28 Feb 2027/);
    expect(text('index.html')).toMatch(/<h1>Evidence: Runa Aske<\/h1>[\s\S]*All \d+ entries stand as they were sealed/);
    const words = (await wordsOfPdf(files['index.pdf']!)).join(' ');
    for (const part of ['Evidence: Runa Aske', 'Elias Brekke', 'entries stand as they were sealed', 'Fire Teams Aboard assigned, due'])
      expect(words).toContain(part);
    expect(table(text('facts/deliveries.csv')).every((row) => row['Answer'] === 'accepted')).toBe(true);
  });

  it('stands as it was signed, by the key of the house, and the house knows it again', async () => {
    const report = await verifyPack(made.path);
    expect(report.faults).toEqual([]);
    const view = await packsView(house.deps);
    expect(report.key).toBe(view.key);
    expect(view.packs[0]).toMatchObject({ title: 'Runa Aske', byWhom: 'Elias Brekke', manifest: report.manifest, files: report.files });
    expect(tellPack(report)).toBe(`All ${report.files} files stand as they were signed, with the key ${view.key}.`);
  });

  test.each<[string, (files: Record<string, Buffer>) => void, RegExp]>([
    ['a message that was changed', (files) => void (files[names(files, 'messages/')[0]!] = Buffer.from('From: nobody')), /^messages\/.*\.eml was changed\.$/], // prettier-ignore
    ['one letter of a fact', (files) => void (files['facts/notices.csv']![40]! ^= 1), /^facts\/notices\.csv was changed\.$/],
    [
      'a certificate that was taken out',
      (files) => void delete files[names(files, 'certificates/')[0]!],
      /^certificates\/.* was removed\.$/,
    ],
    ['a file that was put in', (files) => void (files['messages/invented.eml'] = Buffer.from('x')), /^messages\/invented\.eml was put in/],
    ['a manifest that fits what was changed', (files) => void (files['manifest.json'] = Buffer.from(files['manifest.json']!.toString().replace('Runa', 'Runo'))), /the signature does not fit/], // prettier-ignore
    ['a signature that was taken out', (files) => void delete files['manifest.jws'], /^manifest\.jws was removed/],
    ['a name with signs that move the cursor', (files) => void (files['a\u202eb'] = Buffer.from('x')), /^a\?b was put in/],
  ])('%s is named', async (_, change, words) => {
    const copy = Object.fromEntries(Object.entries(made.files).map(([name, bytes]) => [name, Buffer.from(bytes)]));
    const report = await verifyPack(await tampered(copy, change));
    expect(report.faults).toEqual([expect.stringMatching(words)]);
    expect(tellPack(report)).toContain('1 thing is not as signed');
  });

  it('signed anew by somebody else it shows another key, which the one that was kept tells apart', async () => {
    const other = signingKey('k'.repeat(40), 'evidence');
    const path = await tampered(made.files, async (files) => {
      files['manifest.jws'] = Buffer.from(await signManifest(files['manifest.json']!, other));
    });
    const report = await verifyPack(path);
    expect(report).toMatchObject({ faults: [], key: await printOf(other.open) });
    const run = (...args: string[]) =>
      spawnSync(process.execPath, [fileURLToPath(new URL('../../bin/nudrik.mjs', import.meta.url)), 'verify', ...args], { encoding: 'utf8', env: { PATH: process.env['PATH'] } }); // prettier-ignore
    const { key } = await packsView(house.deps);
    // without a database, a network, or a setting
    expect(run(made.path, key)).toMatchObject({ status: 0, stdout: expect.stringMatching(/^Runa Aske, from the beginning to[\s\S]*stand as they were signed[\s\S]*That is the key that was kept\.\n$/) }); // prettier-ignore
    expect(run(path, key)).toMatchObject({ status: 1, stdout: expect.stringContaining(`expected ${key}: another house made it`) });
    writeFileSync(join(dir, 'no.zip'), 'this is no zip');
    expect(run(join(dir, 'no.zip'))).toMatchObject({ status: 2, stderr: expect.stringContaining('cannot be read as a zip') });
    expect(run(await tampered({}, (files) => void (files['a.txt'] = Buffer.from('a'))))).toMatchObject({ status: 2, stderr: expect.stringContaining('is no evidence pack') }); // prettier-ignore
  });

  it('what was sealed stands in it word for word; a row that was changed before the pack was made is named in it', async () => {
    const lines = made.text('record.jsonl').trim().split('\n').map((line) => JSON.parse(line) as { kind: string; says: string | null; seal: string }); // prettier-ignore
    expect(new Set(lines.map(({ kind }) => kind))).toEqual(new Set(['event', 'certificate', 'message', 'answer']));
    expect(lines.filter(({ kind }) => kind === 'message').every(({ says, seal }) => says === null && /^[0-9a-f]{64}$/.test(seal))).toBe(
      true,
    );
    const { rows } = await house.db.query<{ id: string; data: object }>("select id, data from assignment_events where assignment_id = $1 and type = 'finished'", [ids[0]]); // prettier-ignore
    await house.db.query('update assignment_events set data = data || \'{"byWhom": "somebody else"}\' where id = $1', [rows[0]!.id]);
    const astray = await pack({ of: { kind: 'person', id: crew['runa'] } });
    expect(astray.text('index.html')).toMatch(/1 entry of \d+ does not stand as sealed: event \d+, written on 8 Apr 2027/);
    expect((await verifyPack(astray.path)).faults).toEqual([expect.stringMatching(/^record\.jsonl, line \d+: event \d+ is not what was sealed/)]); // prettier-ignore
    await house.db.query('update assignment_events set data = $2 where id = $1', [rows[0]!.id, rows[0]!.data]);
  });
});

describe('a pack about more', () => {
  it('of a course as of a day that has passed: who finished and who was notified by both readings, and nothing that came after', async () => {
    const { text, files, path } = await pack({ of: { kind: 'course', id: course }, to: '2027-03-02' });
    expect((await verifyPack(path)).faults).toEqual([]);
    for (const list of ['who finished', 'who was notified'])
      for (const reading of ['as it was known then', 'as is known now']) expect(files[`facts/${list}, ${reading}.csv`]).toBeDefined();
    expect(table(text('facts/assignments.csv')).map((row) => [row['Person'], row['State at the end']]).sort()).toEqual(
      [['Kari Aske', 'not started'], ['Odd Aske', 'not started'], ['Per Aske', 'waived'], ['Runa Aske', 'not started']].sort(),
    ); // prettier-ignore
    const listed = table(text('facts/who finished, as is known now.csv'));
    const same = (row: Record<string, string>) => [
      row['Person'],
      row['State'] ?? row['State at the end'],
      row['Due'],
      row['How, or why not'],
      row['Days late'],
    ];
    expect(table(text('facts/assignments.csv')).map(same).sort()).toEqual(listed.map(same).sort());
    expect(table(text('facts/certificates.csv'))).toEqual([]);
    expect(table(text('facts/notices.csv')).every((row) => row['Moment']! < '2027-03-03')).toBe(true);
    const [act] = table(text('facts/acts by hand.csv')).filter((row) => row['Reason']!.startsWith('ashore'));
    expect(act).toMatchObject({ By: 'Sigrid Aune', 'Of these people': 'Per Aske' });
  });

  it('of a period: what was open or held in it; without messages only their list', async () => {
    const { files, text } = await pack({ of: { kind: 'period' }, from: '2027-03-20', to: '2027-03-31', withMessages: false });
    expect(names(files, 'messages/')).toEqual([]);
    // Runa holds what she finished, the others are late or waived
    expect(new Set(table(text('facts/assignments.csv')).map((row) => row['Person']))).toEqual(new Set(['Kari Aske', 'Odd Aske', 'Per Aske', 'Runa Aske'])); // prettier-ignore
    expect(table(text('facts/deliveries.csv')).length).toBeGreaterThan(0);
  });

  it('refuses what there is not, what has not come, and what holds nothing', async () => {
    const refused = (request: object) => previewPack(house.deps, PackRequest.parse({ from: null, to: null, ...request }));
    await expect(refused({ of: { kind: 'person', id: '999999' } })).rejects.toThrow('There is no such person, or not any more.');
    await expect(refused({ of: { kind: 'course', id: course }, to: '2028-01-01' })).rejects.toThrow('1 Jan 2028 has not come yet');
    expect((await refused({ of: { kind: 'period' }, from: '2020-01-01', to: '2020-02-01' })).fault).toMatch(
      /^Nothing of that time is on the record/,
    );
    expect(PackRequest.safeParse({ of: { kind: 'period' }, from: null, to: null }).success).toBe(false);
    expect(PackRequest.safeParse({ of: { kind: 'person', id: '1' }, from: '2027-02-01', to: '2027-01-01' }).success).toBe(false);
  });

  it('ends where somebody asks for that, and keeps nothing', async () => {
    const before = (await packsView(house.deps)).packs.length;
    const kept: { name: string; bytes: Buffer }[] = [];
    const work = { ...workInto(kept), at: (done: number) => (done > 0 ? Promise.reject(new Cancelled()) : Promise.resolve()) };
    await expect(makePack(house.deps, PackRequest.parse({ of: { kind: 'course', id: course }, from: null, to: null }), 'Elias Brekke', work)).rejects.toThrow(); // prettier-ignore
    expect(kept).toEqual([]);
    expect((await packsView(house.deps)).packs).toHaveLength(before);
  });
});

describe('what is kept of a person', () => {
  it('goes to them as JSON and PDF, with each message that they got and their certificates; and without what opens something', async () => {
    const { name, write } = await ownData(house.deps, crew['runa']!);
    expect(name).toBe('What is kept of Runa Aske, 2027-04-08.zip');
    const out = new PassThrough();
    const [bytes] = await Promise.all([buffer(out), write(out)]);
    const files = unzipSync(bytes);
    const text = Buffer.from(files['data.json']!).toString('utf8');
    const data = JSON.parse(text) as Record<string, Record<string, unknown>[]> & { person: Record<string, unknown> };
    expect(data.person).toMatchObject({ name: 'Runa Aske', manager: 'Odd Aske' });
    const { rows: kept } = await house.db.query<{ events: number; notices: number; messages: number }>(
      `select (select count(*)::integer from assignment_events where assignment_id = $1) as events,
         (select count(*)::integer from notices where person_id = $2 or recipient_id = $2) as notices,
         (select count(distinct message_id)::integer from notices where recipient_id = $2 and message_id is not null) as messages`,
      [ids[0], crew['runa']],
    );
    expect(data['events']).toHaveLength(kept[0]!.events);
    expect(data['notices']).toHaveLength(kept[0]!.notices);
    expect(Object.keys(files).filter((path) => path.startsWith('messages/'))).toHaveLength(kept[0]!.messages);
    expect(data['certificates']).toHaveLength(1);
    const { rows: secret } = await house.db.query<{ token: string }>('select token from assignments where id = $1', [ids[0]]);
    const whole = Object.values(files).map((file) => Buffer.from(file).toString('latin1')).join(''); // prettier-ignore
    expect(whole).not.toContain(secret[0]!.token);
    expect((await wordsOfPdf(Buffer.from(files['data.pdf']!))).join(' ')).toContain('What is kept of Runa Aske');
    await expect(ownData(house.deps, '999999')).rejects.toThrow('There is no such person');
  });
});

describe('rules as they were', () => {
  const event = (rules: string[] | null) => ({ at: '', byWhom: '', what: '', words: '', rules });
  it('the last that were kept by then; of what was never changed those of now; else nobody knows', () => {
    expect(rulesAt({ events: [event(['a']), event(null), event(['b']), event(null)], was_changed: true }, ['c'])).toEqual(['b']);
    expect(rulesAt({ events: [event(null)], was_changed: false }, ['c'])).toEqual(['c']);
    expect(rulesAt({ events: [event(null)], was_changed: true }, ['c'])).toBeNull();
  });
});

describe('a sample', () => {
  const draw = (query: object = {}) => sampleView(house.deps, SampleQuery.parse({ from: '2027-03-01', to: '2027-03-31', size: '2', seed: '7', ...query })); // prettier-ignore
  it('is the same each time, another with another seed, and the smaller is the beginning of the larger', async () => {
    const one = await draw();
    expect(one).toMatchObject({ of: 3, words: '2 people who were required from 1 Mar 2027 to 31 Mar 2027, as it was known then, seed 7' });
    expect(await draw()).toEqual(one);
    const all = await draw({ size: '30' });
    // who was waived was not required
    expect(all.rows.map(({ person }) => person.name).sort()).toEqual(['Kari Aske', 'Odd Aske', 'Runa Aske']);
    expect(all.rows.slice(0, 2)).toEqual(one.rows);
    const seeds = await Promise.all(['1', '2', '3', '4', '5', '6'].map((seed) => draw({ seed, size: '1' })));
    expect(new Set(seeds.map(({ rows }) => rows[0]!.person.id)).size).toBeGreaterThan(1);
    expect(all.rows.find(({ person }) => person.name === 'Runa Aske')).toMatchObject({ required: 1, finished: 1, late: 0, open: 0 });
    expect(all.rows.find(({ person }) => person.name === 'Odd Aske')).toMatchObject({ required: 1, finished: 0, late: 1, open: 0 });
  });

  it('of what was known then, stays the same when something is recorded later; and its pack has exactly these people', async () => {
    const before = await draw({ size: '30' });
    const tora = crew['tora']!;
    const { rows } = await house.db.query<{ email: string }>('select email from people where id = $1', [tora]);
    await recordCompletions(house.deps, CompletionsRequest.parse({ text: `person,course,finished on\n${rows[0]!.email},Fire Teams Aboard,2027-03-02`, reason: 'a list on paper' }), 'Sigrid Aune'); // prettier-ignore
    expect(await draw({ size: '30' })).toEqual(before);
    const now = await draw({ size: '30', known: 'now' });
    expect(now.of).toBe(before.of + 1);
    const { text } = await pack({
      of: { kind: 'sample', sample: SampleQuery.parse({ from: '2027-03-01', to: '2027-03-31', size: 2, seed: '7' }) },
    });
    expect(table(text('facts/people.csv')).map((row) => row['Person']).sort()).toEqual((await draw()).rows.map(({ person }) => person.name).sort()); // prettier-ignore
  });
});
