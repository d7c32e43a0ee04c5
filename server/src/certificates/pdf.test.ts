import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs';
import type { TextItem } from 'pdfjs-dist/types/src/display/api.js';
import { describe, expect, it, test } from 'vitest';
import { shapeArabic } from './arabic.ts';
import { missingLetters } from './fonts.ts';
import { sfntOf } from './woff.ts';
import { makeCertificate, type CertificateText } from './pdf.ts';

const certificate = (rest: Partial<CertificateText> = {}): CertificateText => ({
  name: 'Runa Aske',
  course: 'Fire Teams Aboard',
  organisation: 'Orlasund Ferries',
  issuedOn: '2027-03-01',
  expiresOn: '2028-03-01',
  serial: '7F3K-9QWD-X',
  verifyUrl: 'https://training.orlasund.example/verify/7F3K-9QWD-X',
  signedBy: 'Tora Hauge',
  ...rest,
});

interface Piece {
  text: string;
  x: number;
  y: number;
  size: number;
  width: number;
}

/** What stands on the page, read back by another library. */
async function read(text: CertificateText): Promise<{ pieces: Piece[]; all: string }> {
  const document = await getDocument({ data: new Uint8Array(await makeCertificate(text)), verbosity: 0 }).promise;
  const content = await (await document.getPage(1)).getTextContent();
  const pieces = (content.items as TextItem[])
    .filter(({ str }) => str.trim() !== '')
    .map(({ str, transform, width }) => ({
      text: str,
      x: transform[4] as number,
      y: transform[5] as number,
      size: Math.abs(transform[3] as number),
      width,
    }));
  await document.destroy();
  return { pieces, all: pieces.map((piece) => piece.text).join(' ') };
}

const bare = (text: string): string => text.normalize('NFKC').replace(/[\s\p{M}\p{Cf}]/gu, '');

describe('a certificate', () => {
  test.each([
    ['Latin, extended', 'Łucja Željko-Ångström'],
    ['Greek', 'Ελένη Παπαδοπούλου'],
    ['Cyrillic', 'Катерина Їжакевич'],
    ['Vietnamese', 'Nguyễn Thị Ánh'],
    ['Thai', 'สมชาย ใจดี'],
    ['Devanagari', 'अनिता शर्मा'],
    ['Chinese', '王小明'],
    ['Japanese', '山田 さくら'],
    ['Korean', '김민수'],
    ['two scripts', 'Anna 王 Παπα'],
  ])('writes a name in %s, and it can be read back', async (_what, name) => {
    expect(missingLetters(name)).toEqual([]);
    const { pieces } = await read(certificate({ name }));
    const top = pieces.filter(({ size, y }) => size > 15 && y > 300).map((piece) => piece.text);
    // marks may stand in another order once they are shaped: letters are compared
    expect([...bare(top.join(''))].sort()).toEqual([...bare(name)].sort());
  });

  test.each([
    ['Arabic', 'محمد الأمين'],
    ['Hebrew', 'יעל כהן'],
  ])('writes a name in %s from right to left', async (_what, name) => {
    expect(missingLetters(name)).toEqual([]);
    const { pieces } = await read(certificate({ name }));
    const top = pieces.filter(({ size, y }) => size > 15 && y > 300).map((piece) => piece.text);
    expect([...bare(top.join(''))].sort()).toEqual([...bare(name)].sort());
  });

  test.each([
    ['alone, first, in the midst, last', 'ب ببب', '\uFE8F \uFE91\uFE92\uFE90'],
    ['a letter that joins nothing after it', 'دار', '\uFEA9\uFE8D\uFEAD'],
    ['lam and alef as one', 'لا سلام', '\uFEFB \uFEB3\uFEFC\uFEE1'],
    ['a Persian letter', 'پگاه', '\uFB58\uFB95\uFE8E\uFEE9'],
    ['a mark between', 'مُح', '\uFEE3\u064F\uFEA2'],
    ['nothing of other scripts', 'Runa שלום', 'Runa שלום'],
  ])('shapes %s', (_what, text, shaped) => {
    expect(shapeArabic(text)).toBe(shaped);
    expect(shapeArabic(shapeArabic(text))).toBe(shaped);
  });

  it('embeds fonts as they stand in their files', () => {
    const file = readFileSync(createRequire(import.meta.url).resolve('@fontsource/literata/files/literata-latin-600-normal.woff'));
    const sfnt = sfntOf(file);
    expect([sfnt.readUInt32BE(0), sfnt.readUInt16BE(4)]).toEqual([file.readUInt32BE(4), file.readUInt16BE(12)]);
    expect(sfnt.length).toBeLessThanOrEqual(file.readUInt32BE(16) + 3);
    expect(() => sfntOf(sfnt)).toThrow('no WOFF');
  });

  it('says which letters no font has', () => {
    expect(missingLetters('Runa 𓀀 Aske 𓀁𓀀')).toEqual(['𓀀', '𓀁']);
    expect(missingLetters('Runa Aske, O’Brien-Łuć')).toEqual([]);
  });

  const words = (count: number): string => Array.from({ length: count }, (_, n) => `Part${n}`).join(' ');
  test.each([
    [
      'long',
      {
        name: 'Wilhelmina Alexandrina van Oldenbarnevelt-Hohenzollern zu Sigmaringen',
        course: 'The Handling of Dangerous Goods on Vessels that Carry Passengers',
      },
    ],
    [
      'as long as may be',
      {
        name: words(33).slice(0, 200),
        course: words(33).slice(0, 200),
        organisation: words(30).slice(0, 120),
        signedBy: words(33).slice(0, 200),
      },
    ],
    [
      'one word without an end',
      { name: 'W'.repeat(200), course: 'M'.repeat(200), signedBy: 'Q'.repeat(200), organisation: 'O'.repeat(120) },
    ],
    ['long and of wide letters', { name: '王'.repeat(120), course: '國'.repeat(120) }],
  ])('that is %s shrinks, then wraps, and no line stands over another or beyond the page', async (_what, rest) => {
    const { pieces } = await read(certificate(rest));
    for (const { text, x, width, y } of pieces) {
      expect(x, text).toBeGreaterThanOrEqual(90);
      expect(x + width, text).toBeLessThanOrEqual(841.89 - 60);
      expect(y, text).toBeGreaterThan(80);
    }
    const lines = pieces.map(({ x, y, width, size, text }) => ({
      left: x,
      right: x + width,
      low: y - size * 0.2,
      high: y + size * 0.72,
      text,
    }));
    for (const [n, one] of lines.entries())
      for (const other of lines.slice(n + 1)) {
        const isApart =
          one.right <= other.left + 0.5 || other.right <= one.left + 0.5 || one.low >= other.high - 0.5 || other.low >= one.high - 0.5;
        expect(isApart, `“${one.text.slice(0, 30)}” over “${other.text.slice(0, 30)}”`).toBe(true);
      }
  });
});
