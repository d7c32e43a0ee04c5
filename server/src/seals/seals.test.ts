import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { tellSeals } from '@nudrik/contract';
import { oneRow, rows, transaction } from '../db/db.ts';
import { extend } from '../assignments/change.ts';
import { recordReport } from '../notices/dispatch.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, TestMailer, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { SEALED, sealLater } from './seals.repo.ts';
import { headAfter, sealsView, sealWaiting, verifyNow, verifySeals } from './seals.ts';

let house: TestHouse;
let crew: Record<string, string>;
let ids: string[];
const sealAll = async (): Promise<void> => {
  while ((await sealWaiting(house.deps)) > 0);
};

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  await house.db.query('update settings set settle_minutes = 0');
  house.mailer = new TestMailer();
  const course = await makeCourse(house, crew['tora']!);
  ids = await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
  await drain(house.deps, house.mailer);
  await extend(house.deps, { assignmentIds: ids, dueOn: '2027-03-26', dueTime: '17:00', reason: 'dry dock', told: null } as never, 'Sigrid Aune'); // prettier-ignore
  await drain(house.deps, house.mailer);
  await sealAll();
  // the next day somebody finishes, and a server tells what became of a mail
  house.clock.at += 86_400_000;
  const link = await linkInto(house, ids[0]!);
  for (const unit of (await findLearning(house.deps, link)).sections.flatMap(({ units }) => units))
    await markUnitDone(house.deps, link, unit.id);
  await drain(house.deps, house.mailer);
  const { id } = await oneRow<{ id: string }>(house.db, "select min(id) as id from deliveries where outcome = 'accepted'");
  await recordReport(house.deps, id, { action: 'delayed', words: 'busy', status: null, at: null } as never);
  await recordReport(house.deps, id, { action: 'delivered', words: 'there', status: null, at: null } as never);
  await sealAll();
});
afterAll(() => house.close());

/** What a look finds while something is otherwise; all is as before afterwards. */
async function found(...statements: string[]): Promise<{ words: string[]; days: (string | null)[] }> {
  const client = await house.db.connect();
  try {
    await client.query('begin');
    for (const statement of statements) await client.query(statement);
    const { faults } = await verifySeals(client);
    return { words: faults.map(({ words }) => words), days: faults.map(({ day }) => day) };
  } finally {
    await client.query('rollback');
    client.release();
  }
}

it('everything that is written is sealed, day by day, and stands', async () => {
  const report = await verifyNow(house.deps, null);
  expect(report.faults).toEqual([]);
  expect(tellSeals(report)).toMatch(/^All \d+ entries stand as they were written\.$/);
  const kinds = (await rows<{ kind: string }>(house.db, 'select distinct kind from seals')).map(({ kind }) => kind);
  expect(kinds.sort()).toEqual(SEALED.filter((kind) => kind !== 'sign-off' && kind !== 'erasure').sort());
  const { days, sealed, waiting } = await sealsView(house.db, null);
  expect(days.map(({ day }) => day)).toEqual(['2027-03-02', '2027-03-01']);
  expect(days.reduce((n, { count }) => n + count, 0)).toBe(sealed);
  expect(waiting).toBe(0);
  expect(report.head).toBe(days[0]!.head);
  expect(await verifyNow(house.deps, { day: '2027-03-01', head: days[1]!.head })).toMatchObject({ faults: [] });
});

describe('a look names what does not stand as it was written:', () => {
  const event = "(select min(id) from assignment_events where type = 'extended')";
  test.each<[string, string[], string, string]>([
    ['a date of an event', [`update assignment_events set at = at - interval '1 second' where id = ${event}`], 'an event (Runa Aske, ', 'was changed since'],
    ['what an event says', [`update assignment_events set data = data || '{"reason": "ill"}' where id = ${event}`], 'an event', 'was changed since'],
    ['who did it', [`update assignment_events set by_whom = 'Tora Aske' where id = ${event}`], 'an event', 'was changed since'],
    ['an event taken away', [`delete from assignment_events where id = ${event}`], 'an event, number', 'was removed'],
    ['an event put in', [`insert into assignment_events (assignment_id, type, at) select assignment_id, 'finished', at from assignment_events where id = ${event}`], 'An event', 'was put in by nobody of Nudrik'],
    ['what a message said', ["update messages set body = body || 'x' where id = (select min(id) from messages)"], 'a message (', 'was changed since'],
    ['whom a message went to', ["update messages set to_address = 'x@y.example' where id = (select min(id) from messages)"], 'a message (', 'was changed since'],
    ['what a server answered', ["update deliveries set answer = '250 fine' where id = (select min(id) from deliveries)"], 'what was answered', 'was changed since'],
    ['when it arrived', ["update deliveries set delivered_at = delivered_at - interval '1 day' where report is not null"], 'a report of what became', 'was changed since'],
    ['until when a certificate holds', ["update certificates set expires_on = expires_on + 365"], 'a certificate, number', 'was changed since'],
    ['the reason of an act', ["update acts set reason = 'none'"], 'an act by hand, number', 'was changed since'],
    ['a seal', ["update seals set hash = sha256('x') where step_id = (select min(step_id) from seals) and position = 0"], 'The seals of', 'were changed'],
    ['a seal taken away with what it seals', [`delete from seals where kind = 'event' and of_id = ${event}`, `delete from assignment_events where id = ${event}`], 'The seals of', 'were changed'],
  ])('%s', async (_, statements, what, became) => {
    const { words } = await found("set local session_replication_role = replica", ...statements);
    expect(words.join('\n')).toContain(what);
    expect(words.join('\n')).toContain(became);
  }); // prettier-ignore

  it('by the day on which it was written', async () => {
    expect((await found(`update assignment_events set by_whom = 'x' where id = ${event}`)).days).toEqual(['2027-03-01']);
    expect((await found("update assignment_events set by_whom = 'x' where type = 'finished'")).days).toEqual(['2027-03-02']);
  });
});

it('a chain that was made anew from the first day on is found by a head that somebody kept', async () => {
  const { days } = await sealsView(house.db, null);
  const kept = { day: days[1]!.day, head: days[1]!.head };
  const client = await house.db.connect();
  try {
    await client.query('begin');
    await client.query("update assignment_events set by_whom = 'Tora Aske' where type = 'extended'");
    // whoever may write to the database seals anew what they changed, and makes each head after it
    const steps = await rows<{ id: string; day: string }>(client, 'select id, day from seal_steps order by id');
    await client.query('delete from seals');
    let before: Buffer = Buffer.alloc(32);
    const { hashesOf } = await import('./seals.repo.ts');
    const events = (await rows<{ id: string }>(client, 'select id from assignment_events order by id')).map(({ id }) => id);
    const says = await hashesOf(client, 'event', events);
    const leaves = events.map((of_id) => ({ kind: 'event' as const, of_id, erasure_id: null, hash: says.get(of_id)! }));
    await client.query('delete from seal_steps where id <> $1::bigint', [steps[0]!.id]);
    before = headAfter(before, steps[0]!.day, leaves);
    await client.query('update seal_steps set head = $1::bytea, count = $2::integer', [before, leaves.length]);
    for (const [i, { of_id, hash }] of leaves.entries()) await client.query("insert into seals (step_id, position, kind, of_id, hash) values ($1::bigint, $2::integer, 'event', $3::bigint, $4::bytea)", [steps[0]!.id, i, of_id, hash]); // prettier-ignore
    const isChain = ({ what }: { what: string }): boolean => what === 'chain';
    expect((await verifySeals(client)).faults.filter(isChain)).toEqual([]);
    expect((await verifySeals(client, kept)).faults.filter(isChain).map(({ words }) => words)).toEqual([expect.stringContaining('is none of that day')]); // prettier-ignore
  } finally {
    await client.query('rollback');
    client.release();
  }
});

it('what is taken away on purpose is sealed as that, and is no fault; put back it is one', async () => {
  const gone = await oneRow<{ id: string }>(house.db, 'select max(id) as id from assignment_events');
  const { row } = await oneRow<{ row: string }>(house.db, 'select to_jsonb(e)::text as row from assignment_events e where id = $1::bigint', [gone.id]); // prettier-ignore
  await transaction(house.db, async (client) => {
    await sealLater(client, 'event', [gone.id]);
    await client.query('set local session_replication_role = replica');
    await client.query('delete from assignment_events where id = $1::bigint', [gone.id]);
  });
  await sealAll();
  const report = await verifyNow(house.deps, null);
  expect(report).toMatchObject({ faults: [], taken: 1 });
  expect(tellSeals(report)).toContain('1 entry was taken away on purpose.');
  const { words } = await found(`insert into assignment_events overriding system value select * from jsonb_populate_record(null::assignment_events, '${row}')`); // prettier-ignore
  expect(words).toEqual([expect.stringContaining('was removed and put back')]);
});

it('what was changed and sealed anew is a fault all the same; a report that follows another is none, sealed or not yet', async () => {
  const act = await oneRow<{ id: string; reason: string }>(house.db, 'select id, reason from acts order by id limit 1');
  await house.db.query("update acts set reason = 'none' where id = $1::bigint", [act.id]);
  await transaction(house.db, (client) => sealLater(client, 'act', [act.id]));
  await sealAll();
  expect((await verifyNow(house.deps, null)).faults.map(({ what }) => what)).toEqual(['changed']);
  await house.db.query('update acts set reason = $2::text where id = $1::bigint', [act.id, act.reason]);
  // as it was before, it is told that its second seal says otherwise
  expect((await verifyNow(house.deps, null)).faults).toHaveLength(1);
  await house.db.query("delete from seals where kind = 'act' and of_id = $1::bigint and step_id = (select max(step_id) from seals)", [
    act.id,
  ]);
  await house.db.query('delete from seal_steps where id = (select max(id) from seal_steps)');
  const { id } = await oneRow<{ id: string }>(house.db, 'select id from deliveries where report is not null');
  await recordReport(house.deps, id, { action: 'delivered', words: 'there, again', status: null, at: null } as never);
  expect((await verifyNow(house.deps, null)).faults).toEqual([]);
  await sealAll();
  expect((await verifyNow(house.deps, null)).faults).toEqual([]);
});

it('two workers seal each thing once', async () => {
  await extend(house.deps, { assignmentIds: [ids[1]!], dueOn: '2027-04-02', dueTime: '17:00', reason: 'again', told: null } as never, 'Sigrid Aune'); // prettier-ignore
  await Promise.all([1, 2, 3].map(() => sealWaiting(house.deps)));
  await sealAll();
  expect((await verifyNow(house.deps, null)).faults).toEqual([]);
  expect(
    await rows(
      house.db,
      "select kind, of_id from seals where kind <> 'report' and hash is not null group by kind, of_id having count(*) > 1",
    ),
  ).toEqual([]);
});
