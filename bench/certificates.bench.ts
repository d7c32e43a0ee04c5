import { createRequire } from 'node:module';
import PDFDocument from 'pdfkit';
import QRCode from 'qrcode';
import { placeDesign, STANDARD_DESIGN, type CertificateValues } from '@nudrik/core';
import { drawMany, measureText } from 'nudrik';
import { report, timedAsync } from './measure.ts';

const COUNT = 5_000;
const INFO = { title: 'Certificates', author: 'Orlasund Ferries', at: 0 };
const resolve = createRequire(import.meta.url).resolve;
const FONTS = {
  serif: resolve('@fontsource/literata/files/literata-latin-600-normal.woff'),
  plain: resolve('@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-400-normal.woff'),
  strong: resolve('@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-600-normal.woff'),
};

const serialOf = (i: number): string => `${String(i).padStart(4, '0')}-9QWD-X`;
const urlOf = (i: number): string => `https://training.orlasund.example/verify/${serialOf(i)}`;
const valuesOf = (i: number): CertificateValues => ({
  'full name': `Given${i % 700} Family${i % 1_300}`,
  course: 'Fire Teams Aboard',
  organisation: 'Orlasund Ferries',
  finished: '1 Mar 2027',
  'certificate expiry': '1 Mar 2028',
  'certificate serial': serialOf(i),
  'check address': urlOf(i).replace('https://', ''),
  trainer: 'Tora Hauge',
});

/** The same pages by pdfkit alone: every text at a place that is known, in a font that is known, and the code as its cells. */
function bare(): Promise<number> {
  const doc = new PDFDocument({ autoFirstPage: false, margin: 0, font: null as unknown as string, pdfVersion: '1.7' });
  const pages = Array.from({ length: 40 }, (_, i) => placeDesign(STANDARD_DESIGN, valuesOf(i), measureText));
  let bytes = 0;
  doc.on('data', (part: Buffer) => (bytes += part.length));
  const ended = new Promise<number>((done) => doc.on('end', () => done(bytes)));
  for (let i = 0; i < COUNT; i++) {
    const { width, height, items } = pages[i % pages.length]!;
    const values = valuesOf(i);
    doc.addPage({ size: [width, height], margin: 0 });
    for (const item of items) {
      if (item.kind === 'rect') {
        const { x, y, w, h } = item.rect;
        if (item.fill) doc.rect(x, y, w, h).fill(item.fill);
        if (item.colour) doc.lineWidth(item.weight).rect(x, y, w, h).stroke(item.colour);
      } else if (item.kind === 'line') {
        doc.lineWidth(item.weight).moveTo(item.from.x, item.from.y).lineTo(item.to.x, item.to.y).stroke(item.colour);
      } else if (item.kind === 'code') {
        const { modules } = QRCode.create(urlOf(i), { errorCorrectionLevel: 'M' });
        const cell = item.rect.w / modules.size;
        for (let row = 0; row < modules.size; row++)
          for (let column = 0; column < modules.size; column++)
            if (modules.get(row, column)) doc.rect(item.rect.x + column * cell, item.rect.y + row * cell, cell, cell);
        doc.fill(item.colour);
      } else if (item.kind === 'text') {
        const own = { name: values['full name'], serial: values['certificate serial'] }[item.element];
        doc.fillColor(item.colour);
        for (const line of item.lines)
          doc
            .font(FONTS[item.face])
            .fontSize(item.size)
            .text(own ?? line.text, line.x, line.y, { lineBreak: false, baseline: 'alphabetic' });
      }
    }
  }
  doc.end();
  return ended;
}

/** Five thousand certificates as one PDF: placed by their design, in whatever fonts their names need; against pdfkit that draws the same pages. */
export async function certificatesBench(): Promise<void> {
  let at = 0;
  const ours = await timedAsync(() =>
    drawMany(() => {
      if (at === COUNT) return Promise.resolve(null);
      const i = at++;
      return Promise.resolve({ page: placeDesign(STANDARD_DESIGN, valuesOf(i), measureText), verifyUrl: urlOf(i), pictureOf: () => null });
    }, INFO),
  );
  const plain = await timedAsync(bare);
  const figure = `${(plain.seconds / ours.seconds).toFixed(2)} of bare pdfkit (${Math.round(COUNT / ours.seconds)} a second)`;
  report('5,000 certificates as one PDF', figure, '0.8 of bare pdfkit with the same pages');
}
