import { strToU8, zipSync } from 'fflate';
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

describe('a file that is made to hurt', () => {
  const sheet = (cells: string): string =>
    `<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>${cells}</sheetData></worksheet>`;
  const workbook = (parts: Record<string, Uint8Array>): Uint8Array =>
    zipSync({
      '[Content_Types].xml': strToU8('<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>'),
      'xl/workbook.xml': strToU8('<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"/>'),
      ...parts,
    });
  const cell = (at: string): string => `<row><c r="${at}" t="inlineStr"><is><t>x</t></is></c></row>`;
  test.each<[string, () => Uint8Array, RegExp]>([
    ['a cell in the last corner', () => workbook({ 'xl/worksheets/sheet1.xml': strToU8(sheet(cell('XFD1048576'))) }), /a cell stands in column 16384, row 1048576/],
    ['a cell far down', () => workbook({ 'xl/worksheets/sheet1.xml': strToU8(sheet(cell('A1') + ' '.repeat(40_000) + cell('B900000'))) }), /row 900000/],
    ['a bomb', () => workbook({ 'xl/worksheets/sheet1.xml': new Uint8Array(90_000_000) }), /inflates to more than 80 MB/],
    ['a bomb in a part that is no sheet', () => workbook({ 'xl/media/x.bin': new Uint8Array(90_000_000) }), /inflates to more than 80 MB/],
    ['thousands of parts', () => workbook(Object.fromEntries(Array.from({ length: 2_100 }, (_, n) => [`x/${n}`, strToU8('x')]))), /more than 2000 parts/],
    ['nothing but quotation marks', () => strToU8(`name;email\n${'"'.repeat(4_000_001)}`), /cannot be read: a quotation mark|value of \d+ characters/],
    ['a quotation mark that is never closed', () => strToU8(`name;email\n"${'Runa;runa@orlasund.example\n'.repeat(120_000)}`), /row 2 cannot be read: a quotation mark is opened and never closed/],
    ['a row without end', () => strToU8(`name;email\n${';'.repeat(100_000)}\n`), /row 2 has 100001 columns; expected at most 200/],
    ['a value without end', () => strToU8(`name;email\n${'x'.repeat(100_000)};y\n`), /row 2 has a value of 100000 characters/],
    ['more rows than anybody has people', () => strToU8(`name;email\n${'x;y\n'.repeat(300_001)}`), /more than 300000 rows/],
  ])('is refused in words: %s', { timeout: 60_000 }, async (_, bytes, words) => {
    await expect(readTable(bytes())).rejects.toThrow(words);
  }); // prettier-ignore
});
