import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { PDFDocument, rgb, type PDFFont, type PDFPage } from 'pdf-lib';
import fontkit from '@pdf-lib/fontkit';
import QRCode from 'qrcode';
import { dayOf, tellDate } from '@nudrik/core';

export interface CertificateText {
  name: string;
  course: string;
  organisation: string;
  issuedOn: string;
  expiresOn: string | null;
  serial: string;
  /** where anybody can check it; also in the QR code */
  verifyUrl: string;
  signedBy: string | null;
}

const resolve = createRequire(import.meta.url).resolve;
// static .woff files: the subsetting of .woff2 crashes in fontkit
const font = (family: string, weight: number, subset: string): Buffer =>
  readFileSync(resolve(`@fontsource/${family}/files/${family}-${subset}-${weight}-normal.woff`));

const INK = rgb(0x1e / 255, 0x24 / 255, 0x30 / 255);
const QUIET = rgb(0x5b / 255, 0x64 / 255, 0x72 / 255);
const RULE = rgb(0xdd / 255, 0xd6 / 255, 0xca / 255);
const PLUM = rgb(0x6c / 255, 0x2a / 255, 0x5e / 255);

/** A typeface in two parts: the Latin letters, and the extended ones for names such as Łucja or Željko. */
interface Face {
  latin: PDFFont;
  extended: PDFFont;
}

async function embedFace(document: PDFDocument, family: string, weight: number): Promise<Face> {
  return {
    latin: await document.embedFont(font(family, weight, 'latin'), { subset: true }),
    extended: await document.embedFont(font(family, weight, 'latin-ext'), { subset: true }),
  };
}

const fontFor = (character: string, face: Face): PDFFont =>
  character.codePointAt(0)! > 0xff && !'–—‘’“”•…€'.includes(character) ? face.extended : face.latin;

function runsOf(text: string, face: Face): { text: string; font: PDFFont }[] {
  const runs: { text: string; font: PDFFont }[] = [];
  for (const character of text.normalize('NFC')) {
    const own = fontFor(character, face);
    const last = runs.at(-1);
    if (last?.font === own) last.text += character;
    else runs.push({ text: character, font: own });
  }
  return runs;
}

const widthOf = (text: string, face: Face, size: number): number =>
  runsOf(text, face).reduce((sum, run) => sum + run.font.widthOfTextAtSize(run.text, size), 0);

function draw(page: PDFPage, text: string, face: Face, size: number, x: number, y: number, color = INK): void {
  for (const run of runsOf(text, face)) {
    page.drawText(run.text, { x, y, size, font: run.font, color });
    x += run.font.widthOfTextAtSize(run.text, size);
  }
}

/** Words broken into lines that fit, at the largest of some sizes that needs at most two. */
function fitText(text: string, face: Face, sizes: readonly number[], width: number): { size: number; lines: string[] } {
  const breakAt = (size: number): string[] =>
    text.split(' ').reduce<string[]>((lines, word) => {
      const last = lines.at(-1);
      if (last !== undefined && widthOf(`${last} ${word}`, face, size) <= width) lines[lines.length - 1] = `${last} ${word}`;
      else lines.push(word);
      return lines;
    }, []);
  const size =
    sizes.find(
      (candidate) => breakAt(candidate).length <= 2 && breakAt(candidate).every((line) => widthOf(line, face, candidate) <= width),
    ) ?? sizes.at(-1)!;
  return { size, lines: breakAt(size) };
}

/** A certificate on A4, lying: name, course, dates, serial, and a QR code to the page that checks it. */
export async function makeCertificate(text: CertificateText): Promise<Buffer> {
  const document = await PDFDocument.create();
  document.registerFontkit(fontkit);
  const serif = await embedFace(document, 'literata', 600);
  const plain = await embedFace(document, 'atkinson-hyperlegible-next', 400);
  const strong = await embedFace(document, 'atkinson-hyperlegible-next', 600);
  document.setTitle(`Certificate ${text.serial}: ${text.name}, ${text.course}`);
  document.setAuthor(text.organisation);
  document.setLanguage('en');

  const [width, height] = [841.89, 595.28];
  const page = document.addPage([width, height]);
  page.drawRectangle({ x: 36, y: 36, width: width - 72, height: height - 72, borderColor: INK, borderWidth: 0.75 });
  page.drawRectangle({ x: 42, y: 42, width: width - 84, height: height - 84, borderColor: RULE, borderWidth: 0.75 });

  const left = 92;
  const measure = width - 2 * left;
  draw(page, text.organisation, strong, 13, left, height - 110, PLUM);
  draw(page, 'Certificate of completion', plain, 13, left, height - 130, QUIET);

  draw(page, 'This is to certify that', plain, 13, left, height - 200, QUIET);
  const name = fitText(text.name, serif, [44, 36, 30, 24], measure);
  let y = height - 248;
  for (const line of name.lines) {
    draw(page, line, serif, name.size, left, y);
    y -= name.size * 1.15;
  }
  draw(page, 'has finished', plain, 13, left, y - 6, QUIET);
  const course = fitText(text.course, serif, [28, 24, 20], measure);
  y -= 42;
  for (const line of course.lines) {
    draw(page, line, serif, course.size, left, y);
    y -= course.size * 1.2;
  }

  const base = 96;
  page.drawLine({
    start: { x: left, y: base + 74 },
    end: { x: width - left, y: base + 74 },
    thickness: 0.75,
    color: RULE,
  });
  const columns: [string, string][] = [
    ['Finished on', tellDate(dayOf(text.issuedOn))],
    ['Valid until', text.expiresOn ? tellDate(dayOf(text.expiresOn)) : 'no expiry'],
    ['Serial', text.serial],
    ...(text.signedBy ? ([['Course owner', text.signedBy]] as [string, string][]) : []),
  ];
  columns.forEach(([label, value], i) => {
    draw(page, label, plain, 10, left + i * 138, base + 48, QUIET);
    draw(page, value, strong, 13, left + i * 138, base + 30);
  });
  draw(page, `Check it at ${text.verifyUrl.replace(/^https?:\/\//, '')}`, plain, 10, left, base, QUIET);
  const code = await document.embedPng(
    await QRCode.toBuffer(text.verifyUrl, {
      margin: 0,
      scale: 8,
      errorCorrectionLevel: 'M',
      color: { dark: '#1E2430', light: '#FFFFFF' },
    }),
  );
  page.drawImage(code, { x: width - left - 66, y: base - 4, width: 66, height: 66 });
  return Buffer.from(await document.save());
}
