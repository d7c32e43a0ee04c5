import type { JsonWebKey } from 'node:crypto';
import { SignJWT } from 'jose';
import { maybeRow } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { signingKey, type SigningKey } from '../house/signing-key.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { findCertificate, verdictOn, type CertificateDbRow } from './certificates.repo.ts';

const keyOf = ({ settings }: Deps): SigningKey => signingKey(settings.key, 'badges');

const keyId = ({ settings }: Deps): string => `${settings.baseUrl}/api/badges/key`;

/** What badges are checked with (RFC 7517, RFC 8037). */
export const publicKey = (deps: Deps): JsonWebKey => ({ ...keyOf(deps).open, kid: keyId(deps), use: 'sig', alg: 'EdDSA' });

const issuerId = ({ settings }: Deps): string => `${settings.baseUrl}/api/badges/issuer`;
const badgeId = ({ settings }: Deps, serial: string): string => `${settings.baseUrl}/verify/${serial}`;

/** Who issues badges, as Open Badges 3.0 has it (a Profile). */
export async function issuerProfile(deps: Deps): Promise<object> {
  const { organisation } = await getHouse(deps.db);
  return { id: issuerId(deps), type: ['Profile'], name: organisation, url: deps.settings.baseUrl };
}

const GET_COURSE = "select title, summary from courses where id = $1::bigint and state <> 'draft'";

async function achievementOf(deps: Deps, courseId: string, title?: string): Promise<object | null> {
  const course = await maybeRow<{ title: string; summary: string | null }>(deps.db, GET_COURSE, [courseId]);
  if (!course) return null;
  const name = title ?? course.title;
  return {
    id: `${deps.settings.baseUrl}/api/badges/achievements/${courseId}`,
    type: ['Achievement'],
    achievementType: 'Certificate',
    name,
    description: course.summary?.trim() || name,
    criteria: { narrative: `Finish the course “${name}”.` },
  };
}

/** What is achieved by a course that is certified. @throws Refused */
export async function achievement(deps: Deps, courseId: string): Promise<object> {
  const found = await achievementOf(deps, courseId);
  if (!found) throw new Refused('not-found', 'There is no such course, or not any more.');
  return found;
}

/**
 * A certificate as a signed credential (Open Badges 3.0 over the W3C data model 2.0; JWS with Ed25519). It says what the
 * certificate says; its holder stands in it by name alone.
 * @throws Refused where it is not held (any more)
 */
export async function makeBadge(deps: Deps, row: CertificateDbRow): Promise<string> {
  const { answer } = await verdictOn(deps.db, row, await houseToday(deps));
  if (answer !== 'genuine') throw new Refused('conflict', 'This certificate does not hold any more, so there is no badge of it.');
  const id = badgeId(deps, row.serial);
  const validFrom = `${row.issued_on}T00:00:00Z`;
  // it holds on its last day
  const validUntil = row.expires_on === null ? null : `${row.expires_on}T23:59:59Z`;
  const issuer = await issuerProfile(deps);
  const credential = {
    '@context': ['https://www.w3.org/ns/credentials/v2', 'https://purl.imsglobal.org/spec/ob/v3p0/context-3.0.3.json'],
    id,
    type: ['VerifiableCredential', 'OpenBadgeCredential'],
    issuer,
    name: row.course_title,
    validFrom,
    ...(validUntil && { validUntil }),
    credentialSubject: {
      type: ['AchievementSubject'],
      identifier: [{ type: 'IdentityObject', identityType: 'name', hashed: false, identityHash: row.person_name }],
      achievement: await achievementOf(deps, row.course_id, row.course_title),
    },
    credentialStatus: { id: `${deps.settings.baseUrl}/api/badges/${row.serial}/status`, type: '1EdTechRevocationList' },
  };
  const jwt = new SignJWT(credential)
    .setProtectedHeader({ alg: 'EdDSA', typ: 'JWT', kid: keyId(deps) })
    .setIssuer(issuerId(deps))
    .setJti(id)
    .setNotBefore(Math.floor(Date.parse(validFrom) / 1000));
  if (validUntil) jwt.setExpirationTime(Math.floor(Date.parse(validUntil) / 1000));
  return jwt.sign(keyOf(deps).own);
}

/** Whether a badge was taken back: a list of one, since a list of all would tell serials to everybody. */
export async function badgeStatus(deps: Deps, serial: string): Promise<object> {
  const row = await findCertificate(deps.db, serial);
  if (!row || row.issuer !== null) throw new Refused('not-found', 'There is no such certificate.');
  const isRevoked = row.revoked_at !== null || row.replaced_at !== null;
  return {
    id: `${deps.settings.baseUrl}/api/badges/${serial}/status`,
    issuer: issuerId(deps),
    revokedCredential: isRevoked
      ? [{ id: badgeId(deps, serial), revoked: true, revocationReason: row.revoked_at ? 'revoked' : 'replaced' }]
      : [],
  };
}
