import { z } from 'zod';
import { Line, Page } from '../common.ts';

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
