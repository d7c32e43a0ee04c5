import { inflateSync } from 'node:zlib';
import PDFDocument from 'pdfkit';
import { fitPicture, type Face, type Placed, type PlacedPage, type PlacedText } from '@nudrik/core';
import { codeOf } from './code.ts';
import { runsOf, widthOfRun } from './fonts.ts';
import { fontOf } from './unpacked-font.ts';

/** A picture as it is drawn: PNG or JPEG, with its pixels. */
export interface Picture {
  content: Buffer;
  width: number;
  height: number;
}

/** One page with what it is drawn from. */
export interface Sheet {
  page: PlacedPage;
  /** where its code leads */
  verifyUrl: string;
  /** of an item that is a picture; null where there is none (any more): its place stays empty */
  pictureOf: (fileId: string | null) => Picture | null;
}

export interface Info {
  title: string;
  author: string;
  /** in milliseconds: a document that is made twice is the same to the last letter */
  at: number;
}

type Pdf = InstanceType<typeof PDFDocument>;
interface Drawing {
  doc: Pdf;
  /** pictures that were opened in this document: each is in it once */
  opened: Map<Picture, PDFKit.Mixins.ImageSrc>;
}

/**
 * A document that pages are drawn in: its fonts are in it, cut down to what is written. By itself it is tagged for whoever does
 * not see it, as PDF/A-2a (ISO 19005-2); one of many certificates is PDF/A-2b, without tags.
 */
export function openPdf(info: Info, isTagged: boolean): Drawing & { bytes: Promise<Buffer> } {
  const doc = new PDFDocument({
    autoFirstPage: false,
    margin: 0,
    font: null as unknown as string,
    pdfVersion: '1.7',
    subset: isTagged ? 'PDF/A-2a' : 'PDF/A-2b',
    tagged: isTagged,
    lang: 'en',
    displayTitle: true,
    info: {
      Title: info.title,
      Author: info.author,
      CreationDate: new Date(info.at),
      ModDate: new Date(info.at),
      Producer: 'Nudrik',
      Creator: 'Nudrik',
    },
  } as PDFKit.PDFDocumentOptions);
  const parts: Buffer[] = [];
  doc.on('data', (part: Buffer) => parts.push(part));
  const bytes = new Promise<Buffer>((resolve, reject) => {
    doc.on('end', () => resolve(Buffer.concat(parts)));
    doc.on('error', reject);
  });
  return { doc, opened: new Map(), bytes };
}

/** One certificate. */
export async function drawPdf(sheet: Sheet, info: Info): Promise<Buffer> {
  const pdf = openPdf(info, true);
  const { doc } = pdf;
  doc.addPage({ size: [sheet.page.width, sheet.page.height], margin: 0 });
  const root = doc.struct('Document');
  doc.addStructure(root);
  for (const item of sheet.page.items) {
    const draw = (): void => drawItem(pdf, item, sheet);
    const tag = tagOf(item, sheet);
    if (tag) root.add(doc.struct(tag.type, tag.options, draw));
    else {
      doc.markContent('Artifact', { type: 'Layout' });
      draw();
      doc.endMarkedContent();
    }
  }
  root.end();
  doc.end();
  return pdf.bytes;
}

/** Many certificates, each on its page. @param next the next one, or null at the end */
export async function drawMany(next: () => Promise<Sheet | null>, info: Info): Promise<Buffer> {
  const pdf = openPdf(info, false);
  for (let sheet = await next(); sheet !== null; sheet = await next()) {
    pdf.doc.addPage({ size: [sheet.page.width, sheet.page.height], margin: 0 });
    for (const item of sheet.page.items) drawItem(pdf, item, sheet);
  }
  pdf.doc.end();
  return pdf.bytes;
}

/** What a piece is to whoever hears the page read; null is what says nothing. */
function tagOf(item: Placed, { verifyUrl }: Sheet): { type: string; options: { alt?: string } } | null {
  switch (item.kind) {
    case 'text':
      return { type: 'P', options: {} };
    case 'picture':
      return item.words ? { type: 'Figure', options: { alt: item.words } } : null;
    case 'code':
      return { type: 'Figure', options: { alt: `Code that leads to ${verifyUrl}` } };
    default:
      return null;
  }
}

function drawItem(drawing: Drawing, item: Placed, sheet: Sheet): void {
  const { doc } = drawing;
  switch (item.kind) {
    case 'text':
      drawText(doc, item);
      return;
    case 'rect': {
      const { rect, colour, weight, fill } = item;
      if (fill !== null) doc.rect(rect.x, rect.y, rect.w, rect.h).fill(fill);
      if (colour !== null && weight > 0) doc.lineWidth(weight).rect(rect.x, rect.y, rect.w, rect.h).stroke(colour);
      return;
    }
    case 'line':
      doc.lineWidth(item.weight).moveTo(item.from.x, item.from.y).lineTo(item.to.x, item.to.y).stroke(item.colour);
      return;
    case 'picture':
      drawPicture(drawing, item, sheet.pictureOf(item.fileId));
      return;
    case 'code': {
      const { side, rows } = codeOf(sheet.verifyUrl);
      const { x, y, w } = item.rect;
      const cell = w / side;
      for (const { column, row, length } of rows) doc.rect(x + column * cell, y + row * cell, length * cell, cell);
      doc.fill(item.colour);
    }
  }
}

function drawText(doc: Pdf, { face, size, colour, lines }: PlacedText): void {
  for (const { text, x, y } of lines) writeLine(doc, text, face, size, colour, x, y);
}

/** One line, from where its first letter stands on its base line. */
export function writeLine(doc: Pdf, text: string, face: Face, size: number, colour: string, from: number, y: number): void {
  doc.fillColor(colour);
  let x = from;
  for (const run of runsOf(face, text)) {
    doc
      .registerFont(run.path, fontOf(run.path) as unknown as string)
      .font(run.path)
      .fontSize(size)
      .text(run.text, x, y, {
        lineBreak: false,
        baseline: 'alphabetic',
        ...(run.features ? { features: run.features as unknown as PDFKit.Mixins.OpenTypeFeatures[] } : {}),
      });
    x += widthOfRun(run, size);
  }
}

function drawPicture({ doc, opened }: Drawing, { rect, fills }: Placed & { kind: 'picture' }, picture: Picture | null): void {
  if (!picture) return;
  let image = opened.get(picture);
  if (!image) {
    image = (doc as unknown as { openImage(src: Buffer): PDFKit.Mixins.ImageSrc }).openImage(picture.content);
    opened.set(picture, image);
  }
  const place = fitPicture(rect, picture, fills);
  if (fills) doc.save().rect(rect.x, rect.y, rect.w, rect.h).clip();
  doc.image(image, place.x, place.y, { width: place.w, height: place.h });
  if (fills) doc.restore();
}

/** What keeps a picture from being drawn: those that are broken further in are found out by drawing them. Null where nothing does. */
export async function pictureFaultOf(picture: Picture): Promise<string | null> {
  const packed = packedFault(picture);
  if (packed) return packed;
  const rect = { x: 0, y: 0, w: 100, h: 100 };
  const items = [{ kind: 'picture', element: null, fileId: null, words: '', fills: false, rect }] as const;
  const pdf = openPdf({ title: '', author: '', at: 0 }, false);
  try {
    pdf.doc.addPage({ size: [100, 100], margin: 0 });
    drawItem(pdf, items[0], { page: { width: 100, height: 100, items, faults: [] }, verifyUrl: '', pictureOf: () => picture });
    pdf.doc.end();
    await pdf.bytes;
  } catch {
    return BROKEN;
  }
  const [image] = [...pdf.opened.values()] as { colorSpace?: string }[];
  return image?.colorSpace === 'DeviceCMYK' ? 'it has the colours of a printing press (CMYK); expected those of a screen (RGB)' : null;
}

export const BROKEN = 'the picture is broken, or of a kind that cannot be drawn in a PDF';
/** Channels of the colour types of PNG (ISO/IEC 15948). */
const CHANNELS: Readonly<Record<number, number>> = { 0: 1, 2: 3, 3: 1, 4: 2, 6: 4 };

/** Whether what is packed in a PNG is what its head says: neither less, which stops who draws it, nor more, which fills the memory. */
function packedFault({ content, width, height }: Picture): string | null {
  if (content[0] !== 0x89) return null;
  const bits = width * height * (content[24] ?? 0) * (CHANNELS[content[25] ?? -1] ?? 0);
  const packed: Buffer[] = [];
  for (let at = 8; at + 12 <= content.length; at += content.readUInt32BE(at) + 12)
    if (content.toString('latin1', at + 4, at + 8) === 'IDAT') packed.push(content.subarray(at + 8, at + 8 + content.readUInt32BE(at)));
  try {
    // a byte before each row, and rows of seven passes
    const unpacked = inflateSync(Buffer.concat(packed), { maxOutputLength: Math.ceil(bits / 8) + 16 * height + 65_536 });
    return bits === 0 || unpacked.length < bits / 8 + 1 ? BROKEN : null;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE'
      ? 'the picture is broken: it unpacks to more than it says'
      : BROKEN;
  }
}
