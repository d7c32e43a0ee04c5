import request from 'supertest';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { JobView } from '@nudrik/contract';
import { createApp } from '../app.ts';
import { hashPassword } from '../access/sessions.ts';
import { rows } from '../db/db.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { forgetOldJobs } from './jobs.ts';
import { drainJobs } from './run-jobs.ts';

/** What is long work in a large house answers the same as it does at once in a small one. */
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let agent: ReturnType<typeof request.agent>;
let csrf = '';

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await house.db.query(
    "insert into accounts (email, name, role, password_hash) values ('sigrid@orlasund.example', 'Sigrid Aune', 'administrator', $1::text)",
    [await hashPassword('orlasund')],
  );
  await house.db.query('update settings set settle_minutes = 0');
  agent = request.agent(createApp(house.deps, null));
  const { body } = await agent
    .post('/api/session')
    .set('x-csrf-token', 'none')
    .send({ email: 'sigrid@orlasund.example', password: 'orlasund' });
  csrf = body.csrf;
});
afterAll(() => house.close());
const setAbove = (count: number): void => void (house.deps.settings.jobAbove = count);
beforeEach(() => setAbove(-1));

const post = (path: string, body: object | Buffer, method: 'post' | 'put' = 'post') => {
  const call = agent[method](path).set('x-csrf-token', csrf);
  return Buffer.isBuffer(body) ? call.set('content-type', 'application/octet-stream').send(body) : call.send(body);
};
/** Asks as in a large house, runs the work, and gives what came of it. */
async function long(path: string, body: object | Buffer, method: 'post' | 'put' = 'post'): Promise<JobView> {
  const begun = await post(path, body, method).expect(202);
  await drainJobs(house.deps);
  return (await agent.get(`/api/jobs/${begun.body.job}`).expect(200)).body as JobView;
}
async function short(path: string, body: object | Buffer): Promise<unknown> {
  setAbove(2_000);
  return (await post(path, body).expect(200)).body;
}

const draft = {
  name: 'Fire teams', courseId: '1', audience: { all: [] }, due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' }, dueTime: '17:00', graceDays: 7, creditMonths: null,
  renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask',
}; // prettier-ignore

describe('long work over HTTP', () => {
  it('previews and switches a requirement on and off as it would at once', async () => {
    const body = { id: null, draft: { ...draft, courseId: course } };
    const preview = await long('/api/requirements/preview', body);
    expect(preview).toMatchObject({ state: 'done', words: 'Working out what “Fire teams” would do' });
    expect(preview.result).toEqual(await short('/api/requirements/preview', body));
    const { id } = (await post('/api/requirements', body.draft).expect(200)).body as { id: string };
    setAbove(-1);
    expect((await long(`/api/requirements/${id}/on`, { version: 1 })).result).toMatchObject({ id, assigned: 5 });
    // it came twice: the second is refused, as it would have been
    expect(await long(`/api/requirements/${id}/on`, { version: 1 })).toMatchObject({ state: 'failed', refusal: { code: 'stale' } });
    expect((await long(`/api/requirements/${id}/off`, { version: 2, outside: 'withdraw' })).result).toMatchObject({ withdrawn: 5 });
    await agent.get('/api/requirements/99/on').expect(404);
  });

  it('assigns, previews a plan, and exports a report', async () => {
    const body = { courseId: course, personIds: [], departments: ['Deck'], sites: [], groups: [], dueOn: '2027-03-19' };
    expect((await long('/api/assignments/preview', body)).result).toEqual(await short('/api/assignments/preview', body));
    setAbove(-1);
    expect((await long('/api/assignments', body)).result).toMatchObject({ assigned: 4 });
    await drain(house.deps, house.mailer);
    const plan = (await agent.get(`/api/plans/${course}`).expect(200)).body as { version: number; steps: unknown[] };
    const preview = { version: plan.version, steps: plan.steps.slice(0, 2) };
    expect((await long(`/api/plans/${course}/preview`, preview)).result).toEqual(await short(`/api/plans/${course}/preview`, preview));

    setAbove(-1);
    for (const kind of ['csv', 'xlsx'] as const) {
      const job = await long('/api/reports/file', { kind, of: { report: 'course', course, sort: 'name' } });
      expect(job).toMatchObject({ state: 'done', result: { href: `/api/jobs/${job.id}/file` } });
      const file = await agent.get(`/api/jobs/${job.id}/file`).expect(200);
      expect(file.headers['content-disposition']).toContain(`.${kind}`);
      const { href } = (await short('/api/reports/file', { kind, of: { report: 'course', course, sort: 'name' } })) as { href: string };
      const bare = await agent.get(href).expect(200);
      if (kind === 'csv') expect(file.text).toBe(bare.text);
      setAbove(-1);
    }
  });

  it('an export that is cancelled ends, whatever it writes, and makes no file', async () => {
    await assignAt(house, course, [crew['kari']!], '2027-03-19T16:00:00Z').catch(() => undefined);
    for (const kind of ['csv', 'xlsx'] as const) {
      const begun = await post('/api/reports/file', { kind, of: { report: 'course', course } }).expect(202);
      await house.db.query('update jobs set cancel_asked = true where id = $1::bigint', [begun.body.job]);
      await drainJobs(house.deps);
      expect((await agent.get(`/api/jobs/${begun.body.job}`)).body).toMatchObject({ state: 'cancelled', fileId: null });
    }
  });

  it('what it worked on is forgotten after a day, that there was such work after a month', async () => {
    const [{ id }] = await rows<{ id: string }>(
      house.db,
      "with f as (insert into files (name, type) values ('crew.csv', 'text/csv') returning id) insert into jobs (kind, words, input, file_id, by_whom, state, result, ended_at) select 'import', 'Taking', '{}', id, 'Sigrid', 'done', '{}', now() - interval '2 days' from f returning id",
    ) as [{ id: string }]; // prettier-ignore
    await forgetOldJobs(house.db);
    expect(await rows(house.db, 'select file_id, result from jobs where id = $1::bigint', [id])).toEqual([{ file_id: null, result: null }]);
    expect(await rows(house.db, "select 1 from files where name = 'crew.csv'")).toEqual([]);
    await house.db.query("update jobs set ended_at = now() - interval '31 days' where id = $1::bigint", [id]);
    await forgetOldJobs(house.db);
    expect(await rows(house.db, 'select 1 from jobs where id = $1::bigint', [id])).toEqual([]);
  });

  it('foresees a roster file, takes it and undoes it', async () => {
    await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z').catch(() => undefined);
    const facts = (await agent.get('/api/people/roster').expect(200)).body as { mark: string };
    const file = Buffer.from('name,email,department,site\nNora Vik,nora@orlasund.example,Deck,Orla Quay\n');
    const order = { fileName: 'crew.csv', mark: facts.mark, columns: ['name', 'email', 'department', 'site'], dateOrder: 'dmy', isComplete: false, emptyCells: 'keep', groups: { added: true, changed: true, returned: true, left: true }, confirmedLeft: null }; // prettier-ignore
    const query = `order=${encodeURIComponent(JSON.stringify(order))}`;
    expect((await long(`/api/people/imports/foresee?${query}`, file)).state).toBe('done');
    const taken = await long(`/api/people/imports?${query}`, file);
    expect(taken.result).toMatchObject({ added: 1 });
    expect(await rows(house.db, "select 1 from people where email = 'nora@orlasund.example'")).toHaveLength(1);
    expect(await long(`/api/people/imports?${query}`, file)).toMatchObject({ state: 'failed', refusal: { code: 'stale' } });
    const { id } = taken.result as { id: string };
    expect((await long(`/api/people/imports/${id}/undo`, {})).result).toEqual({ done: true });
    expect(await rows(house.db, "select 1 from people where email = 'nora@orlasund.example'")).toEqual([]);
  });

  it('extends, waives, records completions, takes an act back and saves settings; who cancels has changed nothing', async () => {
    await house.db.query('update settings set settle_minutes = 60');
    const another = await makeCourse(house, crew['tora']!, undefined, 'Lines');
    const ids = await assignAt(house, another, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
    const dues = () => rows<{ due: string; closed: string | null }>(house.db, 'select due_at::text as due, closed_by as closed from assignments where id = any($1::bigint[]) order by id', [ids]); // prettier-ignore
    const before = await dues();
    const extension = { assignmentIds: ids, dueOn: '2027-03-26', reason: 'a week at sea' };
    const begun = await post('/api/assignments/extend', extension).expect(202);
    await house.db.query('update jobs set cancel_asked = true where id = $1::bigint', [begun.body.job]);
    await drainJobs(house.deps);
    expect(await dues()).toEqual(before);
    const { result } = await long('/api/assignments/extend', extension);
    expect(result).toMatchObject({ actId: expect.any(String) });
    expect((await dues()).every(({ due }) => due.startsWith('2027-03-26'))).toBe(true);
    // twice: refused, as it would have been
    expect(await long('/api/assignments/extend', extension)).toMatchObject({ state: 'failed', refusal: { code: 'wrong-input' } });
    expect((await long(`/api/assignments/acts/${(result as { actId: string }).actId}/undo`, {})).result).toEqual({ done: true });
    expect(await dues()).toEqual(before);
    const waiver = { assignmentIds: ids.slice(0, 1), reason: 'ashore', until: null };
    expect((await long('/api/assignments/waive', waiver)).state).toBe('done');
    const list = { text: 'email,finished on\nper@orlasund.example,2027-02-01\n', courseId: another, reason: 'paper', dateOrder: 'ymd' };
    expect((await long('/api/assignments/completions/preview', list)).result).toEqual(
      await short('/api/assignments/completions/preview', list),
    );
    setAbove(-1);
    expect((await long('/api/assignments/completions', list)).state).toBe('done');
    expect((await dues()).map(({ closed }) => closed)).toEqual(['waived', 'finished']);

    const { body: settings } = await agent.get('/api/settings').expect(200);
    const { changedAt: _, changedBy: __, mailServer: ___, isDemo: ____, ...own } = settings as Record<string, unknown>;
    const saved = await long('/api/settings', { ...own, zone: 'Europe/London', windowFrom: '09:00' }, 'put');
    expect(saved.result).toMatchObject({ zone: 'Europe/London', windowFrom: '09:00', changedBy: 'Sigrid Aune' });
    // a name is saved at once
    await post('/api/settings', { ...(saved.result as object), organisation: 'Orlasund Lines' }, 'put').expect(200);
  });
});
