import type { Writable } from 'node:stream';
import { wrapText, type Face } from '@nudrik/core';
import { openPdf, writeLine } from '../certificates/draw-pdf.ts';
import { measure } from '../certificates/fonts.ts';
import { aboutLines, printedCell, type Made, type Table } from './table.ts';

/** Lying sheets, A4 to A1, with the shares of columns up to which a table is set on each. */
const SHEETS = [
  { width: 841.89, height: 595.28, most: 200 },
  { width: 1190.55, height: 841.89, most: 290 },
  { width: 1683.78, height: 1190.55, most: 420 },
  { width: 2383.94, height: 1683.78, most: Infinity },
];
const MARGIN = 40;
const SIZE = 8.5;
const LINE = SIZE * 1.35;
const PAD = 4;
const GAP = 8;
const [INK, QUIET, RULE, BAND] = ['#1e2430', '#5b6472', '#ddd6ca', '#f4efe6'];
/** Rows up to which each cell is tagged for whoever does not see it; of more a reader would not come to an end. */
const MOST_TAGGED = 2_000;

/** Writes a table as PDF (PDF/A-2): what it is above it, its head on every page, pages numbered. Ends what it writes to. */
export async function writePdf<Row>(out: Writable, table: Table<Row>, made: Made): Promise<void> {
  const columns = table.columns.filter(({ print }) => print !== undefined);
  const shares = columns.reduce((sum, { print }) => sum + print!, 0);
  const PAGE = SHEETS.find(({ most }) => shares <= most)!;
  const width = PAGE.width - 2 * MARGIN;
  const widths = columns.map(({ print }) => (print! / shares) * width);
  const lefts = widths.map((_, i) => MARGIN + widths.slice(0, i).reduce((sum, each) => sum + each, 0));
  const isTagged = (table.total ?? Infinity) <= MOST_TAGGED;
  const { doc, bytes } = openPdf({ title: table.title, author: made.house, at: made.now }, isTagged);
  const root = isTagged ? doc.struct('Document') : null;
  if (root) doc.addStructure(root);
  const body = root ? doc.struct('Table') : null;
  let [y, page] = [0, 0];

  const artifact = (draw: () => void): void => {
    if (isTagged) doc.markContent('Artifact', { type: 'Layout' });
    draw();
    if (isTagged) doc.endMarkedContent();
  };
  const line = (text: string, face: Face, size: number, colour: string, x: number, base: number): void =>
    writeLine(doc, text, face, size, colour, x, base);
  /** Lines of cells beside each other, as one row. */
  const cells = (texts: readonly (readonly string[])[], tag: 'TH' | 'TD', face: Face, colour: string): void => {
    // what hangs on the document already is drawn at once
    const row = body && (tag === 'TD' || page === 1) ? doc.struct('TR') : null;
    if (row) body!.add(row);
    texts.forEach((lines, i) => {
      const draw = (): void => lines.forEach((text, n) => line(text, face, SIZE, colour, lefts[i]!, y + PAD + SIZE + n * LINE));
      if (row) row.add(doc.struct(tag, {}, draw));
      else artifact(draw);
    });
    row?.end();
  };
  const wrapped = (texts: readonly string[], face: Face): string[][] =>
    texts.map((text, i) => wrapText(text, face, SIZE, widths[i]! - GAP, measure));
  const heightOf = (texts: readonly (readonly string[])[]): number => Math.max(1, ...texts.map(({ length }) => length)) * LINE + 2 * PAD;
  const rule = (): void => artifact(() => doc.lineWidth(0.5).moveTo(MARGIN, y).lineTo(PAGE.width - MARGIN, y).stroke(RULE)); // prettier-ignore
  const headLines = wrapped(columns.map(({ head }) => head), 'strong'); // prettier-ignore

  const begin = (): void => {
    doc.addPage({ size: [PAGE.width, PAGE.height], margin: 0 });
    page += 1;
    y = MARGIN;
    artifact(() => {
      line(`${table.title}, ${made.house}`, 'plain', SIZE, QUIET, MARGIN, PAGE.height - MARGIN + 16);
      const number = `page ${page}`;
      line(number, 'plain', SIZE, QUIET, PAGE.width - MARGIN - measure('plain', number, SIZE), PAGE.height - MARGIN + 16);
    });
    if (page === 1) {
      const told = (tag: string, text: string, face: Face, size: number, colour: string): void => {
        for (const each of wrapText(text, face, size, width, measure)) {
          const draw = (): void => line(each, face, size, colour, MARGIN, y + size);
          if (root) root.add(doc.struct(tag, {}, draw));
          else draw();
          y += size * 1.35;
        }
      };
      told('H1', table.title, 'serif', 18, INK);
      y += 2;
      const [, ...about] = aboutLines(table, made);
      told('P', about.map(([label, value]) => `${label}: ${value}`).join('; '), 'plain', SIZE, QUIET);
      y += 8;
      if (body) root!.add(body);
    }
    const height = heightOf(headLines);
    artifact(() => doc.rect(MARGIN - GAP / 2, y, width + GAP, height).fill(BAND));
    cells(headLines, 'TH', 'strong', INK);
    y += height;
    rule();
  };

  begin();
  for await (const rows of table.parts)
    for (const row of rows) {
      const texts = wrapped(columns.map((column) => printedCell(column.cell(row), made.zone)), 'plain'); // prettier-ignore
      const height = heightOf(texts);
      if (y + height > PAGE.height - MARGIN) begin();
      cells(texts, 'TD', 'plain', INK);
      y += height;
      rule();
    }
  if (body) {
    body.end();
    root!.end();
  }
  doc.end();
  const content = await bytes;
  await new Promise<void>((resolve, reject) => out.end(content, (error?: Error | null) => (error ? reject(error) : resolve())));
}
