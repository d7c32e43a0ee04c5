import { CERTIFICATE_STATES, type CertificateState } from '@nudrik/core';
import { z } from 'zod';
import { Id, Line, LocalDate, Page } from '../common.ts';

/** Which certificates: by a part of a name, course or serial, by course, person and state. */
export const CertificatesFilter = z.object({
  find: z.string().max(200).optional(),
  course: Id.optional(),
  person: Id.optional(),
  state: z.enum(['all', ...CERTIFICATE_STATES]).default('all'),
});
export type CertificatesFilter = z.infer<typeof CertificatesFilter>;
/** GET /api/certificates */
export const CertificatesQuery = Page.extend(CertificatesFilter.shape);

export interface CertificateRow {
  serial: string;
  person: { id: string; name: string };
  course: { id: string; title: string };
  issuedOn: string;
  expiresOn: string | null;
  state: CertificateState;
  /** who revoked it, when and why */
  revoked: { by: string; at: string; reason: string } | null;
  /** which one took its place, when, by whom and why */
  replaced: { by: string; at: string; reason: string; serial: string } | null;
  /** of one that others issued */
  theirs: { issuer: string; number: string | null; hasProof: boolean } | null;
  /** what its holder is called by now, where it says something else */
  nameNow: string | null;
  /** its holder shows it to whoever has a link */
  isShown: boolean;
}

/** POST /api/certificates/:serial/revoke, /reissue */
export const RevokeRequest = z.object({ reason: Line(500, 'expected a reason: it stands on the record') });

/** POST /api/certificates: one that is issued by hand, or that others issued */
export const AddCertificate = z.object({
  personId: Id,
  courseId: Id,
  finishedOn: LocalDate,
  reason: Line(500, 'expected a reason: it stands on the record'),
  /** null is one of ours */
  theirs: z
    .object({
      issuer: Line(200, 'expected who issued it'),
      number: z.string().trim().max(80).nullable().default(null),
      expiresOn: LocalDate.nullable().default(null),
      proofId: Id.nullable().default(null),
    })
    .nullable()
    .default(null),
});
export type AddCertificate = z.infer<typeof AddCertificate>;
export interface CertificateAdded {
  serial: string;
  words: string;
}

/** At the most so many in one file: it is made as a whole, and a certificate has twenty kilobytes. */
export const MOST_IN_FILE = 5_000;
/** POST /api/certificates/file: those of a selection, or all that a filter asks for, as one PDF or as a zip */
export const CertificatesFile = z.object({
  as: z.enum(['pdf', 'zip']),
  serials: z.array(z.string().max(20)).max(MOST_IN_FILE).nullable().default(null),
  filter: CertificatesFilter.nullable().default(null),
});
export type CertificatesFile = z.infer<typeof CertificatesFile>;
export interface CertificatesMade {
  /** where the file is fetched */
  href: string;
  name: string;
  count: number;
  /** others issued these: there is no PDF of ours */
  left: number;
}

/** GET, POST, DELETE /api/learning/:token/shown, /api/my-training/:serial/shown: the page by which its holder shows a certificate */
export interface ShownLink {
  /** null where there is none, or none any more */
  url: string | null;
  madeAt: string | null;
  /** there is a certificate of ours that holds */
  canShow: boolean;
}
/** GET /api/shown/:link: no more than the certificate says */
export interface ShownCertificate {
  answer: 'genuine' | 'expired' | 'revoked' | 'replaced';
  serial: string;
  name: string;
  course: string;
  issuedOn: string;
  expiresOn: string | null;
  organisation: string;
  /** as it looks; pictures stand in it */
  svg: string;
  /** it is held, and there is a signed badge of it */
  hasBadge: boolean;
}

export interface CertificatesPage {
  rows: CertificateRow[];
  total: number;
}

/** GET /api/verify/file/:hash: the SHA-256 of a file, in hex */
export const FileHash = z.string().regex(/^[0-9a-f]{64}$/, 'expected the SHA-256 of a file, as 64 letters and digits');

/** GET /api/verify/:serial: no more than the certificate itself says */
export type Verification =
  | { answer: 'unknown'; serial: string; reason: string }
  | {
      answer: 'genuine' | 'expired' | 'revoked' | 'replaced';
      serial: string;
      name: string;
      course: string;
      issuedOn: string;
      expiresOn: string | null;
      organisation: string;
    };

/** How far ahead it is looked what runs out. */
export const WITHIN = [30, 60, 90] as const;
/** GET /api/certificates/running-out: what people hold that runs out, whoever is here */
export const RunningOutQuery = Page.extend({
  within: z.coerce.number().pipe(z.literal(WITHIN)).default(90),
  department: Id.optional(),
  course: Id.optional(),
  /** `no`: nobody asked for it again, and no requirement will by itself */
  asked: z.enum(['yes', 'no']).optional(),
});
export type RunningOutQuery = z.infer<typeof RunningOutQuery>;

/** Of a department: how much runs out within so many days, and of the last what nobody asked for again, nor any requirement will by itself. */
export interface RunningOutDepartment {
  id: string;
  name: string;
  in30: number;
  in60: number;
  in90: number;
  unasked: number;
}
export interface RunningOutRow {
  person: { id: string; name: string };
  department: string;
  course: { id: string; title: string };
  /** the last day on which it is held */
  until: string;
  /** the certificate that says so; null of what was recorded without one */
  serial: string | null;
  /** it was asked for again, and is due then */
  again: { assignmentId: string; dueAt: string } | null;
  /** a requirement that asks for it again by itself, and on which day */
  renewedBy: { id: string; name: string; on: string } | null;
}
export interface RunningOutPage {
  departments: RunningOutDepartment[];
  courses: { id: string; title: string }[];
  rows: RunningOutRow[];
  total: number;
}
