import { createHmac, timingSafeEqual } from 'node:crypto';

/**
 * What an address of ours is for: a reply to a notice, the employee's or the house's word in a conversation, and what comes back of an
 * attempt to deliver a notice or a mail of a conversation.
 */
export type AddressKind = 'notice' | 'person' | 'house' | 'delivery' | 'outbox';

/** What a signed address names. */
export interface Addressed {
  kind: AddressKind;
  id: string;
}

const LETTERS: Readonly<Record<AddressKind, string>> = { notice: 'n', person: 'p', house: 'h', delivery: 'd', outbox: 'o' };
const KINDS = new Map((Object.keys(LETTERS) as AddressKind[]).map((kind) => [LETTERS[kind], kind]));

/** Letters of a signature: 80 bits, in what mail servers leave as it is. */
const SIGNED = 16;
const ALPHABET = 'abcdefghijklmnopqrstuvwxyz234567';

function sign(key: string, kind: AddressKind, id: string): string {
  const digest = createHmac('sha256', key).update(`address ${kind} ${id}`).digest();
  return Array.from(digest.subarray(0, SIGNED), (byte) => ALPHABET[byte & 31]).join('');
}

/** `replies+n1x-abcdefghijklmnop@…`: the house's address for what comes in, with what it is about, signed. */
export function signedAddress(key: string, inbound: string, { kind, id }: Addressed): string {
  const at = inbound.lastIndexOf('@');
  return `${inbound.slice(0, at)}+${LETTERS[kind]}${BigInt(id).toString(36)}-${sign(key, kind, id)}${inbound.slice(at)}`;
}

function base36(text: string): bigint {
  let value = 0n;
  for (const letter of text) value = value * 36n + BigInt(parseInt(letter, 36));
  return value;
}

const TAG = /\+([nphdo])([0-9a-z]{1,13})-([a-z2-7]{16})@/i;

/** What an address names, or null where it is none of ours or was not signed by us. */
export function readAddress(key: string, address: string): Addressed | null {
  const [, letter, number, signature] = TAG.exec(address) ?? [];
  const kind = KINDS.get(letter?.toLowerCase() ?? '');
  if (!kind || !number || !signature) return null;
  const id = base36(number.toLowerCase());
  if (id <= 0n || id > 9_223_372_036_854_775_807n) return null;
  const expected = Buffer.from(sign(key, kind, String(id)));
  return timingSafeEqual(Buffer.from(signature.toLowerCase()), expected) ? { kind, id: String(id) } : null;
}

/** The first of some addresses that is ours, and of a kind that is asked for. */
export function findAddress(key: string, addresses: readonly string[], kinds?: readonly AddressKind[]): Addressed | null {
  for (const address of addresses) {
    const found = readAddress(key, address);
    if (found && (!kinds || kinds.includes(found.kind))) return found;
  }
  return null;
}

/** The address without what it names: for whoever looks at a letter that is another's, since what is signed lets its holder answer. */
export const withoutTag = (address: string): string => address.replace(TAG, '@');
