import { createPrivateKey, createPublicKey, hkdfSync, type JsonWebKey, type KeyObject } from 'node:crypto';

/** What stands before the 32 bytes of an Ed25519 key in PKCS #8 (RFC 8410). */
const PKCS8 = Buffer.from('302e020100300506032b657004220420', 'hex');

export interface SigningKey {
  own: KeyObject;
  /** what its signatures are checked with (RFC 7517, RFC 8037) */
  open: JsonWebKey;
}
const keys = new Map<string, SigningKey>();

/** A key to sign with (Ed25519): made from the key of the house, so that each of its processes has the same; another for each purpose. */
export function signingKey(houseKey: string, purpose: 'badges' | 'evidence'): SigningKey {
  const name = `${purpose} ${houseKey}`;
  let pair = keys.get(name);
  if (!pair) {
    const seed = Buffer.from(hkdfSync('sha256', houseKey, '', `nudrik ${purpose} ed25519`, 32));
    const own = createPrivateKey({ key: Buffer.concat([PKCS8, seed]), format: 'der', type: 'pkcs8' });
    keys.set(name, (pair = { own, open: createPublicKey(own).export({ format: 'jwk' }) }));
  }
  return pair;
}
