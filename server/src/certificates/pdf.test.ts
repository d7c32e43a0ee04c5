import { deflateSync } from 'node:zlib';
import { createCanvas, loadImage } from '@napi-rs/canvas';
import jsQR from 'jsqr';
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs';
import type { TextItem } from 'pdfjs-dist/types/src/display/api.js';
import { describe, expect, it, test } from 'vitest';
import {
  ontoSheet,
  placeDesign,
  STANDARD_DESIGN,
  STARTING_DESIGNS,
  type CertificateValues,
  type Design,
  type PlacedText,
} from '@nudrik/core';
import { shapeArabic } from './arabic.ts';
import { drawMany, drawPdf, pictureFaultOf, type Picture, type Sheet } from './draw-pdf.ts';
import { drawSvg } from './draw-svg.ts';
import { measure, missingLetters } from './fonts.ts';

const VERIFY = 'https://training.orlasund.example/verify/7F3K-9QWD-X';
const INFO = { title: 'Certificate 7F3K-9QWD-X: Runa Aske', author: 'Orlasund Ferries', at: Date.parse('2027-03-01T00:00:00Z') };
const values = (rest: CertificateValues = {}): CertificateValues => ({
  'full name': 'Runa Aske',
  course: 'Fire Teams Aboard',
  organisation: 'Orlasund Ferries',
  finished: 'Mon 1 Mar 2027',
  'certificate expiry': 'Wed 1 Mar 2028',
  'certificate serial': '7F3K-9QWD-X',
  'check address': VERIFY.replace('https://', ''),
  trainer: 'Tora Hauge',
  score: '92 %',
  ...rest,
});
const sheet = (rest: CertificateValues = {}, design: Design = STANDARD_DESIGN, picture: Picture | null = null): Sheet => ({
  page: placeDesign(design, values(rest), measure),
  verifyUrl: VERIFY,
  pictureOf: () => picture,
});

interface Piece {
  text: string;
  x: number;
  y: number;
  size: number;
  width: number;
}

/** What stands on the page, read back by another library. */
async function read(rest: CertificateValues, design?: Design): Promise<{ pieces: Piece[] }> {
  const document = await getDocument({ data: new Uint8Array(await drawPdf(sheet(rest, design), INFO)), verbosity: 0 }).promise;
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
  return { pieces };
}

/** The page in pixels, two to a point. */
async function pixelsOf(pdf: Buffer): Promise<{ width: number; height: number; data: Uint8ClampedArray }> {
  const document = await getDocument({ data: new Uint8Array(pdf), verbosity: 0 }).promise;
  const page = await document.getPage(1);
  const viewport = page.getViewport({ scale: 2 });
  const canvas = createCanvas(Math.round(viewport.width), Math.round(viewport.height));
  const context = canvas.getContext('2d');
  await page.render({ canvasContext: context as never, viewport }).promise;
  await document.destroy();
  return context.getImageData(0, 0, canvas.width, canvas.height) as never;
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
    const { pieces } = await read({ 'full name': name });
    const top = pieces.filter(({ size, y }) => size > 15 && y > 300).map((piece) => piece.text);
    // marks may stand in another order once they are shaped: letters are compared
    expect([...bare(top.join(''))].sort()).toEqual([...bare(name)].sort());
  });

  test.each([
    ['Arabic', 'محمد الأمين'],
    ['Hebrew', 'יעל כהן'],
  ])('writes a name in %s from right to left', async (_what, name) => {
    expect(missingLetters(name)).toEqual([]);
    const { pieces } = await read({ 'full name': name });
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

  it('says which letters no font has', () => {
    expect(missingLetters('Runa 𓀀 Aske 𓀁𓀀')).toEqual(['𓀀', '𓀁']);
    expect(missingLetters('Runa Aske, O’Brien-Łuć')).toEqual([]);
  });

  const words = (count: number): string => Array.from({ length: count }, (_, n) => `Part${n}`).join(' ');
  test.each([
    [
      'long',
      {
        'full name': 'Wilhelmina Alexandrina van Oldenbarnevelt-Hohenzollern zu Sigmaringen',
        course: 'The Handling of Dangerous Goods on Vessels that Carry Passengers',
      },
    ],
    [
      'as long as may be',
      {
        'full name': words(33).slice(0, 200),
        course: words(33).slice(0, 200),
        organisation: words(30).slice(0, 120),
        trainer: words(33).slice(0, 200),
      },
    ],
    [
      'one word without an end',
      { 'full name': 'W'.repeat(200), course: 'M'.repeat(200), trainer: 'Q'.repeat(200), organisation: 'O'.repeat(120) },
    ],
    ['long and of wide letters', { 'full name': '王'.repeat(120), course: '國'.repeat(120) }],
  ])('that is %s shrinks, then wraps, and no line stands over another or beyond the page', async (_what, rest) => {
    const { pieces } = await read(rest);
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

/** A picture of some pixels, in one colour. */
function pictureOf(width: number, height: number, type: 'image/png' | 'image/jpeg' = 'image/png'): Picture {
  const canvas = createCanvas(width, height);
  const context = canvas.getContext('2d');
  context.fillStyle = '#2f6b3a';
  context.fillRect(0, 0, width, height);
  return { content: canvas.toBuffer(type as 'image/png'), width, height };
}

describe('the page and its preview', () => {
  const names = ['Runa Aske', 'Wilhelmina Alexandrina van Oldenbarnevelt-Hohenzollern', 'محمد الأمين', 'สมชาย ใจดี'];
  it.each(STARTING_DESIGNS.map(({ key, design }) => [key, design] as const))(
    'of “%s” have their letters at the same places',
    async (_key, design) => {
      for (const name of names) {
        const { pieces } = await read({ 'full name': name }, design);
        const placed = sheet({ 'full name': name }, design).page;
        for (const item of placed.items.filter((one): one is PlacedText => one.kind === 'text'))
          for (const line of item.lines) {
            const y = placed.height - line.y;
            const there = pieces.filter(
              (piece) => Math.abs(piece.y - y) < 0.6 && piece.x >= line.x - 0.6 && piece.x < line.x + line.width + 0.6,
            );
            expect(there.length, line.text).toBeGreaterThan(0);
            const right = Math.max(...there.map(({ x, width }) => x + width));
            expect(Math.abs(right - line.x - line.width), line.text).toBeLessThan(item.size * 0.12);
            expect(there[0]!.size).toBeCloseTo(item.size, 1);
          }
      }
    },
  );

  it('are the same to the eye: the outlines of one cover the ink of the other', async () => {
    const own = sheet({ 'full name': 'Łucja محمد 王' });
    const { width, height, data } = await pixelsOf(await drawPdf(own, INFO));
    const svg = drawSvg({ ...own, hrefOf: () => '' }).replace('<svg ', `<svg width="${width}" height="${height}" `);
    const canvas = createCanvas(width, height);
    const context = canvas.getContext('2d');
    context.drawImage(await loadImage(Buffer.from(svg)), 0, 0, width, height);
    const seen = context.getImageData(0, 0, width, height).data;
    let ink = 0;
    let other = 0;
    for (let i = 0; i < data.length; i += 4) {
      const [one, two] = [255 - data[i]!, 255 - seen[i]!];
      ink += Math.max(one, two);
      other += Math.abs(one - two);
    }
    // edges are smoothed in different ways
    expect(other / ink).toBeLessThan(0.15);
  });

  it('carry a code that leads to where it is checked', async () => {
    for (const design of [STANDARD_DESIGN, ontoSheet(STANDARD_DESIGN, 'letter', false)]) {
      const { data, width, height } = await pixelsOf(await drawPdf(sheet({}, design), INFO));
      expect((jsQR as unknown as { default: typeof jsQR }).default(data, width, height)?.data).toBe(VERIFY);
    }
  });
});

describe('a PDF', () => {
  it('has its fonts in it, is tagged, and says what it is (PDF/A-2a)', async () => {
    const pdf = await drawPdf(sheet(), INFO);
    const text = pdf.toString('latin1');
    expect(text).toContain('<pdfaid:part>2</pdfaid:part>');
    expect(text).toContain('<pdfaid:conformance>A</pdfaid:conformance>');
    expect(text).toContain('/OutputIntents');
    expect([...text.matchAll(/\/FontFile2/g)].length).toBeGreaterThanOrEqual(3);
    expect(text).not.toContain('/BaseFont /Helvetica');
    const document = await getDocument({ data: new Uint8Array(pdf), verbosity: 0 }).promise;
    const { info } = await document.getMetadata();
    expect(info).toMatchObject({ Title: INFO.title, Author: INFO.author, Language: 'en' });
    const tree = JSON.stringify(await (await document.getPage(1)).getStructTree());
    expect(tree).toContain('"role":"Document"');
    expect(tree).toContain(`Code that leads to ${VERIFY}`);
    await document.destroy();
  });

  it('is the same to the last letter when it is made again', async () => {
    const [one, two] = [await drawPdf(sheet(), INFO), await drawPdf(sheet(), INFO)];
    expect(one.equals(two)).toBe(true);
  });

  it('of many has one page for each, with its own name', async () => {
    const list = ['Runa Aske', 'Odd Aske', '王小明'].map((name) => sheet({ 'full name': name }));
    let at = 0;
    const pdf = await drawMany(() => Promise.resolve(list[at++] ?? null), INFO);
    const document = await getDocument({ data: new Uint8Array(pdf), verbosity: 0 }).promise;
    expect(document.numPages).toBe(3);
    const content = await (await document.getPage(3)).getTextContent();
    expect((content.items as TextItem[]).map(({ str }) => str).join('')).toContain('王小明');
    await document.destroy();
  });

  it('has pictures of any shape fitted into their places', async () => {
    for (const [width, height] of [
      [400, 40],
      [40, 400],
      [3, 3],
    ] as const)
      // prettier-ignore
      for (const type of ['image/png', 'image/jpeg'] as const) {
        const { data, width: wide } = await pixelsOf(await drawPdf(sheet({}, STANDARD_DESIGN, pictureOf(width, height, type)), INFO));
        // the middle of the logo's place: 238 mm from the left, 37 from the top
        const at = (Math.round((37 / 25.4) * 144) * wide + Math.round((238 / 25.4) * 144)) * 4;
        const seen = [...data.slice(at, at + 3)];
        expect(seen.every((value, i) => Math.abs(value - [0x2f, 0x6b, 0x3a][i]!) < 6), `${width} × ${height}: ${seen.join()}`).toBe(true);
      }
  });
});

describe('a picture that is meant to hurt', () => {
  const png = pictureOf(10, 10).content;
  /** a PNG whose pixels unpack to far more than its head says */
  function bomb(): Buffer {
    const packed = deflateSync(Buffer.alloc(40_000_000));
    const chunk = Buffer.alloc(packed.length + 12);
    chunk.writeUInt32BE(packed.length, 0);
    chunk.write('IDAT', 4, 'latin1');
    packed.copy(chunk, 8);
    return Buffer.concat([png.subarray(0, 33), chunk, png.subarray(-12)]);
  }
  test.each([
    ['cut off', () => png.subarray(0, 50)],
    ['with its pixels made noise', () => Buffer.concat([png.subarray(0, 45), Buffer.alloc(60, 7), png.subarray(-12)])],
    ['that unpacks to forty megabytes', bomb],
    ['that is none', () => Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>')],
  ])('%s is found out', async (_what, content) => {
    expect(await pictureFaultOf({ content: content(), width: 10, height: 10 })).toContain('the picture is broken');
  });

  it('a sound one is not', async () => {
    for (const type of ['image/png', 'image/jpeg'] as const) expect(await pictureFaultOf(pictureOf(64, 32, type))).toBeNull();
  });
});
