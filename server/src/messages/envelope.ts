import { createHmac, timingSafeEqual } from 'node:crypto';

const sign = (key: string, deliveryId: string): string =>
  createHmac('sha256', key).update(`envelope ${deliveryId}`).digest('hex').slice(0, 32);

/** What a mail server is given to name an attempt by (RFC 3461, ENVID): it cannot be guessed, so a report that names it is believed. */
export const envelopeOf = (key: string, deliveryId: string): string => `${deliveryId}.${sign(key, deliveryId)}`;

/** The attempt that an envelope id names, or null where it is none of ours. */
export function readEnvelope(key: string, envelopeId: string): string | null {
  const [, deliveryId, signature] = /^([1-9]\d{0,18})\.([0-9a-f]{32})$/.exec(envelopeId) ?? [];
  if (!deliveryId || !signature) return null;
  return timingSafeEqual(Buffer.from(signature), Buffer.from(sign(key, deliveryId))) ? deliveryId : null;
}
