import { dayOf, picturesOf, placeDesign, STANDARD_DESIGN, type CertificateValues, type Design } from '@nudrik/core';
import type { Queryable } from '../db/db.ts';
import { drawMany, drawPdf, type Info, type Sheet } from './draw-pdf.ts';
import { measure } from './fonts.ts';
import { Pictures } from './pictures.ts';

/** A certificate as it is drawn. */
export interface Printed {
  serial: string;
  issued_on: string;
  printed: CertificateValues;
  /** null is the one that comes with Nudrik */
  design: Design | null;
}

const DAY_MS = 86_400_000;

function sheetFor({ serial, printed, design }: Printed, pictures: Pictures, baseUrl: string): Sheet {
  const verifyUrl = `${baseUrl}/verify/${serial}`;
  const values = { ...printed, 'check address': verifyUrl.replace(/^https?:\/\//, '') };
  return { page: placeDesign(design ?? STANDARD_DESIGN, values, measure), verifyUrl, pictureOf: pictures.get };
}

const infoOf = ({ serial, issued_on, printed }: Printed): Info => ({
  title: `Certificate ${serial}: ${printed['full name'] ?? ''}, ${printed['course'] ?? ''}`,
  author: printed['organisation'] ?? '',
  at: dayOf(issued_on) * DAY_MS,
});

/** One certificate as it is drawn, with the pictures of its design. */
export async function readSheet(db: Queryable, certificate: Printed, baseUrl: string): Promise<Sheet> {
  const pictures = new Pictures(db);
  await pictures.read(picturesOf(certificate.design ?? STANDARD_DESIGN));
  return sheetFor(certificate, pictures, baseUrl);
}

/** The PDF of one certificate. */
export const makeCertificate = async (db: Queryable, certificate: Printed, baseUrl: string): Promise<Buffer> =>
  drawPdf(await readSheet(db, certificate, baseUrl), infoOf(certificate));

/** Many certificates as one PDF, each on its page. @param next some more of them, none at the end */
export async function makeMany(db: Queryable, next: () => Promise<readonly Printed[]>, info: Info, baseUrl: string): Promise<Buffer> {
  const pictures = new Pictures(db);
  let some: readonly Printed[] = [];
  let at = 0;
  return drawMany(async () => {
    if (at === some.length) {
      [some, at] = [await next(), 0];
      await pictures.read(some.flatMap(({ design }) => picturesOf(design ?? STANDARD_DESIGN)));
    }
    const certificate = some[at++];
    return certificate ? sheetFor(certificate, pictures, baseUrl) : null;
  }, info);
}
