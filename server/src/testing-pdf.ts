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
