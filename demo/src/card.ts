import { PDFDocument, rgb, StandardFonts } from 'pdf-lib';

/** A small card to print, so that file units have a real file behind them. */
export async function makeRingCard(course: string, title: string): Promise<Buffer> {
  const document = await PDFDocument.create();
  document.setCreationDate(new Date(0));
  document.setModificationDate(new Date(0));
  const page = document.addPage([420, 298]);
  const font = await document.embedFont(StandardFonts.Helvetica);
  page.drawRectangle({ x: 14, y: 14, width: 392, height: 270, borderWidth: 1, borderColor: rgb(0.12, 0.14, 0.19) });
  page.drawText(title, { x: 34, y: 232, size: 20, font });
  page.drawText(course, { x: 34, y: 208, size: 12, font, color: rgb(0.36, 0.39, 0.45) });
  ['Station ______________________', 'Life jacket __________________', 'Chief ________________________'].forEach((line, i) =>
    page.drawText(line, { x: 34, y: 150 - i * 34, size: 13, font }),
  );
  return Buffer.from(await document.save());
}
