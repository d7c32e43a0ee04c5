import { z } from 'zod';
import { Id, Line, Page } from '../common.ts';

/** GET /api/certificates */
export const CertificatesQuery = Page.extend({
  find: z.string().max(200).optional(),
  state: z.enum(['all', 'current', 'expiring', 'expired', 'revoked']).default('all'),
});

export interface CertificateRow {
  serial: string;
  person: { id: string; name: string };
  course: { id: string; title: string };
  issuedOn: string;
  expiresOn: string | null;
  state: 'current' | 'expiring' | 'expired' | 'revoked';
  /** who revoked it, when and why */
  revoked: { by: string; at: string; reason: string } | null;
}

/** POST /api/certificates/:serial/revoke */
export const RevokeRequest = z.object({ reason: Line(500, 'expected a reason: it stands on the record') });

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
      answer: 'genuine' | 'expired' | 'revoked';
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
