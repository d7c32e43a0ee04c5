import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs';
import type { TextItem } from 'pdfjs-dist/types/src/display/api.js';

/** The words of each page of a PDF, as another program reads them. */
export async function wordsOfPdf(pdf: Buffer): Promise<string[]> {
  const document = await getDocument({ data: new Uint8Array(pdf), verbosity: 0 }).promise;
  const pages: string[] = [];
  for (let n = 1; n <= document.numPages; n++)
    pages.push(((await (await document.getPage(n)).getTextContent()).items as TextItem[]).map(({ str }) => str).join(' '));
  await document.destroy();
  return pages;
}

/** Where each piece of text stands: page, and points from the lower left corner. */
export async function placesOfPdf(pdf: Buffer): Promise<{ text: string; page: number; x: number; y: number }[]> {
  const document = await getDocument({ data: new Uint8Array(pdf), verbosity: 0 }).promise;
  const places = [];
  for (let page = 1; page <= document.numPages; page++)
    for (const { str, transform } of (await (await document.getPage(page)).getTextContent()).items as TextItem[])
      if (str.trim() !== '') places.push({ text: str, page, x: transform[4] as number, y: transform[5] as number });
  await document.destroy();
  return places;
}
