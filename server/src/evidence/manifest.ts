import { createHash } from 'node:crypto';
import { calculateJwkThumbprint, EmbeddedJWK, FlattenedSign, flattenedVerify, type JWK } from 'jose';
import type { Manifest } from '@nudrik/contract';
import type { SigningKey } from '../house/signing-key.ts';

export const MANIFEST = 'manifest.json';
export const SIGNATURE = 'manifest.jws';

export const hashOf = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex');

/** What a key is known by (RFC 7638). */
export const printOf = (key: object): Promise<string> => calculateJwkThumbprint(key as JWK, 'sha256');

export const writeManifest = (manifest: Manifest): Buffer => Buffer.from(`${JSON.stringify(manifest, null, 1)}\n`);

/** The signature of a manifest: a JWS (RFC 7515) with its payload detached, which is the manifest to the last byte; EdDSA (RFC 8037), with its key. */
export async function signManifest(manifest: Buffer, { own, open }: SigningKey): Promise<string> {
  const { kty, crv, x } = open;
  const signed = await new FlattenedSign(manifest).setProtectedHeader({ alg: 'EdDSA', jwk: { kty, crv, x } as JWK }).sign(own);
  return `${signed.protected}..${signed.signature}\n`;
}

/** @returns the print of the key that signed it; null where the signature does not fit */
export async function whoSigned(manifest: Buffer, jws: string): Promise<string | null> {
  const [head, between, signature, ...more] = jws.trim().split('.');
  if (!head || between !== '' || !signature || more.length > 0) return null;
  try {
    const { protectedHeader } = await flattenedVerify({ protected: head, payload: manifest.toString('base64url'), signature }, EmbeddedJWK, { algorithms: ['EdDSA'] }); // prettier-ignore
    return await printOf(protectedHeader!.jwk!);
  } catch {
    return null;
  }
}
