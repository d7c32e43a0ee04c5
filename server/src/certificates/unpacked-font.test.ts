import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import * as fontkit from 'fontkit';
import { describe, expect, it, test } from 'vitest';
import { fontOf, unpackWoff } from './unpacked-font.ts';

const pathOf = createRequire(import.meta.url).resolve;

describe('a font that is unpacked', () => {
  test.each([
    '@fontsource/literata/files/literata-latin-600-normal.woff',
    '@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-400-normal.woff',
    '@fontsource/noto-sans-arabic/files/noto-sans-arabic-arabic-400-normal.woff',
    '@fontsource/noto-sans-jp/files/noto-sans-jp-119-400-normal.woff',
  ])('%s is the same font', (file) => {
    const [packed, plain] = [readFileSync(pathOf(file)), fontOf(pathOf(file))];
    const [before, after] = [fontkit.create(packed), fontkit.create(plain)] as [fontkit.Font, fontkit.Font];
    expect(after.postscriptName).toBe(before.postscriptName);
    expect(after.numGlyphs).toBe(before.numGlyphs);
    expect(after.characterSet).toEqual(before.characterSet);
    for (const point of before.characterSet.slice(0, 300)) {
      const [one, other] = [before.glyphForCodePoint(point), after.glyphForCodePoint(point)];
      expect([other.id, other.advanceWidth, other.path.toSVG()]).toEqual([one.id, one.advanceWidth, one.path.toSVG()]);
    }
    // each table stands at a multiple of four, and is as long as it was
    for (let i = 0; i < plain.readUInt16BE(4); i++) expect(plain.readUInt32BE(12 + 16 * i + 8) % 4).toBe(0);
  });

  it('that is packed otherwise, or not at all, stays as it is', () => {
    const plain = fontOf(pathOf('@fontsource/literata/files/literata-latin-600-normal.woff'));
    expect(unpackWoff(plain)).toBe(plain);
  });
});
