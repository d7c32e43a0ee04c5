import { afterAll, beforeAll, expect, it } from 'vitest';
import { openTestHouse, type TestHouse } from '../testing.ts';
import { partsOfQuery } from './cursor.ts';

let house: TestHouse;
beforeAll(async () => {
  house = await openTestHouse();
});
afterAll(() => house.close());

const numbers = (upTo: number) => partsOfQuery<{ n: number }>(house.db, 'select n from generate_series(1, $1::integer) n', [upTo], 100);

it.each([0, 1, 99, 100, 101, 1_000])('reads %i rows in parts, each once', async (upTo) => {
  const found: number[] = [];
  for await (const part of numbers(upTo)) {
    expect(part.length).toBeLessThanOrEqual(100);
    found.push(...part.map(({ n }) => n));
  }
  expect(found).toEqual(Array.from({ length: upTo }, (_, i) => i + 1));
});

it('gives its connection back, however it ends', async () => {
  for (let i = 0; i < 30; i++) for await (const part of numbers(500)) if (part[0]!.n > 200) break;
  const broken = async (): Promise<void> => {
    for await (const _ of partsOfQuery(house.db, 'select 1 / (n - 150) as n from generate_series(1, 300) n', [], 100));
  };
  for (let i = 0; i < 30; i++) await expect(broken()).rejects.toThrow('division by zero');
  const [{ n }] = (await house.db.query<{ n: number }>('select 1 as n')).rows as [{ n: number }];
  expect(n).toBe(1);
});

it('is of one moment: what is changed meanwhile is not in it', async () => {
  await house.db.query('create table if not exists numbers_there (n integer)');
  await house.db.query('insert into numbers_there select generate_series(1, 300)');
  const found: number[] = [];
  for await (const part of partsOfQuery<{ n: number }>(house.db, 'select n from numbers_there order by n', [], 100)) {
    found.push(part.length);
    await house.db.query('delete from numbers_there where n > 100');
  }
  expect(found).toEqual([100, 100, 100]);
  await house.db.query('drop table numbers_there');
});
