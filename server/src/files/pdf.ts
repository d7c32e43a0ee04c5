import { Refused } from '../refusal.ts';

/** How many pages a PDF has. @throws Refused where it is none, broken or locked */
export async function countPages(content: Uint8Array, name: string): Promise<number> {
  const { getDocument, VerbosityLevel } = await import('pdfjs-dist/legacy/build/pdf.mjs');
  const loading = getDocument({ data: new Uint8Array(content), isEvalSupported: false, useSystemFonts: false, stopAtErrors: true, verbosity: VerbosityLevel.ERRORS }); // prettier-ignore
  try {
    const document = await loading.promise;
    await document.getPage(1);
    return document.numPages;
  } catch (error) {
    const isLocked = (error as Error).name === 'PasswordException';
    throw new Refused('wrong-file', `${name}: ${isLocked ? 'it is locked with a password, which readers would be asked for; save it without one' : `it is broken and cannot be shown (${(error as Error).message.slice(0, 120)})`}. Nothing was taken.`); // prettier-ignore
  } finally {
    await loading.destroy();
  }
}
