import { readTable, UnreadableFile } from '@nudrik/core/table-file';
import { checkOffice, readDocx } from './files/office.ts';
import { countPages } from './files/pdf.ts';
import { pictureFaultOf } from './certificates/draw-pdf.ts';
import { Refused } from './refusal.ts';
import { readMail } from './messages/read-mail.ts';
import { readHolidays } from './structure/holidays-file.ts';
import type { Read, Reading } from './read-apart.ts';

/** Reads one file, wherever this runs. */
export async function readHere(reading: Reading): Promise<Read> {
  const { bytes, fileName } = reading;
  try {
    switch (reading.what) {
      case 'table':
        return { table: await readTable(bytes) };
      case 'holidays':
        return { holidays: readHolidays(Buffer.from(bytes), fileName, reading.years) };
      case 'pdf':
        return { pages: await countPages(bytes, fileName) };
      case 'office':
        await checkOffice(bytes, fileName);
        return {};
      case 'mail':
        return { mail: await readMail(Buffer.from(bytes), reading.envelopeFrom) };
      case 'picture': {
        const fault = await pictureFaultOf({ content: Buffer.from(bytes), width: reading.width, height: reading.height });
        return fault === null ? {} : { fault };
      }
      case 'docx':
        return { page: await readDocx(bytes, fileName) };
    }
  } catch (error) {
    if (error instanceof UnreadableFile || error instanceof Refused) return { fault: error.message };
    throw error;
  }
}
