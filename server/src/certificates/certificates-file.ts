import { buffer } from 'node:stream/consumers';
import { tellAmount } from '@nudrik/core';
import { MOST_IN_FILE, type CertificatesFile, type CertificatesMade } from '@nudrik/contract';
import { ZipFile } from 'yazl';
import { rows, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import type { Work } from '../work/jobs.ts';
import { certificatePdf, certificatesWhere, findCertificate, printedOf, type CertificateDbRow } from './certificates.repo.ts';
import { makeMany, type Printed } from './made.ts';

const PART = 50;

/** The certificates that are asked for, in the order in which they are listed. */
async function listAsked(
  deps: Deps,
  db: Queryable,
  { serials, filter }: CertificatesFile,
): Promise<{ serial: string; isTheirs: boolean }[]> {
  const today = await houseToday(deps);
  const { where, order, values } = certificatesWhere({ state: 'all', ...(serials ? {} : filter) }, today);
  const chosen = serials ? `and k.serial = any($${values.length + 1}::text[])` : '';
  return rows(
    db,
    `select k.serial, k.issuer is not null as "isTheirs" from certificates k where ${where} ${chosen} order by ${order} limit ${MOST_IN_FILE + 1}`,
    serials ? [...values, serials] : values,
  );
}

/** What is wrong with a wish for a file, before anything is made. */
async function askedOrRefused(deps: Deps, request: CertificatesFile): Promise<{ ours: string[]; left: number }> {
  if (request.serials === null && request.filter === null)
    throw new Refused('wrong-input', 'Expected certificates by their serials, or a filter; got neither. Nothing was made.');
  const asked = await listAsked(deps, deps.db, request);
  if (asked.length > MOST_IN_FILE)
    throw new Refused('too-large', `More than ${tellAmount(MOST_IN_FILE, 'certificates')} fit; expected at most as many in one file. Ask for a course or a state by itself; nothing was made.`); // prettier-ignore
  const ours = asked.filter(({ isTheirs }) => !isTheirs).map(({ serial }) => serial);
  if (ours.length === 0)
    throw new Refused('wrong-input', asked.length > 0 ? 'Others issued all of these: there is no PDF of ours to put into a file.' : 'No certificate fits; nothing was made.'); // prettier-ignore
  return { ours, left: asked.length - ours.length };
}

/** Certificates as one PDF, each on its page; or each as it was issued, in a zip. */
export async function makeCertificatesFile(deps: Deps, request: CertificatesFile, work: Work): Promise<CertificatesMade> {
  const { ours, left } = await askedOrRefused(deps, request);
  const content = request.as === 'pdf' ? await asPdf(deps, ours, work) : await asZip(deps, ours, work);
  const name = `certificates-${await houseToday(deps)}.${request.as}`;
  const href = await work.keep({ name, type: request.as === 'pdf' ? 'application/pdf' : 'application/zip', content });
  const made = { href, name, count: ours.length, left };
  await transaction(deps.db, (client) => work.finish(client, made));
  return made;
}

async function asPdf(deps: Deps, serials: readonly string[], work: Work): Promise<Buffer> {
  const { organisation } = await getHouse(deps.db);
  let at = 0;
  const next = async (): Promise<Printed[]> => {
    await work.at(at, serials.length);
    const some = await Promise.all(serials.slice(at, at + PART).map((serial) => findCertificate(deps.db, serial)));
    at += PART;
    // what was removed meanwhile is not in it
    return some.filter((row): row is CertificateDbRow => row !== null).map((row) => ({ ...row, printed: printedOf(row, organisation) }));
  };
  const info = { title: `Certificates, ${organisation}`, author: organisation, at: deps.clock.now() };
  return makeMany(deps.db, next, info, deps.settings.baseUrl);
}

async function asZip(deps: Deps, serials: readonly string[], work: Work): Promise<Buffer> {
  const zip = new ZipFile();
  // read while it is filled, so that it is not twice in memory
  const whole = buffer(zip.outputStream as NodeJS.ReadableStream);
  for (const [i, serial] of serials.entries()) {
    if (i % PART === 0) await work.at(i, serials.length);
    const row = await findCertificate(deps.db, serial);
    const pdf = row && (row.pdf ?? (await certificatePdf(deps.db, serial, deps.settings.baseUrl)));
    // a PDF is packed already
    if (row && pdf) zip.addBuffer(pdf, nameFor(row), { compress: false, mtime: new Date(deps.clock.now()) });
  }
  zip.end();
  return whole;
}

/** `Aske, Runa` and the rest as they stand, without what file systems do not take. The serial keeps namesakes apart. */
const nameFor = ({ person_name, course_title, serial }: CertificateDbRow): string =>
  `${[person_name, course_title]
    .map((text) =>
      text
        .replace(/[\\/:*?"<>|\p{Cc}]+/gu, ' ')
        .trim()
        .slice(0, 80),
    )
    .join(', ')}, ${serial}.pdf`;
