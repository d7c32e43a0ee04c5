import { PDFDocument, rgb, type PDFPage } from 'pdf-lib';
import fontkit from '@pdf-lib/fontkit';
import QRCode from 'qrcode';
import { dayOf, tellDate } from '@nudrik/core';
import { Fonts, type Style } from './fonts.ts';

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

const INK = rgb(0x1e / 255, 0x24 / 255, 0x30 / 255);
const QUIET = rgb(0x5b / 255, 0x64 / 255, 0x72 / 255);
const RULE = rgb(0xdd / 255, 0xd6 / 255, 0xca / 255);
const PLUM = rgb(0x6c / 255, 0x2a / 255, 0x5e / 255);

interface Page {
  page: PDFPage;
  fonts: Fonts;
}

function draw({ page, fonts }: Page, text: string, style: Style, size: number, x: number, y: number, color = INK): void {
  for (const run of fonts.runs(style, text)) {
    page.drawText(run.text, { x, y, size, font: run.font, color });
    x += run.font.widthOfTextAtSize(run.text, size);
  }
}

/** A text at a size, in its lines. */
interface Fitted {
  size: number;
  lines: string[];
}

/** At the largest of some sizes at which it needs at most so many lines; at the smallest, as many as it needs. */
function fit(fonts: Fonts, style: Style, text: string, sizes: readonly number[], width: number, most: number): Fitted {
  for (const size of sizes) {
    const lines = fonts.lines(style, text, size, width);
    if (lines.length <= most) return { size, lines };
  }
  const size = sizes.at(-1)!;
  return { size, lines: fonts.lines(style, text, size, width) };
}

const NAME_SIZES = [44, 36, 30, 24, 20, 16, 13, 11];
const COURSE_SIZES = [28, 24, 20, 18, 16, 14, 12, 11];
const NAME_LEADING = 1.15;
const COURSE_LEADING = 1.2;
/** between the name's last line and the course's first */
const BETWEEN = 42;

/** Name and course, as large as both fit between the words above and the rule below: they shrink first, then wrap. */
function fitBody(fonts: Fonts, text: CertificateText, width: number, room: number): { name: Fitted; course: Fitted } {
  const heightOf = ({ size, lines }: Fitted, leading: number): number => size * leading * lines.length;
  for (let step = 0; ; step++) {
    const name = fit(fonts, 'serif', text.name, NAME_SIZES.slice(step), width, 2);
    const course = fit(fonts, 'serif', text.course, COURSE_SIZES.slice(step), width, 2);
    const height = heightOf(name, NAME_LEADING) + BETWEEN + heightOf(course, COURSE_LEADING);
    if (height <= room || step === NAME_SIZES.length - 1) return { name, course };
  }
}

/** A certificate on A4, lying: name, course, dates, serial, and a QR code to the page that checks it. */
export async function makeCertificate(text: CertificateText): Promise<Buffer> {
  const document = await PDFDocument.create();
  document.registerFontkit(fontkit);
  const fonts = new Fonts(document);
  const address = `Check it at ${text.verifyUrl.replace(/^https?:\/\//, '')}`;
  const columns: [string, string][] = [
    ['Finished on', tellDate(dayOf(text.issuedOn))],
    ['Valid until', text.expiresOn ? tellDate(dayOf(text.expiresOn)) : 'no expiry'],
    ['Serial', text.serial],
    ...(text.signedBy ? ([['Course owner', text.signedBy]] as [string, string][]) : []),
  ];
  await fonts.prepare('serif', text.name, text.course);
  await fonts.prepare('strong', text.organisation, ...columns.map(([, value]) => value));
  await fonts.prepare(
    'plain',
    'Certificate of completion',
    'This is to certify that',
    'has finished',
    address,
    ...columns.map(([label]) => label),
  );
  document.setTitle(`Certificate ${text.serial}: ${text.name}, ${text.course}`);
  document.setAuthor(text.organisation);
  document.setLanguage('en');

  const [width, height] = [841.89, 595.28];
  const page = document.addPage([width, height]);
  const on: Page = { page, fonts };
  page.drawRectangle({ x: 36, y: 36, width: width - 72, height: height - 72, borderColor: INK, borderWidth: 0.75 });
  page.drawRectangle({ x: 42, y: 42, width: width - 84, height: height - 84, borderColor: RULE, borderWidth: 0.75 });

  const left = 92;
  const measure = width - 2 * left;
  const head = fit(fonts, 'strong', text.organisation, [13, 11, 9, 7], measure, 1);
  draw(on, head.lines[0]!, 'strong', head.size, left, height - 110, PLUM);
  draw(on, 'Certificate of completion', 'plain', 13, left, height - 130, QUIET);

  draw(on, 'This is to certify that', 'plain', 13, left, height - 200, QUIET);
  const base = 96;
  const top = height - 248;
  const { name, course } = fitBody(fonts, text, measure, top + 36 - (base + 92));
  let y = top;
  for (const line of name.lines) {
    draw(on, line, 'serif', name.size, left, y);
    y -= name.size * NAME_LEADING;
  }
  draw(on, 'has finished', 'plain', 13, left, y - 6, QUIET);
  y -= BETWEEN;
  for (const line of course.lines) {
    draw(on, line, 'serif', course.size, left, y);
    y -= course.size * COURSE_LEADING;
  }

  page.drawLine({
    start: { x: left, y: base + 74 },
    end: { x: width - left, y: base + 74 },
    thickness: 0.75,
    color: RULE,
  });
  const column = 138;
  columns.forEach(([label, value], i) => {
    const x = left + i * column;
    draw(on, label, 'plain', 10, x, base + 48, QUIET);
    // the last column ends before the code
    const held = fit(fonts, 'strong', value, [13, 11, 9, 8, 7], column - 12, 1);
    held.lines.slice(0, 2).forEach((line, n) => draw(on, line, 'strong', held.size, x, base + 30 - n * (held.size + 1)));
  });
  const place = fit(fonts, 'plain', address, [10, 9, 8, 7, 6], measure - 78, 1);
  draw(on, place.lines[0]!, 'plain', place.size, left, base, QUIET);
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
