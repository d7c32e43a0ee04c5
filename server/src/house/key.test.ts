import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openTestHouse, type TestHouse } from '../testing.ts';
import { agreeOnKey, openKey, takeKey } from './key.ts';

let house: TestHouse;
let folder: string;
beforeAll(async () => {
  house = await openTestHouse();
  folder = mkdtempSync(join(tmpdir(), 'nudrik-key-'));
});
afterAll(async () => {
  rmSync(folder, { recursive: true });
  await house.close();
});

describe('the key of the house', () => {
  it('is made once, readable by nobody else, and is the same ever after', () => {
    const path = join(folder, 'data', 'nudrik.key');
    const key = openKey(path);
    expect(key).toMatch(/^[\w-]{43}$/);
    expect(openKey(path)).toBe(key);
    expect(statSync(path).mode & 0o077).toBe(0);
    expect(readFileSync(path, 'utf8').trim()).toBe(key);
  });
  it('is never made in place of one that was cut short', () => {
    const path = join(folder, 'short.key');
    writeFileSync(path, 'abc\n');
    expect(() => openKey(path)).toThrow('has 3 characters: expected at least 32');
  });
  it('says so where it cannot be made', () => {
    writeFileSync(join(folder, 'file'), '');
    expect(() => openKey(join(folder, 'file', 'nudrik.key'))).toThrow(/cannot be (made|read) .*Set NUDRIK_KEY/);
  });
  it('is one for all processes: one with another is told so, until it is taken', async () => {
    await agreeOnKey(house.db, 'the first key');
    await agreeOnKey(house.db, 'the first key');
    await expect(agreeOnKey(house.db, 'the second key')).rejects.toThrow('This house has another key than this process');
    await takeKey(house.db, 'the second key');
    await agreeOnKey(house.db, 'the second key');
    await expect(agreeOnKey(house.db, 'the first key')).rejects.toThrow('another key');
  });
});
