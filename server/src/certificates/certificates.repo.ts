import { randomBytes } from 'node:crypto';
import { addMonths, certificateState, dateOf, dayOf, parseSerial, serialFrom, type CertificateState } from '@nudrik/core';
import type { CertificateRow, CertificatesPage, Verification } from '@nudrik/contract';
import { containing, maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';
import { getHouse } from '../house/house.ts';
import { makeCertificate } from './pdf.ts';

export const newSerial = (): string => serialFrom([...randomBytes(8)]);

/** The last day on which a certificate holds; null for ever. */
export const expiryOf = (issuedOn: string, validityMonths: number | null): string | null =>
  validityMonths === null ? null : dateOf(addMonths(dayOf(issuedOn), validityMonths));

const INSERT_CERTIFICATE = `
insert into certificates (assignment_id, person_id, course_id, serial, person_name, course_title, issued_on, expires_on)
select a.id, a.person_id, a.course_id, $2::text, p.name, c.title, $3::date, $4::date
from assignments a
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
where a.id = $1::bigint
returning serial, expires_on
`;

/** Issues the certificate of a finished assignment, its PDF with it. */
export async function issueCertificate(
  db: Client,
  assignmentId: string,
  issuedOn: string,
  validityMonths: number | null,
  baseUrl: string,
): Promise<{ serial: string; expiresOn: string | null }> {
  const row = await oneRow<{ serial: string; expires_on: string | null }>(db, INSERT_CERTIFICATE, [
    assignmentId,
    newSerial(),
    issuedOn,
    expiryOf(issuedOn, validityMonths),
  ]);
  await certificatePdf(db, row.serial, baseUrl);
  return { serial: row.serial, expiresOn: row.expires_on };
}

const FIND_CERTIFICATE = `
select k.id, k.serial, k.person_id, k.person_name, k.course_id, k.course_title, k.issued_on, k.expires_on, k.revoked_at, k.pdf,
  k.assignment_id, o.name as owner
from certificates k
join courses c on c.id = k.course_id
left join people o on o.id = c.owner_id
where k.serial = $1::text
`;

export interface CertificateDbRow {
  id: string;
  serial: string;
  person_id: string;
  person_name: string;
  course_id: string;
  course_title: string;
  issued_on: string;
  expires_on: string | null;
  revoked_at: Date | null;
  pdf: Buffer | null;
  assignment_id: string;
  owner: string | null;
}

export const findCertificate = (db: Queryable, serial: string): Promise<CertificateDbRow | null> =>
  maybeRow<CertificateDbRow>(db, FIND_CERTIFICATE, [serial]);

const SET_CERTIFICATE_PDF = 'update certificates set pdf = $2::bytea where id = $1::bigint';

/** The PDF of a certificate: as it was made at finishing, or made now and kept. Null where the serial is unknown. */
export async function certificatePdf(db: Queryable, serial: string, baseUrl: string): Promise<Buffer | null> {
  const row = await findCertificate(db, serial);
  if (!row) return null;
  if (row.pdf) return row.pdf;
  const { organisation } = await getHouse(db);
  const pdf = await makeCertificate({
    name: row.person_name,
    course: row.course_title,
    organisation,
    issuedOn: row.issued_on,
    expiresOn: row.expires_on,
    serial: row.serial,
    verifyUrl: `${baseUrl}/verify/${row.serial}`,
    signedBy: row.owner,
  });
  await db.query(SET_CERTIFICATE_PDF, [row.id, pdf]);
  return pdf;
}

/** What the verify page answers; no more than the certificate itself says. */
export async function verify(db: Queryable, typed: string, today: string): Promise<Verification> {
  const serial = parseSerial(typed);
  if (!serial)
    return {
      answer: 'unknown',
      serial: typed.slice(0, 40),
      reason:
        'The check character does not fit, so there is a mistake in the serial. Look at it again: nine letters and digits, such as 7F3K-9QWD-X.',
    };
  const row = await findCertificate(db, serial);
  return row ? verdictOn(db, row, today) : { answer: 'unknown', serial, reason: 'No certificate was issued with this serial.' };
}

const FIND_BY_HASH = 'select serial from certificates where pdf_hash = $1::bytea';

/** The same of a file: by its SHA-256 it is one that was issued here, unchanged to the last letter, or it is not. @param hash in hex */
export async function verifyFile(db: Queryable, hash: string, today: string): Promise<Verification> {
  const known = await maybeRow<{ serial: string }>(db, FIND_BY_HASH, [Buffer.from(hash, 'hex')]);
  const row = known && (await findCertificate(db, known.serial));
  if (row) return verdictOn(db, row, today);
  return {
    answer: 'unknown',
    serial: '',
    reason:
      'This file is not as any certificate was issued here: it was changed, or made elsewhere. Type the serial that stands in it to see what was issued.',
  };
}

async function verdictOn(db: Queryable, row: CertificateDbRow, today: string): Promise<Verification> {
  const { organisation } = await getHouse(db);
  const answer = row.revoked_at ? 'revoked' : row.expires_on !== null && row.expires_on < today ? 'expired' : 'genuine';
  return {
    answer,
    serial: row.serial,
    name: row.person_name,
    course: row.course_title,
    issuedOn: row.issued_on,
    expiresOn: row.expires_on,
    organisation,
  };
}

const NEWEST = 'k.issued_on desc, k.id desc';
const KEPT = "f.what = 'certificates'";
/** What each state is, of certificates and of the kept counts; what runs out comes in the order in which it does. $1 is today. */
const STATES: Readonly<Record<string, { where: string; kept: string; order: string }>> = {
  all: { where: 'true', kept: "f.what in ('certificates', 'revoked')", order: NEWEST },
  revoked: { where: 'k.revoked_at is not null', kept: "f.what = 'revoked'", order: NEWEST },
  expired: {
    where: 'k.revoked_at is null and k.expires_on < $1::date',
    kept: `${KEPT} and f.at < day_at($1::date)`,
    order: 'k.expires_on desc, k.id desc',
  },
  expiring: {
    where: 'k.revoked_at is null and k.expires_on between $1::date and $1::date + 60',
    kept: `${KEPT} and f.at between day_at($1::date) and day_at($1::date + 60)`,
    order: 'k.expires_on, k.id',
  },
  current: {
    where: 'k.revoked_at is null and (k.expires_on is null or k.expires_on > $1::date + 60)',
    kept: `${KEPT} and f.at > day_at($1::date + 60)`,
    order: NEWEST,
  },
};
const COUNT_KEPT = (kept: string): string => `
select coalesce(sum(f.count), 0)::integer as total
from figures_now f
where $1::date is not null
  and ${kept}
`;

export async function listCertificates(
  db: Queryable,
  query: { find?: string; state: string; page: number; size: number },
  today: string,
): Promise<CertificatesPage> {
  const values: unknown[] = [today];
  const where = ['$1::date is not null'];
  if (query.find) {
    values.push(containing(query.find));
    where.push(`(k.person_name || E'\\n' || k.course_title || E'\\n' || k.serial) ilike $${values.length}::text`);
  }
  const state = STATES[query.state] ?? STATES['all']!;
  where.push(state.where);
  const filter = `from certificates k where ${where.join(' and ')}`;
  const counting = query.find
    ? oneRow<{ total: number }>(db, `select count(*)::integer as total ${filter}`, values)
    : oneRow<{ total: number }>(db, COUNT_KEPT(state.kept), [today]);
  const finding = rows<CertificateDbRow & { revoked_by: string | null; revoked_reason: string | null }>(
    db,
    `select k.serial, k.person_id, k.person_name, k.course_id, k.course_title, k.issued_on, k.expires_on, k.revoked_at, k.revoked_by, k.revoked_reason
     ${filter} order by ${state.order} limit ${query.size} offset ${query.page * query.size}`,
    values,
  );
  const [{ total }, found] = await Promise.all([counting, finding]);
  return {
    total,
    rows: found.map((row): CertificateRow => ({
      serial: row.serial,
      person: { id: row.person_id, name: row.person_name },
      course: { id: row.course_id, title: row.course_title },
      issuedOn: row.issued_on,
      expiresOn: row.expires_on,
      state: certificateState(
        dayOf(today),
        row.expires_on === null ? null : dayOf(row.expires_on),
        row.revoked_at !== null,
      ) satisfies CertificateState,
      revoked: row.revoked_at && { by: row.revoked_by ?? '', at: row.revoked_at.toISOString(), reason: row.revoked_reason ?? '' },
    })),
  };
}
