import { createCipheriv, createDecipheriv, createHmac, randomBytes } from 'node:crypto';

const ALGORITHM = 'aes-256-gcm';
const NONCE = 12;
const TAG = 16;

const keyFor = (key: string, purpose: string): Buffer => createHmac('sha256', key).update(`hidden: ${purpose}`).digest();

/** Hides bytes by the key of the house (AES-256-GCM): nonce, tag, and what they became. */
export function hide(key: string, purpose: string, bytes: Buffer): Buffer {
  const nonce = randomBytes(NONCE);
  const cipher = createCipheriv(ALGORITHM, keyFor(key, purpose), nonce);
  const hidden = Buffer.concat([cipher.update(bytes), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), hidden]);
}

/** What was hidden. @returns null where it was hidden by another key, for another purpose, or is not whole */
export function reveal(key: string, purpose: string, bytes: Buffer): Buffer | null {
  if (bytes.length < NONCE + TAG) return null;
  try {
    const decipher = createDecipheriv(ALGORITHM, keyFor(key, purpose), bytes.subarray(0, NONCE));
    decipher.setAuthTag(bytes.subarray(NONCE, NONCE + TAG));
    return Buffer.concat([decipher.update(bytes.subarray(NONCE + TAG)), decipher.final()]);
  } catch {
    return null;
  }
}
