// Serials: eight letters or digits and a check character by ISO/IEC 7064 MOD 37,36, written XXXX-XXXX-C. Letters that are
// read as digits (I, L, O, U) are not used for the eight, so a serial can be read out over the phone.
const ALPHABET = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ';
const READABLE = '0123456789ABCDEFGHJKMNPQRSTVWXYZ';

/** The check character of a string over 0-9A-Z (ISO/IEC 7064 MOD 37,36). */
export function checkCharacter(text: string): string {
  let product = 36;
  for (const character of text) {
    const sum = (product + ALPHABET.indexOf(character)) % 36 || 36;
    product = (sum * 2) % 37;
  }
  return ALPHABET[(37 - product) % 36]!;
}

/** A serial from eight numbers, each 0 … 31 (five random bits). */
export function serialFrom(fives: readonly number[]): string {
  const body = fives.map((five) => READABLE[five & 31]).join('');
  return `${body.slice(0, 4)}-${body.slice(4, 8)}-${checkCharacter(body)}`;
}

/** The serial as it is stored, from what somebody typed; null when the check character does not fit. */
export function parseSerial(typed: string): string | null {
  const plain = typed.toUpperCase().replace(/[\s-]/g, '');
  if (!/^[0-9A-Z]{9}$/.test(plain)) return null;
  const body = plain.slice(0, 8);
  if (checkCharacter(body) !== plain[8]) return null;
  return `${body.slice(0, 4)}-${body.slice(4)}-${plain[8]}`;
}

export const CERTIFICATE_STATES = ['current', 'expiring', 'expired', 'revoked', 'replaced'] as const;
export type CertificateState = (typeof CERTIFICATE_STATES)[number];

/** Days before its last one from which something runs out soon. */
export const EXPIRING_DAYS = 60;

/** @param today local date, @param expiresOn last day on which it holds, null for ever; expiring is within 60 days */
export function certificateState(
  today: number,
  expiresOn: number | null,
  { isRevoked, isReplaced }: { isRevoked: boolean; isReplaced: boolean },
): CertificateState {
  if (isRevoked) return 'revoked';
  if (isReplaced) return 'replaced';
  if (expiresOn === null) return 'current';
  if (today > expiresOn) return 'expired';
  return expiresOn - today <= EXPIRING_DAYS ? 'expiring' : 'current';
}
