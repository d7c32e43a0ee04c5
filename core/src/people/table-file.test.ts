import { describe, expect, it, test } from 'vitest';
import { decode, findDelimiter, readTable, writeCsv } from './table-file.ts';
import { findDateOrder, matchColumns, readDate } from './matching.ts';

const utf8 = (text: string): Uint8Array => new TextEncoder().encode(text);
const utf16 = (text: string, isBig = false, mark = true): Uint8Array => {
  const units = [...(mark ? [0xfeff] : []), ...Array.from(text, (char) => char.charCodeAt(0))];
  return Uint8Array.from(units.flatMap((unit) => (isBig ? [unit >> 8, unit & 255] : [unit & 255, unit >> 8])));
};
const NORSE = 'navn;sted\nBjørn Ås;Orla Quay\n';

describe('the text of a file', () => {
  test.each<[string, Uint8Array, string]>([
    ['UTF-8', utf8(NORSE), 'utf-8'],
    ['UTF-8 with a mark', utf8(`\ufeff${NORSE}`), 'utf-8'],
    ['UTF-16, little end first', utf16(NORSE), 'utf-16le'],
    ['UTF-16, big end first', utf16(NORSE, true), 'utf-16be'],
    ['UTF-16 without a mark', utf16(NORSE, false, false), 'utf-16le'],
    ['UTF-16, big end first, without a mark', utf16(NORSE, true, false), 'utf-16be'],
    ['Windows-1252', Uint8Array.from(NORSE, (char) => char.charCodeAt(0)), 'windows-1252'],
    ['the dash and the euro of Windows-1252', Uint8Array.from([0x80, 0x96, 0x41]), 'windows-1252'],
  ])('%s', (_, bytes, encoding) => expect(decode(bytes).encoding).toBe(encoding));
  it('reads the same text from all of them', async () => {
    for (const bytes of [
      utf8(NORSE),
      utf8(`\ufeff${NORSE}`),
      utf16(NORSE),
      utf16(NORSE, true),
      utf16(NORSE, false, false),
      Uint8Array.from(NORSE, (c) => c.charCodeAt(0)),
    ])
      // prettier-ignore
      expect((await readTable(bytes)).cells.slice(0, 2)).toEqual([
        ['navn', 'sted'],
        ['Bjørn Ås', 'Orla Quay'],
      ]);
  });
});

describe('the cells of a file', () => {
  test.each([
    [';', 'name;email\nBo;bo@x.example\n'],
    ['\t', 'name\temail\nBo\tbo@x.example\n'],
    ['|', 'name|email\nBo|bo@x.example'],
    [',', 'name,email\r\nBo,bo@x.example\r\n'],
    [';', 'name;email\n"Vold; Bo";bo@x.example\n'],
    [',', 'name,note\nBo,"a; b; c"\n'],
  ])('separated by %j', async (delimiter, text) => {
    expect(findDelimiter(text)).toBe(delimiter);
    expect((await readTable(utf8(text))).cells[0]).toHaveLength(2);
  });
  it('a value may hold line ends and quotation marks', async () =>
    expect((await readTable(utf8('name,about\nBo,"one\ntwo ""three"""\n'))).cells[1]).toEqual(['Bo', 'one\ntwo "three"']));
  it('tells how far it is, up to the end', async () => {
    const shares: number[] = [];
    await readTable(utf8(`name,email\n${'Bo Vold,bo.vold@orlasund.example\n'.repeat(30_000)}`), (share) => shares.push(share));
    expect(shares.length).toBeGreaterThan(2);
    expect([...shares].sort((a, b) => a - b)).toEqual(shares);
    expect(shares.at(-1)).toBe(1);
  });
  test.each<[string, Uint8Array, RegExp]>([
    ['nothing', new Uint8Array(), /0 bytes/],
    ['a PDF', utf8('%PDF-1.4'), /a PDF, whatever/],
    ['a picture', Uint8Array.from([0x89, 0x50, 0x4e, 0x47]), /a picture/],
    ['an old workbook', Uint8Array.from([0xd0, 0xcf, 0x11, 0xe0]), /old kind/],
    ['a ZIP that is no workbook', utf8('PK\u0003\u0004xxxx'), /not a workbook/],
    ['bytes of nothing', utf8('a\0b,c'), /not a text file/],
    ['a quotation mark left open', utf8('name,email\nBo,bo@x.example\n"Ane,ane@x.example\n'), /row 3.*never closed/],
  ])('%s is refused by what it is', async (_, bytes, words) => expect(readTable(bytes)).rejects.toThrow(words));
});

describe('dates', () => {
  test.each<[string, 'ymd' | 'dmy' | 'mdy', string | null]>([
    ['2026-05-11', 'ymd', '2026-05-11'],
    ['2026-5-1', 'dmy', '2026-05-01'],
    ['11.05.2026', 'dmy', '2026-05-11'],
    ['5/11/2026', 'mdy', '2026-05-11'],
    ['2026-05-11T00:00:00', 'ymd', '2026-05-11'],
    ['11.05.2026', 'ymd', null],
    ['31.02.2026', 'dmy', null],
    ['11.05.26', 'dmy', null],
    ['soon', 'dmy', null],
  ])('%s as %s', (text, order, expected) => expect(readDate(text, order)).toBe(expected));
  test.each<[string, string[], string, boolean]>([
    ['a day over 12 tells', ['03.04.2026', '13.04.2026'], 'dmy', true],
    ['a month second over 12 tells', ['04/03/2026', '04/13/2026'], 'mdy', true],
    ['nothing tells: day first, and somebody has to look', ['03/04/2026'], 'dmy', false],
    ['dots tell', ['03.04.2026'], 'dmy', true],
    ['ISO dates need nobody', ['2026-04-03', ''], 'ymd', true],
  ])('%s', (_, values, dateOrder, isDateOrderSure) => expect(findDateOrder(values)).toEqual({ dateOrder, isDateOrderSure }));
});

describe('columns are matched', () => {
  const known = { remembered: {}, sites: ['Orla Quay', 'Tarn Ness'], departments: ['Deck', 'Engine'] };
  const matched = (table: string[][], rest: object = {}) =>
    matchColumns(table, { ...known, ...rest }).matches.map(({ column, how }) => `${column} by ${how}`);
  it('by name', () => expect(matched([['Employee No', 'Full name', 'Work e-mail', 'Dept', 'Place', 'Reports to', 'Start date']])).toEqual(['personnel number by name', 'name by name', 'email by name', 'department by name', 'site by name', 'manager by name', 'joined on by name'])); // prettier-ignore
  it('by what stands in them', () => {
    const row = (n: number) => [`OF-${n}`, `Runa Aske${'abcdefgh'[n]!}`, `p${n}@orlasund.example`, 'boss@orlasund.example', 'Deck', 'Tarn Ness', `0${n + 1}.04.2020`, 'x']; // prettier-ignore
    expect(matched([['A', 'B', 'C', 'D', 'E', 'F', 'G', 'H'], ...[0, 1, 2, 3, 4].map(row)])).toEqual([
      'personnel number by content', 'name by content', 'email by content', 'manager by content', 'department by content', 'site by content', 'joined on by content', 'null by none',
    ]); // prettier-ignore
  });
  it('as somebody corrected them the last time, “ignore” too', () =>
    expect(matched([['Name', 'Contact', 'Site']], { remembered: { contact: 'email', name: null } })).toEqual([
      'null by remembered',
      'email by remembered',
      'site by name',
    ]));
  it('each field once', () => expect(matched([['Name', 'Full name']])).toEqual(['name by name', 'null by none']));
});

it('writes CSV that it reads again, without what a spreadsheet program would run', async () => {
  const cells = [['row', 'reason'], ['7', 'There is no site "Orla Key"; expected\none of these'], ['8', '=1+2'], ['9', 'Bjørn, Åse']]; // prettier-ignore
  const text = writeCsv(cells);
  expect(text.startsWith('\ufeffrow,reason\r\n')).toBe(true);
  const { cells: read } = await readTable(utf8(text));
  expect(read.slice(0, 4)).toEqual([cells[0], cells[1], ['8', "'=1+2"], cells[3]]);
});
