/** Letters that stand in no address, whoever writes it: of markup and lists, unseen ones, and those that turn text around. */
const PART = '[^\\s@<>,;:"()\\[\\]\\\\\\p{Cc}\\p{Cf}]+';
const SHAPE = new RegExp(`^(${PART})@(${PART})$`, 'u');

/**
 * Whether a text is a mail address (RFC 5321), with letters of any script in it (RFC 6531): the name in at most 64 octets, a domain of at
 * least two parts that stands in the domain name system.
 */
export function isMailAddress(text: string): boolean {
  const [, name, domain] = SHAPE.exec(text) ?? [];
  if (!name || !domain || text.length > 254) return false;
  if (name.startsWith('.') || name.endsWith('.') || name.includes('..') || new TextEncoder().encode(name).length > 64) return false;
  const asked = /[/?#%]/.test(domain) ? null : asciiOf(domain);
  return asked !== null && asked.length <= 253 && asked.split('.').length >= 2 && asked.split('.').every((part) => /^(?!-)[a-z0-9-]{1,63}(?<!-)$/.test(part)) && !/^\d+$/.test(asked.split('.').at(-1)!); // prettier-ignore
}

/** A domain as the domain name system has it (RFC 5891); null where it can be none. */
function asciiOf(domain: string): string | null {
  try {
    return new URL(`http://${domain}/`).hostname.toLowerCase();
  } catch {
    return null;
  }
}
