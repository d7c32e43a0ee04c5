import { fitPicture, type Placed, type PlacedText } from '@nudrik/core';
import { codeOf } from './code.ts';
import { piecesOf, runsOf, widthOfRun, type Run } from './fonts.ts';
import type { Sheet } from './draw-pdf.ts';

const n = (value: number): string => String(Math.round(value * 100) / 100);
const escaped = (text: string): string => text.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);

/** A page that is looked at: its pictures stand in it under a name, and are put there by whoever shows it. */
export interface LookedSheet extends Sheet {
  hrefOf: (fileId: string | null) => string;
}

/** A page as SVG: the same pieces at the same places as in its PDF, letters as outlines of the same fonts. */
export function drawSvg(sheet: LookedSheet): string {
  const { width, height, items } = sheet.page;
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${n(width)} ${n(height)}">${items.map((item) => drawItem(item, sheet)).join('')}</svg>`;
}

function drawItem(item: Placed, sheet: LookedSheet): string {
  switch (item.kind) {
    case 'text':
      return `<g fill="${item.colour}">${drawText(item)}</g>`;
    case 'rect': {
      const { x, y, w, h } = item.rect;
      const line = item.colour === null ? '' : ` stroke="${item.colour}" stroke-width="${n(item.weight)}"`;
      return `<rect x="${n(x)}" y="${n(y)}" width="${n(w)}" height="${n(h)}" fill="${item.fill ?? 'none'}"${line}/>`;
    }
    case 'line':
      return `<path d="M${n(item.from.x)} ${n(item.from.y)}L${n(item.to.x)} ${n(item.to.y)}" stroke="${item.colour}" stroke-width="${n(item.weight)}"/>`;
    case 'picture': {
      const picture = sheet.pictureOf(item.fileId);
      if (!picture) return '';
      const { rect } = item;
      const place = fitPicture(rect, picture, item.fills);
      const image = `<image x="${n(place.x - rect.x)}" y="${n(place.y - rect.y)}" width="${n(place.w)}" height="${n(place.h)}" preserveAspectRatio="none" href="${sheet.hrefOf(item.fileId)}"/>`;
      // what is over is cut off
      return `<svg x="${n(rect.x)}" y="${n(rect.y)}" width="${n(rect.w)}" height="${n(rect.h)}" overflow="hidden"><title>${escaped(item.words)}</title>${image}</svg>`;
    }
    case 'code': {
      const { side, rows } = codeOf(sheet.verifyUrl);
      const { x, y, w } = item.rect;
      const cells = rows.map(({ column, row, length }) => `M${column} ${row}h${length}v1h-${length}z`).join('');
      return `<path fill="${item.colour}" shape-rendering="crispEdges" transform="translate(${n(x)} ${n(y)}) scale(${w / side})" d="${cells}"/>`;
    }
  }
}

function drawText({ face, size, lines }: PlacedText): string {
  const paths: string[] = [];
  for (const line of lines) {
    let { x } = line;
    for (const run of runsOf(face, line.text)) {
      paths.push(...drawRun(run, x, line.y, size));
      x += widthOfRun(run, size);
    }
  }
  return paths.join('');
}

function drawRun(run: Run, x: number, y: number, size: number): string[] {
  const scale = size / run.font.unitsPerEm;
  const paths: string[] = [];
  let at = 0;
  for (const piece of piecesOf(run)) {
    const { glyphs, positions } = run.font.layout(piece, run.features ?? undefined);
    glyphs.forEach((glyph, i) => {
      const { xAdvance, xOffset, yOffset } = positions[i]!;
      const d = glyph.path.toSVG();
      if (d)
        paths.push(
          `<path transform="matrix(${scale} 0 0 ${-scale} ${n(x + (at + xOffset) * scale)} ${n(y - yOffset * scale)})" d="${d}"/>`,
        );
      at += xAdvance;
    });
  }
  return paths;
}
