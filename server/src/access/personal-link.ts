import { createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto';

/** What a personal link leads into: a course as the employee, one's people, a file of one's own, to having no more of a kind of message, or to a list to sign off. */
export const LINK_KINDS = ['go', 'team', 'download', 'decline', 'sign-off'] as const;
export type LinkKind = (typeof LINK_KINDS)[number];
/** What else is signed: the address of a calendar, a picture that stands in a page, what is in a package, a look at a course, a certificate that is shown. */
export type SignedKind = LinkKind | 'calendar' | 'picture' | 'package' | 'look' | 'shown';

/** Letters of a signature: 192 bits. */
const SIGNED = 32;

/** The half of a personal link that is kept and names it. */
export const newToken = (): string => randomBytes(12).toString('base64url');

const signature = (key: string, kind: SignedKind, token: string): string =>
  createHmac('sha256', key).update(`personal link ${kind} ${token}`).digest('base64url').slice(0, SIGNED);

/** The whole of a link: the token that names it, and a signature by the key of the house, which stands in no database. */
export const signedToken = (key: string, kind: SignedKind, token: string): string => token + signature(key, kind, token);

/** What to look for: the token, where the signature is ours; and the digest of the whole, for links of before there were any. */
export interface ReadLink {
  token: string | null;
  digest: Buffer;
}

export function readLink(key: string, kind: SignedKind, text: string): ReadLink {
  const token = text.slice(0, -SIGNED);
  const isOurs = token !== '' && sameText(text.slice(-SIGNED), signature(key, kind, token));
  return { token: isOurs ? token : null, digest: createHash('sha256').update(text).digest() };
}

function sameText(a: string, b: string): boolean {
  const [left, right] = [Buffer.from(a), Buffer.from(b)];
  return left.length === right.length && timingSafeEqual(left, right);
}

/** A personal link as letters keep it. */
export interface PersonalLink {
  kind: LinkKind;
  token: string;
}

export const addressOf = (baseUrl: string, { kind, token }: PersonalLink): string => `${baseUrl}/${kind}/${token}`;

/** A text with a link of its reader in it, as it goes out: signed. Links of others stay as they are kept. */
export const withSigned = (text: string, key: string, { kind, token }: PersonalLink): string =>
  text.replace(new RegExp(`/${kind}/${token}(?![\\w-])`, 'g'), `/${kind}/${signedToken(key, kind, token)}`);
