import { describe, expect, it, test } from 'vitest';
import { Zone } from '@nudrik/core';
import { placesOfPdf } from '../testing-pdf.ts';
import { bytesOfFile, type Table } from './table.ts';
import { writeTable } from './write-table.ts';

const MADE = { house: 'Orlasund Ferries', zone: Zone.of('Europe/Oslo'), zoneWords: 'Oslo time', now: Date.parse('2027-03-01T09:30:00Z') };
interface Row {
  name: string;
  at: string;
  words: string;
}
const tableOf = (count: number, words = 'in the course', columns = 0): Table<Row> => {
  const rows = Array.from({ length: count }, (_, i) => ({ name: `Person ${i + 1}`, at: '2027-02-28T23:30:00Z', words }));
  return {
    title: 'Who finished, Fire Teams Aboard',
    about: [['As of', 'the end of 1 Mar 2027, as it was known then']],
    columns: [
      { head: 'Person', width: 20, print: 20, cell: (row) => row.name },
      { head: 'Finished', width: 20, print: 12, cell: (row) => ({ at: row.at }) },
      { head: 'Left out', width: 20, cell: () => 'never printed' },
      { head: 'How', width: 60, print: 40, cell: (row) => row.words },
      ...Array.from({ length: columns }, (_, i) => ({
        head: `Course ${i}`,
        width: 20,
        print: 14,
        cell: () => '✓ holds it until 1 Mar 2028',
      })),
    ],
    parts: (async function* () {
      for (let from = 0; from < rows.length; from += 10) yield await Promise.resolve(rows.slice(from, from + 10));
    })(),
    total: count,
  };
};
const printed = async (table: Table<Row>) => placesOfPdf(await bytesOfFile((out) => writeTable('pdf', out, table, MADE)));

describe('a table as PDF', () => {
  // tagged, and with more rows than are
  test.each([0, 1, 100, 2_100])('of %i rows has each once, one below the other, with its head on every page', async (count) => {
    const places = await printed(tableOf(count));
    const names = places.filter(({ text }) => /^Person \d/.test(text));
    expect(names.map(({ text }) => text)).toEqual(Array.from({ length: count }, (_, i) => `Person ${i + 1}`));
    for (const [i, { page, y }] of names.entries()) {
      const before = names[i - 1];
      if (before && before.page === page) expect(before.y - y).toBeGreaterThan(9);
      else if (before) expect(page).toBe(before.page + 1);
    }
    const pages = Math.max(...places.map(({ page }) => page));
    for (const text of ['Person', 'Finished', 'How', 'Who finished, Fire Teams Aboard, Orlasund Ferries'])
      expect(places.filter((place) => place.text === text).map(({ page }) => page)).toEqual(Array.from({ length: pages }, (_, i) => i + 1));
    expect(places.some(({ text }) => text === 'never printed')).toBe(false);
    // the day of the house, not of UTC
    if (count > 0) expect(places.filter(({ text }) => text === '1 Mar 2027')).toHaveLength(count);
    expect(places.map(({ text }) => text).join(' ')).toContain('Made: Mon 1 Mar 2027 10:30');
  });

  it('wraps what is long, within its column and its page', async () => {
    const places = await printed(tableOf(30, 'withdrawn by Sigrid Aune: '.repeat(12)));
    for (const { x, y } of places) {
      expect(x).toBeGreaterThanOrEqual(36);
      expect(x).toBeLessThan(842 - 36);
      expect(y).toBeGreaterThan(20);
    }
    const starts = places.filter(({ text }) => /^Person \d/.test(text));
    expect(new Set(starts.map(({ page }) => page)).size).toBeGreaterThan(1);
  });

  it('of sixty courses is set on a larger sheet', async () => {
    const places = await printed(tableOf(3, 'in the course', 60));
    expect(Math.max(...places.map(({ x }) => x))).toBeGreaterThan(1_700);
  });
});
