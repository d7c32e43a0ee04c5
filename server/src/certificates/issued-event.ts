import { dayOf, type AssignmentEvent, type Zone } from '@nudrik/core';

/** That a certificate was issued. The day on which it runs out begins where its holder is. */
export const issuedEvent = (
  { serial, expiresOn }: { serial: string; expiresOn: string | null },
  zone: Zone,
  at: number,
  issuer: string | null = null,
): AssignmentEvent => ({
  type: 'certificate-issued',
  at,
  serial,
  expiresAt: expiresOn === null ? null : zone.toInstant(dayOf(expiresOn), 0),
  ...(issuer === null ? {} : { issuer }),
});
