import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { STANDARD_PLAN } from '@nudrik/core';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { rehearsalSchema } from './plans/rehearsal-schema.ts';
import { agreeOnKey } from './house/key.ts';
import { sealsView, sealWaiting } from './seals/seals.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from './testing.ts';

const path = (relative: string): string => fileURLToPath(new URL(relative, import.meta.url));
const nudrik = (args: string[], input = '', env: Record<string, string> = {}) =>
  spawnSync(process.execPath, [path('../bin/nudrik.mjs'), ...args], {
    input,
    encoding: 'utf8',
    env: { ...process.env, ...env },
  });
const EXAMPLE = path('../../docs/examples/extended-and-finished.json');
const example = (): Record<string, never> => JSON.parse(readFileSync(EXAMPLE, 'utf8')) as Record<string, never>;

describe('nudrik plan', () => {
  const dir = mkdtempSync(join(tmpdir(), 'plans-'));
  afterAll(() => rmSync(dir, { recursive: true }));
  const put = (name: string, steps: readonly object[]): string => {
    const file = join(dir, name);
    writeFileSync(file, JSON.stringify({ course: 'Fire Teams Aboard', steps }));
    return file;
  };
  const said = STANDARD_PLAN.map((step) =>
    step.id === 'two-days-to-go' ? { ...step, name: 'Soon', offset: { amount: -72, unit: 'hours' }, message: { ...step.message, subject: 'Due in two days' } } : step,
  ); // prettier-ignore

  it('check: 0 where nothing is to be known, 1 where something is, 2 for what is no plan', () => {
    const good = put('good.json', STANDARD_PLAN);
    expect(nudrik(['plan', 'check', good])).toMatchObject({
      status: 0,
      stdout: `${good}: nothing to be known of the 6 steps of Fire Teams Aboard.\n`,
    });
    const bad = put('bad.json', said);
    expect(nudrik(['plan', 'check', good, bad])).toMatchObject({ status: 1 });
    expect(nudrik(['plan', 'check', bad]).stdout).toBe(`${bad}: “Soon” says “in two days”, and it goes 72 hours before.\n`);
    const none = join(dir, 'none.json');
    writeFileSync(none, '{"course": "x"}');
    expect(nudrik(['plan', 'check', none])).toMatchObject({ status: 2 });
    expect(nudrik(['plan', 'check', none]).stderr).toMatch(/steps: /);
    expect(nudrik(['plan', 'check', join(dir, 'nowhere.json')]).stderr).toMatch(/cannot be read/);
    expect(nudrik(['plan'])).toMatchObject({ status: 2 });
  });

  it('diff: what is otherwise, line by line, and 1 where something is to be known of the second', () => {
    const [a, b] = [put('a.json', STANDARD_PLAN), put('b.json', said)];
    const { status, stdout } = nudrik(['plan', 'diff', a, b]);
    expect(status).toBe(1);
    // the same step under another name is no other step
    expect(stdout).toMatch(/Soon\n {2}- called “Two days to go”\n {2}- on, reminder: 48 hours before due, exactly then\n/);
    expect(stdout).toMatch(/ {2}\+ called “Soon”\n {2}\+ on, reminder: 72 hours before due, exactly then\n/);
    expect(stdout).not.toMatch(/^Two days to go$/m);
    expect(stdout).toMatch(/To know: “Soon” says “in two days”/);
    expect(nudrik(['plan', 'diff', b, a])).toMatchObject({ status: 0 });
    expect(nudrik(['plan', 'diff', a, a])).toMatchObject({ status: 0, stdout: 'Both say the same.\n' });
  });

  it('a plan’s own file is rehearsed in place of the steps of a rehearsal file', () => {
    const plan = put('plan.json', STANDARD_PLAN);
    const { status, stdout } = nudrik(['rehearse', EXAMPLE, plan]);
    expect(status).toBe(0);
    const lines = stdout.trim().split('\n').map((line) => (JSON.parse(line) as { step: string }).step); // prettier-ignore
    expect(new Set(lines)).toEqual(new Set(STANDARD_PLAN.map(({ id }) => id)));
  });

  it('the schema stands in the documentation as it is', () => {
    const kept = JSON.parse(readFileSync(path('../../docs/plan-file.schema.json'), 'utf8')) as unknown;
    expect(kept).toEqual(JSON.parse(nudrik(['schema', 'plan']).stdout));
  });
});

describe('nudrik rehearse', () => {
  it('plays the documented example, from a file and from standard input alike', () => {
    const { status, stdout } = nudrik(['rehearse', EXAMPLE]);
    expect(status).toBe(0);
    const lines = stdout
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as Record<string, unknown>);
    expect(lines.map(({ revision, occurrence, outcome, because, at }) => [revision, occurrence, outcome, because, at])).toEqual([
      [1, 0, 'skip', 'finished', '2027-03-31T07:00:00Z'],
      [1, 1, 'skip', 'finished', '2027-04-02T16:00:00Z'],
      [1, 2, 'skip', 'finished', '2027-04-06T07:00:00Z'],
      [1, 3, 'skip', 'finished', '2027-04-09T07:00:00Z'],
    ]);
    expect(Object.keys(lines[0]!)).toEqual([
      'assignment',
      'step',
      'revision',
      'occurrence',
      'to',
      'person',
      'outcome',
      'at',
      'held',
      'because',
      'sentence',
    ]);
    expect(nudrik(['rehearse', '-'], readFileSync(EXAMPLE, 'utf8')).stdout).toBe(stdout);
  });

  test.each<[string, (file: never) => unknown, RegExp]>([
    [
      'an unknown key',
      (file: { plan: { steps: object[] } }) => Object.assign(file.plan.steps[0]!, { colour: 1 }),
      /plan\.steps\[0\]: Unrecognized key: "colour"/,
    ],
    [
      'a wrong unit',
      (file: { plan: { steps: { offset: object }[] } }) => Object.assign(file.plan.steps[0]!.offset, { unit: 'fortnights' }),
      /plan\.steps\[0\]\.offset\.unit: expected one of .*; got "fortnights"/,
    ],
    [
      'a condition that is not known',
      (file: { plan: { steps: object[] } }) => Object.assign(file.plan.steps[0]!, { onlyIf: { mood: 'good' } }),
      /plan\.steps\[0\]\.onlyIf: expected a condition with one of .*; got mood/,
    ],
    [
      'a time of day with hours',
      (file: { plan: { steps: { offset: object }[] } }) => Object.assign(file.plan.steps[0]!.offset, { unit: 'hours' }),
      /a time of day \(09:00\) goes with days/,
    ],
    [
      'a zone that does not exist',
      (file: { calendars: { orla: object } }) => Object.assign(file.calendars.orla, { zone: 'Europe/Atlantis' }),
      /calendars\.orla\.zone: expected an IANA time zone .*; got "Europe\/Atlantis"/,
    ],
    [
      'an assignment of nobody',
      (file: { assignments: object[] }) => Object.assign(file.assignments[0]!, { person: 'ghost' }),
      /assignments\[0\]\.person: expected the id of one of the people; got "ghost"/,
    ],
  ] as [string, (file: never) => unknown, RegExp][])('refuses %s with its path, exit 2, nothing on standard output', (_, spoil, words) => {
    const file = example();
    spoil(file as never);
    const { status, stdout, stderr } = nudrik(['rehearse', '-'], JSON.stringify(file));
    expect([status, stdout]).toEqual([2, '']);
    expect(stderr).toMatch(words);
  });

  it('refuses what is not JSON, and a file that is not there', () => {
    expect(nudrik(['rehearse', '-'], '{').stderr).toContain('The file is not JSON');
    expect(nudrik(['rehearse', '/no/such/file.json']).status).toBe(2);
  });

  it('the schema in docs is the one made from the Zod schema', () => {
    expect(JSON.parse(readFileSync(path('../../docs/rehearsal-file.schema.json'), 'utf8'))).toEqual(
      JSON.parse(JSON.stringify(rehearsalSchema())),
    );
  });
});

describe('nudrik setup', () => {
  let house: TestHouse;
  beforeAll(async () => {
    house = await openTestHouse();
    await house.db.query('truncate settings, sites cascade');
  });
  afterAll(() => house.close());
  const args = [
    'setup',
    '--organisation',
    'Tarn Line',
    '--zone',
    'Europe/London',
    '--place',
    'Tarn Ness',
    '--sender',
    'training@tarn.example',
    '--admin',
    'ada@tarn.example',
    '--site',
    'Tarn Ness=Europe/London',
  ];

  it('refuses a short password in a sentence', () =>
    expect(
      nudrik(args, '', { BASE_URL: 'http://nudrik.example', DATABASE_URL: house.databaseUrl, NUDRIK_PASSWORD: 'short' }).stderr,
    ).toContain('expected at least 12 characters'));
  it('makes settings, sites and an administrator', async () => {
    const { stdout, stderr } = nudrik(args, '', {
      BASE_URL: 'http://nudrik.example',
      DATABASE_URL: house.databaseUrl,
      NUDRIK_PASSWORD: 'a long enough word',
    });
    expect(stdout || stderr).toContain('Tarn Line is set up');
    expect((await house.db.query('select role from accounts')).rows).toEqual([{ role: 'administrator' }]);
    expect((await house.db.query('select is_demo, reply_to from settings')).rows).toEqual([
      { is_demo: false, reply_to: 'training@tarn.example' },
    ]);
  });
  it('takes another key where the former one is lost, and counts anew what was astray', async () => {
    const env = { BASE_URL: 'http://nudrik.example', DATABASE_URL: house.databaseUrl };
    const key = 'a key of at least thirty-two letters';
    expect(nudrik(['new-key'], '', { ...env, NUDRIK_KEY: key }).stdout).toContain('The house has the present key now');
    await agreeOnKey(house.db, key);
    await expect(agreeOnKey(house.db, 'the former one')).rejects.toThrow('another key');
    expect(nudrik(['recount'], '', env).stdout).toBe('All counts say what there is.\n');
    await house.db.query("insert into figures (what, of_id, left_on, at, count) values ('open', 1, 'infinity', 'infinity', 3)");
    expect(nudrik(['recount'], '', env).stdout).toContain('open of 1: kept 3, counted none\n1 count was astray');
    expect((await house.db.query('select 1 from figures_astray()')).rowCount).toBe(0);
  });

  it('holds the record against its seals, and names what was changed', async () => {
    const other = await openTestHouse();
    const env = { BASE_URL: 'http://nudrik.example', DATABASE_URL: other.databaseUrl };
    const crew = await makeCrew(other);
    const course = await makeCourse(other, crew['tora']!);
    await assignAt(other, course, [crew['runa']!], '2027-03-19T16:00:00Z');
    while ((await sealWaiting(other.deps)) > 0);
    expect(nudrik(['verify'], '', env)).toMatchObject({
      status: 0,
      stdout: expect.stringMatching(/^(All \d+ entries stand as they were|The 1 entry stands as it was) written\.\n$/),
    });
    const { days } = await sealsView(other.db, null);
    expect(nudrik(['verify', days[0]!.day, days[0]!.head], '', env).status).toBe(0);
    expect(nudrik(['verify', days[0]!.day, 'a'.repeat(64)], '', env)).toMatchObject({
      status: 1,
      stdout: expect.stringContaining('is none of that day'),
    });
    expect(nudrik(['verify', days[0]!.day], '', env)).toMatchObject({ status: 2, stderr: expect.stringContaining('a day and the head') });
    expect(nudrik(['verify', '1 March', 'x'], '', env)).toMatchObject({ status: 2, stderr: expect.stringContaining('64 digits') });
    await other.db.query("update assignment_events set by_whom = 'nobody'");
    expect(nudrik(['verify'], '', env)).toMatchObject({
      status: 1,
      stdout: expect.stringMatching(/an event \(Runa Aske, .*was changed since\.[^]*not stand as (they were|it was) written/),
    });
    await other.close();
  });
});
