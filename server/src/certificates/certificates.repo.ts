import { randomBytes } from 'node:crypto';
import { certificateState, dayOf, parseSerial, serialFrom, tellDate, type CertificateValues, type Design } from '@nudrik/core';
import type { CertificateRow, CertificatesFilter, CertificatesPage, Verification } from '@nudrik/contract';
import { containing, maybeRow, oneRow, rows, type Client, type Queryable } from '../db/db.ts';
import { getHouse } from '../house/house.ts';
import { designOfCourse } from './designs.repo.ts';
import { makeCertificate } from './made.ts';
import { printedFor } from './printed.ts';
import { sealLater } from '../seals/seals.repo.ts';

export const newSerial = (): string => serialFrom([...randomBytes(8)]);

const INSERT_CERTIFICATE = `
insert into certificates (
  assignment_id, person_id, course_id, serial, person_name, course_title, issued_on, expires_on, issued_by, design_id, design_version, printed, issuer,
  their_number, proof_id, issued_at
)
select
  a.id, a.person_id, a.course_id, $2::text, p.name, c.title, $3::date, $4::date, $5::text, $6::bigint, $7::integer, $8::jsonb, $9::text, $10::text,
  $11::bigint, $12::timestamptz
from assignments a
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
where a.id = $1::bigint
returning id, serial, expires_on
`;

/** A certificate to be issued. */
export interface NewCertificate {
  assignmentId: string;
  issuedOn: string;
  /** the last day on which it holds; null for ever */
  expiresOn: string | null;
  byWhom: string;
  /** of one that others issued: it is kept with what shows it, and no PDF is made */
  theirs?: { issuer: string; number: string | null; proofId: string | null };
}
export interface Issued {
  id: string;
  serial: string;
  expiresOn: string | null;
}

/** PDFs that are made in the transaction that issues them: of more each is made when it is asked for first, from what was kept of it. */
const MOST_AT_ONCE = 50;

/** Issues certificates for assignments of a course, with what each prints, by the design of the course as it is now; its PDF with it. */
export async function issueCertificates(
  db: Client,
  courseId: string,
  list: readonly NewCertificate[],
  at: number,
  baseUrl: string,
): Promise<Issued[]> {
  const design = await designOfCourse(db, courseId);
  const named = list.map((one) => ({ ...one, serial: newSerial() }));
  const printed = await printedFor(db, named);
  const issued: Issued[] = [];
  for (const { assignmentId, serial, issuedOn, expiresOn, byWhom, theirs } of named) {
    const row = await oneRow<{ id: string; serial: string; expires_on: string | null }>(db, INSERT_CERTIFICATE, [
      assignmentId,
      serial,
      issuedOn,
      expiresOn,
      byWhom,
      theirs ? null : design?.id,
      theirs ? null : design?.version,
      JSON.stringify(printed.get(assignmentId)),
      theirs?.issuer,
      theirs?.number,
      theirs?.proofId,
      new Date(at),
    ]);
    if (!theirs && list.length <= MOST_AT_ONCE) await certificatePdf(db, serial, baseUrl);
    issued.push({ id: row.id, serial, expiresOn: row.expires_on });
  }
  await sealLater(
    db,
    'certificate',
    issued.map(({ id }) => id),
  );
  return issued;
}

const FIND_CERTIFICATE = `
select k.id, k.serial, k.person_id, k.person_name, k.course_id, k.course_title, k.issued_on, k.expires_on, k.revoked_at, k.replaced_at, k.pdf, k.printed,
  k.assignment_id, k.issuer, k.proof_id, v.design, o.name as owner
from certificates k
join courses c on c.id = k.course_id
left join people o on o.id = c.owner_id
left join certificate_design_versions v on v.design_id = k.design_id and v.version = k.design_version
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
  replaced_at: Date | null;
  pdf: Buffer | null;
  printed: CertificateValues | null;
  assignment_id: string;
  /** who issued it, where others did */
  issuer: string | null;
  proof_id: string | null;
  /** null is the one that comes with Nudrik */
  design: Design | null;
  owner: string | null;
}

export const findCertificate = (db: Queryable, serial: string): Promise<CertificateDbRow | null> =>
  maybeRow<CertificateDbRow>(db, FIND_CERTIFICATE, [serial]);

/** What a certificate prints: what was kept with it; of before anything was kept, what its columns say. */
export const printedOf = (row: CertificateDbRow, organisation: string): CertificateValues =>
  row.printed ?? {
    'full name': row.person_name,
    course: row.course_title,
    organisation,
    finished: tellDate(dayOf(row.issued_on)),
    'certificate expiry': row.expires_on === null ? 'no expiry' : tellDate(dayOf(row.expires_on)),
    'certificate serial': row.serial,
    trainer: row.owner,
  };

const SET_CERTIFICATE_PDF = 'update certificates set pdf = $2::bytea where id = $1::bigint and pdf is null';

/** The PDF of a certificate: as it was made at finishing, or made now and kept. Null where the serial is unknown, or others issued it. */
export async function certificatePdf(db: Queryable, serial: string, baseUrl: string): Promise<Buffer | null> {
  const row = await findCertificate(db, serial);
  if (!row || row.issuer !== null) return null;
  if (row.pdf) return row.pdf;
  const { organisation } = await getHouse(db);
  const pdf = await makeCertificate(db, { ...row, printed: printedOf(row, organisation) }, baseUrl);
  await db.query(SET_CERTIFICATE_PDF, [row.id, pdf]);
  // whoever else made it at this moment was first: what is kept is what is given
  return (await findCertificate(db, serial))!.pdf ?? pdf;
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
  const row = await findOurs(db, serial);
  return row ? verdictOn(db, row, today) : { answer: 'unknown', serial, reason: 'No certificate was issued with this serial.' };
}

/** One that was issued here: what others issued is for them to confirm. */
async function findOurs(db: Queryable, serial: string): Promise<CertificateDbRow | null> {
  const row = await findCertificate(db, serial);
  return row?.issuer === null ? row : null;
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

/** How one stands. Of one that another took the place of no more is told: whose name changed may not want to be found by the former. */
export async function verdictOn(db: Queryable, row: CertificateDbRow, today: string): Promise<Extract<Verification, { name: string }>> {
  const { organisation } = await getHouse(db);
  const answer = row.revoked_at
    ? 'revoked'
    : row.replaced_at
      ? 'replaced'
      : row.expires_on !== null && row.expires_on < today
        ? 'expired'
        : 'genuine';
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
const STANDS = 'k.revoked_at is null and k.replaced_at is null';
/** What each state is, of certificates and of the kept counts; what runs out comes in the order in which it does. $1 is today. */
const STATES: Readonly<Record<string, { where: string; kept: string; order: string }>> = {
  all: { where: 'true', kept: "f.what in ('certificates', 'revoked', 'replaced')", order: NEWEST },
  revoked: { where: 'k.revoked_at is not null', kept: "f.what = 'revoked'", order: NEWEST },
  replaced: { where: 'k.revoked_at is null and k.replaced_at is not null', kept: "f.what = 'replaced'", order: NEWEST },
  expired: {
    where: `${STANDS} and k.expires_on < $1::date`,
    kept: `${KEPT} and f.at < day_at($1::date)`,
    order: 'k.expires_on desc, k.id desc',
  },
  expiring: {
    where: `${STANDS} and k.expires_on between $1::date and $1::date + 60`,
    kept: `${KEPT} and f.at between day_at($1::date) and day_at($1::date + 60)`,
    order: 'k.expires_on, k.id',
  },
  current: {
    where: `${STANDS} and (k.expires_on is null or k.expires_on > $1::date + 60)`,
    kept: `${KEPT} and f.at > day_at($1::date + 60)`,
    order: NEWEST,
  },
};
const COUNT_KEPT = (kept: string): string => `
select coalesce(sum(f.count), 0)::integer as total
from figures_now f
where $1::date is not null
  and ($2::bigint is null or f.of_id = $2::bigint)
  and ${kept}
`;

/** What certificates a filter asks for, as a condition over `certificates k`. */
export function certificatesWhere(filter: CertificatesFilter, today: string): { where: string; order: string; values: unknown[] } {
  const values: unknown[] = [today];
  const where = ['$1::date is not null'];
  const add = (value: unknown, condition: (place: string) => string): void => {
    values.push(value);
    where.push(condition(`$${values.length}`));
  };
  if (filter.find)
    add(containing(filter.find), (place) => `(k.person_name || E'\\n' || k.course_title || E'\\n' || k.serial) ilike ${place}::text`);
  if (filter.course) add(filter.course, (place) => `k.course_id = ${place}::bigint`);
  if (filter.person) add(filter.person, (place) => `k.person_id = ${place}::bigint`);
  const state = STATES[filter.state] ?? STATES['all']!;
  where.push(state.where);
  return { where: where.join(' and '), order: state.order, values };
}

interface ListedRow extends CertificateDbRow {
  revoked_by: string | null;
  revoked_reason: string | null;
  replaced_reason: string | null;
  replaced_by_whom: string | null;
  replaced_serial: string | null;
  their_number: string | null;
  current_name: string;
  is_shown: boolean;
}

export async function listCertificates(
  db: Queryable,
  query: CertificatesFilter & { page: number; size: number },
  today: string,
): Promise<CertificatesPage> {
  const { where, order, values } = certificatesWhere(query, today);
  const filter = `from certificates k where ${where}`;
  const counting =
    query.find || query.person
      ? oneRow<{ total: number }>(db, `select count(*)::integer as total ${filter}`, values)
      : oneRow<{ total: number }>(db, COUNT_KEPT((STATES[query.state] ?? STATES['all']!).kept), [today, query.course ?? null]);
  const finding = rows<ListedRow>(
    db,
    `select k.*, r.serial as replaced_serial, p.name as current_name,
      exists (select from certificate_links l where l.certificate_id = k.id and l.ended_at is null) as is_shown
    from (
      select k.id, k.serial, k.person_id, k.person_name, k.course_id, k.course_title, k.issued_on, k.expires_on, k.revoked_at, k.revoked_by,
        k.revoked_reason, k.replaced_at, k.replaced_by, k.replaced_by_whom, k.replaced_reason, k.issuer, k.their_number, k.proof_id
      ${filter} order by ${order} limit ${query.size} offset ${query.page * query.size}
    ) k
    join people p on p.id = k.person_id
    left join certificates r on r.id = k.replaced_by
    order by ${order}`,
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
      state: certificateState(dayOf(today), row.expires_on === null ? null : dayOf(row.expires_on), {
        isRevoked: row.revoked_at !== null,
        isReplaced: row.replaced_at !== null,
      }),
      revoked: row.revoked_at && { by: row.revoked_by ?? '', at: row.revoked_at.toISOString(), reason: row.revoked_reason ?? '' },
      replaced:
        row.replaced_at && row.replaced_serial !== null
          ? {
              by: row.replaced_by_whom ?? '',
              at: row.replaced_at.toISOString(),
              reason: row.replaced_reason ?? '',
              serial: row.replaced_serial,
            }
          : null,
      theirs: row.issuer === null ? null : { issuer: row.issuer, number: row.their_number, hasProof: row.proof_id !== null },
      nameNow: row.current_name === row.person_name ? null : row.current_name,
      isShown: row.is_shown,
    })),
  };
}
