import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { STANDARD_PLAN } from '@nudrik/core';
import { rows, transaction } from '../db/db.ts';
import { apart } from '../db/apart.ts';
import { todayNeeds } from '../reports/needs.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { retryAside } from './set-aside.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
const PLAN = STANDARD_PLAN.filter(({ kind }) => kind === 'invitation' || kind === 'reminder');

beforeEach(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!, PLAN);
});
afterEach(() => house.close());

/** People of whom `drain` has to write to each. */
const addPeople = async (count: number): Promise<string[]> =>
  (
    await rows<{ id: string }>(
      house.db,
      `insert into people (name, email, department_id, site_id)
       select 'Deckhand ' || n, 'deckhand' || n || '@orlasund.example', (select min(id) from departments), (select min(id) from sites)
       from generate_series(1, $1::integer) n returning id`,
      [count],
    )
  ).map(({ id }) => id);

/** Ways in which what is stored about one person or assignment cannot be worked with. */
const POISONS = {
  // stands for whatever a former version let in
  'a due date without end': (id: string) => house.db.query(`update assignments set first_due_at = 'infinity' where id = $1::bigint`, [id]),
  'an extension to no date': (id: string) =>
    house.db.query(
      `insert into assignment_events (assignment_id, type, at, data)
       select id, 'extended', assigned_at, '{"dueAt": "soon"}' from assignments where id = $1::bigint`,
      [id],
    ),
  'a zone that there is not': (id: string) =>
    house.db.query(
      `with s as (insert into sites (name, zone) values ('Lost ' || $1::text, 'Nowhere/None') returning id)
       update people set site_id = (select id from s) where id = (select person_id from assignments where id = $1::bigint)`,
      [id],
    ),
};
const kinds = Object.keys(POISONS) as (keyof typeof POISONS)[];

describe('one bad row never stops the rest', () => {
  it('of 1,000 assignments with some poisoned, the others are sent, whenever the poison comes', { timeout: 120_000 }, async () => {
    const people = await addPeople(1_000);
    const ids = await assignAt(house, course, people, '2027-03-19T16:00:00Z');
    const [before, after] = fc.sample(
      fc.uniqueArray(fc.record({ at: fc.nat(999), kind: fc.constantFrom(...kinds) }), { minLength: 3, maxLength: 9, selector: ({ at }) => at }),
      { numRuns: 1, seed: Number(process.env['FUZZ_SEED'] ?? 7) },
    ).map((list) => [list.slice(0, 2), list.slice(2)] as const)[0]!; // prettier-ignore
    await house.db.query('analyze');
    for (const { at, kind } of before) await POISONS[kind](ids[at]!);
    const { planWaiting } = await import('../notices/plan.ts');
    while ((await planWaiting(house.deps)) > 0);
    await house.db.query('analyze');
    for (const { at, kind } of after) await POISONS[kind](ids[at]!);
    await drain(house.deps, house.mailer);
    const poisoned = new Set([...before, ...after].map(({ at }) => ids[at]!));
    const sent = await rows<{ assignment_id: string }>(house.db, "select assignment_id from notices where state = 'sent'");
    expect(new Set(sent.map((row) => row.assignment_id))).toEqual(new Set(ids.filter((id) => !poisoned.has(id))));
    expect(house.mailer.letters).toHaveLength(1_000 - poisoned.size);
    const aside = (await todayNeeds(house.deps)).filter(({ kind }) => kind === 'set-aside');
    expect(aside.length).toBeGreaterThan(0);
    for (const need of aside) expect(need.act.does).toBe('try-again');
  });

  it('what was set aside goes as soon as it can be worked out, when somebody asks', async () => {
    const [first, second] = await assignAt(house, course, [crew['runa']!, crew['per']!], '2027-03-19T16:00:00Z');
    await POISONS['a due date without end'](first!);
    await drain(house.deps, house.mailer);
    expect(house.mailer.letters.map(({ toName }) => toName)).toEqual(['Per Aske']);
    expect((await todayNeeds(house.deps)).find(({ kind }) => kind === 'set-aside')?.words).toMatch(
      /^The notices of Runa Aske for Fire Teams Aboard cannot be planned: .+\. Set aside since Mon 1 Mar 10:30; everybody else goes on/,
    );
    await house.db.query("update assignments set first_due_at = '2027-03-19T16:00:00Z' where id = $1::bigint", [first]);
    await retryAside(house.deps, false);
    await drain(house.deps, house.mailer);
    expect(house.mailer.letters).toHaveLength(1);
    await retryAside(house.deps, true);
    await drain(house.deps, house.mailer);
    expect(house.mailer.letters.map(({ toName }) => toName)).toEqual(['Per Aske', 'Runa Aske']);
    expect(await rows(house.db, 'select * from set_aside')).toEqual([]);
    expect(second).toBeDefined();
  });

  it('a person whom the requirements cannot be asked about stops nobody', async () => {
    const { reconcileWaiting } = await import('../requirements/reconcile.ts');
    await house.db.query(
      `with s as (insert into sites (name, zone) values ('Lost', 'Nowhere/None') returning id)
       update people set site_id = (select id from s) where id = $1::bigint`,
      [crew['runa']],
    );
    await house.db.query('insert into reconcile (person_id) select id from people');
    expect(await reconcileWaiting(house.deps)).toBe(5);
    expect(await rows(house.db, 'select doing, ref from set_aside')).toEqual([{ doing: 'reconcile', ref: crew['runa'] }]);
  });
});

describe('working apart', () => {
  const work = async (bad: ReadonlySet<number>, items: readonly number[]) => {
    const calls: number[][] = [];
    const done = await transaction(house.db, (client) =>
      apart(client, items, async (some) => {
        calls.push([...some]);
        if (some.some((item) => bad.has(item))) await client.query('select 1 / 0');
        return some;
      }),
    );
    return { ...done, calls };
  };

  it('finds each culprit and works on all the others at once', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uniqueArray(fc.nat(63), { maxLength: 6 }), async (bad) => {
        const items = Array.from({ length: 64 }, (_, index) => index);
        const { results, failed, calls } = await work(new Set(bad), items);
        expect(failed.map(({ item }) => item).sort((a, b) => a - b)).toEqual([...bad].sort((a, b) => a - b));
        expect(results).toEqual([items.filter((item) => !bad.includes(item))]);
        expect(calls.length).toBeLessThanOrEqual(2 + 14 * bad.length);
      }),
      { numRuns: 15 },
    );
  });

  it('goes part by part where only all together fail, and leaves what passes by itself to be tried again', async () => {
    const together = await transaction(house.db, (client) =>
      apart(client, [1, 2, 3, 4], async (some) => {
        if (some.length === 4) await client.query('select 1 / 0');
        return some;
      }),
    );
    expect(together).toEqual({ results: [[1, 2], [3, 4]], failed: [] }); // prettier-ignore
    const gone = transaction(house.db, (client) =>
      apart(client, [1, 2], () => client.query("do $$ begin raise exception 'busy' using errcode = '40P01'; end $$")),
    );
    await expect(gone).rejects.toThrow('busy');
  });
});
