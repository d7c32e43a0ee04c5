import { wrapText, type Face } from '@nudrik/core';
import { openPdf, writeLine, type Info } from './draw-pdf.ts';
import { measure } from './fonts.ts';

/** A piece of a document that is read from top to bottom. */
export type FlowBlock =
  | { kind: 'title' | 'head' | 'text' | 'small'; text: string }
  | { kind: 'check'; isMet: boolean; text: string }
  | { kind: 'facts'; facts: readonly (readonly [string, string])[] }
  | { kind: 'rule' };

const PAGE = { width: 595.28, height: 841.89 };
const MARGIN = 62;
const INK = '#1e2430';
const QUIET = '#5b6472';
const RULE = '#ddd6ca';
const PLUM = '#6c2a5e';
const LOOKS: Readonly<Record<'title' | 'head' | 'text' | 'small', { face: Face; size: number; colour: string; after: number }>> = {
  title: { face: 'serif', size: 22, colour: INK, after: 8 },
  head: { face: 'strong', size: 13, colour: INK, after: 4 },
  text: { face: 'plain', size: 11, colour: INK, after: 6 },
  small: { face: 'strong', size: 11, colour: PLUM, after: 4 },
};
const LEADING = 1.35;
const LABEL = 110;

/** A document in the manner of certificates, in as many pages as it needs; tagged, PDF/A-2a. */
export async function drawFlow(blocks: readonly FlowBlock[], info: Info): Promise<Buffer> {
  const pdf = openPdf(info, true);
  const { doc } = pdf;
  const root = doc.struct('Document');
  doc.addStructure(root);
  const width = PAGE.width - 2 * MARGIN;
  let y = MARGIN;
  const page = (): void => {
    doc.addPage({ size: [PAGE.width, PAGE.height], margin: 0 });
    y = MARGIN;
  };
  const room = (height: number): void => {
    if (y + height > PAGE.height - MARGIN) page();
  };
  const write = (tag: string, lines: readonly string[], face: Face, size: number, colour: string, x: number): void => {
    for (const line of lines) {
      room(size * LEADING);
      const base = y + size;
      root.add(doc.struct(tag, {}, () => writeLine(doc, line, face, size, colour, x, base)));
      y += size * LEADING;
    }
  };
  page();
  for (const block of blocks)
    switch (block.kind) {
      case 'rule':
        room(16);
        y += 8;
        doc.markContent('Artifact', { type: 'Layout' });
        doc.lineWidth(0.75).moveTo(MARGIN, y).lineTo(PAGE.width - MARGIN, y).stroke(RULE); // prettier-ignore
        doc.endMarkedContent();
        y += 8;
        break;
      case 'facts':
        for (const [label, value] of block.facts) {
          const lines = wrapText(value, 'plain', 11, width - LABEL, measure);
          room(lines.length * 11 * LEADING);
          const top = y;
          write('P', wrapText(label, 'plain', 10, LABEL - 8, measure), 'plain', 10, QUIET, MARGIN);
          const below = y;
          y = top;
          write('P', lines, 'plain', 11, INK, MARGIN + LABEL);
          y = Math.max(y, below);
        }
        y += 4;
        break;
      case 'check': {
        const lines = wrapText(`${block.isMet ? 'met' : 'not met'}: ${block.text}`, 'plain', 11, width - 14, measure);
        write('P', lines, block.isMet ? 'plain' : 'strong', 11, INK, MARGIN + 14);
        break;
      }
      default: {
        const { face, size, colour, after } = LOOKS[block.kind];
        write(block.kind === 'title' ? 'H1' : block.kind === 'head' ? 'H2' : 'P', wrapText(block.text, face, size, width, measure), face, size, colour, MARGIN); // prettier-ignore
        y += after;
      }
    }
  root.end();
  doc.end();
  return pdf.bytes;
}
